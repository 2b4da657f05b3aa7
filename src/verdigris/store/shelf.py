"""The shelf: artwork that belongs to a project. A new version swaps pictures in every shot that shows a slot, and nothing else."""

import re
import uuid
from collections.abc import Callable, Iterable
from typing import Any

from sqlalchemy.orm import Session

from verdigris.shot.edits.placements import SetPlacement
from verdigris.shot.model.artwork import ARTWORK, FromSlot, OrderArtwork, SlotArtwork, shown_from_slots, with_slots
from verdigris.shot.model.document import Shot, files_of, parse_shot
from verdigris.shot.model.placement import Placement
from verdigris.store.database import announce
from verdigris.store.errors import StoreError
from verdigris.store.models import ShotRow, Slot, SlotVersion
from verdigris.store.shots import add_revision, check_media, document_of, edit_shot, get_project, list_shots
from verdigris.store.slots import Told, get_slot, get_version, keep_version, list_slots, list_versions, shown


def key_of(name: str, taken: Iterable[str]) -> str:
    """A short key for a slot of a name, which no other has."""
    stem = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:50] or "slot"
    known = set(taken)
    return next(k for k in (stem, *(f"{stem}-{n}" for n in range(2, len(known) + 3))) if k not in known)


def create_slot(s: Session, project_id: uuid.UUID, name: str, artwork: Any, told: Told = Told(), key: str | None = None) -> Slot:
    """Make a slot with its first version; `artwork` as a document has it."""
    get_project(s, project_id)
    slot = Slot(project_id=project_id, key=key or key_of(name, (x.key for x in list_slots(s, project_id))), name=name, current=1)
    kept = _checked(s, slot, artwork)
    s.add(slot)
    s.flush()
    keep_version(s, slot, 1, kept, told)
    return slot


def add_version(s: Session, project_id: uuid.UUID, key: str, artwork: Any, told: Told = Told()) -> SlotVersion:
    """A new version, which is the current one from now on in every shot that shows the slot and is not pinned to another."""
    slot = get_slot(s, project_id, key, lock=True)
    version = keep_version(s, slot, list_versions(s, slot)[-1].number + 1, _checked(s, slot, artwork), told)
    make_current(s, slot, version.number)
    return version


def rename_slot(s: Session, slot: Slot, name: str) -> None:
    """Call a slot otherwise; its key stays."""
    slot.name = name
    announce(s, "slots", project=slot.project_id)


def make_current(s: Session, slot: Slot, number: int) -> None:
    """Show another version, older or newer, in every shot that shows the slot, and in running orders made of it."""
    get_version(s, slot, number)
    slot.current = number
    s.flush()
    change = _showing(s, slot)
    for shot in list_shots(s, slot.project_id):
        before = document_of(s, shot)
        after = with_slots(before, change)
        if after != before:
            add_revision(s, shot, after, f"{slot.name}, version {number}")
    for other in list_slots(s, slot.project_id):
        shown = ARTWORK.validate_python(get_version(s, other, other.current).artwork)
        swapped = with_slots(shown, change)
        if isinstance(shown, OrderArtwork) and swapped != shown:
            add_version(s, slot.project_id, other.key, swapped, Told(note=f"with {slot.name}, version {number}"))
    announce(s, "slots", project=slot.project_id)


def remove_slot(s: Session, slot: Slot) -> None:
    """Take a slot off the shelf; StoreError `busy` while a shot or a running order shows it."""
    users = [d.name for d, _ in users_of(s, slot)]
    users += [
        other.name
        for other in list_slots(s, slot.project_id)
        if any(p.slot == slot.key for p in shown_from_slots(ARTWORK.validate_python(get_version(s, other, other.current).artwork)))
    ]
    if users:
        raise StoreError("busy", f"{slot.name} is used by {', '.join(users[:3])}. Take it off there first.")
    s.delete(slot)
    announce(s, "slots", project=slot.project_id)


def users_of(s: Session, slot: Slot) -> list[tuple[Shot, list[FromSlot]]]:
    """Shots that show a slot, each with what shows it there."""
    documents = [document_of(s, x) for x in list_shots(s, slot.project_id)]
    found = [(d, [p for p in shown_from_slots(d) if p.slot == slot.key]) for d in documents]
    return [(d, parts) for d, parts in found if parts]


def make_missing(s: Session, project_id: uuid.UUID, document: Shot) -> None:
    """Make slots that a document names and the project has not, from the artwork that comes with it."""
    for part in shown_from_slots(document):
        artwork = part.artwork  # type: ignore[attr-defined]
        if part.slot is not None and s.get(Slot, (project_id, part.slot)) is None and not isinstance(artwork, SlotArtwork):
            create_slot(s, project_id, part.slot, artwork, key=part.slot)


def copy_slots(s: Session, original: uuid.UUID, copy: uuid.UUID) -> None:
    """The slots of a project with all their versions, for its copy."""
    for slot in list_slots(s, original):
        s.add(Slot(project_id=copy, key=slot.key, name=slot.name, current=slot.current))
        s.flush()
        for v in list_versions(s, slot):
            told = {k: getattr(v, k) for k in ("key", "number", "revision", "language", "note", "artwork")}
            s.add(SlotVersion(project_id=copy, **told))
    s.flush()


def find_slot(s: Session, project_id: uuid.UUID, called: str) -> Slot | None:
    """A slot by its key or its name."""
    known = list_slots(s, project_id)
    return next((x for x in known if x.key == called), None) or next((x for x in known if x.name == called), None)


def find_shot(s: Session, project_id: uuid.UUID, called: str) -> ShotRow:
    """A shot of a project by its id or its name; StoreError `not_found`."""
    for shot in list_shots(s, project_id):
        if called in (str(shot.id), document_of(s, shot).name):
            return shot
    raise StoreError("not_found", f"There is no shot {called} in this project; ./verdigris export lists them.")


def place_slot(s: Session, shot: ShotRow, slot: Slot, placement: str | None, surface: str | None, pin: int | None) -> int:
    """Show a slot instead of a placement's artwork, or on a surface; returns the version that is shown."""
    document = document_of(s, shot)
    shows = {"slot": slot.key, "pin": pin, "version": None, "artwork": SlotArtwork()}
    if placement is not None:
        new = document.placement(placement).model_copy(update=shows)
    else:
        taken = {p.id for p in document.placements}
        free = next(k for k in (slot.key, *(f"{slot.key}-{n}" for n in range(2, 60))) if k not in taken)
        new = Placement.model_validate({"id": free, "surface": surface, **shows})
    revision = edit_shot(s, shot.id, shot.head, [SetPlacement(placement=new)])
    shown_now = parse_shot(revision.document).placement(new.id).version
    assert shown_now is not None
    return shown_now


def _showing(s: Session, slot: Slot) -> Callable[[FromSlot], FromSlot]:
    version = get_version(s, slot, slot.current)

    def change(part: FromSlot) -> FromSlot:
        return shown(part, version) if part.slot == slot.key and part.pin is None else part

    return change


def _checked(s: Session, slot: Slot, artwork: Any) -> Any:
    """Artwork that may be kept: its files are known, and what it shows of other slots is in it."""
    if isinstance(artwork, SlotArtwork):
        raise StoreError("order_in_order", "A slot holds artwork, not another slot.")
    if isinstance(artwork, OrderArtwork) and any(p.slot == slot.key for p in shown_from_slots(artwork)):
        raise StoreError("order_in_order", f"{slot.name} cannot be an item of itself.")
    check_media(s, files_of(artwork))

    def fill(part: FromSlot) -> FromSlot:
        assert part.slot is not None
        other = get_slot(s, slot.project_id, part.slot)
        return shown(part, get_version(s, other, part.pin or other.current))

    return with_slots(artwork, fill)
