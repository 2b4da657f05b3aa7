"""Edits of a surface and how it is followed."""

from typing import ClassVar, Literal

from pydantic import Field

from verdigris.core.geometry.motion import Motion
from verdigris.shot.edits.base import check_corners, check_new_id, with_surface
from verdigris.shot.errors import ShotError
from verdigris.shot.model.base import FrameIndex, Id, Part, Quad
from verdigris.shot.model.document import Shot
from verdigris.shot.model.points import TrackPoint
from verdigris.shot.model.region import Region
from verdigris.shot.model.surface import Analysis, Surface


class AddSurface(Part):
    """Add a surface behind what is there."""

    label: ClassVar[str] = "surface added"
    kind: Literal["add_surface"] = "add_surface"
    surface: Surface

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        check_new_id(shot, self.surface.id)
        check_corners(self.surface.corners)
        return shot.model_copy(update={"surfaces": [*shot.surfaces, self.surface]})


class SetCorners(Part):
    """Place the four corners at the reference frame."""

    label: ClassVar[str] = "corners placed"
    kind: Literal["set_corners"] = "set_corners"
    surface: Id
    corners: Quad

    def apply(self, shot: Shot) -> Shot:
        """The next document; ShotError `corners_refused` with the reason."""
        check_corners(self.corners)
        return with_surface(shot, shot.surface(self.surface).model_copy(update={"corners": self.corners}))


class SetRegion(Part):
    """Draw the region that moves with the plane."""

    label: ClassVar[str] = "region drawn"
    kind: Literal["set_region"] = "set_region"
    surface: Id
    region: Region

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return with_surface(shot, shot.surface(self.surface).model_copy(update={"region": self.region}))


class SetReference(Part):
    """Choose the reference frame; corners and region may be given as they are there."""

    label: ClassVar[str] = "reference frame"
    kind: Literal["set_reference"] = "set_reference"
    surface: Id
    frame: FrameIndex
    corners: Quad | None = None
    region: Region | None = None

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        check_corners(self.corners)
        changes: dict[str, object] = {"reference_frame": self.frame}
        if self.corners is not None:
            changes["corners"] = self.corners
        if self.region is not None:
            changes["region"] = self.region
        return with_surface(shot, shot.surface(self.surface).model_copy(update=changes))


class SetMotion(Part):
    """Choose the motion model."""

    label: ClassVar[str] = "motion model"
    kind: Literal["set_motion"] = "set_motion"
    surface: Id
    motion: Motion

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return with_surface(shot, shot.surface(self.surface).model_copy(update={"motion": self.motion}))


class SetAnalysis(Part):
    """Which picture is looked at for following."""

    label: ClassVar[str] = "analysis picture"
    kind: Literal["set_analysis"] = "set_analysis"
    surface: Id
    analysis: Analysis

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return with_surface(shot, shot.surface(self.surface).model_copy(update={"analysis": self.analysis}))


class SetPoints(Part):
    """Set the single points of a surface, and whether it is followed by them or by its region."""

    label: ClassVar[str] = "points"
    kind: Literal["set_points"] = "set_points"
    surface: Id
    points: list[TrackPoint] = Field(max_length=200)
    follow: Literal["region", "points"]

    def apply(self, shot: Shot) -> Shot:
        """The next document; ShotError `taken_id` when two points share a name."""
        if len({p.id for p in self.points}) != len(self.points):
            raise ShotError("taken_id", "Two points have the same name.")
        return with_surface(shot, shot.surface(self.surface).model_copy(update={"points": self.points, "follow": self.follow}))
