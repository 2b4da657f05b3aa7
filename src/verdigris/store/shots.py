"""Shots and their revisions: every edit is kept, undo and redo are moves of the head."""

import uuid

from sqlalchemy import cast, func, select
from sqlalchemy.dialects.postgresql import JSONPATH
from sqlalchemy.orm import Session

from verdigris.shot.edits.edit import Edit, apply_edit
from verdigris.shot.model.document import Shot, parse_shot
from verdigris.shot.model.media import MediaRef
from verdigris.store.database import announce
from verdigris.store.errors import StoreError
from verdigris.store.models import Media, Project, Revision, ShotRow, Slot, SlotVersion, Take
from verdigris.store.slots import settle_slots


def create_project(s: Session, name: str) -> Project:
    """Make a project."""
    project = Project(name=name)
    s.add(project)
    s.flush()
    return project


def rename_project(s: Session, project_id: uuid.UUID, name: str) -> Project:
    """Give a project another name."""
    project = get_project(s, project_id)
    project.name = name
    announce(s, "project", project=project_id)
    return project


def list_projects(s: Session) -> list[Project]:
    """All projects that are not in the bin, oldest first."""
    return list(s.scalars(select(Project).where(Project.removed.is_(None)).order_by(Project.created)))


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
    """Shots of a project that are not in the bin, oldest first."""
    wanted = select(ShotRow).where(ShotRow.project_id == project_id, ShotRow.removed.is_(None))
    return list(s.scalars(wanted.order_by(ShotRow.created)))


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


def edit_shot(s: Session, shot_id: uuid.UUID, base: int, edits: list[Edit], stroke: str | None = None) -> Revision:
    """Apply edits on top of a revision, as one new revision; edits that change nothing make none, so that undo undoes something.

    What is made in one `stroke` of the hand is one step to undo, however often it is told on the way.

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
    document = settle_slots(s, shot.project_id, document)
    if document == before:
        return get_revision(s, shot.id, shot.head)
    _check_references(s, shot, before, document)
    head, label = get_revision(s, shot.id, shot.head), ", ".join(dict.fromkeys(e.label for e in edits))
    going_on = stroke is not None and head.stroke == stroke and head.parent is not None
    return add_revision(s, shot, document, label, stroke, head.parent if going_on else shot.head)


def check_media(s: Session, refs: list[MediaRef]) -> None:
    """Within the application a document names known media, never paths; StoreError `not_found` if not."""
    if any(r.path is not None for r in refs):
        raise StoreError("not_found", "Media are named by what was brought in, not by a path. Bring the file in first.")
    known = set(s.scalars(select(Media.hash).where(Media.hash.in_([r.media for r in refs]))))
    if any(r.media not in known for r in refs):
        raise StoreError("not_found", "There is no such artwork here. Bring the file in first.")


def _check_references(s: Session, shot: ShotRow, before: Shot, after: Shot) -> None:
    known = before.files()
    new = [r for r in after.files() if r not in known]
    if new:
        check_media(s, new)
    chosen = {x.id: x.take for x in before.surfaces}
    for surface in after.surfaces:
        if surface.take is None or surface.take == chosen.get(surface.id):
            continue
        key = _key_or_none(surface.take)
        take = None if key is None else s.get(Take, key)
        if take is None or take.shot_id != shot.id or take.surface != surface.id:
            raise StoreError("not_found", f"{surface.name} has no such take.")


def _key_or_none(text: str) -> uuid.UUID | None:
    try:
        return uuid.UUID(text)
    except ValueError:
        return None


def add_revision(s: Session, shot: ShotRow, document: Shot, label: str, stroke: str | None = None, parent: int | None = None) -> Revision:
    """Put a document on top of the head, or of another `parent`."""
    last = s.scalar(select(func.max(Revision.number)).where(Revision.shot_id == shot.id)) or 0
    revision = Revision(
        shot_id=shot.id, number=last + 1, parent=parent or shot.head, document=document.to_json(), label=label, stroke=stroke
    )
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
    return {r.media for r in document.files() if r.media is not None}


def shots_with_media(s: Session, media_hash: str) -> list[uuid.UUID]:
    """Shots any of whose states names some media: what undo may bring back counts as used."""
    named = func.jsonb_path_exists(
        Revision.document, cast("$.**.media ? (@ == $hash)", JSONPATH), func.jsonb_build_object("hash", media_hash)
    )
    return list(s.scalars(select(Revision.shot_id).where(named).distinct()))


def slots_with_media(s: Session, media_hash: str) -> list[str]:
    """Names of slots any of whose versions holds some media."""
    held = func.jsonb_path_exists(
        SlotVersion.artwork, cast("$.**.media ? (@ == $hash)", JSONPATH), func.jsonb_build_object("hash", media_hash)
    )
    mine = (Slot.project_id == SlotVersion.project_id) & (Slot.key == SlotVersion.key)
    return list(s.scalars(select(Slot.name).join(SlotVersion, mine).where(held).distinct()))
