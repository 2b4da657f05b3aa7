"""Measuring how a surface sits in its plate."""

import shutil
from pathlib import Path
from typing import Any

from verdigris.jobs.inputs import media_paths
from verdigris.jobs.queue import app
from verdigris.jobs.retry import WhenAsked
from verdigris.jobs.running import RunningJob, run_job
from verdigris.media.reader import open_media
from verdigris.runs.match.measure import measure as measured
from verdigris.runs.match.measure import measure_key
from verdigris.runs.match.proposal import Proposal
from verdigris.runs.match.stack import SurfaceStack
from verdigris.runs.render.open_shot import OpenShot
from verdigris.settings import Settings
from verdigris.shot.model.document import parse_shot
from verdigris.shot.model.match import SurfaceMatch
from verdigris.store.database import announce, session
from verdigris.store.jobs import get_job
from verdigris.store.media_folder import MediaFolder, folder_hash
from verdigris.store.models import Media
from verdigris.store.proposals import keep_proposals
from verdigris.store.shots import get_revision
from verdigris.store.takes import chosen_tracks


@app.task(retry=WhenAsked(), name="verdigris.jobs.tasks.measure", queue="work")
def measure(job_id: str, revision: int, surface: str) -> None:
    """Measure a surface and keep what is proposed; a killed run begins again, it is short."""
    settings = Settings()
    folder = MediaFolder(settings.media_dir)

    def work(job: RunningJob) -> str:
        with session(settings.database_url) as s:
            shot_id = get_job(s, job.id).shot_id
            assert shot_id is not None
            document = parse_shot(get_revision(s, shot_id, revision).document)
            tracks = chosen_tracks(s, document)
        one = document.surface(surface)
        match = next((m for m in document.match if m.surface == surface), SurfaceMatch(surface=surface))
        temporary = folder.incoming()
        try:
            with OpenShot(document, Path("/nonexistent"), media_paths(settings, document)) as opened:
                stack = SurfaceStack(opened.plate, document, one, tracks, opened.mattes)
                old = opened.old_picture(match)
                found = measured(stack, match, temporary, lambda d, t: job.progress(d, t, "looking at light and grain"), job.stopping, old)
            if job.stopping():
                return "Stopped; what was measured before is kept."
            with session(settings.database_url) as s:
                job.writing(s)
                proposals = [_inside(s, folder, temporary, p) for p in found.proposals]
                keep_proposals(s, shot_id, surface, measure_key(document, one, tracks), proposals)
                announce(s, "proposals", shot=shot_id)
        finally:
            shutil.rmtree(temporary, ignore_errors=True)
        sure = sum(p.sure and p.value is not None for p in found.proposals)
        return "1 thing to take over." if sure == 1 else f"{sure} things to take over."

    run_job(settings.database_url, job_id, work)


def _inside(s: Any, folder: MediaFolder, temporary: Path, proposal: Proposal) -> dict[str, Any]:
    """A proposal as it is kept: its pictures are media of the application."""
    value = proposal.value
    field = None if value is None else value.get("field")
    if value is not None and field is not None:
        source = temporary / field["path"]
        media_hash = folder_hash(source)
        if s.get(Media, media_hash) is None:
            with open_media(source) as reader:
                facts = reader.facts.model_dump(mode="json")
            size = sum(f.stat().st_size for f in source.iterdir())
            folder.adopt(source, media_hash, "")
            s.add(Media(hash=media_hash, name=field["path"], ending="", bytes=size, state="ready", proxies=0, facts=facts, derived=True))
            s.flush()
        value = {**value, "field": {"media": media_hash}}
    return {**proposal.__dict__, "value": value, "evidence": [list(e) for e in proposal.evidence]}
