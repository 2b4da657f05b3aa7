"""Edits of the shot as a whole: names, facts, colour, order, lens, delivery."""

from typing import ClassVar, Literal

from pydantic import Field

from verdigris.media.facts import ColourChoice, Ratio
from verdigris.shot.edits.base import with_occluder, with_surface
from verdigris.shot.errors import ShotError
from verdigris.shot.model.artwork import FileArtwork
from verdigris.shot.model.base import FirstFrame, Id, Name, Part
from verdigris.shot.model.camera import LensModel
from verdigris.shot.model.delivery import Delivery
from verdigris.shot.model.document import Shot
from verdigris.shot.model.match import Grade
from verdigris.shot.model.matte import Matte, OutlinePart, RegionPart, ShapePart


class Rename(Part):
    """Give the shot, a surface or an occluder another name."""

    label: ClassVar[str] = "name"
    kind: Literal["rename"] = "rename"
    target: Id | None = Field(None, description="surface or occluder; the shot when absent")
    name: Name

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        if self.target is None:
            return shot.model_copy(update={"name": self.name})
        if any(o.id == self.target for o in shot.occluders):
            return with_occluder(shot, shot.occluder(self.target).model_copy(update={"name": self.name}))
        return with_surface(shot, shot.surface(self.target).model_copy(update={"name": self.name}))


class SetPlateFacts(Part):
    """Say the rate of numbered stills, or the number of the first frame."""

    label: ClassVar[str] = "plate facts"
    kind: Literal["set_plate_facts"] = "set_plate_facts"
    rate: Ratio | None = None
    first_frame: FirstFrame | None = None

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        changes = {k: v for k, v in (("rate", self.rate), ("first_frame", self.first_frame)) if v is not None}
        return shot.model_copy(update={"plate": shot.plate.model_copy(update=changes)})


class SetColour(Part):
    """Say what the code values of the plate, or of a placement's artwork, mean; nothing takes it back to what the file says."""

    label: ClassVar[str] = "colour"
    kind: Literal["set_colour"] = "set_colour"
    placement: Id | None = None
    colour: ColourChoice | None = None

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        said = self.colour if self.colour and self.colour.model_dump(exclude_none=True) else None
        if self.placement is None:
            return shot.model_copy(update={"plate": shot.plate.model_copy(update={"colour": said})})
        placement = shot.placement(self.placement)
        if not isinstance(placement.artwork, FileArtwork):
            raise ShotError("unknown_id", "This artwork is made here: it is no file whose colour could be set.")
        changed = placement.model_copy(update={"artwork": placement.artwork.model_copy(update={"colour": said})})
        return shot.model_copy(update={"placements": [changed if p.id == changed.id else p for p in shot.placements]})


class Remove(Part):
    """Take a surface, with what is placed on it, or an occluder out of the shot; parts of mattes that were made of it go too."""

    label: ClassVar[str] = "removed"
    kind: Literal["remove"] = "remove"
    target: Id

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        mattes = [_without(m, self.target) for m in shot.mattes]
        if any(o.id == self.target for o in shot.occluders):
            return shot.model_copy(update={"occluders": [o for o in shot.occluders if o.id != self.target], "mattes": mattes})
        shot.surface(self.target)
        return shot.model_copy(
            update={
                "surfaces": [s for s in shot.surfaces if s.id != self.target],
                "placements": [p for p in shot.placements if p.surface != self.target],
                "match": [m for m in shot.match if m.surface != self.target],
                "mattes": mattes,
            }
        )


def _without(matte: Matte, gone: str) -> Matte:
    """A matte when a surface or an outline is taken out: what rode on it stands in the picture, what was made of it goes."""
    kept = [
        p.model_copy(update={"rides": None}) if isinstance(p, ShapePart) and p.rides == gone else p
        for p in matte.parts
        if not (isinstance(p, RegionPart) and p.surface == gone) and not (isinstance(p, OutlinePart) and p.outline == gone)
    ]
    return matte.model_copy(update={"parts": kept, "surface": None if matte.surface == gone else matte.surface})


class SetDepthOrder(Part):
    """Order everything from the camera to the far end."""

    label: ClassVar[str] = "depth order"
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


class SetLens(Part):
    """Say what the lens does, or draw lines that should be straight."""

    label: ClassVar[str] = "lens"
    kind: Literal["set_lens"] = "set_lens"
    lens: LensModel

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return shot.model_copy(update={"lens": self.lens})


class SetGrade(Part):
    """Grade the whole picture; null leaves it as it is."""

    label: ClassVar[str] = "grade"
    kind: Literal["set_grade"] = "set_grade"
    grade: Grade | None

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return shot.model_copy(update={"grade": self.grade})


class SetDelivery(Part):
    """How the result is handed over."""

    label: ClassVar[str] = "delivery settings"
    kind: Literal["set_delivery"] = "set_delivery"
    delivery: Delivery

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return shot.model_copy(update={"delivery": self.delivery})
