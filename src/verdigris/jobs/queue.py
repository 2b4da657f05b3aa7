"""The queue: one application object for workers and for whoever enqueues."""

from typing import Any

import procrastinate
from procrastinate import PsycopgConnector, SyncPsycopgConnector
from sqlalchemy import text
from sqlalchemy.orm import Session

from verdigris.settings import Settings
from verdigris.store.database import engine
from verdigris.store.models import Job

QUEUE = "work"


def _conninfo() -> str:
    return Settings().database_url


app = procrastinate.App(
    connector=PsycopgConnector(conninfo=_conninfo(), min_size=1, max_size=4),
    import_paths=["verdigris.jobs.tasks"],
)
# Whoever enqueues does so on its own connection, within its own transaction, without the tasks' code.
_deferrer = procrastinate.App(connector=SyncPsycopgConnector(conninfo=_conninfo()))


def install_queue(url: str) -> None:
    """Make the queue's tables unless they are there; applying them twice would raise."""
    with engine(url).begin() as connection:
        connection.execute(text("SELECT pg_advisory_xact_lock(7041993)"))
        if connection.execute(text("SELECT to_regclass('procrastinate_jobs')")).scalar() is None:
            schema = procrastinate.schema.SchemaManager.get_schema()
            raw: Any = connection.connection.dbapi_connection
            raw.execute(schema)


def enqueue_job(
    s: Session, job: Job, task: str, priority: int = 0, lock: str | None = None, **arguments: str | int | list[int] | None
) -> None:
    """Enqueue the task of a job row, and note it there, so that it can be given out again should the queue lose it."""
    job.task = {"task": task, "priority": priority, "lock": lock, "arguments": {"job_id": str(job.id), **arguments}}
    enqueue_again(s, job)


def enqueue_again(s: Session, job: Job) -> None:
    """Enqueue what a job row says its task is."""
    if job.task is not None:
        told = job.task
        enqueue(s, told["task"], priority=told["priority"], lock=told["lock"], **told["arguments"])


def enqueue(s: Session, task: str, priority: int = 0, lock: str | None = None, **arguments: str | int | list[int] | None) -> None:
    """Enqueue a task within a transaction: it exists only if the transaction is committed.

    Tasks with the same lock run one after the other, in the order in which they were enqueued.
    """
    raw = s.connection().connection.dbapi_connection
    _deferrer.configure_task(
        f"verdigris.jobs.tasks.{task}", allow_unknown=True, connection=raw, queue=QUEUE, priority=priority, lock=lock
    ).defer(**arguments)
