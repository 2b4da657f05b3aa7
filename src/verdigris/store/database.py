"""The database: engine, sessions, events."""

import json
from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache

from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import InterfaceError, OperationalError
from sqlalchemy.orm import Session

from verdigris.store.errors import StoreError

CHANNEL = "verdigris"
# PostgreSQL, appendix A: error codes, class 53.
DISK_FULL = "53100"


@lru_cache(maxsize=4)
def engine(url: str) -> Engine:
    """The engine of a database address (postgresql://...)."""
    if not url:
        raise StoreError(
            "no_database", "No database is named. Start the application with ./verdigris start, or set VERDIGRIS_DATABASE_URL."
        )
    return create_engine(url.replace("postgresql://", "postgresql+psycopg://", 1), pool_size=8, max_overflow=8, pool_pre_ping=True)


@contextmanager
def session(url: str) -> Iterator[Session]:
    """A transaction: committed at the end, undone when something is raised.

    Raises
    ------
    StoreError
        `no_database` when it cannot be reached, `disk_full` when it has no room to write.
    """
    try:
        with Session(engine(url), expire_on_commit=False) as s, s.begin():
            yield s
    except (InterfaceError, OperationalError) as error:
        if getattr(error.orig, "sqlstate", None) == DISK_FULL:
            raise StoreError("disk_full", "The disk of the database is full. Make room, then do it again; nothing was changed.") from error
        raise StoreError("no_database", "The database cannot be reached. Is the application running (./verdigris start)?") from error


def announce(s: Session, kind: str, **ids: object) -> None:
    """Tell every listener what changed, once this transaction is committed; what is small goes with it as plain data.

    PostgreSQL carries up to 8000 bytes.
    """
    payload = json.dumps({"kind": kind, **{k: v if isinstance(v, (int, dict)) else str(v) for k, v in ids.items()}})
    s.execute(text("SELECT pg_notify(:channel, :payload)"), {"channel": CHANNEL, "payload": payload})


def reachable(url: str) -> bool:
    """Whether the database answers now."""
    try:
        with session(url) as s:
            s.execute(text("SELECT 1"))
    except StoreError:
        return False
    return True
