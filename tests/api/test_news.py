"""What the news of a frame carries: the same as asking for it, so that nobody has to."""

import json

import numpy as np
import psycopg
import pytest

from verdigris.api.models.takes import TakeFrameView
from verdigris.api.views import frame_view
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.shot.model.document import Shot
from verdigris.shot.model.media import Plate
from verdigris.shot.model.surface import Surface
from verdigris.store.database import CHANNEL, announce, session
from verdigris.store.shots import create_project, create_shot, document_of, get_shot
from verdigris.store.takes import create_take, write_frame

RESULTS = [
    FrameResult(
        7, "followed", np.array([[1.01, 0.02, 3.5], [0, 0.99, -2], [1e-6, 0, 1]]), np.zeros((4, 2)), np.full(4, 0.1), 0.2, 0.9, margin_px=0.05
    ),
    FrameResult(8, "followed", np.eye(3), np.zeros((4, 2)), np.full(4, 0.1), 0.2, 0.9, through=5),
    FrameResult(9, "lost", None, None, None, None, 0.02, "The region is out of the picture here, or wholly covered."),
]  # fmt: skip


@pytest.fixture
def take_id(database_url):
    with session(database_url) as s:
        project = create_project(s, "Test")
        document = Shot(name="one", plate=Plate(path="p.mp4"), surfaces=[Surface(id="s", name="S")])
        shot = create_shot(s, project.id, document).id
    with session(database_url) as s:
        document = document_of(s, get_shot(s, shot))
        return create_take(s, shot, document, document.surfaces[0]).id


@pytest.mark.parametrize("result", RESULTS, ids=["followed", "through another frame", "lost"])
def test_the_news_of_a_frame_is_the_frame(database_url, take_id, result):
    with psycopg.connect(database_url, autocommit=True) as listener:
        listener.execute(f"LISTEN {CHANNEL}")
        with session(database_url) as s:
            write_frame(s, take_id, result)
        (note,) = [json.loads(n.payload) for n in listener.notifies(timeout=5, stop_after=1)]
    assert (note["kind"], note["take"], note["frame"]) == ("frame", str(take_id), result.frame)
    assert TakeFrameView.model_validate(note["shown"]) == frame_view(result)


def cut_off(database_url, take_id):
    with session(database_url) as s:
        write_frame(s, take_id, RESULTS[0])
        raise RuntimeError("a power cut")


def test_nothing_is_told_of_what_was_not_kept(database_url, take_id):
    with psycopg.connect(database_url, autocommit=True) as listener:
        listener.execute(f"LISTEN {CHANNEL}")
        with pytest.raises(RuntimeError, match="power"):
            cut_off(database_url, take_id)
        with session(database_url) as s:
            announce(s, "shot", shot=take_id)
        kinds = [json.loads(n.payload)["kind"] for n in listener.notifies(timeout=1, stop_after=1)]
    assert kinds == ["shot"]
