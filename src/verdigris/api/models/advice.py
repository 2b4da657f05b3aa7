"""What is measured and advised."""

import datetime as dt
from typing import Any, Literal

from pydantic import BaseModel, Field

from verdigris.core.geometry.motion import Motion


class CrossingView(BaseModel):
    """Two edges of the plate cross here, plate px."""

    at: tuple[float, float]
    sigma_px: float


class FrameWorthView(BaseModel):
    """How well a frame would serve as the reference."""

    frame: int
    size_px: float | None = Field(description="side of a square of the surface's area, plate px; null where it is not followed")
    sharpness: float
    hidden: float = Field(description="share covered or outside the picture, 0..1")
    worth: float = Field(description="0..1, 1 for the best frame")


class JitterView(BaseModel):
    """Movement left in a surface held still, corner by corner, px at the reference frame; null where nothing can be compared."""

    frame: int
    shift_px: list[tuple[float, float] | None]
    noise_px: list[float | None] = Field(description="what noise alone would show, root mean square")


class OutlineKeyView(BaseModel):
    """Where something is at a frame, plate px there."""

    frame: int
    points: list[tuple[float, float]]


class DisagreementView(BaseModel):
    """A patch of the region that does not move with the plane."""

    kind: Literal["content", "passing"]
    outline: list[tuple[float, float]] = Field(description="at the reference frame, plate px")
    frames: tuple[int, int]
    share_of_region: float
    helps: float
    keys: list[OutlineKeyView] = Field(description="the same number of points at every frame")


class LensTermView(BaseModel):
    """One term of a lens and its standard deviation."""

    term: str
    value: float
    sigma: float


class LensView(BaseModel):
    """A lens found from drawn lines or from a track."""

    k1: float
    k2: float
    centre: tuple[float, float] | None
    terms: list[LensTermView]
    note: str


class MotionFiguresView(BaseModel):
    """How well one motion model explains a track, px."""

    motion: Motion
    residual_px: float
    left_out_px: float = Field(description="error on places the model was not fitted to")
    left_out_sigma_px: float


class MotionAdvice(BaseModel):
    """The simplest motion that is enough, and why."""

    motion: Motion
    figures: list[MotionFiguresView]
    reason: str


class ProposalView(BaseModel):
    """One thing that was measured of how a surface sits."""

    part: str
    value: dict[str, Any] | None = Field(description="the part of a match as a document has it; null where there is nothing to take over")
    sure: bool
    plate: str
    artwork: str
    said: str
    evidence: list[list[float]] = Field(description="figures of its small picture, by part; see the interface")


class ProposalsView(BaseModel):
    """What was last measured of a surface."""

    surface: str
    stale: bool = Field(description="measured from something else than what the document says now")
    created: dt.datetime
    proposals: list[ProposalView]
