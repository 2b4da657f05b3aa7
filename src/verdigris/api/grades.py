"""Grades as colour decision lists."""

import uuid

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from verdigris.api.context import Transaction
from verdigris.formats.cdl import Cdl, read_cdl, write_cdl
from verdigris.shot.model.match import Grade
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


@router.get("/shots/{shot_id}/surfaces/{surface_id}/grade.cc", response_class=Response)
def grade_file(shot_id: uuid.UUID, surface_id: str, s: Transaction) -> Response:
    """The grade of what lies on a surface, as ASC CDL."""
    document = document_of(s, get_shot(s, shot_id))
    match = next((m for m in document.match if m.surface == document.surface(surface_id).id), None)
    grade = (match and match.grade) or Grade()
    text = write_cdl(Cdl(grade.slope, grade.offset, grade.power, grade.saturation), surface_id)
    return Response(text, media_type="application/xml", headers={"Content-Disposition": f'attachment; filename="{surface_id}.cc"'})
