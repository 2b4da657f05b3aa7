"""Mattes of a shot, seen."""

import uuid
from typing import Annotated, Literal

from fastapi import APIRouter, Path, Query, Response
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from verdigris.api.context import FOREVER, Folder, Transaction
from verdigris.api.views import proxy_sources, used_tracks
from verdigris.runs.views.matte_views import MatteViews
from verdigris.runs.views.proxies import encode_jpeg
from verdigris.runs.views.recent import Recent
from verdigris.shot.model.document import parse_shot
from verdigris.store.media_folder import MediaFolder
from verdigris.store.shots import get_revision

router = APIRouter(prefix="/api/shots", tags=["mattes"])
_views: Recent[MatteViews] = Recent(4)


Number = Annotated[int, Path(ge=1, le=2**31 - 1)]
MatteId = Annotated[str, Path(max_length=64)]
FrameNumber = Annotated[int, Path(ge=0, le=1_000_000)]
State = Annotated[str, Query(max_length=200)]


class SteadinessView(BaseModel):
    """How steady a matte is at a frame."""

    frame: int
    flicker: float | None = Field(description="mean change of coverage along its edge beyond the picture's own movement, 0..1")
    jumps: bool = Field(description="much of what is in front comes or goes at once")


@router.get("/{shot_id}/revisions/{number}/mattes/{matte}/steadiness/{first}")
def matte_steadiness(
    shot_id: uuid.UUID, number: Number, matte: MatteId, first: FrameNumber, s: Transaction, folder: Folder,
    count: Annotated[int, Query(ge=1, le=24)] = 8, state: State = "",
) -> list[SteadinessView]:  # fmt: skip
    """How steady a matte is at some frames after each other."""
    views = _at(s, folder, shot_id, number, state)
    frames = [n for n in range(first, first + count) if n < views.count]
    told = {n: views.steadiness(matte, n) for n in frames}
    return [SteadinessView(frame=n, flicker=t.flicker, jumps=t.jumps) for n, t in told.items()]


class SampleView(BaseModel):
    """A key's sample: its colour, sRGB 0-255, and how much it varies, as a share of its light."""

    rgb: tuple[int, int, int]
    spread: float


class SpreadView(BaseModel):
    """How often each value comes that a part's bounds are set on, in even steps of 0..1; and a key's samples."""

    counts: list[int]
    samples: list[SampleView]


@router.get("/{shot_id}/revisions/{number}/mattes/{matte}/parts/{part}/spread/{frame}")
def part_spread(
    shot_id: uuid.UUID, number: Number, matte: MatteId, part: Annotated[int, Path(ge=0, le=49)], frame: FrameNumber, s: Transaction,
    folder: Folder, state: State = "",
) -> SpreadView:  # fmt: skip
    """How often each value comes that the bounds of a key, brightness or difference are set on."""
    found = _at(s, folder, shot_id, number, state).spread(matte, part, frame)
    return SpreadView(counts=list(found.counts), samples=[SampleView(rgb=rgb, spread=spread) for rgb, spread in found.samples])


@router.get("/{shot_id}/revisions/{number}/mattes/{matte}/edges/{view}/{frame}", response_class=Response)
def matte_edges(
    shot_id: uuid.UUID, number: Number, matte: MatteId, view: Literal["alone", "over", "cut", "zones"], frame: FrameNumber, s: Transaction,
    folder: Folder, state: State = "",
) -> Response:  # fmt: skip
    """Four places along a matte's edge, 64 plate px wide, side by side; what is in front lies on the right of each."""
    picture = _at(s, folder, shot_id, number, state).edges(matte, view, frame)
    return Response(encode_jpeg(picture, 92), media_type="image/jpeg", headers=FOREVER)


def _at(s: Session, folder: MediaFolder, shot_id: uuid.UUID, number: int, state: str) -> MatteViews:
    def make() -> MatteViews:
        document = parse_shot(get_revision(s, shot_id, number).document)
        return MatteViews(document, used_tracks(s, document, state), proxy_sources(s, folder, document))

    return _views.get((shot_id, number, state), make)


@router.get("/{shot_id}/revisions/{number}/mattes/{matte}/{view}/{frame}", response_class=Response)
def matte_view(
    shot_id: uuid.UUID,
    number: Number,
    matte: MatteId,
    view: Literal["alone", "over", "cut", "zones"],
    frame: FrameNumber,
    s: Transaction,
    folder: Folder,
    state: State = "",
    part: Annotated[int | None, Query(ge=0, le=49)] = None,
    width: Annotated[int | None, Query(ge=16, le=1280)] = None,
) -> Response:
    """A matte at proxy size: alone, over the plate, what it cuts out, its core and edge told apart; or one of its parts.

    `state` as for results.
    """
    picture = _at(s, folder, shot_id, number, state).picture(matte, view, frame, part, width)
    return Response(encode_jpeg(picture, 90), media_type="image/jpeg", headers=FOREVER)
