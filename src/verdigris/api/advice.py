"""Advice on a shot: worked out over many frames, in a process of its own."""

import uuid
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path as FilePath
from typing import Annotated, Any, TypeVar

import numpy as np
from fastapi import APIRouter, Depends, Query
from pydantic import BaseModel, Field

from verdigris.api.context import Folder, Transaction
from verdigris.api.decoding import in_its_process
from verdigris.api.models.advice import DisagreementView, FrameWorthView, JitterView, LensView, MotionAdvice
from verdigris.api.views import proxy_sources
from verdigris.core.tracking.calibration.terms import CENTRE
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.formats.track_json import Track, make_track
from verdigris.media.facts import MediaFacts
from verdigris.media.reader import Reader
from verdigris.runs.advice.followed import advise_camera, advise_exclusions, advise_motion, describe_bow, disagreement_facts
from verdigris.runs.advice.judging import frames_as_reference, remaining_jitter
from verdigris.runs.advice.matte_proposal import propose_matte
from verdigris.runs.errors import RunError
from verdigris.runs.render.open_shot import OpenShot
from verdigris.runs.scene.camera import lens_of_lines
from verdigris.runs.views.proxies import ProxyReader
from verdigris.shot.model.document import Shot
from verdigris.shot.model.matte import AnyPart
from verdigris.shot.model.surface import Surface
from verdigris.store.errors import StoreError
from verdigris.store.media import get_media
from verdigris.store.shots import document_of, get_shot, used_media
from verdigris.store.takes import chosen_tracks

router = APIRouter(prefix="/api/shots", tags=["advice"])
T = TypeVar("T")
Tracks = dict[str, dict[int, FrameResult]]
Question = tuple[Shot, str, list[Track], dict[str, FilePath]]


def question(shot_id: uuid.UUID, surface_id: str, s: Transaction, folder: Folder) -> Question:
    """What advice is worked out from; looked up outside the event loop."""
    document = document_of(s, get_shot(s, shot_id))
    surface = document.surface(surface_id)
    tracks = chosen_tracks(s, document)
    if surface_id not in tracks:
        raise RunError("not_tracked", f"{surface.name} is not followed yet. Follow it with full perspective first; then ask.")
    told = [make_track(k, document.surface(k).reference_frame, t.values(), mended=True) for k, t in tracks.items()]
    return document, surface_id, told, {h: folder.source(h, get_media(s, h).ending) for h in used_media(document)}


Asked = Annotated[Question, Depends(question)]


def _with_plate(question: Question, work: Callable[[Reader, Shot, Surface, Tracks], T]) -> T:
    document, surface_id, told, paths = question
    tracks = {t.surface: t.by_frame() for t in told}
    with OpenShot(document, FilePath("/nonexistent"), paths) as opened:
        return work(opened.plate, document, document.surface(surface_id), tracks)


@router.get("/{shot_id}/surfaces/{surface_id}/motions")
async def motions(asked: Asked) -> MotionAdvice:
    """Which motion would be enough for the chosen take, with the figures of all."""
    return MotionAdvice.model_validate(await in_its_process("advice", _motions, asked))


def _motions(asked: Question) -> dict[str, Any]:
    return _with_plate(asked, lambda plate, shot, surface, tracks: asdict(advise_motion(plate, shot, surface, tracks, tracks[surface.id])))


@router.get("/{shot_id}/surfaces/{surface_id}/jitter")
async def jitter(asked: Asked) -> list[JitterView]:
    """Movement left at the corners when the surface is held still, measured in the plate."""
    return [JitterView.model_validate(row) for row in await in_its_process("advice", _jitter, asked)]


def _jitter(asked: Question) -> list[dict[str, Any]]:
    found = _with_plate(asked, lambda plate, shot, surface, tracks: remaining_jitter(plate, shot, surface, tracks))
    return [
        {
            "frame": j.frame,
            "shift_px": [None if np.isnan(d[0]) else (float(d[0]), float(d[1])) for d in j.shift_px],
            "noise_px": [None if np.isnan(v) else float(v) for v in j.noise_px],
        }
        for j in found
    ]


@router.get("/{shot_id}/surfaces/{surface_id}/disagreements")
async def disagreements(asked: Asked, first: Annotated[int, Query(ge=0)] = 0, last: int = 1_000_000) -> list[DisagreementView]:
    """Where the region does not move with the plane between two frames, worst first."""
    found = await in_its_process("advice", _disagreements, asked, first, last)
    return [DisagreementView.model_validate(d) for d in found]


def _disagreements(asked: Question, first: int, last: int) -> list[dict[str, Any]]:
    found = _with_plate(
        asked, lambda plate, shot, surface, tracks: advise_exclusions(plate, shot, surface, tracks, tracks[surface.id], first, last)
    )
    return [disagreement_facts(d) for d in found]


class MatteProposalView(BaseModel):
    """A matte for what passes in front, as a document has its parts."""

    parts: list[AnyPart]
    sureness: float = Field(description="0..1")
    said: str
    frames: tuple[int, int]


@router.get("/{shot_id}/surfaces/{surface_id}/matte-proposal")
async def matte_proposal(asked: Asked) -> MatteProposalView | None:
    """A matte for what passes in front of a surface, from what does not move with it and from colours; null where nothing does."""
    found = await in_its_process("advice", _matte_proposal, asked)
    return None if found is None else MatteProposalView.model_validate(found)


def _matte_proposal(asked: Question) -> dict[str, Any] | None:
    found = _with_plate(asked, lambda plate, shot, surface, tracks: propose_matte(plate, shot, surface, tracks, tracks[surface.id]))
    return None if found is None else asdict(found)


Sources = tuple[Shot, str | None, list[Track], FilePath, MediaFacts]


def sources(shot_id: uuid.UUID, s: Transaction, folder: Folder, surface: str | None = None) -> Sources:
    """The plate's proxies, and the tracks as far as there are any."""
    document = document_of(s, get_shot(s, shot_id))
    if surface is not None:
        document.surface(surface)
    tracks = chosen_tracks(s, document)
    told = [make_track(k, document.surface(k).reference_frame, t.values(), mended=True) for k, t in tracks.items()]
    found = proxy_sources(s, folder, document).get(document.plate.media or "")
    if found is None:
        raise StoreError("not_ready", "The plate is still being read. Ask again once it is ready.")
    return document, surface, told, *found


@router.get("/{shot_id}/references")
async def references(asked: Annotated[Sources, Depends(sources)]) -> list[FrameWorthView]:
    """How well every frame would serve as the reference of a surface, or of one yet to be drawn."""
    return [FrameWorthView.model_validate(row) for row in await in_its_process("advice", _references, asked)]


def _references(asked: Sources) -> list[dict[str, Any]]:
    document, surface_id, told, proxies, facts = asked
    surface = None if surface_id is None else document.surface(surface_id)
    tracks = {t.surface: t.by_frame() for t in told}
    found = frames_as_reference(document, surface, tracks, ProxyReader(proxies, facts), facts.width)
    return [
        {
            "frame": w.frame, "size_px": None if np.isnan(w.size) else float(np.sqrt(w.size)), "sharpness": w.sharpness,
            "hidden": w.hidden, "worth": w.worth,
        }
        for w in found
    ]  # fmt: skip


@router.get("/{shot_id}/lens")
def lens_from_drawn_lines(asked: Annotated[Sources, Depends(sources)]) -> LensView:
    """The lens that makes the lines straight that were drawn."""
    document, facts = asked[0], asked[4]
    if not document.lens.lines:
        raise RunError("no_evidence", "No lines are drawn. Draw along edges that are straight in the world.")
    found = lens_of_lines(document, (facts.width, facts.height))
    spread = {"k1": 0.0, "k2": 0.0, **found.sigma}
    terms = [{"term": t, "value": getattr(found.lens, t), "sigma": spread[t]} for t in ("k1", "k2") if t in found.sigma]
    note = f"Drawn points lie {found.residual_px:.2f} px from straight, {found.before_px:.2f} px without a lens."
    centre = found.lens.centre if "centre" in found.sigma else None
    return LensView.model_validate({"k1": found.lens.k1, "k2": found.lens.k2, "centre": centre, "terms": terms, "note": note})


@router.get("/{shot_id}/surfaces/{surface_id}/lens")
async def lens_from_track(asked: Asked) -> LensView:
    """The lens that makes a followed plane fit best, with the uncertainty of its terms."""
    return LensView.model_validate(await in_its_process("advice", _lens, asked))


def _lens(asked: Question) -> dict[str, Any]:
    found = _with_plate(asked, lambda plate, shot, surface, tracks: advise_camera(plate, shot, surface, tracks, tracks[surface.id]))
    kept = {t: e for t, e in found.estimates.items() if t in ("k1", "k2")}
    lens = found.optics.lens
    note = f"Frames fit {100 * found.gain:.1f} % better with it." if kept else "The track asks for no lens: it is straight enough here."
    centre = lens.centre if lens is not None and not {*CENTRE}.isdisjoint(found.estimates) else None
    return {
        "k1": lens.k1 if kept and lens else 0.0, "k2": lens.k2 if kept and lens else 0.0, "centre": centre,
        "note": f"{note} {describe_bow(found)}".strip(),
        "terms": [{"term": t, "value": float(e.value), "sigma": float(e.sigma)} for t, e in kept.items()],
    }  # fmt: skip
