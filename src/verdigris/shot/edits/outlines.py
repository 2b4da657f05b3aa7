"""Edits of what is in front."""

from typing import ClassVar, Literal

from pydantic import Field, ValidationError

from verdigris.shot.edits.base import check_new_id, with_occluder
from verdigris.shot.errors import ShotError
from verdigris.shot.model.base import FrameIndex, Id, Part
from verdigris.shot.model.document import Shot, first_fault
from verdigris.shot.model.outline import Occluder, ShapeKey, Shutter


class AddOccluder(Part):
    """Outline something in front."""

    label: ClassVar[str] = "occluder added"
    kind: Literal["add_occluder"] = "add_occluder"
    occluder: Occluder

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        check_new_id(shot, self.occluder.id)
        return shot.model_copy(update={"occluders": [*shot.occluders, self.occluder]})


class SetOccluderKeys(Part):
    """Change an outline over time."""

    label: ClassVar[str] = "occluder outlined"
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
        return with_occluder(shot, new)


class SetOccluder(Part):
    """Change an occluder's span, soft edge, kind of outline, or the surface whose movement it follows."""

    label: ClassVar[str] = "occluder's edge"
    kind: Literal["set_occluder"] = "set_occluder"
    occluder: Id
    feather_px: float = Field(ge=0, le=200)
    span: tuple[FrameIndex, FrameIndex] | None = None
    outline: Literal["straight", "smooth"] = "straight"
    rides: Id | None = None
    shutter: Shutter | None = None

    def apply(self, shot: Shot) -> Shot:
        """The next document."""
        if self.span is not None and self.span[0] > self.span[1]:
            raise ShotError("shape_refused", "The span ends before it begins.")
        if self.rides is not None:
            shot.surface(self.rides)
        changes = {"feather_px": self.feather_px, "span": self.span, "outline": self.outline, "rides": self.rides, "shutter": self.shutter}
        return with_occluder(shot, shot.occluder(self.occluder).model_copy(update=changes))
