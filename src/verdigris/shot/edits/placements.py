"""Edits of what is placed, and of the mattes that keep things in front of it."""

from typing import ClassVar, Literal

from pydantic import Field

from verdigris.shot.errors import ShotError
from verdigris.shot.model.base import Id, Part
from verdigris.shot.model.document import Shot
from verdigris.shot.model.match import SurfaceMatch
from verdigris.shot.model.matte import Matte
from verdigris.shot.model.placement import Placement


class SetPlacement(Part):
    """Place artwork, nearest of all, or change how a placement is pinned."""

    label: ClassVar[str] = "artwork placed"
    kind: Literal["set_placement"] = "set_placement"
    placement: Placement

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        new = self.placement
        if new.surface is not None:
            shot.surface(new.surface)
        if all(p.id != new.id for p in shot.placements):
            return shot.model_copy(update={"placements": [*shot.placements, new]})
        return shot.model_copy(update={"placements": [new if p.id == new.id else p for p in shot.placements]})


class RemovePlacement(Part):
    """Take artwork off."""

    label: ClassVar[str] = "artwork taken off"
    kind: Literal["remove_placement"] = "remove_placement"
    placement: Id

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        shot.placement(self.placement)
        return shot.model_copy(update={"placements": [p for p in shot.placements if p.id != self.placement]})


class OrderPlacements(Part):
    """Order placements from the far end to the camera; what lies deeper on the depth line stays behind all the same."""

    label: ClassVar[str] = "order of artwork"
    kind: Literal["order_placements"] = "order_placements"
    far_to_near: list[Id] = Field(max_length=50)

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        if sorted(self.far_to_near) != sorted(p.id for p in shot.placements):
            raise ShotError("unknown_id", "The order must name every placement once.")
        return shot.model_copy(update={"placements": [shot.placement(k) for k in self.far_to_near]})


class SetProportions(Part):
    """Say how wide a surface truly is for its height; nothing leaves it to be told from the corners."""

    label: ClassVar[str] = "true proportions"
    kind: Literal["set_proportions"] = "set_proportions"
    surface: Id
    proportions: float | None = Field(ge=0.01, le=100)

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        changed = shot.surface(self.surface).model_copy(update={"proportions": self.proportions})
        return shot.model_copy(update={"surfaces": [changed if s.id == changed.id else s for s in shot.surfaces]})


class SetMatte(Part):
    """Make a matte, or change it; a new one may be kept in front of a placement at once."""

    label: ClassVar[str] = "matte"
    kind: Literal["set_matte"] = "set_matte"
    matte: Matte
    in_front_of: Id | None = Field(None, description="placement that it is to stay in front of from now on")

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        new, known = self.matte, any(m.id == self.matte.id for m in shot.mattes)
        mattes = [new if m.id == new.id else m for m in shot.mattes] if known else [*shot.mattes, new]
        shot = shot.model_copy(update={"mattes": mattes})
        if self.in_front_of is not None:
            below = shot.placement(self.in_front_of)
            if new.id not in below.kept_in_front:
                changed = below.model_copy(update={"kept_in_front": [*below.kept_in_front, new.id]})
                shot = shot.model_copy(update={"placements": [changed if p.id == changed.id else p for p in shot.placements]})
        return shot


class RemoveMatte(Part):
    """Take a matte out of the shot, and off every placement that uses it."""

    label: ClassVar[str] = "matte taken out"
    kind: Literal["remove_matte"] = "remove_matte"
    matte: Id

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        shot.matte(self.matte)

        def without(p: Placement) -> Placement:
            kept = {use: [k for k in getattr(p, use) if k != self.matte] for use in ("kept_in_front", "shown_only_in")}
            return p.model_copy(update=kept)

        mattes, placements = [m for m in shot.mattes if m.id != self.matte], [without(p) for p in shot.placements]
        return shot.model_copy(update={"mattes": mattes, "placements": placements})


class SetMatch(Part):
    """Say how what lies on a surface is made to sit."""

    label: ClassVar[str] = "match"
    kind: Literal["set_match"] = "set_match"
    match: SurfaceMatch

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        shot.surface(self.match.surface)
        rest = [m for m in shot.match if m.surface != self.match.surface]
        at = next((i for i, m in enumerate(shot.match) if m.surface == self.match.surface), len(rest))
        return shot.model_copy(update={"match": [*rest[:at], self.match, *rest[at:]]})
