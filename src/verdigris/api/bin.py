"""The bin: what was removed, and how long it is kept."""

import datetime as dt

from fastapi import APIRouter

from verdigris.api.context import Transaction, settings
from verdigris.api.models.projects import RemovedView
from verdigris.store.removal import list_removed

router = APIRouter(prefix="/api/bin", tags=["bin"])


@router.get("")
def removed(s: Transaction) -> list[RemovedView]:
    """Everything in the bin, the last removed first."""
    keep = dt.timedelta(days=settings().keep_removed_days)
    return [RemovedView(kind=x.kind, id=x.id, name=x.name, removed=x.removed, kept_until=x.removed + keep) for x in list_removed(s)]  # type: ignore[arg-type]
