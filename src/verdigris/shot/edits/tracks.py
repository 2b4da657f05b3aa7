"""Edits of how a track is used: chosen, nudged, held, mended."""

from typing import ClassVar, Literal

from pydantic import Field

from verdigris.core.geometry.motion import Motion
from verdigris.shot.edits.base import check_corners, with_surface
from verdigris.shot.errors import ShotError
from verdigris.shot.model.base import FrameIndex, Id, Part, Quad, Span
from verdigris.shot.model.camera import CameraModel, LensModel
from verdigris.shot.model.document import Shot
from verdigris.shot.model.points import TrackPoint
from verdigris.shot.model.region import Region, RegionShape
from verdigris.shot.model.surface import Analysis, CalmedSpan, Correction, HeldFrame


class ChooseTake(Part):
    """Choose which take of a surface counts."""

    label: ClassVar[str] = "take chosen"
    kind: Literal["choose_take"] = "choose_take"
    surface: Id
    take: str | None = Field(max_length=64, pattern=r"^[A-Za-z0-9-]+$")

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return with_surface(shot, shot.surface(self.surface).model_copy(update={"take": self.take}))


class NudgeCorner(Part):
    """Set the correction of one corner on one frame; no offset takes it away."""

    label: ClassVar[str] = "corner nudged"
    kind: Literal["nudge_corner"] = "nudge_corner"
    surface: Id
    correction: Correction

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        surface, new = shot.surface(self.surface), self.correction
        kept = [c for c in surface.corrections if (c.frame, c.corner) != (new.frame, new.corner)]
        if new.dx_px or new.dy_px:
            kept.append(new)
        kept.sort(key=lambda c: (c.frame, c.corner))
        return with_surface(shot, surface.model_copy(update={"corrections": kept}))


class SetReach(Part):
    """Over how many frames corrections fade to their neighbours."""

    label: ClassVar[str] = "reach of nudges"
    kind: Literal["set_reach"] = "set_reach"
    surface: Id
    reach_frames: int = Field(ge=0, le=1000)

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return with_surface(shot, shot.surface(self.surface).model_copy(update={"reach_frames": self.reach_frames}))


class HoldFrame(Part):
    """Set the corners of one frame by hand: the track passes through them. Without corners, let the frame go again."""

    label: ClassVar[str] = "corners held"
    kind: Literal["hold_frame"] = "hold_frame"
    surface: Id
    frame: FrameIndex
    corners: Quad | None = None

    def apply(self, shot: Shot) -> Shot:
        """The next document; nudges of that frame are part of the corners and are taken away."""
        surface = shot.surface(self.surface)
        held = [h for h in surface.held if h.frame != self.frame]
        nudges = surface.corrections
        if self.corners is not None:
            check_corners(self.corners)
            held.append(HeldFrame(frame=self.frame, corners=self.corners))
            nudges = [c for c in nudges if c.frame != self.frame]
        held.sort(key=lambda h: h.frame)
        return with_surface(shot, surface.model_copy(update={"held": held, "corrections": nudges}))


class SetMending(Part):
    """How the track is mended: calmed, spans of it calmed or left out, lost frames carried by the movement around them."""

    label: ClassVar[str] = "smoothing and carrying"
    kind: Literal["set_mending"] = "set_mending"
    surface: Id
    smoothing: float = Field(ge=0, le=100)
    carry: bool
    left_out: list[Span] = Field(default_factory=list, max_length=1000)
    calmed: list[CalmedSpan] = Field(default_factory=list, max_length=1000)

    def apply(self, shot: Shot) -> Shot:
        """The next document; ShotError `shape_refused` for a span that ends before it begins."""
        if any(first > last for first, last in (*self.left_out, *(c.span for c in self.calmed))):
            raise ShotError("shape_refused", "A span ends before it begins.")
        changes = {"smoothing": self.smoothing, "carry": self.carry, "left_out": self.left_out, "calmed": self.calmed}
        return with_surface(shot, shot.surface(self.surface).model_copy(update=changes))


class RestoreSettings(Part):
    """Set a surface as it was when a take was made: motion, reference frame and corners, region, points, analysis; and the lens."""

    label: ClassVar[str] = "a take's settings"
    kind: Literal["restore_settings"] = "restore_settings"
    surface: Id
    reference_frame: FrameIndex
    motion: Motion
    corners: Quad | None
    region: list[RegionShape] = Field(max_length=100)
    follow: Literal["region", "points"]
    points: list[TrackPoint] = Field(max_length=200)
    analysis: Analysis
    lens: LensModel
    camera: CameraModel

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        surface = shot.surface(self.surface)
        changes: dict[str, object] = {k: getattr(self, k) for k in ("reference_frame", "motion", "follow", "analysis")}
        changes["region"] = Region(shapes=self.region)
        changes["corners"] = self.corners if self.corners is not None else surface.corners
        if self.follow == "points":
            changes["points"] = self.points
        return with_surface(shot, surface.model_copy(update=changes)).model_copy(update={"lens": self.lens, "camera": self.camera})
