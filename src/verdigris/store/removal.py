"""The bin: shots, projects and media that were removed stay in it for a while and can be put back."""

import datetime as dt
import shutil
import uuid
from dataclasses import dataclass
from typing import Literal

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from verdigris.store.database import announce
from verdigris.store.errors import StoreError
from verdigris.store.jobs import OPEN_STATES
from verdigris.store.media import get_media
from verdigris.store.media_folder import MediaFolder
from verdigris.store.models import Delivery, Job, Media, Project, ShotRow, Take
from verdigris.store.shots import document_of, get_project, get_shot, shots_with_media, slots_with_media, used_media


def remove_shot(s: Session, shot_id: uuid.UUID) -> ShotRow:
    """Put a shot into the bin; StoreError `busy` while something runs on it."""
    shot = get_shot(s, shot_id, lock=True)
    if s.scalar(select(Job.id).where(Job.shot_id == shot_id, Job.state.in_(OPEN_STATES)).limit(1)):
        raise StoreError("busy", "Something still runs on this shot. Stop it first, or let it finish.")
    shot.removed = s.scalar(select(func.clock_timestamp()))
    announce(s, "project", project=shot.project_id)
    return shot


def restore_shot(s: Session, shot_id: uuid.UUID) -> ShotRow:
    """Take a shot out of the bin, with its project should that be in it."""
    shot = get_shot(s, shot_id, lock=True)
    shot.removed = None
    get_project(s, shot.project_id).removed = None
    announce(s, "project", project=shot.project_id)
    return shot


def remove_project(s: Session, project_id: uuid.UUID) -> Project:
    """Put a project into the bin, with its shots; StoreError `busy` while something runs on one of them."""
    project = get_project(s, project_id)
    running = select(Job.id).join(ShotRow, Job.shot_id == ShotRow.id)
    if s.scalar(running.where(ShotRow.project_id == project_id, Job.state.in_(OPEN_STATES)).limit(1)):
        raise StoreError("busy", "Something still runs on a shot of this project. Stop it first, or let it finish.")
    project.removed = s.scalar(select(func.clock_timestamp()))
    announce(s, "project", project=project_id)
    return project


def restore_project(s: Session, project_id: uuid.UUID) -> Project:
    """Take a project out of the bin."""
    project = get_project(s, project_id)
    project.removed = None
    announce(s, "project", project=project_id)
    return project


def remove_media(s: Session, media_hash: str) -> Media:
    """Put media into the bin; StoreError `busy` when a shot shows them, with its name."""
    media = get_media(s, media_hash)
    users = [document_of(s, get_shot(s, x)) for x in shots_with_media(s, media_hash)]
    shown = [d.name for d in users if media_hash in used_media(d)] + slots_with_media(s, media_hash)
    if shown:
        raise StoreError("busy", f"{media.name} is used by {', '.join(shown[:3])}. Take it off there first.")
    media.removed = s.scalar(select(func.clock_timestamp()))
    announce(s, "media", media=media_hash)
    return media


def restore_media(s: Session, media_hash: str) -> Media:
    """Take media out of the bin."""
    media = get_media(s, media_hash)
    media.removed = None
    announce(s, "media", media=media_hash)
    return media


@dataclass(frozen=True)
class Removed:
    """Something in the bin."""

    kind: Literal["project", "shot", "media"]
    id: str
    name: str
    removed: dt.datetime


def list_removed(s: Session) -> list[Removed]:
    """Everything in the bin, the last removed first."""
    found = [
        Removed("project", str(x.id), x.name, x.removed)
        for x in s.scalars(select(Project).where(Project.removed.is_not(None)))
        if x.removed
    ]
    found += [
        Removed("shot", str(x.id), document_of(s, x).name, x.removed)
        for x in s.scalars(select(ShotRow).where(ShotRow.removed.is_not(None)))
        if x.removed
    ]
    found += [Removed("media", x.hash, x.name, x.removed) for x in s.scalars(select(Media).where(Media.removed.is_not(None))) if x.removed]
    return sorted(found, key=lambda x: x.removed, reverse=True)


def empty_of_old(s: Session, folder: MediaFolder, days: int) -> None:
    """Delete for good what has been in the bin for so many days, and the files of it that nothing else needs."""
    before = dt.datetime.now(dt.UTC) - dt.timedelta(days=days)
    for project in s.scalars(select(Project).where(Project.removed < before)):
        for shot in s.scalars(select(ShotRow).where(ShotRow.project_id == project.id)):
            _delete_shot(s, folder, shot)
        s.flush()
        s.delete(project)
    for shot in s.scalars(select(ShotRow).where(ShotRow.removed < before)):
        _delete_shot(s, folder, shot)
    s.flush()
    for media in s.scalars(select(Media).where(Media.removed < before)):
        if not shots_with_media(s, media.hash) and not slots_with_media(s, media.hash):
            s.delete(media)
            folder.forget(media.hash)


def _delete_shot(s: Session, folder: MediaFolder, shot: ShotRow) -> None:
    for take in s.scalars(select(Take.id).where(Take.shot_id == shot.id)):
        shutil.rmtree(folder.crops(take), ignore_errors=True)
    for delivery in s.scalars(select(Delivery.id).where(Delivery.shot_id == shot.id)):
        shutil.rmtree(folder.delivery(delivery), ignore_errors=True)
    s.delete(shot)
