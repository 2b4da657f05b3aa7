"""Grades as colour decision lists."""

import uuid
from typing import Literal

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from verdigris.api.context import Folder, Transaction
from verdigris.api.views import field_folders
from verdigris.formats.cdl import Cdl, read_cdl, write_cdl
from verdigris.formats.cube import write_cube
from verdigris.runs.scene.grade import on_display
from verdigris.shot.model.document import Shot
from verdigris.shot.model.match import Grade
from verdigris.store.errors import StoreError
from verdigris.store.media_folder import MediaFolder
from verdigris.store.shots import document_of, get_shot

router = APIRouter(prefix="/api", tags=["match"])


class CdlText(BaseModel):
    """A colour decision list, as the text of its file."""

    text: str = Field(max_length=1 << 20)


class CdlView(BaseModel):
    """What it says."""

    slope: tuple[float, float, float]
    offset: tuple[float, float, float]
    power: tuple[float, float, float]
    saturation: float


@router.post("/grades/read")
def read_grade(asked: CdlText) -> CdlView:
    """Read the first correction of a .cc, .ccc or .cdl file."""
    return CdlView.model_validate(read_cdl(asked.text), from_attributes=True)


@router.get("/shots/{shot_id}/surfaces/{surface_id}/grade.{ending}", response_class=Response)
def grade_file(shot_id: uuid.UUID, surface_id: str, ending: Literal["cc", "cube"], s: Transaction, folder: Folder) -> Response:
    """The grade of what lies on a surface, as ASC CDL, or with curves and table as .cube."""
    document = document_of(s, get_shot(s, shot_id))
    match = next((m for m in document.match if m.surface == document.surface(surface_id).id), None)
    return _file(s, folder, document, match.grade if match else None, surface_id, ending)


@router.get("/shots/{shot_id}/grade.{ending}", response_class=Response)
def whole_grade_file(shot_id: uuid.UUID, ending: Literal["cc", "cube"], s: Transaction, folder: Folder) -> Response:
    """The whole picture's grade, as ASC CDL, or with curves and table as .cube."""
    document = document_of(s, get_shot(s, shot_id))
    return _file(s, folder, document, document.grade, "picture", ending)


def _file(s: Session, folder: MediaFolder, document: Shot, told: Grade | None, name: str, ending: Literal["cc", "cube"]) -> Response:
    grade = told or Grade()
    if ending == "cube":
        files = field_folders(s, folder, document)
        if grade.lut is not None and grade.lut.media not in files:
            raise StoreError("not_ready", "The table of this grade is still being read.")
        text = write_cube(on_display(grade, lambda ref: files[ref.media or ""]), name)
    else:
        text = write_cdl(Cdl(grade.slope, grade.offset, grade.power, grade.saturation), name)
    kind = "text/plain" if ending == "cube" else "application/xml"
    return Response(text, media_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}.{ending}"'})
