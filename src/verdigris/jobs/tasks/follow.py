"""Following surfaces, and what is done ahead of it while nobody waits."""

import uuid
from pathlib import Path

from verdigris.core.camera.optics import Optics
from verdigris.core.tracking.sequence.frame_result import FrameResult, under_one_camera
from verdigris.jobs.inputs import media_paths
from verdigris.jobs.queue import app
from verdigris.jobs.retry import WhenAsked
from verdigris.jobs.running import RunningJob, run_job
from verdigris.runs.follow.evidence_crops import keep_evidence
from verdigris.runs.follow.first_looks import keep_first_look, read_first_looks
from verdigris.runs.follow.first_steps import name_of_steps, take_first_steps
from verdigris.runs.follow.near_frames import NearFrames
from verdigris.runs.follow.pace import SCALE, Pace
from verdigris.runs.follow.points import OnlyPoint
from verdigris.runs.follow.surface import Direction, follow_surface
from verdigris.runs.scene.artwork import open_ref
from verdigris.settings import Settings
from verdigris.shot.model.document import parse_shot
from verdigris.store.database import session
from verdigris.store.jobs import get_job
from verdigris.store.media import ready_facts
from verdigris.store.media_folder import MediaFolder
from verdigris.store.shots import document_of, get_revision, get_shot
from verdigris.store.takes import chosen_tracks, get_take, keep_camera, point_tracks, read_frames, write_frame


@app.task(retry=WhenAsked(), name="verdigris.jobs.tasks.track", queue="work")
def track(
    job_id: str, revision: int, direction: Direction, span: list[int] | None = None, point: str | None = None, begin: int = 0
) -> None:  # fmt: skip
    """Follow a surface; rows, crops and first looks are written frame by frame, so a killed run goes on as if it had not been.

    A span begins again after a kill: it is short, and its ends are to meet what is kept.
    """
    settings = Settings()
    folder = MediaFolder(settings.media_dir)

    def work(job: RunningJob) -> str:
        with session(settings.database_url) as s:
            row = get_job(s, job.id)
            assert row.take_id is not None
            assert row.shot_id is not None
            take = get_take(s, row.take_id)
            document = parse_shot(get_revision(s, row.shot_id, revision).document)
            known = read_frames(s, take.id)
            only = (
                None if point is None else OnlyPoint(point, point_tracks(s, take.id), None if span is None else (span[0], span[1]), begin)
            )
            tracks = chosen_tracks(s, document)
            assert document.plate.media is not None
            facts = ready_facts(s, document.plate.media).in_colour(document.plate.colour)
        surface = document.surface(take.surface)
        media, near = media_paths(settings, document), folder.near(document.plate.media)
        crops = folder.crops(take.id)
        crops.mkdir(parents=True, exist_ok=True)
        wanted = None if span is None else (span[0], span[1])
        # Closer looks begin from the first ones, not from what is shown of an earlier attempt's closer looks.
        looked = {n: r for n, r in read_first_looks(crops).items() if n in known}
        begun = {**known, **looked} if span is None else known

        def opening() -> NearFrames:
            return NearFrames(facts, lambda: open_ref(document.plate, Path("/nonexistent"), media), near, surface.reference_frame)

        with opening() as plate:
            count = facts.frame_count
            total = _frames_to_do(count, surface.reference_frame, direction, known) if span is None else span[1] - span[0] + 1
            pace = Pace(total, len(known) if span is None else 0)
            camera: Optics | None = None
            for step in follow_surface(plate, document, surface, tracks, begun, direction, job.stopping, wanted, only, opening):
                keep_evidence(crops, surface, step)
                if not step.again and span is None:
                    keep_first_look(crops, step.result)
                with session(settings.database_url) as s:
                    job.writing(s)
                    write_frame(s, take.id, step.result, step.points)
                    if step.result.camera is not None and step.result.camera != camera:
                        camera = step.result.camera
                        keep_camera(s, take.id, camera)
                if step.again or step.result.frame not in known:
                    pace.look(step.again)
                known[step.result.frame] = step.result
                job.progress(pace.done, SCALE, pace.phase)
        shared = next((r.camera for r in under_one_camera(known).values() if r.camera is not None), None)
        if shared is not None and shared != camera:
            with session(settings.database_url) as s:
                job.writing(s)
                keep_camera(s, take.id, shared)
        lost = sum(r.status == "lost" for r in known.values())
        return f"{len(known) - lost} frames followed" + (f", {lost} lost." if lost else ".")

    run_job(settings.database_url, job_id, work)


@app.task(retry=WhenAsked(), name="verdigris.jobs.tasks.make_ready", queue="work")
def make_ready(shot_id: str, surface_id: str, steps: str) -> None:
    """Take the first steps of a surface that is ready to be followed; `steps` is their name, of settings that may be past."""
    settings = Settings()
    folder = MediaFolder(settings.media_dir)
    with session(settings.database_url) as s:
        document = document_of(s, get_shot(s, uuid.UUID(shot_id)))
        surface = next((x for x in document.surfaces if x.id == surface_id), None)
        if surface is None or name_of_steps(document, surface) != steps or document.plate.media is None:
            return
        facts = ready_facts(s, document.plate.media).in_colour(document.plate.colour)
    media, near = media_paths(settings, document), folder.near(document.plate.media)
    with NearFrames(facts, lambda: open_ref(document.plate, Path("/nonexistent"), media), near, surface.reference_frame) as plate:
        if facts.kind == "film":
            plate.make_ready()
        take_first_steps(plate, document, surface, folder.first_steps(document.plate.media) / steps)


def _frames_to_do(count: int, reference: int, direction: Direction, known: dict[int, FrameResult]) -> int:
    wanted = set(range(reference, count)) if direction != "backwards" else {reference}
    if direction != "forwards":
        wanted |= set(range(reference + 1))
    return len(wanted | set(known))
