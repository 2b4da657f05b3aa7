"""Tasks. Each is safe to run twice: what is there already is kept, and the rest is done."""

import shutil
import uuid
from collections.abc import Iterator
from pathlib import Path

from verdigris.core.tracking.frame_result import FrameResult
from verdigris.jobs.queue import app, enqueue
from verdigris.jobs.running import RunningJob, run_job
from verdigris.media.errors import MediaError
from verdigris.media.facts import Limits, MediaFacts
from verdigris.media.frames import Frame
from verdigris.media.reader import open_media
from verdigris.runs.artwork import open_ref
from verdigris.runs.compose import check_ready, compose_frame, frames_without_track
from verdigris.runs.evidence_crops import keep_evidence
from verdigris.runs.first_steps import name_of_steps, take_first_steps
from verdigris.runs.handover import (
    Stopped,
    film_parts,
    join_film,
    render_part,
    side_by_side,
    still_name,
    unfinished,
    write_result_still,
)
from verdigris.runs.kept_frames import keep_frame, restore_frame
from verdigris.runs.near_frames import NearFrames
from verdigris.runs.project import STILL_FRAMES, OpenShot
from verdigris.runs.proxies import write_proxies
from verdigris.runs.tracking import Direction, follow_surface, looks_to_take
from verdigris.settings import Settings
from verdigris.shot.document import Shot, parse_shot
from verdigris.store.database import announce, session
from verdigris.store.jobs import get_delivery, get_job, update_job
from verdigris.store.media import get_media, ready_facts
from verdigris.store.media_folder import MediaFolder, unpack_stills
from verdigris.store.models import Job
from verdigris.store.shots import document_of, get_revision, get_shot, used_media
from verdigris.store.takes import chosen_tracks, get_take, read_frames, write_frame

JOB_PART_FRAMES = 60


def _limits(settings: Settings) -> Limits:
    return Limits(bytes=settings.largest_upload, pixels=settings.most_pixels, frames=settings.most_frames, seconds=settings.longest_seconds)


def media_paths(settings: Settings, document: Shot) -> dict[str, Path]:
    """Files of all media a document names."""
    folder = MediaFolder(settings.media_dir)
    with session(settings.database_url) as s:
        return {h: folder.source(h, get_media(s, h).ending) for h in used_media(document)}


@app.task(name="verdigris.jobs.tasks.read_media", queue="work")
def read_media(job_id: str) -> None:
    """Verify every frame of an upload, read its facts, write its proxies; refuse what is not sound."""
    settings = Settings()
    folder = MediaFolder(settings.media_dir)

    def work(job: RunningJob) -> str:
        with session(settings.database_url) as s:
            media_hash = get_job(s, job.id).media_hash or ""
            ending = get_media(s, media_hash).ending
        try:
            source = folder.source(media_hash, ending)
            if ending == ".zip":
                stills = folder.source(media_hash, "")
                if not stills.exists():
                    unpacking = stills.with_name("unpacking")
                    shutil.rmtree(unpacking, ignore_errors=True)
                    unpack_stills(source, unpacking, _limits(settings))
                    unpacking.replace(stills)
                source = stills
            with open_media(source, limits=_limits(settings)) as reader:
                _keep_facts(settings, media_hash, reader.facts, "" if ending == ".zip" else ending)

                def progress(done: int, total: int) -> None:
                    job.progress(done, total)
                    if done % 8 == 0 or done == total:
                        _keep_proxies(settings, media_hash, done)

                if not write_proxies(reader, folder.proxies(media_hash), progress, job.stopping):
                    return "Stopped; the frames read so far are kept."
        except MediaError:
            _forget(settings, folder, media_hash)
            raise
        with session(settings.database_url) as s:
            get_media(s, media_hash).state = "ready"
            announce(s, "media", media=media_hash)
        return "Every frame was decoded."

    run_job(settings.database_url, job_id, work)


def _keep_facts(settings: Settings, media_hash: str, facts: MediaFacts, ending: str) -> None:
    with session(settings.database_url) as s:
        media = get_media(s, media_hash)
        media.facts, media.ending = facts.model_dump(mode="json"), ending
        announce(s, "media", media=media_hash)


def _keep_proxies(settings: Settings, media_hash: str, done: int) -> None:
    with session(settings.database_url) as s:
        media = get_media(s, media_hash)
        media.proxies = max(media.proxies, done)
        announce(s, "media", media=media_hash)


def _forget(settings: Settings, folder: MediaFolder, media_hash: str) -> None:
    """Leave nothing of a refused upload behind, but keep a plate that a shot already uses."""
    with session(settings.database_url) as s:
        s.delete(get_media(s, media_hash))
        announce(s, "media", media=media_hash)
    folder.forget(media_hash)


@app.task(name="verdigris.jobs.tasks.track", queue="work")
def track(job_id: str, revision: int, direction: Direction, span: list[int] | None = None) -> None:
    """Follow a surface; rows and crops are written frame by frame, so a killed run goes on where it was.

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
            tracks = chosen_tracks(s, document)
            assert document.plate.media is not None
            facts = ready_facts(s, document.plate.media)
        surface = document.surface(take.surface)
        media, near = media_paths(settings, document), folder.near(document.plate.media)
        crops = folder.crops(take.id)
        crops.mkdir(parents=True, exist_ok=True)
        wanted = None if span is None else (span[0], span[1])
        done = len(known) if span is None else 0
        with NearFrames(facts, lambda: open_ref(document.plate, Path("/nonexistent"), media), near, surface.reference_frame) as plate:
            count = facts.frame_count
            total = _frames_to_do(count, surface.reference_frame, direction, known) if span is None else span[1] - span[0] + 1
            for step in follow_surface(plate, document, surface, tracks, known, direction, job.stopping, wanted):
                keep_evidence(crops, surface, step)
                with session(settings.database_url) as s:
                    write_frame(s, take.id, step.result, step.points)
                known[step.result.frame] = step.result
                done += 1
                job.progress(done, looks_to_take(done, total))
        lost = sum(r.status == "lost" for r in known.values())
        return f"{len(known) - lost} frames followed" + (f", {lost} lost." if lost else ".")

    run_job(settings.database_url, job_id, work)


@app.task(name="verdigris.jobs.tasks.make_ready", queue="work")
def make_ready(shot_id: str, surface_id: str, steps: str) -> None:
    """Take the first steps of a surface that is ready to be followed; `steps` is their name, of settings that may be past."""
    settings = Settings()
    folder = MediaFolder(settings.media_dir)
    with session(settings.database_url) as s:
        document = document_of(s, get_shot(s, uuid.UUID(shot_id)))
        surface = next((x for x in document.surfaces if x.id == surface_id), None)
        if surface is None or name_of_steps(document, surface) != steps or document.plate.media is None:
            return
        facts = ready_facts(s, document.plate.media)
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


@app.task(name="verdigris.jobs.tasks.render", queue="work")
def render(job_id: str) -> None:
    """Begin a delivery: check it, then hand its parts to the queue."""
    settings = Settings()

    def work(job: RunningJob) -> None:
        document, tracks, row, _ = _delivery_inputs(settings, job.id)
        check_ready(document, tracks)
        with OpenShot(document, Path("/nonexistent"), media_paths(settings, document)) as opened:
            count = opened.plate.facts.frame_count
            if document.delivery.form == "mp4" and opened.plate.facts.rate is None:
                raise MediaError("rate_needed", "The plate's stills carry no rate. Say it in Prepare, then hand over.")
        with session(settings.database_url) as s:
            assert row.delivery_id is not None
            get_delivery(s, row.delivery_id).frames_without_track = frames_without_track(document, tracks, count)
            update_job(s, job.id, total=count)
            for start, stop in film_parts(count, JOB_PART_FRAMES):
                enqueue(s, "render_one_part", job_id=job_id, start=start, stop=stop)

    run_job(settings.database_url, job_id, work, lambda state: _end_delivery(settings, job_id, state))


def _delivery_inputs(settings: Settings, job_id: uuid.UUID) -> tuple[Shot, dict[str, dict[int, FrameResult]], Job, Path]:
    with session(settings.database_url) as s:
        row = get_job(s, job_id)
        assert row.delivery_id is not None
        assert row.shot_id is not None
        delivery = get_delivery(s, row.delivery_id)
        document = parse_shot(get_revision(s, row.shot_id, delivery.revision).document)
        tracks = chosen_tracks(s, document)
    folder = MediaFolder(settings.media_dir).delivery(delivery.id)
    folder.mkdir(parents=True, exist_ok=True)
    return document, tracks, row, folder


def _end_delivery(settings: Settings, job_id: str, state: str) -> None:
    with session(settings.database_url) as s:
        row = get_job(s, uuid.UUID(job_id))
        assert row.delivery_id is not None
        get_delivery(s, row.delivery_id).state = state
        announce(s, "delivery", delivery=row.delivery_id)


@app.task(name="verdigris.jobs.tasks.render_one_part", queue="work")
def render_one_part(job_id: str, start: int, stop: int) -> None:
    """Render frames start to stop; the task that finds all parts there joins them."""
    settings = Settings()

    def work(job: RunningJob) -> str | None:
        document, tracks, _, folder = _delivery_inputs(settings, job.id)
        kept = folder / "kept"
        kept.mkdir(exist_ok=True)
        with OpenShot(document, Path("/nonexistent"), media_paths(settings, document)) as opened:
            facts, first = opened.plate.facts, opened.first_frame
            part = folder / f"part-{start:06d}.mp4"

            def counted() -> None:
                there = list(kept.glob("*.npz")) or list((folder / "stills").glob(f"*.{document.delivery.form}"))
                job.progress(len(there), facts.frame_count)

            frames = _composed_and_kept(opened, tracks, start, stop, kept, job)
            if document.delivery.form == "mp4":
                if not part.exists():
                    try:
                        render_part(part, facts, document.delivery, frames, counted)
                    finally:
                        unfinished(part).unlink(missing_ok=True)
            else:
                stills = folder / "stills"
                stills.mkdir(exist_ok=True)
                for n, frame in enumerate(frames, start=start):
                    path = stills / still_name(_file_stem(document.name), n + first, document.delivery.form)
                    if not path.exists():
                        write_result_still(path, frame, document.delivery.form)
                    counted()
            (folder / f"done-{start:06d}").touch()
            return _finish_if_whole(settings, job, document, opened, folder)

    run_job(settings.database_url, job_id, work, lambda state: _end_delivery(settings, job_id, state))


def _composed_and_kept(
    opened: OpenShot, tracks: dict[str, dict[int, FrameResult]], start: int, stop: int, kept: Path, job: RunningJob
) -> Iterator[Frame]:
    """Composed frames; each is kept on disk before the encoder gets it, and taken from there in a second run."""
    if opened.shot.delivery.still is not None:
        # Stills are whole as soon as they are written: there is no encoder that holds any back.
        yield from opened.composed(tracks, start, stop, job.stopping)
        return
    placed = opened.placed

    def numbered() -> Iterator[tuple[int, Frame]]:
        for n, picture in zip(range(start, stop), opened.plate.frames(start, stop), strict=True):
            if job.stopping():
                raise Stopped
            yield n, picture

    def one(item: tuple[int, Frame]) -> Frame:
        n, picture = item
        path = kept / f"{n:06d}.npz"
        if path.exists():
            return restore_frame(path, picture)
        result = compose_frame(opened.shot, placed, tracks, n, picture)
        keep_frame(path, picture, result)
        return result

    yield from side_by_side(numbered(), one)


def _file_stem(name: str) -> str:
    """A file name from a shot's name: letters, digits and dashes only."""
    plain = "".join(c if c.isascii() and c.isalnum() else "-" for c in name.lower())
    return "-".join(filter(None, plain.split("-"))) or "shot"


def _finish_if_whole(settings: Settings, job: RunningJob, document: Shot, opened: OpenShot, folder: Path) -> str | None:
    """Join when every part is there; the row lock makes exactly one task do it."""
    facts = opened.plate.facts
    parts = film_parts(facts.frame_count, JOB_PART_FRAMES)
    with session(settings.database_url) as s:
        row = s.get(Job, job.id, with_for_update=True)
        assert row is not None
        assert row.delivery_id is not None
        if not all((folder / f"done-{start:06d}").exists() for start, _ in parts) or row.state == "done":
            return None
        delivery = get_delivery(s, row.delivery_id)
        stem = _file_stem(document.name)
        if document.delivery.form == "mp4":
            assert facts.rate is not None
            out = folder / f"{stem}.mp4"
            join_film([(start, folder / f"part-{start:06d}.mp4") for start, _ in parts], out, facts.rate, opened.plate_path)
            for start, _ in parts:
                (folder / f"part-{start:06d}.mp4").unlink()
        else:
            still = opened.still_of(chosen_tracks(s, document))
            if still is not None:
                opened.write_still_frames(folder / "stills" / STILL_FRAMES, still)
            out = Path(shutil.make_archive(str(folder / f"{stem}.{document.delivery.form}"), "zip", folder / "stills"))
        shutil.rmtree(folder / "kept", ignore_errors=True)
        delivery.file, delivery.bytes = out.name, out.stat().st_size
        update_job(s, job.id, done=facts.frame_count, total=facts.frame_count)
    return f"{facts.frame_count} frames handed over as {out.name}."
