"""Shots and their revisions: every edit is kept, undo and redo are moves of the head."""

import uuid
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from verdigris.shot.document import Shot, parse_shot
from verdigris.shot.edits import LABELS, Edit, apply_edit
from verdigris.store.database import announce
from verdigris.store.errors import StoreError
from verdigris.store.models import Media, Project, Revision, ShotRow


def create_project(s: Session, name: str) -> Project:
    """Make a project."""
    project = Project(name=name)
    s.add(project)
    s.flush()
    return project


def list_projects(s: Session) -> list[Project]:
    """All projects, oldest first."""
    return list(s.scalars(select(Project).order_by(Project.created)))


def get_project(s: Session, project_id: uuid.UUID) -> Project:
    """A project by id."""
    project = s.get(Project, project_id)
    if project is None:
        raise StoreError("not_found", "There is no such project.")
    return project


def create_shot(s: Session, project_id: uuid.UUID, document: Shot, label: str = "begun") -> ShotRow:
    """Make a shot with its first revision."""
    get_project(s, project_id)
    shot = ShotRow(project_id=project_id, head=1)
    s.add(shot)
    s.flush()
    s.add(Revision(shot_id=shot.id, number=1, parent=None, document=document.to_json(), label=label))
    s.flush()
    announce(s, "shot", shot=shot.id, revision=1)
    return shot


def list_shots(s: Session, project_id: uuid.UUID) -> list[ShotRow]:
    """Shots of a project, oldest first."""
    return list(s.scalars(select(ShotRow).where(ShotRow.project_id == project_id).order_by(ShotRow.created)))


def get_shot(s: Session, shot_id: uuid.UUID, lock: bool = False) -> ShotRow:
    """A shot by id; `lock` keeps others from changing it in this transaction."""
    query = select(ShotRow).where(ShotRow.id == shot_id)
    row = s.scalar(query.with_for_update() if lock else query)
    if row is None:
        raise StoreError("not_found", "There is no such shot.")
    return row


def get_revision(s: Session, shot_id: uuid.UUID, number: int) -> Revision:
    """One revision of a shot."""
    revision = s.get(Revision, (shot_id, number))
    if revision is None:
        raise StoreError("not_found", "There is no such revision.")
    return revision


def document_of(s: Session, shot: ShotRow) -> Shot:
    """The document people see."""
    return parse_shot(get_revision(s, shot.id, shot.head).document)


def list_revisions(s: Session, shot_id: uuid.UUID) -> list[Revision]:
    """All revisions, oldest first."""
    return list(s.scalars(select(Revision).where(Revision.shot_id == shot_id).order_by(Revision.number)))


def _check_base(s: Session, shot: ShotRow, base: int) -> None:
    if base == shot.head:
        return
    since = s.scalars(select(Revision.label).where(Revision.shot_id == shot.id, Revision.number > base).order_by(Revision.number)).all()
    what = ", ".join(dict.fromkeys(since)) or "undone"
    raise StoreError(
        "stale", f"This shot was changed in another window meanwhile: {what}. The picture now shows it; do your change again.",
        head=shot.head, base=base,
    )  # fmt: skip


def edit_shot(s: Session, shot_id: uuid.UUID, base: int, edits: list[Edit]) -> Revision:
    """Apply edits on top of a revision, as one new revision; edits that change nothing make none, so that undo undoes something.

    Raises
    ------
    StoreError
        `stale` when the shot has moved on; ShotError when an edit is not valid.
    """
    shot = get_shot(s, shot_id, lock=True)
    _check_base(s, shot, base)
    before = document = document_of(s, shot)
    media = s.get(Media, document.plate.media) if document.plate.media else None
    count = None if media is None or media.facts is None else int(media.facts["frame_count"])
    for edit in edits:
        document = apply_edit(document, edit, count)
    if document == before:
        return get_revision(s, shot.id, shot.head)
    return add_revision(s, shot, document, ", ".join(dict.fromkeys(LABELS[e.kind] for e in edits)))


def add_revision(s: Session, shot: ShotRow, document: Shot, label: str) -> Revision:
    """Put a document on top of the head."""
    last = s.scalar(select(func.max(Revision.number)).where(Revision.shot_id == shot.id)) or 0
    revision = Revision(shot_id=shot.id, number=last + 1, parent=shot.head, document=document.to_json(), label=label)
    s.add(revision)
    shot.head = revision.number
    s.flush()
    announce(s, "shot", shot=shot.id, revision=revision.number)
    return revision


def redo_target(s: Session, shot: ShotRow) -> int | None:
    """The revision redo would go to: the newest made on top of the head."""
    return s.scalar(select(func.max(Revision.number)).where(Revision.shot_id == shot.id, Revision.parent == shot.head))


def undo(s: Session, shot_id: uuid.UUID, base: int) -> int:
    """Go back to what the head was made from; returns the new head."""
    shot = get_shot(s, shot_id, lock=True)
    _check_base(s, shot, base)
    parent = get_revision(s, shot.id, shot.head).parent
    if parent is None:
        raise StoreError("nothing_to_undo", "This is how the shot began; there is nothing to undo.")
    return _move(s, shot, parent)


def redo(s: Session, shot_id: uuid.UUID, base: int) -> int:
    """Go forward again; returns the new head."""
    shot = get_shot(s, shot_id, lock=True)
    _check_base(s, shot, base)
    target = redo_target(s, shot)
    if target is None:
        raise StoreError("nothing_to_undo", "There is nothing to redo.")
    return _move(s, shot, target)


def _move(s: Session, shot: ShotRow, number: int) -> int:
    shot.head = number
    s.flush()
    announce(s, "shot", shot=shot.id, revision=number)
    return number


def used_media(document: Shot) -> set[str]:
    """Content hashes a document names."""
    refs: list[Any] = [document.plate, *(p.artwork for p in document.placements)]
    return {r.media for r in refs if r.media is not None}
