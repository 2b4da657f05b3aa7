"""The demo project's shelf: its prints and films as slots, one with a stand-in as its first version."""

import uuid

from sqlalchemy.orm import Session

from verdigris.shot.model.artwork import ChartArtwork, FileArtwork, FromSlot, OrderArtwork
from verdigris.shot.model.document import Shot
from verdigris.store.shelf import Told, add_version, create_slot
from verdigris.store.slots import list_slots

# File, slot, revision, note.
ON_SHELF = (
    ("departures.mp4", "Departures", "1", "spring timetable, 96 frames"),
    ("timetable.png", "Spring timetable", "B", "first print with the new stops"),
    ("winter-sailings.png", "Winter sailings", "2", ""),
    ("lantern-tea.png", "Lantern tea", "3", "label as printed"),
    ("inspector.png", "Inspector's view", "2", ""),
)
STAND_IN = "Spring timetable"


def fill_shelf(s: Session, project: uuid.UUID, media: dict[str, str]) -> None:
    """Slots for files by name that have been brought in, by content hash, unless they are there."""
    there = {x.name for x in list_slots(s, project)}
    for file, name, revision, note in ON_SHELF:
        if name in there or file not in media:
            continue
        artwork = FileArtwork(path=None, media=media[file])
        if name == STAND_IN:
            slot = create_slot(s, project, name, ChartArtwork(), Told("A", "", "stand-in until the print is ready"))
            add_version(s, project, slot.key, artwork, Told(revision, "", note))
        else:
            create_slot(s, project, name, artwork, Told(revision, "", note))


def from_shelf(s: Session, project: uuid.UUID, document: Shot, media: dict[str, str]) -> Shot:
    """The document with plain files taken from the slots that hold them; all of them hold the newest version."""
    slots = {x.name: x for x in list_slots(s, project)}
    by_media = {media[file]: slots[name] for file, name, _, _ in ON_SHELF if file in media and name in slots}

    def held(part: FromSlot) -> FromSlot:
        artwork = part.artwork  # type: ignore[attr-defined]
        if isinstance(artwork, OrderArtwork):
            return part.model_copy(update={"artwork": artwork.model_copy(update={"items": [held(i) for i in artwork.items]})})
        slot = by_media.get(artwork.media or "") if isinstance(artwork, FileArtwork) else None
        if slot is None:
            return part
        return part.model_copy(update={"artwork": FileArtwork(path=None, media=artwork.media), "slot": slot.key, "version": slot.current})

    return document.model_copy(update={"placements": [held(p) for p in document.placements]})
