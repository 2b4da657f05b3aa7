"""The queue: one application object for workers and for whoever enqueues."""

from typing import Any

import procrastinate
from procrastinate import PsycopgConnector, SyncPsycopgConnector
from sqlalchemy import text
from sqlalchemy.orm import Session

from verdigris.settings import Settings
from verdigris.store.database import engine

QUEUE = "work"


def _conninfo() -> str:
    return Settings().database_url


app = procrastinate.App(connector=PsycopgConnector(conninfo=_conninfo(), min_size=1, max_size=4), import_paths=["verdigris.jobs.tasks"])
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


def enqueue(s: Session, task: str, priority: int = 0, lock: str | None = None, **arguments: str | int | list[int] | None) -> None:
    """Enqueue a task within a transaction: it exists only if the transaction is committed.

    Tasks with the same lock run one after the other, in the order in which they were enqueued.
    """
    raw = s.connection().connection.dbapi_connection
    _deferrer.configure_task(
        f"verdigris.jobs.tasks.{task}", allow_unknown=True, connection=raw, queue=QUEUE, priority=priority, lock=lock
    ).defer(**arguments)
