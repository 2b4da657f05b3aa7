"""Edits of the shot as a whole: names, facts, colour, order, lens, delivery."""

from typing import ClassVar, Literal

from pydantic import Field

from verdigris.media.facts import ColourChoice, Ratio
from verdigris.shot.edits.base import with_occluder, with_surface
from verdigris.shot.errors import ShotError
from verdigris.shot.model.base import FirstFrame, Id, Name, Part
from verdigris.shot.model.camera import LensModel
from verdigris.shot.model.delivery import Delivery
from verdigris.shot.model.document import Shot


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
    """Say what the code values of the plate, or of a surface's artwork, mean; nothing takes it back to what the file says."""

    label: ClassVar[str] = "colour"
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


class Remove(Part):
    """Take a surface (with what is placed on it) or an occluder out of the shot."""

    label: ClassVar[str] = "removed"
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


class SetDelivery(Part):
    """How the result is handed over."""

    label: ClassVar[str] = "delivery settings"
    kind: Literal["set_delivery"] = "set_delivery"
    delivery: Delivery

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return shot.model_copy(update={"delivery": self.delivery})
