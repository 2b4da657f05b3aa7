"""Mattes of a shot, seen."""

import uuid
from typing import Annotated, Literal

from fastapi import APIRouter, Path, Query, Response

from verdigris.api.context import FOREVER, Folder, Transaction
from verdigris.api.views import proxy_sources, used_tracks
from verdigris.runs.views.matte_views import MatteViews
from verdigris.runs.views.proxies import encode_jpeg
from verdigris.runs.views.recent import Recent
from verdigris.shot.model.document import parse_shot
from verdigris.store.shots import get_revision

router = APIRouter(prefix="/api/shots", tags=["mattes"])
_views: Recent[MatteViews] = Recent(4)


@router.get("/{shot_id}/revisions/{number}/mattes/{matte}/{view}/{frame}", response_class=Response)
def matte_view(
    shot_id: uuid.UUID,
    number: Annotated[int, Path(ge=1, le=2**31 - 1)],
    matte: Annotated[str, Path(max_length=64)],
    view: Literal["alone", "over", "cut"],
    frame: Annotated[int, Path(ge=0, le=1_000_000)],
    s: Transaction,
    folder: Folder,
    state: Annotated[str, Query(max_length=200)] = "",
    part: Annotated[int | None, Query(ge=0, le=49)] = None,
    width: Annotated[int | None, Query(ge=16, le=1280)] = None,
) -> Response:
    """A matte at proxy size: alone, over the plate, or what it cuts out; or one of its parts. `state` as for results."""

    def make() -> MatteViews:
        document = parse_shot(get_revision(s, shot_id, number).document)
        return MatteViews(document, used_tracks(s, document, state), proxy_sources(s, folder, document))

    picture = _views.get((shot_id, number, state), make).picture(matte, view, frame, part, width)
    return Response(encode_jpeg(picture, 90), media_type="image/jpeg", headers=FOREVER)
