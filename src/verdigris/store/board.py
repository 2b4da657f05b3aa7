"""Everything the Board shows, read in a handful of queries however many shots there are."""

import uuid
from collections import defaultdict
from dataclasses import dataclass, field

from sqlalchemy import select
from sqlalchemy.orm import Session

from verdigris.shot.model.document import Shot, parse_shot
from verdigris.store.models import Delivery, Job, Media, Project, Revision, ShotRow, Slot, Take
from verdigris.store.shots import used_media


@dataclass(frozen=True)
class BoardShot:
    """A shot as people see it, with what it uses."""

    row: ShotRow
    document: Shot
    takes: list[Take]
    delivery: Delivery | None
    delivery_job: uuid.UUID | None
    delivered: Revision | None


@dataclass(frozen=True)
class BoardRows:
    """Shots and slots by project, oldest first; media by hash, the newest job of a take by take."""

    shots: dict[uuid.UUID, list[BoardShot]] = field(default_factory=lambda: defaultdict(list))
    slots: dict[uuid.UUID, list[Slot]] = field(default_factory=lambda: defaultdict(list))
    media: dict[str, Media] = field(default_factory=dict)
    jobs: dict[uuid.UUID, Job] = field(default_factory=dict)


def board_rows(s: Session, projects: list[Project]) -> BoardRows:
    """What the Board shows of some projects."""
    rows, ids = BoardRows(), [p.id for p in projects]
    heads = (
        select(ShotRow, Revision)
        .join(Revision, (Revision.shot_id == ShotRow.id) & (Revision.number == ShotRow.head))
        .where(ShotRow.project_id.in_(ids), ShotRow.removed.is_(None))
        .order_by(ShotRow.created)
    )
    shots = [(shot, parse_shot(head.document)) for shot, head in s.execute(heads).tuples()]
    chosen = {x.take for _, document in shots for x in document.surfaces if x.take is not None}
    takes = {str(t.id): t for t in s.scalars(select(Take).where(Take.shot_id.in_([x.id for x, _ in shots])))} if chosen else {}
    newest = select(Job).where(Job.take_id.in_([t.id for k, t in takes.items() if k in chosen])).order_by(Job.take_id, Job.created.desc())
    rows.jobs.update((j.take_id, j) for j in s.scalars(newest.distinct(Job.take_id)) if j.take_id is not None)
    rows.media.update((m.hash, m) for m in s.scalars(select(Media).where(Media.hash.in_({h for _, d in shots for h in used_media(d)}))))
    for slot in s.scalars(select(Slot).where(Slot.project_id.in_(ids)).order_by(Slot.created)):
        rows.slots[slot.project_id].append(slot)
    last = _last_deliveries(s, [x.id for x, _ in shots])
    for shot, document in shots:
        delivery, job, made = last.get(shot.id, (None, None, None))
        used = [takes[x.take] for x in document.surfaces if x.take in takes]
        rows.shots[shot.project_id].append(BoardShot(shot, document, used, delivery, job, made))
    return rows


def _last_deliveries(s: Session, shots: list[uuid.UUID]) -> dict[uuid.UUID, tuple[Delivery, uuid.UUID | None, Revision]]:
    newest = (
        select(Delivery.id)
        .where(Delivery.shot_id.in_(shots))
        .order_by(Delivery.shot_id, Delivery.created.desc())
        .distinct(Delivery.shot_id)
    )
    wanted = (
        select(Delivery, Job.id, Revision)
        .join(Revision, (Revision.shot_id == Delivery.shot_id) & (Revision.number == Delivery.revision))
        .outerjoin(Job, Job.delivery_id == Delivery.id)
        .where(Delivery.id.in_(newest))
    )
    return {d.shot_id: (d, job, made) for d, job, made in s.execute(wanted).tuples()}
