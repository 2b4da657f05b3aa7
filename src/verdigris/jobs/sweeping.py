"""Putting right what kills, restarts and power cuts leave behind: tasks of dead workers, jobs without a task, old removals."""

import uuid

import structlog
from procrastinate.jobs import Job as QueueJob
from procrastinate.jobs import Status
from sqlalchemy import text
from sqlalchemy.orm import Session

from verdigris.jobs.closing import close_job
from verdigris.jobs.queue import app, enqueue_again
from verdigris.settings import Settings
from verdigris.store.database import session
from verdigris.store.jobs import count_death
from verdigris.store.media_folder import MediaFolder
from verdigris.store.models import Job
from verdigris.store.removal import empty_of_old

log = structlog.get_logger()

MOST_DEATHS = 3
# A row and its task appear in one transaction, and a row ends before its task does: nothing younger is ever without one.
WITHOUT_TASK = text("""
    SELECT j.id FROM jobs j WHERE j.state IN ('waiting', 'running') AND j.created < now() - interval '5 seconds'
    AND NOT EXISTS (SELECT 1 FROM procrastinate_jobs q WHERE q.status IN ('todo', 'doing') AND q.args->>'job_id' = j.id::text)
    FOR UPDATE OF j SKIP LOCKED
""")


async def give_back_stalled(seconds: float) -> None:
    """Put tasks whose worker gave no sign of life for some seconds back into the queue; those that kill every worker are ended."""
    for task in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=seconds):
        if _may_go_on(task):
            log.info("task of a dead worker goes back into the queue", queue_job=task.id, task=task.task_name)
            await app.job_manager.retry_job(task)
        else:
            log.error("task ended every worker that tried it", queue_job=task.id, task=task.task_name)
            await app.job_manager.finish_job(task, status=Status.FAILED, delete_job=True)


def _may_go_on(task: QueueJob) -> bool:
    key = task.task_kwargs.get("job_id")
    if key is None:
        return task.attempts < MOST_DEATHS
    with session(Settings().database_url) as s:
        job = s.get(Job, uuid.UUID(str(key)), with_for_update=True)
        return job is not None and not _killed_too_many(s, job)


def _killed_too_many(s: Session, job: Job) -> bool:
    if count_death(s, job) < MOST_DEATHS:
        return False
    about = {"media": "reading this file", "track": "following this surface", "render": "rendering this shot"}.get(job.kind, "this")
    sentence = f"The worker ended {MOST_DEATHS} times while {about}, each time at the same place. It is not tried again by itself."
    close_job(s, job, "failed", sentence)
    return True


def mend_jobs() -> None:
    """Give jobs that are open but have no task in the queue a new one, or close those whose task is not known."""
    with session(Settings().database_url) as s:
        for job_id in s.scalars(WITHOUT_TASK).all():
            job = s.get(Job, job_id)
            if job is None:
                continue
            if job.stop_asked:
                close_job(s, job, "stopped", "Stopped; what was done is kept.")
            elif job.task is None:
                close_job(s, job, "failed", "It was cut off and cannot go on by itself. Begin it again; what was done is kept.")
            elif not _killed_too_many(s, job):
                log.info("job without a task is queued again", job=str(job.id), kind=job.kind)
                enqueue_again(s, job)


def empty_bin() -> None:
    """Delete for good what has been in the bin for longer than it is kept there."""
    settings = Settings()
    with session(settings.database_url) as s:
        empty_of_old(s, MediaFolder(settings.media_dir), settings.keep_removed_days)
