"""Copies of shots and projects: the document as it is, with the takes it uses; the history stays with the original."""

import uuid

from sqlalchemy.orm import Session

from verdigris.shot.model.basis import tracking_key
from verdigris.shot.model.document import Shot
from verdigris.store.media_folder import MediaFolder
from verdigris.store.models import Project, ShotRow, Take
from verdigris.store.shelf import copy_slots
from verdigris.store.shots import create_project, create_shot, document_of, get_project, get_revision, get_shot, list_shots
from verdigris.store.takes import belongs_to, copy_frames, get_take


def copied_name(name: str, taken: set[str]) -> str:
    """A name for a copy that nothing else has."""
    stem = f"{name[:100]}, copy"
    numbered = (stem if n == 1 else f"{stem} {n}" for n in range(1, len(taken) + 2))
    return next(x for x in numbered if x not in taken)


def duplicate_shot(s: Session, folder: MediaFolder, shot_id: uuid.UUID, into: uuid.UUID | None = None) -> ShotRow:
    """A copy of a shot, beside it or in another project."""
    original = get_shot(s, shot_id)
    document = document_of(s, original)
    project = into or original.project_id
    taken = {document_of(s, x).name for x in list_shots(s, project)}
    name = copied_name(document.name, taken) if document.name in taken else document.name
    plain = document.model_copy(update={"name": name, "surfaces": [x.model_copy(update={"take": None}) for x in document.surfaces]})
    copy = create_shot(s, project, plain, "copied")
    chosen = {x.id: _copy_take(s, folder, get_take(s, uuid.UUID(x.take)), copy.id) for x in document.surfaces if x.take is not None}
    surfaces = [x.model_copy(update={"take": chosen.get(x.id)}) for x in plain.surfaces]
    copied = plain.model_copy(update={"surfaces": surfaces})
    _set_first(s, copy, copied)
    for x in document.surfaces:
        if x.take is not None and get_take(s, uuid.UUID(x.take)).key == tracking_key(document, x):
            belongs_to(get_take(s, uuid.UUID(chosen[x.id])), copied)
    return copy


def _copy_take(s: Session, folder: MediaFolder, take: Take, shot_id: uuid.UUID) -> str:
    kept = ("surface", "key", "reference_frame", "motion", "name", "settings", "mended")
    copy = Take(shot_id=shot_id, label="A", **{k: getattr(take, k) for k in kept})
    s.add(copy)
    s.flush()
    copy_frames(s, take.id, copy.id)
    folder.share_crops(folder.crops(take.id), copy.id)
    return str(copy.id)


def _set_first(s: Session, shot: ShotRow, document: Shot) -> None:
    get_revision(s, shot.id, 1).document = document.to_json()


def duplicate_project(s: Session, folder: MediaFolder, project_id: uuid.UUID, taken: set[str]) -> Project:
    """A copy of a project with copies of its shots."""
    original = get_project(s, project_id)
    copy = create_project(s, copied_name(original.name, taken))
    copy_slots(s, project_id, copy.id)
    for shot in list_shots(s, project_id):
        duplicate_shot(s, folder, shot.id, copy.id)
    return copy
