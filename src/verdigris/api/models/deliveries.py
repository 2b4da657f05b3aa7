"""What was handed over."""

import datetime as dt
import uuid
from typing import Literal

from pydantic import BaseModel, Field


class MadeOfView(BaseModel):
    """A slot, and the version of it that is in a picture."""

    slot: str
    name: str
    version: int
    current: int = Field(description="the version the slot has now")


class DeliveryView(BaseModel):
    """One handing over."""

    id: uuid.UUID
    revision: int
    form: str
    state: Literal["running", "done", "failed", "stopped"]
    file: str
    bytes: int
    frames_without_track: list[int]
    made_of: list[MadeOfView] = Field(description="versions of slots that it was made of")
    differs: bool = Field(description="the pictures would come out otherwise from how the shot is now")
    created: dt.datetime
    job: uuid.UUID | None
