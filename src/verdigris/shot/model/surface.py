"""One plane: its corners, how it is followed, and how its track is mended."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from verdigris.core.geometry.corrections import CornerCorrection
from verdigris.core.geometry.motion import Motion
from verdigris.core.tracking.reference.analysis import AnalysisSettings, Channel, Deflicker
from verdigris.core.types import Float64
from verdigris.shot.model.base import Coordinate, Depth, FrameIndex, Id, Name, Part, Quad, Span
from verdigris.shot.model.points import TrackPoint
from verdigris.shot.model.region import Region


class Analysis(Part):
    """The picture that is looked at for following; the delivered one is never touched."""

    channel: Channel = "luma"
    contrast: float = Field(1.0, ge=0.1, le=10)
    gamma: float = Field(1.0, ge=0.1, le=10)
    blur_px: float = Field(0.0, ge=0, le=20)
    sharpen: float = Field(0.0, ge=0, le=5)
    denoise: float = Field(0.0, ge=0, le=1)
    deflicker: Deflicker = "none"
    normalise: bool = False

    def settings(self) -> AnalysisSettings:
        """As the core takes them."""
        return AnalysisSettings(**self.model_dump())


class HeldFrame(Part):
    """Corners set by hand at one frame: kept exactly, the track between such frames is held by them."""

    frame: FrameIndex
    corners: Quad


class Correction(Part):
    """A corner moved by hand on one frame, against what the take says, plate px."""

    frame: FrameIndex
    corner: Annotated[int, Field(ge=0, le=3, description="0 top-left, 1 top-right, 2 bottom-right, 3 bottom-left")]
    dx_px: Coordinate
    dy_px: Coordinate


class CalmedSpan(Part):
    """Frames that are smoothed, and how much."""

    span: Span
    strength: float = Field(1.0, gt=0, le=100, description="1 weighs doubt as stated; more calms more")


class Surface(Part):
    """One plane that is followed."""

    id: Id
    name: Name
    depth: Depth = Field(1, description="lower is nearer the camera")
    reference_frame: FrameIndex = 0
    motion: Motion = "perspective"
    corners: Quad | None = Field(None, description="at the reference frame, plate px, corner order")
    follow: Literal["region", "points"] = Field("region", description="what the plane is followed by")
    analysis: Analysis = Field(default_factory=Analysis)
    points: list[TrackPoint] = Field(default_factory=list, max_length=200)
    held: list[HeldFrame] = Field(default_factory=list, max_length=1000)
    smoothing: float = Field(0.0, ge=0, le=100, description="0 leaves the track; 1 weighs its doubt as stated")
    carry: bool = Field(False, description="whether lost frames are carried by the movement around them")
    left_out: list[Span] = Field(default_factory=list, max_length=1000, description="spans of frames whose track is not used")
    calmed: list[CalmedSpan] = Field(default_factory=list, max_length=1000, description="spans that are smoothed by themselves")
    region: Region = Field(default_factory=Region)
    proportions: float | None = Field(
        None, ge=0.01, le=100, description="true width for its height, where known; else told from the corners"
    )
    corrections: list[Correction] = Field(default_factory=list, max_length=20_000)
    reach_frames: int = Field(12, ge=0, le=1000, description="frames over which a correction fades to its neighbours")
    take: str | None = Field(None, max_length=64, pattern=r"^[A-Za-z0-9-]+$", description="id of the chosen take in the application")

    def quad(self) -> Float64 | None:
        """Corners as (4, 2) float64, plate px, or None while they are not placed."""
        return None if self.corners is None else np.array(self.corners, dtype=np.float64)

    def corner_corrections(self) -> list[CornerCorrection]:
        """Corrections as the core takes them."""
        return [CornerCorrection(c.frame, c.corner, c.dx_px, c.dy_px) for c in self.corrections]
