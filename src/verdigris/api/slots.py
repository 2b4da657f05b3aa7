"""The shelf of a project: slots for artwork, and their versions."""

import uuid

from fastapi import APIRouter, Response

from verdigris.api.context import Transaction
from verdigris.api.models.slots import NewSlot, SlotRequest, SlotVersionRequest, SlotView
from verdigris.api.views import slot_view, slot_views
from verdigris.store.shelf import add_version, create_slot, make_current, remove_slot, rename_slot
from verdigris.store.slots import Told, get_slot

router = APIRouter(prefix="/api/projects/{project_id}/slots", tags=["slots"])


@router.get("")
def all_slots(project_id: uuid.UUID, s: Transaction) -> list[SlotView]:
    """Slots of a project, with where they are shown."""
    return slot_views(s, project_id)


@router.post("", status_code=201)
def make_slot(project_id: uuid.UUID, new: NewSlot, s: Transaction) -> SlotView:
    """Make a slot with its first version."""
    return slot_view(s, create_slot(s, project_id, new.name, new.artwork, Told(new.revision, new.language, new.note)))


@router.put("/{key}")
def set_slot(project_id: uuid.UUID, key: str, asked: SlotRequest, s: Transaction) -> SlotView:
    """Call a slot otherwise, or show another of its versions in every shot that is not pinned."""
    slot = get_slot(s, project_id, key, lock=True)
    if asked.name != slot.name:
        rename_slot(s, slot, asked.name)
    if asked.current != slot.current:
        make_current(s, slot, asked.current)
    return slot_view(s, slot)


@router.post("/{key}/versions", status_code=201)
def new_version(project_id: uuid.UUID, key: str, new: SlotVersionRequest, s: Transaction) -> SlotView:
    """Put a new version into a slot: it is the current one from then on."""
    add_version(s, project_id, key, new.artwork, Told(new.revision, new.language, new.note))
    return slot_view(s, get_slot(s, project_id, key))


@router.delete("/{key}", status_code=204, response_class=Response)
def take_off_shelf(project_id: uuid.UUID, key: str, s: Transaction) -> Response:
    """Take a slot that nothing shows off the shelf."""
    remove_slot(s, get_slot(s, project_id, key, lock=True))
    return Response(status_code=204)
