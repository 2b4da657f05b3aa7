"""Leases: the last attempt that took up a part of a job is the only one that may write it.

A worker that was asleep while another took its work over finds out before its next write (fencing tokens: Kleppmann,
Designing Data-Intensive Applications, 2017, chapter 8).
"""

import uuid

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from verdigris.store.errors import StoreError
from verdigris.store.models import Lease


def take_lease(s: Session, job_id: uuid.UUID, part: int, attempt: uuid.UUID) -> None:
    """Give a part of a job to an attempt; whoever had it before may not write any more."""
    row = insert(Lease).values(job_id=job_id, part=part, attempt=attempt)
    s.execute(row.on_conflict_do_update(index_elements=["job_id", "part"], set_={"attempt": attempt}))


def hold_lease(s: Session, job_id: uuid.UUID, part: int, attempt: uuid.UUID) -> None:
    """Keep a part until the end of the transaction; StoreError `superseded` when it was given to another attempt."""
    held = s.scalar(select(Lease.attempt).where(Lease.job_id == job_id, Lease.part == part).with_for_update(read=True))
    if held != attempt:
        raise StoreError("superseded", "Another worker has taken this over.")
