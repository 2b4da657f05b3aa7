import uuid

import numpy as np
import pytest
from alembic.autogenerate import compare_metadata
from alembic.runtime.migration import MigrationContext

from verdigris.core.camera.optics import Optics
from verdigris.core.geometry.lens import Lens
from verdigris.core.light.tone import Tone
from verdigris.core.tracking.sequence.frame_result import FrameResult, Softness
from verdigris.shot.edits.edit import EDIT
from verdigris.shot.errors import ShotError
from verdigris.shot.model.document import Shot
from verdigris.shot.model.media import Plate
from verdigris.shot.model.surface import Surface
from verdigris.store.database import engine, session
from verdigris.store.errors import StoreError
from verdigris.store.models import Base
from verdigris.store.shots import create_project, create_shot, document_of, edit_shot, get_shot, list_revisions, redo, undo
from verdigris.store.takes import copy_frames, create_take, keep_camera, list_takes, read_frames, write_frame


@pytest.fixture
def shot_id(database_url) -> uuid.UUID:
    with session(database_url) as s:
        project = create_project(s, "Test")
        document = Shot(name="one", plate=Plate(path="p.mp4"), surfaces=[Surface(id="s", name="S")])
        return create_shot(s, project.id, document).id


def rename(database_url, shot_id, base, name, stroke=None) -> int:
    with session(database_url) as s:
        return edit_shot(s, shot_id, base, [EDIT.validate_python({"kind": "rename", "name": name})], stroke).number


def name_of(database_url, shot_id) -> str:
    with session(database_url) as s:
        return document_of(s, get_shot(s, shot_id)).name


def test_migrations_make_exactly_the_tables_of_the_models(database_url):
    with engine(database_url).connect() as connection:
        context = MigrationContext.configure(connection)
        assert compare_metadata(context, Base.metadata) == []


def test_undo_goes_back_without_end_and_redo_forward_again(database_url, shot_id):
    head = 1
    for i in range(12):
        head = rename(database_url, shot_id, head, f"n{i}")
    for i in range(10, -1, -1):
        with session(database_url) as s:
            head = undo(s, shot_id, head)
        assert name_of(database_url, shot_id) == f"n{i}"
    for i in range(1, 12):
        with session(database_url) as s:
            head = redo(s, shot_id, head)
        assert name_of(database_url, shot_id) == f"n{i}"
    with pytest.raises(StoreError) as error, session(database_url) as s:
        redo(s, shot_id, head)
    assert error.value.code == "nothing_to_undo"


def test_one_movement_of_the_hand_is_one_step_to_undo(database_url, shot_id):
    head = rename(database_url, shot_id, 1, "before")
    for name, stroke in (("a", "x"), ("b", "x"), ("c", "x"), ("d", "y"), ("e", None)):
        head = rename(database_url, shot_id, head, name, stroke)
    seen = []
    for _ in range(4):
        with session(database_url) as s:
            head = undo(s, shot_id, head)
        seen.append(name_of(database_url, shot_id))
    assert seen == ["d", "c", "before", "one"]
    for wanted in ("before", "c", "d", "e"):
        with session(database_url) as s:
            head = redo(s, shot_id, head)
        assert name_of(database_url, shot_id) == wanted


def test_an_edit_after_undo_keeps_what_was_undone(database_url, shot_id):
    rename(database_url, shot_id, 1, "first")
    with session(database_url) as s:
        undo(s, shot_id, 2)
    rename(database_url, shot_id, 1, "second")
    with session(database_url) as s:
        assert [(r.number, r.parent) for r in list_revisions(s, shot_id)] == [(1, None), (2, 1), (3, 1)]
        assert redo_is_refused(s, shot_id)


def redo_is_refused(s, shot_id) -> bool:
    try:
        redo(s, shot_id, 3)
    except StoreError as error:
        return error.code == "nothing_to_undo"
    return False


def test_a_stale_base_is_refused_with_what_changed(database_url, shot_id):
    rename(database_url, shot_id, 1, "mine")
    with pytest.raises(StoreError) as error:
        rename(database_url, shot_id, 1, "theirs")
    assert error.value.code == "stale"
    assert "name" in error.value.sentence
    assert name_of(database_url, shot_id) == "mine"


def test_a_refused_edit_leaves_no_revision(database_url, shot_id):
    with pytest.raises(ShotError), session(database_url) as s:
        edit_shot(
            s, shot_id, 1, [EDIT.validate_python({"kind": "rename", "name": "x"}), EDIT.validate_python({"kind": "remove", "target": "no"})]
        )
    with session(database_url) as s:
        assert len(list_revisions(s, shot_id)) == 1


def test_frames_of_a_take_come_back_and_writing_twice_is_writing_once(database_url, shot_id):
    h = np.array([[1, 0.01, 3.25], [0, 1.02, -7.5], [1e-6, 0, 1]])
    quad = np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]])
    soft, camera = Softness(0.3, None, 0.01), Optics(640, 480, Lens((321.0, 240.0), 400.0, -0.1), 0.5, 0.02, Tone(0.1, 0.0))
    with session(database_url) as s:
        document = document_of(s, get_shot(s, shot_id))
        take = create_take(s, shot_id, document, document.surfaces[0])
        for _ in range(2):
            write_frame(
                s, take.id, FrameResult(3, "followed", h, quad, np.full(4, 0.1), 0.2, 0.9, margin_px=0.07, through=12, softness=soft)
            )
            keep_camera(s, take.id, camera)
        write_frame(s, take.id, FrameResult(4, "lost", None, None, None, None, 0.0, "Gone."))
        labels = [create_take(s, shot_id, document, document.surfaces[0]).label for _ in range(27)]
    with session(database_url) as s:
        frames = read_frames(s, take.id)
        assert list(frames) == [3, 4]
        assert np.array_equal(frames[3].homography, h)
        assert (frames[3].margin_px, frames[3].through) == (0.07, 12)
        assert frames[4].reason == "Gone."
        assert frames[4].through is None
        assert frames[3].softness == soft
        assert frames[3].camera == frames[4].camera
        kept = frames[3].camera
        assert kept is not None
        assert (kept.lens, kept.readout, kept.tone) == (camera.lens, camera.readout, camera.tone)
        assert kept.shutter == pytest.approx(camera.shutter)
        copy = create_take(s, shot_id, document_of(s, get_shot(s, shot_id)), document.surfaces[0])
        copy_frames(s, take.id, copy.id)
        assert read_frames(s, copy.id)[3].camera == kept
        assert list_takes(s, shot_id)[0].label == "A"
    assert labels[0] == "B"
    assert labels[-1] == "AB"


def test_what_is_not_there_is_said(database_url):
    with pytest.raises(StoreError) as error, session(database_url) as s:
        get_shot(s, uuid.uuid4())
    assert error.value.code == "not_found"
    with pytest.raises(StoreError) as error, session("postgresql://postgres@127.0.0.1:1/nothing") as s:
        get_shot(s, uuid.uuid4())
    assert error.value.code == "no_database"


def test_an_edit_that_changes_nothing_leaves_undo_and_redo_as_they_are(database_url, shot_id):
    head = rename(database_url, shot_id, 1, "two")
    assert rename(database_url, shot_id, head, "two") == head
    with session(database_url) as s:
        back = undo(s, shot_id, head)
    assert name_of(database_url, shot_id) == "one"
    assert rename(database_url, shot_id, back, "one") == back
    with session(database_url) as s:
        redo(s, shot_id, back)
    assert name_of(database_url, shot_id) == "two"
