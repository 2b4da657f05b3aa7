"""Rows about jobs and deliveries: what runs, how far it is, what came of it."""

import uuid
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from verdigris.store.database import announce
from verdigris.store.errors import StoreError
from verdigris.store.models import Delivery, Job

OPEN_STATES = ("waiting", "running")


def create_job(s: Session, kind: str, title: str, total: int, **links: Any) -> Job:
    """A new waiting job."""
    job = Job(kind=kind, title=title, total=total, **links)
    s.add(job)
    s.flush()
    announce(s, "job", job=job.id, state="waiting")
    return job


def get_job(s: Session, job_id: uuid.UUID) -> Job:
    """A job by id."""
    job = s.get(Job, job_id)
    if job is None:
        raise StoreError("not_found", "There is no such job.")
    return job


def list_jobs(s: Session, limit: int = 60) -> list[Job]:
    """Jobs, newest first."""
    return list(s.scalars(select(Job).order_by(Job.created.desc()).limit(limit)))


def last_jobs_of_shot(s: Session, shot_id: uuid.UUID) -> dict[uuid.UUID, Job]:
    """The newest job that followed each take of a shot, by take."""
    newest = select(Job).where(Job.shot_id == shot_id, Job.take_id.is_not(None)).order_by(Job.take_id, Job.created.desc())
    return {j.take_id: j for j in s.scalars(newest.distinct(Job.take_id)) if j.take_id is not None}


def jobs_of_deliveries(s: Session, deliveries: list[uuid.UUID]) -> dict[uuid.UUID, uuid.UUID]:
    """The jobs that make deliveries, by delivery."""
    made = s.execute(select(Job.delivery_id, Job.id).where(Job.delivery_id.in_(deliveries)))
    return {d: job for d, job in made.tuples() if d is not None}


def open_job_for_media(s: Session, media_hash: str) -> Job | None:
    """The job that reads some media, if any."""
    return s.scalar(select(Job).where(Job.media_hash == media_hash, Job.state.in_(OPEN_STATES)).limit(1))


def count_death(s: Session, job: Job) -> int:
    """Note that a worker died over a job; how many did in a row without its getting any further."""
    job.deaths = job.deaths + 1 if job.done <= job.done_at_death else 1
    job.done_at_death = job.done
    return job.deaths


def forgive_death(s: Session, job_id: uuid.UUID) -> None:
    """A worker that is told to end while it works is no sign against the work."""
    job = s.get(Job, job_id)
    if job is not None:
        job.deaths, job.done_at_death = -1, job.done


def open_job_for_take(s: Session, take_id: uuid.UUID) -> Job | None:
    """The job that is filling a take, if any."""
    return s.scalar(select(Job).where(Job.take_id == take_id, Job.state.in_(OPEN_STATES)))


def update_job(s: Session, job_id: uuid.UUID, **values: Any) -> Job:
    """Change a job and announce it."""
    job = get_job(s, job_id)
    for name, value in values.items():
        setattr(job, name, value)
    if values.get("state") in ("done", "failed", "stopped"):
        job.finished = s.scalar(select(func.clock_timestamp()))
    s.flush()
    announce(s, "job", job=job_id, state=job.state)
    return job


def get_delivery(s: Session, delivery_id: uuid.UUID) -> Delivery:
    """A delivery by id."""
    delivery = s.get(Delivery, delivery_id)
    if delivery is None:
        raise StoreError("not_found", "There is no such delivery.")
    return delivery


def list_deliveries(s: Session, shot_id: uuid.UUID) -> list[Delivery]:
    """Deliveries of a shot, newest first."""
    return list(s.scalars(select(Delivery).where(Delivery.shot_id == shot_id).order_by(Delivery.created.desc())))
