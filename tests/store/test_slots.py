"""Slots against a real database: a new version swaps pictures everywhere, and nothing else."""

import uuid

import pytest

from verdigris.shot.edits.edit import EDIT
from verdigris.shot.model.artwork import ARTWORK
from verdigris.shot.model.document import Shot, parse_shot
from verdigris.shot.model.media import Plate
from verdigris.shot.model.surface import Surface
from verdigris.store.database import session
from verdigris.store.duplicates import duplicate_project
from verdigris.store.errors import StoreError
from verdigris.store.media_folder import MediaFolder
from verdigris.store.models import Media
from verdigris.store.removal import remove_media
from verdigris.store.shelf import add_version, create_slot, make_current, make_missing, place_slot, remove_slot, users_of
from verdigris.store.shots import create_project, create_shot, document_of, edit_shot, get_shot, list_revisions, list_shots, undo
from verdigris.store.slots import get_slot, list_slots, settle_slots


def colour(*rgb):
    return ARTWORK.validate_python({"kind": "colour", "rgb": rgb})


RED, GREEN, BLUE = colour(200, 0, 0), colour(0, 200, 0), colour(0, 0, 200)


def shown(s, shot_id):
    return [(p.artwork, p.slot, p.version) for p in document_of(s, get_shot(s, shot_id)).placements]


@pytest.fixture
def work(database_url):
    """A project with two shots that show a slot, the second pinned to version 1."""
    with session(database_url) as s:
        project = create_project(s, "Shelf").id
        slot = create_slot(s, project, "Time table", RED)
        shots = []
        for name, pin in (("one", None), ("two", 1)):
            document = Shot(name=name, plate=Plate(path="p.mp4"), surfaces=[Surface(id="s", name="S")])
            shots.append(create_shot(s, project, document).id)
            place_slot(s, get_shot(s, shots[-1]), slot, None, "s", pin)
    return project, slot.key, shots


def test_a_new_version_is_shown_by_every_shot_that_is_not_pinned_and_can_be_undone_there(database_url, work):
    project, key, (one, two) = work
    assert key == "time-table"
    with session(database_url) as s:
        before = document_of(s, get_shot(s, one))
        add_version(s, project, key, GREEN)
        after = document_of(s, get_shot(s, one))
        assert [p.artwork for p in after.placements] == [GREEN]
        assert after.placements[0].version == 2
        same = after.placements[0].model_copy(update={"artwork": RED, "version": 1})
        assert after.model_copy(update={"placements": [same]}) == before
        assert shown(s, two) == [(RED, key, 1)]
        assert list_revisions(s, one)[-1].label == "Time table, version 2"
        assert list_revisions(s, two)[-1].label == "artwork placed"
        undo(s, one, get_shot(s, one).head)
        assert shown(s, one) == [(RED, key, 1)]


def test_an_older_version_can_be_the_current_one_again(database_url, work):
    project, key, (one, _) = work
    with session(database_url) as s:
        add_version(s, project, key, GREEN)
        make_current(s, get_slot(s, project, key), 1)
        assert shown(s, one) == [(RED, key, 1)]
        with pytest.raises(StoreError, match="no version 7"):
            make_current(s, get_slot(s, project, key), 7)


def test_artwork_that_is_changed_in_a_shot_is_no_longer_the_slots(database_url, work):
    project, key, (one, _) = work
    with session(database_url) as s:
        shot = get_shot(s, one)
        placement = document_of(s, shot).placements[0].model_dump(mode="json")
        change = {"kind": "set_placement", "placement": {**placement, "artwork": {"kind": "colour", "rgb": [1, 2, 3]}}}
        edit_shot(s, one, shot.head, [EDIT.validate_python(change)])
        assert shown(s, one) == [(colour(1, 2, 3), None, None)]
        add_version(s, project, key, GREEN)
        assert shown(s, one) == [(colour(1, 2, 3), None, None)]


def test_other_changes_of_a_placement_leave_it_the_slots(database_url, work):
    _, key, (one, _) = work
    with session(database_url) as s:
        shot = get_shot(s, one)
        placement = document_of(s, shot).placements[0].model_dump(mode="json")
        edit_shot(s, one, shot.head, [EDIT.validate_python({"kind": "set_placement", "placement": {**placement, "fit": "fit"}})])
        assert shown(s, one) == [(RED, key, 1)]


def test_a_running_order_made_of_a_slot_gets_a_version_of_its_own(database_url, work):
    project, key, (one, _) = work
    with session(database_url) as s:
        order = ARTWORK.validate_python(
            {"kind": "order", "items": [{"slot": key, "frames": 24}, {"artwork": {"kind": "chart"}, "frames": 12}]}
        )
        made = create_slot(s, project, "Phone order", order)
        place_slot(s, get_shot(s, one), made, None, "s", None)
        add_version(s, project, key, BLUE)
        assert get_slot(s, project, made.key).current == 2
        artwork = document_of(s, get_shot(s, one)).placements[1].artwork
        assert artwork.items[0].artwork == BLUE
        assert artwork.items[0].version == 2
        assert artwork.items[1].artwork.kind == "chart"
        with pytest.raises(StoreError, match="cannot be an item of itself"):
            add_version(s, project, made.key, ARTWORK.validate_python({"kind": "order", "items": [{"slot": made.key, "frames": 5}]}))
        with pytest.raises(StoreError, match="cannot hold a running order"):
            create_slot(s, project, "Two", ARTWORK.validate_python({"kind": "order", "items": [{"slot": made.key, "frames": 5}]}))


def test_a_slot_that_is_shown_stays_on_the_shelf_and_so_do_its_files(database_url, work):
    project, key, _ = work
    with session(database_url) as s:
        s.add(Media(hash=uuid.uuid4().hex * 2, name="poster.png", ending=".png", bytes=1, state="ready"))
        s.flush()
        media = s.query(Media).filter_by(name="poster.png").one()
        spare = create_slot(s, project, "Poster", ARTWORK.validate_python({"media": media.hash}))
        with pytest.raises(StoreError, match=r"poster\.png is used by Poster"):
            remove_media(s, media.hash)
        with pytest.raises(StoreError, match="Time table is used by one, two"):
            remove_slot(s, get_slot(s, project, key))
        remove_slot(s, spare)
        assert [x.key for x in list_slots(s, project)] == [key]
        with pytest.raises(StoreError, match="no such artwork here"):
            create_slot(s, project, "Nothing", ARTWORK.validate_python({"media": "0" * 64}))


def test_a_copied_project_has_a_shelf_of_its_own(database_url, work, tmp_path):
    project, key, (one, _) = work
    with session(database_url) as s:
        copy = duplicate_project(s, MediaFolder(tmp_path), project, {"Shelf"})
        add_version(s, copy.id, key, GREEN)
        copied = {document_of(s, x).name: x.id for x in list_shots(s, copy.id)}
        assert shown(s, copied["one"]) == [(GREEN, key, 2)]
        assert shown(s, one) == [(RED, key, 1)]


def test_a_document_brings_its_slots_along_and_gets_what_it_only_names(database_url, work):
    project, key, _ = work
    plain = {"format": "verdigris.shot", "version": 2, "plate": {"path": "p.mp4"}}
    asks = parse_shot(
        {**plain, "placements": [{"id": "a", "slot": key}, {"id": "b", "slot": "new", "artwork": BLUE.model_dump(mode="json")}]}
    )
    with session(database_url) as s:
        make_missing(s, project, asks)
        settled = settle_slots(s, project, asks)
        assert [(p.artwork, p.version) for p in settled.placements] == [(RED, 1), (BLUE, 1)]
        assert {x.key for x in list_slots(s, project)} == {key, "new"}
        nowhere = parse_shot({**plain, "placements": [{"id": "a", "slot": "nowhere"}]})
        make_missing(s, project, nowhere)
        with pytest.raises(StoreError, match="no slot nowhere"):
            settle_slots(s, project, nowhere)
        assert [d.name for d, _ in users_of(s, get_slot(s, project, key))] == ["one", "two"]
