"""Frames kept decoded around a reference frame: the same frames in the same order, and the plate asked for as little as can be."""

import numpy as np
import pytest

from tests.runs.test_mending_and_advice import folder  # noqa: F401
from verdigris.media.reader import open_media
from verdigris.runs.follow.near_frames import MOST_KEPT, NEAR, NearFrames

MIDDLE = 30


class Counted:
    """A plate that tells which frames it was asked for."""

    def __init__(self, path):
        self._reader, self.asked, self.facts = open_media(path), [], None
        self.facts = self._reader.facts

    def frame(self, n):
        self.asked.append(n)
        return self._reader.frame(n)

    def frames(self, start, stop, step=1):
        for n, frame in zip(range(start, stop, step), self._reader.frames(start, stop, step), strict=True):
            self.asked.append(n)
            yield frame

    def close(self):
        self._reader.close()


@pytest.fixture
def near(folder, tmp_path):  # noqa: F811
    """Opens the plate anew, as each run does; tells how often the file was opened."""
    opened = []

    def make(middle=MIDDLE):
        def plate():
            opened.append(Counted(folder / "plate.mp4"))
            return opened[-1]

        with open_media(folder / "plate.mp4") as reader:
            return NearFrames(reader.facts, plate, tmp_path / "near", middle)

    make.opened = opened
    return make


def same(a, b):
    return all(np.array_equal(p, q) for p, q in zip(a.planes, b.planes, strict=True)) and a.coding == b.coding


@pytest.mark.parametrize(
    ("start", "stop", "step"), [(MIDDLE, 60, 1), (MIDDLE, -1, -1), (MIDDLE + 1, MIDDLE + 3, 1), (0, 60, 1), (45, 50, 1)]
)
def test_frames_are_those_of_the_plate_whether_kept_or_not(near, folder, start, stop, step):  # noqa: F811
    with open_media(folder / "plate.mp4") as reader:
        true = {n: reader.frame(n) for n in range(start, stop, step)}
    for _ in range(2):
        with near() as plate:
            found = list(plate.frames(start, stop, step))
            assert len(found) == len(true)
            assert all(same(f, t) for f, t in zip(found, true.values(), strict=True))


def kept(tmp_path):
    return sorted(int(p.stem) for p in (tmp_path / "near").glob("*.npz"))


def test_what_is_kept_is_not_decoded_again(near, tmp_path):
    with near() as plate:
        plate.make_ready()
    assert kept(tmp_path) == list(range(MIDDLE - NEAR, MIDDLE + NEAR + 1))
    assert len(near.opened) == 1
    with near() as plate:
        plate.frame(MIDDLE)
        for _, _ in zip(range(NEAR), plate.frames(MIDDLE, 60), strict=False):
            pass
    assert len(near.opened) == 1
    with near() as plate:
        assert len(list(plate.frames(MIDDLE, 60))) == 30
    assert near.opened[-1].asked == list(range(MIDDLE + NEAR + 1, 60))


def test_at_the_ends_of_a_plate_there_are_fewer_frames_to_keep(near, tmp_path):
    for middle in (0, 59):
        with near(middle) as plate:
            plate.make_ready()
    assert kept(tmp_path) == [*range(NEAR + 1), *range(59 - NEAR, 60)]


def test_only_the_newest_frames_stay(near, tmp_path):
    for middle in range(5, 50, 5):
        with near(middle) as plate:
            plate.make_ready()
    assert len(kept(tmp_path)) <= MOST_KEPT
    assert {45 - NEAR, 45, 45 + NEAR} <= set(kept(tmp_path))


def test_a_run_that_is_left_in_the_middle_leaves_nothing_open(near):
    with near() as plate:
        plate.make_ready()
    with near() as plate:
        frames = plate.frames(MIDDLE, 60)
        for _ in range(NEAR + 1):
            next(frames)
        frames.close()
    assert near.opened[-1].asked[0] == MIDDLE + NEAR + 1
