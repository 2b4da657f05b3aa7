"""Artwork of a project."""

import datetime as dt
import uuid

from pydantic import BaseModel, Field

from verdigris.shot.model.artwork import Artwork
from verdigris.shot.model.base import Name


class SlotVersionView(BaseModel):
    """One version of a slot."""

    number: int
    revision: str
    language: str
    note: str
    artwork: Artwork
    created: dt.datetime


class SlotUseView(BaseModel):
    """A shot that shows a slot, and the versions it shows."""

    shot: uuid.UUID
    name: str
    versions: list[int]
    pinned: bool = Field(description="it stays with its version whatever becomes the current one")


class SlotView(BaseModel):
    """A place for artwork in a project."""

    key: str
    name: str
    current: int
    versions: list[SlotVersionView]
    used: list[SlotUseView]


class SlotVersionRequest(BaseModel):
    """A new version of a slot."""

    artwork: Artwork
    revision: str = Field("", max_length=60)
    language: str = Field("", max_length=60)
    note: str = Field("", max_length=400)


class NewSlot(SlotVersionRequest):
    """A slot to make, with its first version."""

    name: Name


class SlotRequest(BaseModel):
    """A slot's name and the version that shots show."""

    name: Name
    current: int = Field(ge=1)
