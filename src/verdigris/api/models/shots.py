"""Shots, their revisions, and what is asked of them."""

import datetime as dt
import uuid
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from verdigris.api.models.deliveries import DeliveryView
from verdigris.api.models.media import MediaView
from verdigris.api.models.takes import TakeView
from verdigris.media.facts import Ratio
from verdigris.shot.edits.edit import Edit
from verdigris.shot.model.base import FrameIndex, Id, Name
from verdigris.shot.model.delivery import Delivery
from verdigris.shot.model.document import Shot

RevisionNumber = Annotated[int, Field(ge=1, le=2**31 - 1)]


class TrackAllRequest(BaseModel):
    """Follow every surface that has corners, the nearest first."""

    direction: Literal["forwards", "backwards", "both"] = "both"


class ShotView(BaseModel):
    """A shot as the Bench needs it."""

    id: uuid.UUID
    project_id: uuid.UUID
    project: str
    revision: int
    can_undo: bool
    can_redo: bool
    undo_label: str
    document: Shot
    media: dict[str, MediaView]
    takes: list[TakeView]
    deliveries: list[DeliveryView]


class NewShot(BaseModel):
    """A shot to make from a plate."""

    name: Name
    plate: str = Field(pattern=r"^[0-9a-f]{64}$", description="content hash of the plate")
    rate: Ratio | None = Field(None, description="frames per second, for numbered stills")


class EditRequest(BaseModel):
    """Edits on top of a revision."""

    base_revision: RevisionNumber
    edits: list[Edit] = Field(min_length=1, max_length=50)
    stroke: str | None = Field(None, max_length=64, description="edits of one movement of the hand are one step to undo")


class DraftRequest(BaseModel):
    """Edits that are only tried; `state` as for results."""

    edits: list[Edit] = Field(min_length=1, max_length=50)
    state: str = Field("", max_length=200)
    width: int | None = Field(default=None, ge=16, le=4096, description="px the picture is shown wide; a proxy's width by default")


class BaseRequest(BaseModel):
    """An action on top of a revision."""

    base_revision: RevisionNumber


class TrackRequest(BaseModel):
    """Follow a surface."""

    surface: Id
    direction: Literal["forwards", "backwards", "both"] = "both"
    span: tuple[FrameIndex, FrameIndex] | None = Field(
        None, description="first and last frame to follow again; the rest of the chosen take is kept"
    )
    point: Id | None = Field(None, description="the one point to follow again, of a surface that is followed by points")
    begin: FrameIndex = Field(0, description="the frame a point goes on from, when it is followed over a span")


class DeliveryRequest(BaseModel):
    """Hand over; the settings become part of the document."""

    base_revision: RevisionNumber
    delivery: Delivery


class RevisionView(BaseModel):
    """One entry of a shot's history."""

    number: int
    parent: int | None
    label: str
    created: dt.datetime
