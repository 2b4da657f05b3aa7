"""Slots of a project and their versions, and what documents show of them."""

import uuid
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from verdigris.shot.model.artwork import ARTWORK, FromSlot, OrderArtwork, OrderItem, SlotArtwork, with_slots
from verdigris.shot.model.document import Shot
from verdigris.store.database import announce
from verdigris.store.errors import StoreError
from verdigris.store.models import Slot, SlotVersion


@dataclass(frozen=True)
class Told:
    """What people say of a version."""

    revision: str = ""
    language: str = ""
    note: str = ""


def list_slots(s: Session, project_id: uuid.UUID) -> list[Slot]:
    """Slots of a project, oldest first."""
    return list(s.scalars(select(Slot).where(Slot.project_id == project_id).order_by(Slot.created)))


def get_slot(s: Session, project_id: uuid.UUID, key: str, lock: bool = False) -> Slot:
    """A slot by its key; StoreError `not_found`."""
    query = select(Slot).where(Slot.project_id == project_id, Slot.key == key)
    slot = s.scalar(query.with_for_update() if lock else query)
    if slot is None:
        raise StoreError("not_found", f"There is no slot {key} in this project.")
    return slot


def list_versions(s: Session, slot: Slot) -> list[SlotVersion]:
    """Versions of a slot, oldest first."""
    mine = (SlotVersion.project_id == slot.project_id, SlotVersion.key == slot.key)
    return list(s.scalars(select(SlotVersion).where(*mine).order_by(SlotVersion.number)))


def get_version(s: Session, slot: Slot, number: int) -> SlotVersion:
    """One version; StoreError `not_found`."""
    version = s.get(SlotVersion, (slot.project_id, slot.key, number))
    if version is None:
        raise StoreError("not_found", f"{slot.name} has no version {number}.")
    return version


def settle_slots(s: Session, project_id: uuid.UUID, document: Shot) -> Shot:
    """A document with the artwork of its slots in it.

    What is asked for by slot alone gets the pinned or current version. Artwork that was changed in the shot is no longer the slot's.

    Raises
    ------
    StoreError
        `not_found` when there is no such slot, or no such version of it.
    """

    def settle(part: FromSlot) -> FromSlot:
        assert part.slot is not None
        slot, artwork = get_slot(s, project_id, part.slot), part.artwork  # type: ignore[attr-defined]
        if isinstance(artwork, SlotArtwork) or part.version is None or (part.pin is not None and part.pin != part.version):
            return shown(part, get_version(s, slot, part.pin or slot.current))
        version = s.get(SlotVersion, (project_id, slot.key, part.version))
        if version is not None and ARTWORK.validate_python(version.artwork) == artwork:
            return part
        return part.model_copy(update={"slot": None, "pin": None, "version": None})

    return with_slots(document, settle)


def shown(part: FromSlot, version: SlotVersion) -> FromSlot:
    """What shows a slot, with a version of it; StoreError `order_in_order`."""
    artwork = ARTWORK.validate_python(version.artwork)
    if isinstance(part, OrderItem) and isinstance(artwork, OrderArtwork):
        raise StoreError("order_in_order", "A running order is made of pictures and films; it cannot hold a running order, nor itself.")
    return part.model_copy(update={"artwork": artwork, "version": version.number})


def keep_version(s: Session, slot: Slot, number: int, artwork: Any, told: Told) -> SlotVersion:
    """Write a version down."""
    version = SlotVersion(
        project_id=slot.project_id, key=slot.key, number=number, artwork=artwork.model_dump(mode="json", exclude_none=True),
        revision=told.revision, language=told.language, note=told.note,
    )  # fmt: skip
    s.add(version)
    s.flush()
    announce(s, "slots", project=slot.project_id)
    return version
