"""Takes, their frames and their points."""

import uuid
from typing import Literal

from pydantic import BaseModel, Field

from verdigris.formats.track_json import Camera


class LookView(BaseModel):
    """A frame to look at, worst first in lists."""

    frame: int
    severity_px: float
    reason: str


class TakeView(BaseModel):
    """A take of a surface, without its frames."""

    id: uuid.UUID
    surface: str
    label: str
    name: str = Field(description="given by a person, or empty")
    motion: str
    reference_frame: int
    stale: bool = Field(description="computed from something else than what the document says now")
    changed: list[str] = Field(description="what of its settings is otherwise now, in words")
    restorable: bool = Field(description="its settings were kept, and can be brought back")
    mended: bool = Field(description="it came in with smoothing, held and carried frames in it, and is used as it is")
    running: bool
    version: str = Field(description="another one once a job has changed its frames; empty while one does")
    followed: int
    lost: int
    ranges: list[tuple[int, int]] = Field(description="runs of frames that are followed, both ends included")
    looks: list[LookView]
    median_sigma_px: float | None
    camera: Camera | None = Field(description="what following found of the camera")


class PointView(BaseModel):
    """A single point at one frame, plate px; without a place when it is lost."""

    status: Literal["followed", "carried", "by_hand", "lost"]
    x: float | None
    y: float | None
    sigma_px: float | None


class TakeNameRequest(BaseModel):
    """What a take is to be called; empty for its letter alone."""

    name: str = Field(max_length=60, pattern=r"^[^\x00-\x1f\x7f]*$")


class TakeFrameView(BaseModel):
    """One frame of a take, as in the track format."""

    frame: int
    status: Literal["followed", "carried", "by_hand", "lost"]
    homography: list[float] | None
    sigma_px: list[float] | None
    residual_px: float | None
    share_used: float
    margin_px: float | None
    through: int | None
    defocus_px2: float | None
    smear_px: float | None
    noise: float | None
    first_look: bool = Field(description="closer looks may still move it")
    reason: str


class PointFiguresView(BaseModel):
    """What a single point's track is worth over a take, px; see the core's `PointFigures`."""

    id: str
    seen: int
    carried: int
    lost: int
    error_px: float | None = Field(description="median distance from the plane of all points")
    worst_px: float | None
    worst_frame: int | None
    speed_px: float = Field(description="95th percentile from frame to frame")
    acceleration_px: float = Field(description="95th percentile of how much the speed changes")
    sigma_px: float | None
