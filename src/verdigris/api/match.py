"""How what is placed sits: measured in the plate, and read out spot by spot."""

import uuid

from fastapi import APIRouter

from verdigris.api.context import Transaction
from verdigris.api.models.advice import ProposalsView
from verdigris.api.models.jobs import JobView
from verdigris.api.views import job_view
from verdigris.jobs.start import start_measuring
from verdigris.runs.match.measure import measure_key
from verdigris.store.proposals import list_proposals
from verdigris.store.shots import document_of, get_shot
from verdigris.store.takes import chosen_tracks

router = APIRouter(prefix="/api/shots", tags=["match"])


@router.post("/{shot_id}/surfaces/{surface_id}/match", status_code=202)
def measure(shot_id: uuid.UUID, surface_id: str, s: Transaction) -> JobView:
    """Measure how a surface sits in its plate."""
    return job_view(start_measuring(s, shot_id, surface_id))


@router.get("/{shot_id}/proposals")
def proposals(shot_id: uuid.UUID, s: Transaction) -> list[ProposalsView]:
    """What was last measured of the shot's surfaces."""
    document = document_of(s, get_shot(s, shot_id))
    kept = [p for p in list_proposals(s, shot_id) if any(x.id == p.surface for x in document.surfaces)]
    tracks = chosen_tracks(s, document) if kept else {}
    return [
        ProposalsView(
            surface=p.surface, stale=measure_key(document, document.surface(p.surface), tracks) != p.key, created=p.created,
            proposals=p.found,  # type: ignore[arg-type]
        )
        for p in kept
    ]  # fmt: skip
