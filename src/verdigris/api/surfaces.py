"""One surface of a shot: its track as it is used, and other ways to see the plate."""

import uuid
from typing import Annotated, Literal

from fastapi import APIRouter, Path, Query, Response
from sqlalchemy.orm import Session

from verdigris.api.context import FOREVER, Folder, Transaction
from verdigris.api.models.shots import DraftRequest
from verdigris.api.models.takes import TakeFrameView
from verdigris.api.views import frame_view, proxy_sources, used_tracks
from verdigris.runs.views.lens_views import StraightView, lens_of
from verdigris.runs.views.proxies import ProxyReader, encode_jpeg
from verdigris.runs.views.recent import Recent
from verdigris.runs.views.surface_views import SurfaceViews
from verdigris.shot.edits.edit import apply_edit
from verdigris.shot.model.document import parse_shot
from verdigris.store.media_folder import MediaFolder
from verdigris.store.shots import document_of, get_revision, get_shot
from verdigris.store.takes import chosen_tracks

# Asked for with a revision that any database can hold; `state` is a short text of the client's own.
Number = Annotated[int, Path(ge=1, le=2**31 - 1)]
State = Annotated[str, Query(max_length=200)]
router = APIRouter(prefix="/api/shots", tags=["surfaces"])
_views: Recent[SurfaceViews] = Recent(4)
_straight: Recent[StraightView] = Recent(2)


def _views_of(s: Session, folder: MediaFolder, shot_id: uuid.UUID, number: int, surface_id: str, state: str) -> SurfaceViews:
    def make() -> SurfaceViews:
        document = parse_shot(get_revision(s, shot_id, number).document)
        proxies, facts = proxy_sources(s, folder, document)[document.plate.media or ""]
        size = (facts.width, facts.height)
        return SurfaceViews(
            document,
            document.surface(surface_id),
            used_tracks(s, document, state),
            ProxyReader(proxies, facts, colour=document.plate.colour),
            size,
        )

    return _views.get((shot_id, number, surface_id, state), make)


@router.get("/{shot_id}/surfaces/{surface_id}/frames")
def used_frames(shot_id: uuid.UUID, surface_id: str, s: Transaction) -> list[TakeFrameView]:
    """The chosen take with frames that are held, calmed and carried, as it is used; nudges are not in it."""
    document = document_of(s, get_shot(s, shot_id))
    document.surface(surface_id)
    return [frame_view(r) for r in chosen_tracks(s, document).get(surface_id, {}).values()]


@router.get("/{shot_id}/revisions/{number}/surfaces/{surface_id}/views/{view}/{frame}", response_class=Response)
def surface_view(
    shot_id: uuid.UUID,
    number: Number,
    surface_id: str,
    view: Literal["analysis", "coverage", "position", "turn", "size", "full"],
    frame: Annotated[int, Path(ge=0, le=1_000_000)],
    s: Transaction,
    folder: Folder,
    state: State = "",
    stand_in: bool = False,
) -> Response:
    """A frame as the tracker looks at it, or the plate with the surface held still; `state` as for results.

    `stand_in` lays a chart onto the surface that is held still.
    """
    views = _views_of(s, folder, shot_id, number, surface_id, state)
    if view == "analysis":
        picture = views.analysis(frame)
    else:
        picture = views.coverage(frame) if view == "coverage" else views.held(frame, view, stand_in)
    return Response(encode_jpeg(picture, 88), media_type="image/jpeg", headers=FOREVER)


@router.post("/{shot_id}/revisions/{number}/surfaces/{surface_id}/drafts/coverage/{frame}", response_class=Response)
def draft_coverage(
    shot_id: uuid.UUID,
    number: Number,
    surface_id: str,
    frame: Annotated[int, Path(ge=0, le=1_000_000)],
    request: DraftRequest,
    s: Transaction,
    folder: Folder,
) -> Response:
    """Coverage as it would be after edits that are not kept: what a hand sees while it drags."""
    views = _views_of(s, folder, shot_id, number, surface_id, request.state)
    draft = views.shot
    for edit in request.edits:
        draft = apply_edit(draft, edit)
    return Response(encode_jpeg(views.coverage(frame, draft, request.width), 88), media_type="image/jpeg")


@router.get("/{shot_id}/revisions/{number}/straight/{frame}", response_class=Response)
def straight_view(
    shot_id: uuid.UUID, number: Number, frame: Annotated[int, Path(ge=0, le=1_000_000)], s: Transaction, folder: Folder
) -> Response:
    """The whole plate as a lens without distortion would show it."""

    def make() -> StraightView:
        document = parse_shot(get_revision(s, shot_id, number).document)
        proxies, facts = proxy_sources(s, folder, document)[document.plate.media or ""]
        return StraightView(
            lens_of(document, facts), ProxyReader(proxies, facts, colour=document.plate.colour), (facts.width, facts.height)
        )

    picture = _straight.get((shot_id, number), make).picture(frame)
    return Response(encode_jpeg(picture, 88), media_type="image/jpeg", headers=FOREVER)
