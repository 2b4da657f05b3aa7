"""Beginning long work within a transaction: the row and the queue's task appear together or not at all."""

import uuid

from sqlalchemy import select
from sqlalchemy.orm import Session

from verdigris.jobs.queue import enqueue, enqueue_job
from verdigris.runs.errors import RunError
from verdigris.runs.follow.first_steps import has_first_steps, kept_first_steps, name_of_steps
from verdigris.runs.follow.surface import Direction, Span, in_depth_order
from verdigris.runs.render.compose import check_ready
from verdigris.runs.render.open_shot import content_name, picture_key
from verdigris.settings import Settings
from verdigris.shot.edits.edit import apply_edit
from verdigris.shot.edits.tracks import ChooseTake
from verdigris.shot.model.basis import tracking_key
from verdigris.shot.model.document import Shot
from verdigris.shot.model.surface import Surface
from verdigris.store.errors import StoreError
from verdigris.store.jobs import OPEN_STATES, create_job, open_job_for_take
from verdigris.store.media import ready_facts
from verdigris.store.media_folder import MediaFolder
from verdigris.store.models import Delivery, Job, Media, ShotRow, Take
from verdigris.store.shots import add_revision, document_of, get_shot
from verdigris.store.takes import chosen_tracks, copy_frames, create_take, get_take, write_frame


def start_tracking(
    s: Session, shot_id: uuid.UUID, surface_id: str, direction: Direction, span: Span | None = None, lock: str | None = None,
    point: str | None = None, begin: int = 0,
) -> Job:  # fmt: skip
    """Follow a surface. A take of the same settings is gone on with; otherwise a new take begins and is chosen.

    A span is followed again in a take of its own, which begins as a copy of the chosen one. Runs with the same lock wait
    for each other. A point is followed again by itself, from frame `begin` where a span is given; the other points are kept.

    Raises
    ------
    RunError, StoreError
        `no_corners`, `not_ready`, `not_tracked` for a span of nothing, or `busy` while the surface is being followed.
    """
    shot = get_shot(s, shot_id, lock=True)
    document = document_of(s, shot)
    surface = document.surface(surface_id)
    if surface.corners is None:
        raise RunError("no_corners", f"Place the four corners of {surface.name} first.")
    assert document.plate.media is not None
    facts = ready_facts(s, document.plate.media)
    take = get_take(s, uuid.UUID(surface.take)) if surface.take else None
    if take is not None and open_job_for_take(s, take.id) is not None:
        raise StoreError("busy", f"{surface.name} is being followed already. Stop it first, or let it finish.")
    kept = take
    if point is not None and (surface.follow != "points" or all(p.id != point for p in surface.points)):
        raise RunError("cannot_follow", f"{surface.name} is not followed by a point {point}.")
    if span is not None or point is not None:
        if kept is None:
            raise RunError("not_tracked", f"{surface.name} has no take yet. Follow it first, then parts of it again.")
        if span is not None and not 0 <= span[0] <= span[1] < facts.frame_count:
            raise RunError("cannot_follow", f"The span {span[0]} to {span[1]} is not in the plate's {facts.frame_count} frames.")
        take = None
    # What came in mended stays as it is: followed anew, there is another take beside it.
    if take is None or take.mended or take.key != tracking_key(document, surface):
        # A part laid into a track that came in mended does not make it one that is still to be mended.
        of_mended = kept is not None and kept.mended and (span is not None or point is not None)
        take = create_take(s, shot.id, document, surface, of_mended)
        add_revision(s, shot, apply_edit(document, ChooseTake(surface=surface.id, take=str(take.id))), f"take {take.label} begun")
        folder = MediaFolder(Settings().media_dir)
        if span is None and point is None:
            _begin_with_first_steps(s, folder, document, surface, take, direction)
        elif kept is not None:
            copy_frames(s, kept.id, take.id)
            folder.share_crops(folder.crops(kept.id), take.id)
    total = facts.frame_count if span is None else span[1] - span[0] + 1
    job = create_job(s, "track", f"Following {surface.name}, take {take.label}", total, shot_id=shot.id, take_id=take.id)
    wanted = None if span is None else list(span)
    enqueue_job(s, job, "track", priority=5, lock=lock, revision=shot.head, direction=direction, span=wanted, point=point, begin=begin)
    return job


def _begin_with_first_steps(s: Session, folder: MediaFolder, document: Shot, surface: Surface, take: Take, direction: Direction) -> None:
    """Put what was followed ahead into a new take of the same settings, so that it shows at once."""
    name = name_of_steps(document, surface)
    if name is None or document.plate.media is None:
        return
    steps = folder.first_steps(document.plate.media) / name
    found = kept_first_steps(steps, direction)
    if found:
        folder.share_crops(steps, take.id, looks=True)
    for result in found.values():
        write_frame(s, take.id, result)


def make_ready_to_follow(s: Session, shot: ShotRow, document: Shot) -> None:
    """Have the first steps taken of surfaces that were placed but not followed since, so that following begins at once."""
    media = s.get(Media, document.plate.media or "")
    if media is None or media.facts is None or media.state != "ready":
        return
    steps = MediaFolder(Settings().media_dir).first_steps(media.hash)
    for surface in document.surfaces:
        name = name_of_steps(document, surface)
        take = get_take(s, uuid.UUID(surface.take)) if surface.take else None
        followed = take is not None and take.key == tracking_key(document, surface)
        if name is not None and not followed and not has_first_steps(steps / name):
            enqueue(s, "make_ready", priority=8, lock=f"ready {name}", shot_id=str(shot.id), surface_id=surface.id, steps=name)


def start_tracking_all(s: Session, shot_id: uuid.UUID, direction: Direction) -> list[Job]:
    """Follow every surface that has corners and is not being followed, the nearest first: each is done before the next begins.

    Raises
    ------
    RunError, StoreError
        `no_corners` when there is nothing to follow, else as for one surface.
    """
    document = document_of(s, get_shot(s, shot_id, lock=True))
    ready = [x for x in in_depth_order(document) if x.corners is not None]
    idle = [x for x in ready if x.take is None or open_job_for_take(s, uuid.UUID(x.take)) is None]
    if not idle:
        raise RunError("no_corners", "No surface is ready to be followed. Place the corners of one first.")
    return [start_tracking(s, shot_id, x.id, direction, lock=f"shot {shot_id}") for x in idle]


def start_measuring(s: Session, shot_id: uuid.UUID, surface_id: str) -> Job:
    """Measure how a surface sits in its plate.

    Raises
    ------
    RunError, StoreError
        `no_corners`, `not_tracked`, or `busy` while it is being measured.
    """
    shot = get_shot(s, shot_id, lock=True)
    document = document_of(s, shot)
    surface = document.surface(surface_id)
    if surface.corners is None:
        raise RunError("no_corners", f"Place the four corners of {surface.name} first.")
    if surface.take is None:
        raise RunError("not_tracked", f"{surface.name} is not followed yet. Follow it first, then measure.")
    title = f"Measuring {surface.name}"
    running = select(Job.id).where(Job.shot_id == shot_id, Job.kind == "match", Job.title == title, Job.state.in_(OPEN_STATES))
    if s.scalar(running.limit(1)) is not None:
        raise StoreError("busy", f"{surface.name} is being measured already.")
    job = create_job(s, "match", title, 0, shot_id=shot.id)
    enqueue_job(s, job, "measure", priority=5, revision=shot.head, surface=surface_id)
    return job


def start_delivery(s: Session, shot_id: uuid.UUID) -> Job:
    """Hand over the shot as its document says; RunError when something is missing."""
    shot = get_shot(s, shot_id)
    document = document_of(s, shot)
    tracks = chosen_tracks(s, document)
    check_ready(document, tracks)
    delivery = Delivery(
        shot_id=shot.id, revision=shot.head, form=document.delivery.form, frames_without_track=[], content=content_name(document),
        fingerprint=picture_key(document, tracks),
    )  # fmt: skip
    s.add(delivery)
    s.flush()
    job = create_job(s, "render", f"Handing over {document.name}", 0, shot_id=shot.id, delivery_id=delivery.id)
    enqueue_job(s, job, "render")
    return job
