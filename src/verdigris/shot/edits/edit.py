"""Edits: small, typed, validated changes. Each is a pure function from one document to the next."""

from typing import Annotated

from pydantic import Field, TypeAdapter, ValidationError

from verdigris.shot.edits.outlines import AddOccluder, SetOccluder, SetOccluderKeys
from verdigris.shot.edits.placements import OrderPlacements, RemoveMatte, RemovePlacement, SetMatch, SetMatte, SetPlacement, SetProportions
from verdigris.shot.edits.surfaces import AddSurface, SetAnalysis, SetCorners, SetMotion, SetPoints, SetReference, SetRegion
from verdigris.shot.edits.tracks import ChooseTake, HoldFrame, NudgeCorner, RestoreSettings, SetMending, SetReach
from verdigris.shot.edits.whole import Remove, Rename, SetColour, SetDelivery, SetDepthOrder, SetGrade, SetLens, SetPlateFacts
from verdigris.shot.errors import ShotError
from verdigris.shot.model.document import Shot, first_fault

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
    | OrderPlacements
    | SetProportions
    | SetMatte
    | SetMatch
    | SetGrade
    | RemoveMatte
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
