"""Plate, artwork and result compared."""

import uuid
from typing import Annotated, Literal

from fastapi import APIRouter, Path, Query, Response
from pydantic import BaseModel

from verdigris.api.context import FOREVER, Folder, Transaction
from verdigris.api.shots import preview_of
from verdigris.runs.views.comparing import difference, read_spot, scopes
from verdigris.runs.views.pairs import pair_at
from verdigris.runs.views.proxies import encode_jpeg, encode_png

router = APIRouter(prefix="/api/shots", tags=["match"])
Number = Annotated[int, Path(ge=1, le=2**31 - 1)]
FrameNumber = Annotated[int, Path(ge=0, le=1_000_000)]
State = Annotated[str, Query(max_length=200)]
Place = Annotated[float, Query(ge=0, le=65536)]
Three = tuple[float, float, float]


class SpotValue(BaseModel):
    """What one picture has at a spot: display codes 0-255, and linear light."""

    codes: Three
    light: Three


class SpotView(BaseModel):
    """A spot of the plate, of the artwork as it is pinned, and of the result."""

    plate: SpotValue
    artwork: SpotValue
    result: SpotValue


@router.get("/{shot_id}/revisions/{number}/spot/{frame}")
def spot(
    shot_id: uuid.UUID, number: Number, frame: FrameNumber, x: Place, y: Place, s: Transaction, folder: Folder, state: State = ""
) -> SpotView:
    """What plate, artwork and result have at a place, plate px; the mean of a few px of a preview."""
    told = read_spot(preview_of(s, folder, shot_id, number, state), frame, x, y)

    def value(k: str) -> SpotValue:
        (a, b, c), (d, e, f) = (255 * told.codes[k]).round(1), told.light[k].round(4)
        return SpotValue(codes=(a, b, c), light=(d, e, f))

    return SpotView(plate=value("plate"), artwork=value("artwork"), result=value("result"))


@router.get("/{shot_id}/revisions/{number}/differences/{frame}", response_class=Response)
def difference_frame(shot_id: uuid.UUID, number: Number, frame: FrameNumber, s: Transaction, folder: Folder, state: State = "") -> Response:
    """The result minus the plate, four times as much, around middle grey."""
    picture = difference(preview_of(s, folder, shot_id, number, state), frame)
    return Response(encode_jpeg(picture, 92), media_type="image/jpeg", headers=FOREVER)


@router.get("/{shot_id}/revisions/{number}/surfaces/{surface}/scopes/{kind}/{frame}", response_class=Response)
def scope_picture(
    shot_id: uuid.UUID, number: Number, surface: Annotated[str, Path(max_length=64)], kind: Literal["waveform", "vectorscope"],
    frame: FrameNumber, s: Transaction, folder: Folder, state: State = "",
) -> Response:  # fmt: skip
    """A scope of a surface as it comes out, beside one of the plate around it."""
    picture = scopes(preview_of(s, folder, shot_id, number, state), surface, kind, frame)
    return Response(encode_png(picture), media_type="image/png", headers=FOREVER)


class PairView(BaseModel):
    """How different plate and result look at the places of a surface in one frame: CIEDE2000."""

    frame: int
    differences: list[float | None]


SurfaceId = Annotated[str, Path(max_length=64)]


@router.get("/{shot_id}/revisions/{number}/surfaces/{surface}/pairs/{frame}", response_class=Response)
def pair_picture(
    shot_id: uuid.UUID, number: Number, surface: SurfaceId, frame: FrameNumber, s: Transaction, folder: Folder, state: State = ""
) -> Response:
    """Four places of a surface, 64 px of a preview wide, side by side: in each the plate above and the result below, touching."""
    picture = pair_at(preview_of(s, folder, shot_id, number, state), surface, frame).picture
    return Response(encode_jpeg(picture, 92), media_type="image/jpeg", headers=FOREVER)


@router.get("/{shot_id}/revisions/{number}/surfaces/{surface}/pair-differences/{first}")
def pair_differences(
    shot_id: uuid.UUID, number: Number, surface: SurfaceId, first: FrameNumber, s: Transaction, folder: Folder,
    count: Annotated[int, Query(ge=1, le=24)] = 8, state: State = "",
) -> list[PairView]:  # fmt: skip
    """How different plate and result look at some frames after each other."""
    preview = preview_of(s, folder, shot_id, number, state)
    frames = [n for n in range(first, first + count) if n < preview.count]
    return [PairView(frame=n, differences=list(pair_at(preview, surface, n).differences)) for n in frames]
