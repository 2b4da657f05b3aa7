"""Frames of the plate to draw over."""

import tempfile
import uuid
from pathlib import Path as FilePath
from typing import Annotated

from fastapi import APIRouter, Depends, Path, Response
from sqlalchemy.orm import Session

from verdigris.api.context import Folder, Transaction
from verdigris.api.decoding import in_its_process
from verdigris.media.facts import ColourChoice
from verdigris.media.reader import open_media
from verdigris.runs.render.drawing_frame import DrawingForm, write_for_drawing, write_guides
from verdigris.shot.model.document import Shot
from verdigris.store.media import get_media, ready_facts
from verdigris.store.media_folder import MediaFolder
from verdigris.store.shots import document_of, get_shot
from verdigris.store.takes import chosen_tracks

router = APIRouter(prefix="/api/shots", tags=["drawing"])
Frame = Annotated[int, Path(ge=0, le=1_000_000)]
TYPES: dict[DrawingForm, str] = {"png": "image/png", "tif": "image/tiff", "exr": "image/x-exr"}


def _document(shot_id: uuid.UUID, s: Transaction) -> Shot:
    return document_of(s, get_shot(s, shot_id))


def _plate(document: Annotated[Shot, Depends(_document)], s: Transaction, folder: Folder) -> FilePath:
    return _source(s, folder, document.plate.media or "")


def _source(s: Session, folder: MediaFolder, media_hash: str) -> FilePath:
    return folder.source(media_hash, get_media(s, media_hash).ending)


def _still(path: FilePath, frame: int, colour: ColourChoice | None, form: DrawingForm) -> bytes:
    with open_media(path, colour=colour) as reader, tempfile.TemporaryDirectory() as folder:
        out = FilePath(folder) / f"frame.{form}"
        write_for_drawing(out, reader.frame(frame), form)
        return out.read_bytes()


@router.get("/{shot_id}/drawing/{frame}/plate.{form}", response_class=Response)
async def frame_to_draw_over(
    shot_id: uuid.UUID,
    frame: Frame,
    form: DrawingForm,
    document: Annotated[Shot, Depends(_document)],
    source: Annotated[FilePath, Depends(_plate)],
) -> Response:
    """A frame of the plate as a still: PNG or TIFF with 16 bits in sRGB, or EXR in linear light."""
    data = await in_its_process("frames", _still, source, frame, document.plate.colour, form)
    return Response(data, media_type=TYPES[form], headers=_named(document, frame, form))


@router.get("/{shot_id}/drawing/{frame}/guides.png", response_class=Response)
def guides(shot_id: uuid.UUID, frame: Frame, s: Transaction) -> Response:
    """Edges, thirds and middles of the surfaces at a frame, as a transparent PNG of the plate's size."""
    document = _document(shot_id, s)
    facts = ready_facts(s, document.plate.media or "")
    with tempfile.TemporaryDirectory() as folder:
        out = FilePath(folder) / "guides.png"
        write_guides(out, document, chosen_tracks(s, document), frame, facts)
        return Response(out.read_bytes(), media_type="image/png", headers=_named(document, frame, "png", "-guides"))


def _named(document: Shot, frame: int, ending: str, what: str = "") -> dict[str, str]:
    stem = "".join(c if c.isascii() and c.isalnum() else "-" for c in document.name).strip("-").lower() or "plate"
    number = frame + (document.plate.first_frame or 0)
    return {"Content-Disposition": f'attachment; filename="{stem}-{number:04d}{what}.{ending}"'}
