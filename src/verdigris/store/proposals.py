"""What was measured of how surfaces sit."""

import uuid
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from verdigris.store.models import Proposals


def keep_proposals(s: Session, shot_id: uuid.UUID, surface: str, key: str, found: list[dict[str, Any]]) -> None:
    """Keep what was measured in place of what was before."""
    old = s.get(Proposals, (shot_id, surface))
    if old is not None:
        s.delete(old)
        s.flush()
    s.add(Proposals(shot_id=shot_id, surface=surface, key=key, found=found))
    s.flush()


def list_proposals(s: Session, shot_id: uuid.UUID) -> list[Proposals]:
    """What was measured of a shot's surfaces."""
    return list(s.scalars(select(Proposals).where(Proposals.shot_id == shot_id).order_by(Proposals.surface)))
