"""Tasks that hand a shot over: parts rendered side by side, joined once all are there. Each is safe to run twice."""

import shutil
import uuid
import zipfile
from pathlib import Path

from sqlalchemy import func, select, text
from sqlalchemy.orm import Session

from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.jobs.closing import close_job
from verdigris.jobs.inputs import media_paths
from verdigris.jobs.queue import app, enqueue
from verdigris.jobs.retry import WhenAsked
from verdigris.jobs.running import RunningJob, run_job
from verdigris.media.errors import MediaError
from verdigris.media.whole import sweep_unfinished, whole_file
from verdigris.runs.render.compose import check_ready, frames_without_track
from verdigris.runs.render.handover import (
    film_parts,
    join_film,
    render_part,
    still_name,
    write_result_still,
)
from verdigris.runs.render.kept_frames import KeptFrames
from verdigris.runs.render.open_shot import STILL_FRAMES, OpenShot, content_name
from verdigris.settings import Settings
from verdigris.shot.model.delivery import FILMS
from verdigris.shot.model.document import Shot, parse_shot
from verdigris.store.database import announce, session
from verdigris.store.jobs import get_delivery, get_job, update_job
from verdigris.store.media_folder import MediaFolder
from verdigris.store.models import Delivery, Job
from verdigris.store.shots import get_revision
from verdigris.store.takes import chosen_tracks

JOB_PART_FRAMES = 60
# The part of a delivery's job that checks it and hands out the others.
WHOLE = -1
# Composed frames of a delivery, and of the one before it, in its folder.
KEPT, EARLIER = "kept", "earlier"
Tracks = dict[str, dict[int, FrameResult]]


@app.task(retry=WhenAsked(), name="verdigris.jobs.tasks.render", queue="work")
def render(job_id: str) -> None:
    """Begin a delivery: check it, then hand its parts to the queue."""
    settings = Settings()

    def work(job: RunningJob) -> None:
        document, tracks, row, folder = _delivery_inputs(settings, job.id)
        check_ready(document, tracks)
        with OpenShot(document, Path("/nonexistent"), media_paths(settings, document)) as opened:
            count = opened.plate.facts.frame_count
            if document.delivery.form in FILMS and opened.plate.facts.rate is None:
                raise MediaError("rate_needed", "The plate's stills carry no rate. Say it in Prepare, then hand over.")
        with session(settings.database_url) as s:
            job.writing(s)
            assert row.delivery_id is not None
            get_delivery(s, row.delivery_id).frames_without_track = frames_without_track(document, tracks, count)
            update_job(s, job.id, total=count)
            _take_over_kept(s, folder, row.delivery_id)
            for start, stop in film_parts(count, JOB_PART_FRAMES):
                enqueue(s, "render_one_part", job_id=job_id, start=start, stop=stop)

    run_job(settings.database_url, job_id, work, part=WHOLE)


def _delivery_inputs(settings: Settings, job_id: uuid.UUID) -> tuple[Shot, Tracks, Job, Path]:
    with session(settings.database_url) as s:
        row = get_job(s, job_id)
        assert row.delivery_id is not None
        delivery = get_delivery(s, row.delivery_id)
        document = parse_shot(get_revision(s, delivery.shot_id, delivery.revision).document)
        tracks = chosen_tracks(s, document)
    folder = MediaFolder(settings.media_dir).delivery(delivery.id)
    folder.mkdir(parents=True, exist_ok=True)
    return document, tracks, row, folder


@app.task(retry=WhenAsked(), name="verdigris.jobs.tasks.render_one_part", queue="work")
def render_one_part(job_id: str, start: int, stop: int) -> None:
    """Render frames start to stop; the task that finds all parts there joins them."""
    settings = Settings()

    def work(job: RunningJob) -> None:
        document, tracks, _, folder = _delivery_inputs(settings, job.id)
        done = folder / f"done-{start:06d}"
        with OpenShot(document, Path("/nonexistent"), media_paths(settings, document)) as opened:
            if not done.exists():
                _render_frames(job, opened, tracks, start, stop, folder)
                done.touch()
            _finish_if_whole(settings, job, document, opened, folder)

    run_job(settings.database_url, job_id, work, part=start)


def _render_frames(job: RunningJob, opened: OpenShot, tracks: Tracks, start: int, stop: int, folder: Path) -> None:
    document, facts = opened.shot, opened.plate.facts
    stills, kept = folder / "stills", KeptFrames(folder / KEPT, folder / EARLIER)

    def counted() -> None:
        there = kept.count or sum(1 for _ in stills.glob(f"*.{document.delivery.form}"))
        job.progress(there, facts.frame_count, "rendering")

    # Each is kept on disk before the encoder gets it: what an encoder holds dies with it.
    if document.delivery.form in FILMS:
        part = folder / f"part-{start:06d}.{document.delivery.form}"
        if not part.exists():
            render_part(part, facts, document.delivery, opened.film_frames(tracks, start, stop, job.stopping, kept), counted)
        return
    frames = opened.composed(tracks, start, stop, job.stopping, kept)
    stills.mkdir(exist_ok=True)
    stem = f"{_file_stem(document.name)}-{content_name(document)}"
    for n, frame in enumerate(frames, start=start):
        path = stills / still_name(stem, n + opened.first_frame, document.delivery.form)
        if not path.exists():
            write_result_still(path, frame, document.delivery.form)
        counted()


def _take_over_kept(s: Session, folder: Path, delivery: uuid.UUID) -> None:
    """What an earlier handing over of the shot composed is at hand for this one: only what changed since is composed anew."""
    shot = get_delivery(s, delivery).shot_id
    done = select(Delivery).where(Delivery.shot_id == shot, Delivery.id != delivery, Delivery.state != "running")
    for one in s.scalars(done.order_by(Delivery.created)):
        kept = folder.parent / str(one.id) / KEPT
        if kept.is_dir():
            shutil.rmtree(folder / EARLIER, ignore_errors=True)
            kept.rename(folder / EARLIER)


def _file_stem(name: str) -> str:
    """A file name from a shot's name: letters, digits and dashes only."""
    plain = "".join(c if c.isascii() and c.isalnum() else "-" for c in name.lower())
    return "-".join(filter(None, plain.split("-"))) or "shot"


def delivery_stem(s: Session, delivery: Delivery, document: Shot) -> str:
    """Name of a delivery's file without its ending: what it shows, and which handing over of the shot it is."""
    earlier = select(func.count()).select_from(Delivery).where(Delivery.shot_id == delivery.shot_id, Delivery.created <= delivery.created)
    return f"{_file_stem(document.name)}-{content_name(document)}-{s.scalar(earlier):03d}"


def _finish_if_whole(settings: Settings, job: RunningJob, document: Shot, opened: OpenShot, folder: Path) -> None:
    """Join when every part is there. One task at a time does it; a file that has its name is whole and is not made again."""
    facts = opened.plate.facts
    parts = film_parts(facts.frame_count, JOB_PART_FRAMES)
    if not all((folder / f"done-{start:06d}").exists() for start, _ in parts):
        return
    with session(settings.database_url) as s:
        # A lock of the transaction, not of the row: while it joins, the job can be read, stopped and told of.
        if not s.scalar(text("SELECT pg_try_advisory_xact_lock(hashtextextended(:key, 0))"), {"key": f"join {job.id}"}):
            return
        row = get_job(s, job.id)
        assert row.delivery_id is not None
        delivery = get_delivery(s, row.delivery_id)
        stem = delivery_stem(s, delivery, document)
        tracks = chosen_tracks(s, document)
        if document.delivery.form in FILMS:
            out = folder / f"{stem}.{document.delivery.form}"
            if not out.exists():
                assert facts.rate is not None
                pieces = [(start, folder / f"part-{start:06d}.{document.delivery.form}") for start, _ in parts]
                join_film(pieces, out, facts.rate, opened.plate_path)
        else:
            still = opened.still_of(tracks)
            if still is not None:
                opened.write_still_frames(folder / "stills" / STILL_FRAMES, still)
            out = folder / f"{stem}.{document.delivery.form}.zip"
            if not out.exists():
                _pack_stills(folder / "stills", out)
        delivery.file, delivery.bytes = out.name, out.stat().st_size
        update_job(s, job.id, done=facts.frame_count, total=facts.frame_count)
        job.writing(s)
        close_job(s, row, "done", f"{facts.frame_count} frames handed over as {out.name}.")
    # Only what is committed needs no parts any more; a kill before this line costs room, not work.
    tidy_delivery(folder)


def tidy_delivery(folder: Path) -> None:
    """Leave only the file that is handed over, and what was composed for it, for the next time."""
    for leftover in [*folder.glob("part-*"), *folder.glob("done-*"), *folder.glob("*.unfinished*")]:
        leftover.unlink(missing_ok=True)
    shutil.rmtree(folder / EARLIER, ignore_errors=True)
    shutil.rmtree(folder / "stills", ignore_errors=True)


def _pack_stills(stills: Path, out: Path) -> None:
    sweep_unfinished(stills)
    # Stills are packed as they are: their own formats are compressed already.
    with whole_file(out) as unfinished, zipfile.ZipFile(unfinished, "w", zipfile.ZIP_STORED) as z:
        for still in sorted(stills.iterdir()):
            z.write(still, still.name)


@app.task(retry=WhenAsked(), name="verdigris.jobs.tasks.collect_stopped", queue="work")
def collect_stopped(delivery_id: str) -> None:
    """Make what a stopped delivery has into something that can be taken: the stills there are, or the film as far as it is whole."""
    settings = Settings()
    folder = MediaFolder(settings.media_dir).delivery(uuid.UUID(delivery_id))
    with session(settings.database_url) as s:
        delivery = get_delivery(s, uuid.UUID(delivery_id))
        if delivery.state != "stopped" or delivery.file:
            return
        document = parse_shot(get_revision(s, delivery.shot_id, delivery.revision).document)
        stem, form, paths = delivery_stem(s, delivery, document), delivery.form, media_paths(settings, document)
    with OpenShot(document, Path("/nonexistent"), paths) as opened:
        out = _whole_stills(folder, stem, form) if form not in FILMS else _whole_parts(folder, stem, form, opened)
    with session(settings.database_url) as s:
        delivery = get_delivery(s, uuid.UUID(delivery_id))
        if out is not None and delivery.state == "stopped":
            delivery.file, delivery.bytes = out.name, out.stat().st_size
        job = s.scalar(select(Job).where(Job.delivery_id == delivery.id))
        if job is not None:
            update_job(
                s,
                job.id,
                message="Stopped. What was whole by then can be taken."
                if out
                else "Stopped before a part of it was whole: nothing can be taken.",
            )
        announce(s, "delivery", delivery=delivery.id)
    tidy_delivery(folder)


def _whole_stills(folder: Path, stem: str, form: str) -> Path | None:
    stills = list((folder / "stills").glob(f"*.{form}"))
    if not stills:
        return None
    out = folder / f"{stem}-first-{len(stills)}-frames.{form}.zip"
    _pack_stills(folder / "stills", out)
    return out


def _whole_parts(folder: Path, stem: str, form: str, opened: OpenShot) -> Path | None:
    facts, parts = opened.plate.facts, []
    for start, stop in film_parts(facts.frame_count, JOB_PART_FRAMES):
        path = folder / f"part-{start:06d}.{form}"
        if not path.exists():
            break
        parts.append((start, path))
        frames = stop
    if not parts or facts.rate is None:
        return None
    out = folder / f"{stem}-first-{frames}-frames.{form}"
    join_film(parts, out, facts.rate, opened.plate_path)
    return out
