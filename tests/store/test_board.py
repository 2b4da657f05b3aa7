"""The Board against a real database: what it shows, and that it asks no more often for many shots."""

import numpy as np
import pytest
from sqlalchemy import event

from tests.store.test_slots import RED, colour
from verdigris.api.board import project_views
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.shot.edits.tracks import ChooseTake
from verdigris.shot.model.document import Shot
from verdigris.shot.model.media import Plate
from verdigris.shot.model.surface import Surface
from verdigris.store.database import engine, session
from verdigris.store.models import Delivery
from verdigris.store.removal import remove_shot
from verdigris.store.shelf import add_version, create_slot, place_slot
from verdigris.store.shots import create_project, create_shot, document_of, edit_shot, get_project, get_shot
from verdigris.store.takes import create_take, write_frame

SQUARE = np.array([[10, 10], [90, 10], [90, 60], [10, 60]], float)


def followed_shot(s, project, name, slot):
    """A shot of which two runs of frames are followed, that shows a slot and was handed over."""
    row = create_shot(s, project, Shot(name=name, plate=Plate(path="p.mp4", first_frame=1001), surfaces=[Surface(id="s", name="Sign")]))
    take = create_take(s, row.id, document_of(s, row), document_of(s, row).surface("s"))
    for n in (0, 1, 2, 7, 8):
        seen = None if n == 8 else np.eye(3)
        corners, sigma = (None, None) if seen is None else (SQUARE, np.full(4, 0.05))
        write_frame(s, take.id, FrameResult(n, "lost" if seen is None else "followed", seen, corners, sigma, None, 1.0))
    edit_shot(s, row.id, row.head, [ChooseTake(surface="s", take=str(take.id))])
    place_slot(s, row, slot, None, "s", None)
    s.add(Delivery(shot_id=row.id, revision=row.head, form="film", state="done", file=f"{name}.mp4", content="c", fingerprint="f"))
    s.flush()
    return row


@pytest.fixture
def queries(database_url):
    asked = []
    listen = lambda *args: asked.append(args[2])  # noqa: E731
    event.listen(engine(database_url), "before_cursor_execute", listen)
    yield asked
    event.remove(engine(database_url), "before_cursor_execute", listen)


def test_the_board_shows_each_shot_and_asks_no_more_often_for_many(database_url, queries):
    with session(database_url) as s:
        project = create_project(s, "Harbour").id
        slot = create_slot(s, project, "Quay", RED)
        first = followed_shot(s, project, "one", slot).id
        away = followed_shot(s, project, "away", slot)
        remove_shot(s, away.id)
        add_version(s, project, slot.key, colour(0, 0, 200))
    counts = []
    for more in (0, 9):
        with session(database_url) as s:
            for i in range(more):
                followed_shot(s, project, f"more {i}", slot)
        with session(database_url) as s:
            project_views(s, [get_project(s, project)])
        with session(database_url) as s:
            queries.clear()
            [view] = project_views(s, [get_project(s, project)])
            counts.append(len(queries))
    assert counts[0] == counts[1]
    assert len(view.shots) == 10
    assert view.shots[0].id == first
    one = view.shots[0]
    assert (one.name, one.first_frame, one.surfaces[0].ranges, one.surfaces[0].lost) == ("one", 1001, [(0, 2), (7, 7)], 1)
    assert [(m.name, m.version, m.current) for m in one.slots] == [("Quay", 2, 2)]
    assert one.delivery is not None
    assert [(m.version, m.current) for m in one.delivery.made_of] == [(1, 2)]
    with session(database_url) as s:
        assert get_shot(s, first).head > one.delivery.revision
