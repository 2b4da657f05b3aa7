"""What the end of a job means for what it worked on: media, deliveries. Always in the transaction that ends it."""

from collections.abc import Callable

from sqlalchemy import select
from sqlalchemy.orm import Session

from verdigris.jobs.queue import enqueue
from verdigris.settings import Settings
from verdigris.store.database import announce
from verdigris.store.jobs import OPEN_STATES, get_delivery, update_job
from verdigris.store.media_folder import MediaFolder
from verdigris.store.models import Job, Media
from verdigris.store.shots import shots_with_media

Consequence = Callable[[Session, str], None]


def close_job(s: Session, job: Job, state: str, message: str, consequence: Consequence | None = None) -> None:
    """End an open job as done, failed or stopped; a job that has ended stays as it is."""
    s.refresh(job, with_for_update=True)
    if job.state not in OPEN_STATES:
        return
    update_job(s, job.id, state=state, message=message, seconds_left=None)
    if job.delivery_id is not None:
        get_delivery(s, job.delivery_id).state = state
        announce(s, "delivery", delivery=job.delivery_id)
        if state == "stopped":
            enqueue(s, "collect_stopped", delivery_id=str(job.delivery_id))
    if job.media_hash is not None:
        _close_media(s, job.media_hash, state, message)
    if consequence is not None:
        consequence(s, state)


def ask_to_stop(s: Session, job: Job) -> None:
    """Ask a job to stop; one that nobody has begun is stopped at once."""
    if job.state == "waiting":
        close_job(s, job, "stopped", "Stopped before it began.")
    elif job.state == "running":
        update_job(s, job.id, stop_asked=True)


def _close_media(s: Session, media_hash: str, state: str, message: str) -> None:
    """Media that were not read to their end say so; refused ones that no shot uses leave nothing behind."""
    media = s.scalar(select(Media).where(Media.hash == media_hash).with_for_update())
    if media is None or state == "done":
        return
    if state == "failed" and not shots_with_media(s, media_hash):
        s.delete(media)
        MediaFolder(Settings().media_dir).forget(media_hash)
    else:
        media.state, media.problem = state, message
    announce(s, "media", media=media_hash)
