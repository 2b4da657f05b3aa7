"""Edits of what is placed."""

from typing import ClassVar, Literal

from verdigris.shot.model.base import Id, Part
from verdigris.shot.model.document import Shot
from verdigris.shot.model.placement import Placement


class SetPlacement(Part):
    """Pin artwork on a surface, or change how it is pinned."""

    label: ClassVar[str] = "artwork placed"
    kind: Literal["set_placement"] = "set_placement"
    placement: Placement

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        shot.surface(self.placement.surface)
        others = [p for p in shot.placements if p.surface != self.placement.surface]
        return shot.model_copy(update={"placements": [*others, self.placement]})


class RemovePlacement(Part):
    """Take the artwork off a surface."""

    label: ClassVar[str] = "artwork taken off"
    kind: Literal["remove_placement"] = "remove_placement"
    surface: Id

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        return shot.model_copy(update={"placements": [p for p in shot.placements if p.surface != self.surface]})
