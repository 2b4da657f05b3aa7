"""Projects with their shots, and the bin."""

import datetime as dt
import uuid
from typing import Literal

from pydantic import BaseModel, Field

from verdigris.api.models.deliveries import DeliveryView, MadeOfView
from verdigris.api.models.media import MediaView
from verdigris.shot.model.base import Name


class ShotSummary(BaseModel):
    """A shot as a row of the Board."""

    id: uuid.UUID
    name: str
    plate: MediaView | None
    frames: list[int] = Field(description="frames for the three small pictures")
    first_frame: int
    surfaces: list["SurfaceSummary"]
    artwork: list[str]
    slots: list[MadeOfView]
    delivery: DeliveryView | None
    revision: int


class SurfaceSummary(BaseModel):
    """A surface on the Board."""

    id: str
    name: str
    ranges: list[tuple[int, int]]
    looks: int
    lost: int


class ProjectView(BaseModel):
    """A project with its shots."""

    id: uuid.UUID
    name: str
    shots: list[ShotSummary]


class RemovedView(BaseModel):
    """Something in the bin."""

    kind: Literal["project", "shot", "media"]
    id: str
    name: str
    removed: dt.datetime
    kept_until: dt.datetime


class NewProject(BaseModel):
    """A project to make, or its new name."""

    name: Name
