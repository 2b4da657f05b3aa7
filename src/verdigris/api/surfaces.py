"""One surface of a shot: its track as it is used, other views on it, and advice."""

import uuid
from dataclasses import asdict
from pathlib import Path as FilePath
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Depends, Path, Response

from verdigris.api.context import FOREVER, Folder, Transaction
from verdigris.api.decoding import in_its_process
from verdigris.api.models import MotionAdvice, TakeFrameView
from verdigris.api.recent import Recent
from verdigris.api.views import frame_view, proxy_sources
from verdigris.formats.track_json import Track, make_track
from verdigris.runs.advice import advise_motion
from verdigris.runs.errors import RunError
from verdigris.runs.project import OpenShot
from verdigris.runs.proxies import ProxyReader, encode_jpeg
from verdigris.runs.surface_views import SurfaceViews
from verdigris.shot.document import Shot, parse_shot
from verdigris.store.media import get_media
from verdigris.store.shots import document_of, get_revision, get_shot, used_media
from verdigris.store.takes import chosen_tracks

router = APIRouter(prefix="/api/shots", tags=["surfaces"])
_views: Recent[SurfaceViews] = Recent(4)


@router.get("/{shot_id}/surfaces/{surface_id}/frames")
def used_frames(shot_id: uuid.UUID, surface_id: str, s: Transaction) -> list[TakeFrameView]:
    """The chosen take with frames that are held, calmed and carried, as it is used; nudges are not in it."""
    document = document_of(s, get_shot(s, shot_id))
    document.surface(surface_id)
    return [frame_view(r) for r in chosen_tracks(s, document).get(surface_id, {}).values()]


@router.get("/{shot_id}/revisions/{number}/surfaces/{surface_id}/views/{view}/{frame}", response_class=Response)
def surface_view(
    shot_id: uuid.UUID,
    number: int,
    surface_id: str,
    view: Literal["analysis", "coverage", "position", "turn", "size", "full"],
    frame: Annotated[int, Path(ge=0, le=1_000_000)],
    s: Transaction,
    folder: Folder,
    frames: int = 0,
) -> Response:
    """A frame as the tracker looks at it, or the plate with the surface held still; `frames` as for results."""

    def make() -> SurfaceViews:
        document = parse_shot(get_revision(s, shot_id, number).document)
        proxies, facts = proxy_sources(s, folder, document)[document.plate.media or ""]
        size = (facts.width, facts.height)
        return SurfaceViews(document, document.surface(surface_id), chosen_tracks(s, document), ProxyReader(proxies, facts), size)

    views = _views.get((shot_id, number, surface_id, frames), make)
    if view == "analysis":
        picture = views.analysis(frame)
    else:
        picture = views.coverage(frame) if view == "coverage" else views.held(frame, view)
    return Response(encode_jpeg(picture, 88), media_type="image/jpeg", headers=FOREVER)


Question = tuple[Shot, str, list[Track], dict[str, FilePath]]


def question(shot_id: uuid.UUID, surface_id: str, s: Transaction, folder: Folder) -> Question:
    """What advice is worked out from; looked up outside the event loop."""
    document = document_of(s, get_shot(s, shot_id))
    surface = document.surface(surface_id)
    tracks = chosen_tracks(s, document)
    if surface_id not in tracks:
        raise RunError("not_tracked", f"{surface.name} is not followed yet. Follow it with full perspective first; then ask.")
    told = [make_track(k, document.surface(k).reference_frame, t.values()) for k, t in tracks.items()]
    paths = {h: folder.source(h, get_media(s, h).ending) for h in used_media(document)}
    return document, surface_id, told, paths


@router.get("/{shot_id}/surfaces/{surface_id}/motions")
async def motions(asked: Annotated[Question, Depends(question)]) -> MotionAdvice:
    """Which motion would be enough for the chosen take, with the figures of all; takes seconds, in a process of its own."""
    return MotionAdvice.model_validate(await in_its_process("advice", _advise, *asked))


def _advise(document: Shot, surface_id: str, told: list[Track], paths: dict[str, FilePath]) -> dict[str, Any]:
    tracks = {t.surface: t.by_frame() for t in told}
    with OpenShot(document, FilePath("/nonexistent"), paths) as opened:
        return asdict(advise_motion(opened.plate, document, document.surface(surface_id), tracks, tracks[surface_id]))
