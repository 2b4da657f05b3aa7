"""Edits: small, typed, validated changes. Each is a pure function from one document to the next."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field, TypeAdapter, ValidationError

from verdigris.core.geometry.motion import Motion
from verdigris.core.geometry.quad import find_quad_problem
from verdigris.media.facts import ColourChoice, Ratio
from verdigris.shot.document import (
    Analysis,
    CalmedSpan,
    CameraModel,
    Correction,
    Delivery,
    FirstFrame,
    FrameIndex,
    HeldFrame,
    Id,
    LensModel,
    Name,
    Occluder,
    Part,
    Placement,
    Quad,
    Region,
    RegionShape,
    ShapeKey,
    Shot,
    Span,
    Surface,
    TrackPoint,
    first_fault,
)
from verdigris.shot.errors import ShotError


def _with_surface(shot: Shot, surface: Surface) -> Shot:
    return shot.model_copy(update={"surfaces": [surface if s.id == surface.id else s for s in shot.surfaces]})


def _with_occluder(shot: Shot, occluder: Occluder) -> Shot:
    return shot.model_copy(update={"occluders": [occluder if o.id == occluder.id else o for o in shot.occluders]})


def _check_corners(corners: Quad | None) -> None:
    if corners is None:
        return
    problem = find_quad_problem(np.array(corners))
    if problem is not None:
        raise ShotError("corners_refused", problem.reason, problem=problem.code)


def _check_new_id(shot: Shot, new: str) -> None:
    if new in {x.id for x in (*shot.surfaces, *shot.occluders)}:
        raise ShotError("taken_id", f"There is something called {new} already.")


class Rename(Part):
    """Give the shot, a surface or an occluder another name."""

    kind: Literal["rename"] = "rename"
    target: Id | None = Field(None, description="surface or occluder; the shot when absent")
    name: Name

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        if self.target is None:
            return shot.model_copy(update={"name": self.name})
        if any(o.id == self.target for o in shot.occluders):
            return _with_occluder(shot, shot.occluder(self.target).model_copy(update={"name": self.name}))
        return _with_surface(shot, shot.surface(self.target).model_copy(update={"name": self.name}))


class SetPlateFacts(Part):
    """Say the rate of numbered stills, or the number of the first frame."""

    kind: Literal["set_plate_facts"] = "set_plate_facts"
    rate: Ratio | None = None
    first_frame: FirstFrame | None = None

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        changes = {k: v for k, v in (("rate", self.rate), ("first_frame", self.first_frame)) if v is not None}
        return shot.model_copy(update={"plate": shot.plate.model_copy(update=changes)})


class SetColour(Part):
    """Say what the code values of the plate, or of a surface's artwork, mean; nothing takes it back to what the file says."""

    kind: Literal["set_colour"] = "set_colour"
    surface: str | None = None
    colour: ColourChoice | None = None

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        said = self.colour if self.colour and self.colour.model_dump(exclude_none=True) else None
        if self.surface is None:
            return shot.model_copy(update={"plate": shot.plate.model_copy(update={"colour": said})})
        if all(p.surface != self.surface for p in shot.placements):
            raise ShotError("unknown_id", "There is no artwork on that surface whose colour could be set.")
        changed = [
            p.model_copy(update={"artwork": p.artwork.model_copy(update={"colour": said})}) if p.surface == self.surface else p
            for p in shot.placements
        ]
        return shot.model_copy(update={"placements": changed})


class AddSurface(Part):
    """Add a surface behind what is there."""

    kind: Literal["add_surface"] = "add_surface"
    surface: Surface

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        _check_new_id(shot, self.surface.id)
        _check_corners(self.surface.corners)
        return shot.model_copy(update={"surfaces": [*shot.surfaces, self.surface]})


class SetCorners(Part):
    """Place the four corners at the reference frame."""

    kind: Literal["set_corners"] = "set_corners"
    surface: Id
    corners: Quad

    def apply(self, shot: Shot) -> Shot:
        """The next document; ShotError `corners_refused` with the reason."""
        _check_corners(self.corners)
        return _with_surface(shot, shot.surface(self.surface).model_copy(update={"corners": self.corners}))


class SetRegion(Part):
    """Draw the region that moves with the plane."""

    kind: Literal["set_region"] = "set_region"
    surface: Id
    region: Region

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return _with_surface(shot, shot.surface(self.surface).model_copy(update={"region": self.region}))


class SetReference(Part):
    """Choose the reference frame; corners and region may be given as they are there."""

    kind: Literal["set_reference"] = "set_reference"
    surface: Id
    frame: FrameIndex
    corners: Quad | None = None
    region: Region | None = None

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        _check_corners(self.corners)
        changes: dict[str, object] = {"reference_frame": self.frame}
        if self.corners is not None:
            changes["corners"] = self.corners
        if self.region is not None:
            changes["region"] = self.region
        return _with_surface(shot, shot.surface(self.surface).model_copy(update=changes))


class SetMotion(Part):
    """Choose the motion model."""

    kind: Literal["set_motion"] = "set_motion"
    surface: Id
    motion: Motion

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return _with_surface(shot, shot.surface(self.surface).model_copy(update={"motion": self.motion}))


class AddOccluder(Part):
    """Outline something in front."""

    kind: Literal["add_occluder"] = "add_occluder"
    occluder: Occluder

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        _check_new_id(shot, self.occluder.id)
        return shot.model_copy(update={"occluders": [*shot.occluders, self.occluder]})


class SetOccluderKeys(Part):
    """Change an outline over time."""

    kind: Literal["set_occluder_keys"] = "set_occluder_keys"
    occluder: Id
    keys: list[ShapeKey] = Field(min_length=1, max_length=5000)

    def apply(self, shot: Shot) -> Shot:
        """The next document; ShotError `shape_refused` when keys do not agree."""
        old = shot.occluder(self.occluder)
        try:
            new = Occluder.model_validate({**old.model_dump(), "keys": [k.model_dump() for k in self.keys]})
        except ValidationError as error:
            raise ShotError("shape_refused", first_fault(error)) from error
        return _with_occluder(shot, new)


class SetOccluder(Part):
    """Change an occluder's span, soft edge, kind of outline, or the surface whose movement it follows."""

    kind: Literal["set_occluder"] = "set_occluder"
    occluder: Id
    feather_px: float = Field(ge=0, le=200)
    span: tuple[FrameIndex, FrameIndex] | None = None
    outline: Literal["straight", "smooth"] = "straight"
    rides: Id | None = None

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        if self.span is not None and self.span[0] > self.span[1]:
            raise ShotError("shape_refused", "The span ends before it begins.")
        if self.rides is not None:
            shot.surface(self.rides)
        changes = {"feather_px": self.feather_px, "span": self.span, "outline": self.outline, "rides": self.rides}
        return _with_occluder(shot, shot.occluder(self.occluder).model_copy(update=changes))


class Remove(Part):
    """Take a surface (with what is placed on it) or an occluder out of the shot."""

    kind: Literal["remove"] = "remove"
    target: Id

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        if any(o.id == self.target for o in shot.occluders):
            return shot.model_copy(update={"occluders": [o for o in shot.occluders if o.id != self.target]})
        shot.surface(self.target)
        return shot.model_copy(
            update={
                "surfaces": [s for s in shot.surfaces if s.id != self.target],
                "placements": [p for p in shot.placements if p.surface != self.target],
            }
        )


class SetDepthOrder(Part):
    """Order everything from the camera to the far end."""

    kind: Literal["set_depth_order"] = "set_depth_order"
    near_to_far: list[Id] = Field(max_length=100)

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        everything = {x.id for x in (*shot.surfaces, *shot.occluders)}
        if set(self.near_to_far) != everything or len(self.near_to_far) != len(everything):
            raise ShotError("unknown_id", "The order must name everything in the shot once.")
        depth = {id_: float(i) for i, id_ in enumerate(self.near_to_far)}
        return shot.model_copy(
            update={
                "surfaces": [s.model_copy(update={"depth": depth[s.id]}) for s in shot.surfaces],
                "occluders": [o.model_copy(update={"depth": depth[o.id]}) for o in shot.occluders],
            }
        )


class SetPlacement(Part):
    """Pin artwork on a surface, or change how it is pinned."""

    kind: Literal["set_placement"] = "set_placement"
    placement: Placement

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        shot.surface(self.placement.surface)
        others = [p for p in shot.placements if p.surface != self.placement.surface]
        return shot.model_copy(update={"placements": [*others, self.placement]})


class RemovePlacement(Part):
    """Take the artwork off a surface."""

    kind: Literal["remove_placement"] = "remove_placement"
    surface: Id

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return shot.model_copy(update={"placements": [p for p in shot.placements if p.surface != self.surface]})


class ChooseTake(Part):
    """Choose which take of a surface counts."""

    kind: Literal["choose_take"] = "choose_take"
    surface: Id
    take: str | None = Field(max_length=64, pattern=r"^[A-Za-z0-9-]+$")

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return _with_surface(shot, shot.surface(self.surface).model_copy(update={"take": self.take}))


class NudgeCorner(Part):
    """Set the correction of one corner on one frame; no offset takes it away."""

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
        return _with_surface(shot, surface.model_copy(update={"corrections": kept}))


class SetReach(Part):
    """Over how many frames corrections fade to their neighbours."""

    kind: Literal["set_reach"] = "set_reach"
    surface: Id
    reach_frames: int = Field(ge=0, le=1000)

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return _with_surface(shot, shot.surface(self.surface).model_copy(update={"reach_frames": self.reach_frames}))


class HoldFrame(Part):
    """Set the corners of one frame by hand: the track passes through them. Without corners, let the frame go again."""

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
            _check_corners(self.corners)
            held.append(HeldFrame(frame=self.frame, corners=self.corners))
            nudges = [c for c in nudges if c.frame != self.frame]
        held.sort(key=lambda h: h.frame)
        return _with_surface(shot, surface.model_copy(update={"held": held, "corrections": nudges}))


class SetMending(Part):
    """How the track is mended: calmed, spans of it calmed or left out, lost frames carried by the movement around them."""

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
        return _with_surface(shot, shot.surface(self.surface).model_copy(update=changes))


class SetAnalysis(Part):
    """Which picture is looked at for following."""

    kind: Literal["set_analysis"] = "set_analysis"
    surface: Id
    analysis: Analysis

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return _with_surface(shot, shot.surface(self.surface).model_copy(update={"analysis": self.analysis}))


class SetPoints(Part):
    """Set the single points of a surface, and whether it is followed by them or by its region."""

    kind: Literal["set_points"] = "set_points"
    surface: Id
    points: list[TrackPoint] = Field(max_length=200)
    follow: Literal["region", "points"]

    def apply(self, shot: Shot) -> Shot:
        """The next document; ShotError `taken_id` when two points share a name."""
        if len({p.id for p in self.points}) != len(self.points):
            raise ShotError("taken_id", "Two points have the same name.")
        return _with_surface(shot, shot.surface(self.surface).model_copy(update={"points": self.points, "follow": self.follow}))


class RestoreSettings(Part):
    """Set a surface as it was when a take was made: motion, reference frame and corners, region, points, analysis; and the lens."""

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
        return _with_surface(shot, surface.model_copy(update=changes)).model_copy(update={"lens": self.lens, "camera": self.camera})


class SetLens(Part):
    """Say what the lens does, or draw lines that should be straight."""

    kind: Literal["set_lens"] = "set_lens"
    lens: LensModel

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return shot.model_copy(update={"lens": self.lens})


class SetDelivery(Part):
    """How the result is handed over."""

    kind: Literal["set_delivery"] = "set_delivery"
    delivery: Delivery

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return shot.model_copy(update={"delivery": self.delivery})


Edit = Annotated[
    Rename
    | SetPlateFacts
    | SetColour
    | AddSurface
    | SetCorners
    | SetRegion
    | SetReference
    | SetMotion
    | AddOccluder
    | SetOccluderKeys
    | SetOccluder
    | Remove
    | SetDepthOrder
    | SetPlacement
    | RemovePlacement
    | ChooseTake
    | NudgeCorner
    | SetReach
    | HoldFrame
    | SetMending
    | SetAnalysis
    | SetPoints
    | RestoreSettings
    | SetLens
    | SetDelivery,
    Field(discriminator="kind"),
]
EDIT = TypeAdapter[Edit](Edit)

LABELS = {
    "rename": "name", "set_plate_facts": "plate facts", "set_colour": "colour",
    "add_surface": "surface added", "set_corners": "corners placed",
    "set_region": "region drawn", "set_reference": "reference frame", "set_motion": "motion model",
    "add_occluder": "occluder added", "set_occluder_keys": "occluder outlined", "set_occluder": "occluder's edge",
    "remove": "removed", "set_depth_order": "depth order", "set_placement": "artwork placed",
    "remove_placement": "artwork taken off", "choose_take": "take chosen", "nudge_corner": "corner nudged",
    "set_reach": "reach of nudges", "hold_frame": "corners held", "set_mending": "smoothing and carrying",
    "set_analysis": "analysis picture", "set_points": "points", "restore_settings": "a take's settings",
    "set_lens": "lens", "set_delivery": "delivery settings",
}  # fmt: skip


def apply_edit(shot: Shot, edit: Edit, frame_count: int | None = None) -> Shot:
    """Apply an edit and check the document as a whole.

    Raises
    ------
    ShotError
        With the reason; the document given stays as it was.
    """
    frame = getattr(edit, "frame", None)
    if frame is None and isinstance(edit, NudgeCorner):
        frame = edit.correction.frame
    if frame is not None and frame_count is not None and frame >= frame_count:
        raise ShotError("frame_outside", f"The plate has {frame_count} frames; this one is beyond its end.")
    changed = edit.apply(shot)
    try:
        return Shot.model_validate(changed.model_dump())
    except ValidationError as error:
        raise ShotError("not_a_shot", first_fault(error)) from error
