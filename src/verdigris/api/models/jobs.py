"""Jobs as clients see them."""

import datetime as dt
import uuid
from typing import Literal

from pydantic import BaseModel, Field

from verdigris.api.models.shots import ShotView
from verdigris.api.models.takes import TakeFrameView


class JobView(BaseModel):
    """Something long that runs or ran."""

    id: uuid.UUID
    kind: Literal["media", "track", "render", "match"]
    title: str
    state: Literal["waiting", "running", "done", "failed", "stopped"]
    done: int
    total: int
    phase: str = Field(description="what it does now, in words")
    seconds_left: float | None = Field(description="as far as it can be told yet")
    message: str
    stop_asked: bool
    shot_id: uuid.UUID | None
    take_id: uuid.UUID | None
    delivery_id: uuid.UUID | None
    media_hash: str | None
    created: dt.datetime
    finished: dt.datetime | None


class FollowView(JobView):
    """The job that follows a surface, the shot with the take it fills, and what that take begins with."""

    shot: "ShotView"
    frames: list["TakeFrameView"]
