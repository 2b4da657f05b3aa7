"""First steps taken ahead: named by all they depend on, the same as steps taken when asked, whole or not at all."""

from itertools import islice

import numpy as np
import pytest

from tests.runs.test_mending_and_advice import folder  # noqa: F401
from verdigris.media.reader import open_media
from verdigris.runs.follow.first_steps import MOST_KEPT, kept_first_steps, name_of_steps, take_first_steps
from verdigris.runs.follow.surface import follow_surface
from verdigris.shot.model.document import Shot
from verdigris.shot.model.media import Plate
from verdigris.shot.model.outline import Occluder
from verdigris.shot.model.surface import Surface

AT = 30


@pytest.fixture
def shot(plate):
    surface = Surface(id="s", name="Board", reference_frame=AT, corners=plate.corners_at(AT).tolist(), depth=2)
    return Shot(name="one", plate=Plate(path="plate.mp4"), surfaces=[surface])


@pytest.fixture
def reader(folder):  # noqa: F811
    with open_media(folder / "plate.mp4") as opened:
        yield opened


def other(shot, **changes):
    return shot.model_copy(update={"surfaces": [shot.surfaces[0].model_copy(update=changes)]})


def named(shot):
    return name_of_steps(shot, shot.surfaces[0])


def arm(**more):
    return Occluder(id="arm", name="Arm", depth=1, keys=[{"frame": AT, "points": [(0, 0), (50, 0), (50, 50)]}], **more)


def test_the_name_changes_with_what_the_steps_depend_on_and_with_nothing_else(shot, plate):
    moved = (plate.corners_at(AT) + 0.25).tolist()
    changed = [
        shot, other(shot, corners=moved), other(shot, motion="similarity"), other(shot, reference_frame=AT + 1),
        shot.model_copy(update={"occluders": [arm()]}),
    ]  # fmt: skip
    assert len({named(x) for x in changed}) == len(changed)
    assert named(other(shot, name="Sign", take="b1e0")) == named(shot)


def test_nothing_is_taken_ahead_where_another_track_or_single_points_decide(shot):
    nearer = Surface(id="card", name="Card", depth=0, reference_frame=AT, corners=[(0, 0), (9, 0), (9, 9), (0, 9)])
    assert named(shot.model_copy(update={"surfaces": [*shot.surfaces, nearer]})) is None
    farther = nearer.model_copy(update={"depth": 5})
    assert named(shot.model_copy(update={"surfaces": [*shot.surfaces, farther]})) == named(shot)
    assert named(shot.model_copy(update={"occluders": [arm(rides="s")]})) is None
    assert named(other(shot, follow="points")) is None
    assert named(other(shot, corners=None)) is None


@pytest.mark.parametrize(("direction", "frames"), [("forwards", [AT, AT + 1]), ("backwards", [AT, AT - 1]), ("both", [AT, AT + 1, AT - 1])])
def test_the_steps_are_those_that_following_takes_and_a_run_goes_on_from_them(shot, reader, tmp_path, direction, frames):
    surface = shot.surfaces[0]
    take_first_steps(reader, shot, surface, tmp_path / "steps")
    kept = dict(kept_first_steps(tmp_path / "steps", direction))
    assert sorted(kept) == sorted(frames)
    assert [kept[n].first_look for n in frames] == [n != AT for n in frames]
    assert sorted(p.stem for p in (tmp_path / "steps").glob("*.jpg")) == [f"{n:06d}" for n in (AT - 1, AT, AT + 1)]
    # The first frames of a run that has not settled yet.
    fresh, on = (
        {step.result.frame: step.result for step in islice(follow_surface(reader, shot, surface, known=known, direction=direction), 5)}
        for known in ({}, kept)
    )
    for n in set(fresh) & set(kept):
        assert np.array_equal(kept[n].corners, fresh[n].corners)
        assert np.array_equal(kept[n].sigma_px, fresh[n].sigma_px)
    assert not set(on) & set(kept)
    assert set(on) & set(fresh)
    assert all(np.abs(on[n].corners - fresh[n].corners).max() < 0.01 for n in set(on) & set(fresh))


def test_at_the_ends_of_a_plate_there_is_one_way_to_go(shot, reader, plate, tmp_path):
    for at in (0, 59):
        ended = other(shot, reference_frame=at, corners=plate.corners_at(at).tolist())
        take_first_steps(reader, ended, ended.surfaces[0], tmp_path / str(at))
        assert len(kept_first_steps(tmp_path / str(at), "both")) == 2


def test_a_surface_that_cannot_be_followed_leaves_nothing(shot, reader, tmp_path):
    speck = other(shot, corners=[(10, 10), (11, 10), (11, 11), (10, 11)])
    take_first_steps(reader, speck, speck.surfaces[0], tmp_path / "steps" / "one")
    assert list((tmp_path / "steps").iterdir()) == []
    assert kept_first_steps(tmp_path / "steps" / "one", "both") == {}


def test_only_the_newest_are_kept(shot, reader, tmp_path):
    for n in range(MOST_KEPT + 3):
        take_first_steps(reader, shot, shot.surfaces[0], tmp_path / "steps" / f"{n:02d}")
    assert sorted(p.name for p in (tmp_path / "steps").iterdir()) == [f"{n:02d}" for n in range(3, MOST_KEPT + 3)]
