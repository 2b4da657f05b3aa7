"""Which frames of artwork are seen when."""

from fractions import Fraction

import pytest

from verdigris.runs.scene.timing import moments
from verdigris.shot.model.placement import RetimeKey, Timing

R24, R12 = Fraction(24), Fraction(12)


@pytest.mark.parametrize(
    ("frame", "count", "after", "wanted"),
    [
        (3, 10, "hold", 3),
        (12, 10, "hold", 9),
        (12, 10, "loop", 2),
        (7, 1, "loop", 0),
        (12, 10, "back_and_forth", 6),
        (20, 10, "back_and_forth", 2),
    ],
)
def test_after_its_end_artwork_holds_loops_or_runs_back(frame, count, after, wanted):
    assert moments(Timing(after=after), count, None, None, frame) == ((wanted, 1.0),)


def test_it_may_also_be_gone_before_and_after():
    timing = Timing(after="end", offset=-4)
    seen = [moments(timing, 3, None, None, n) for n in range(9)]
    assert [s and s[0][0] for s in seen] == [None] * 4 + [0, 1, 2] + [None] * 2


def test_a_film_of_another_rate_plays_at_its_own_unless_it_is_told_otherwise():
    assert moments(Timing(), 100, R12, R24, 10) == ((5, 1.0),)
    assert moments(Timing(rate="plate"), 100, R12, R24, 10) == ((10, 1.0),)
    between = moments(Timing(frames="blended"), 100, R12, R24, 11)
    assert [n for n, _ in between or ()] == [5, 6]
    assert [w for _, w in between or ()] == pytest.approx([0.5, 0.5], abs=1e-5)


def test_only_the_frames_between_first_and_last_are_used():
    timing = Timing(first=20, last=29, after="loop", offset=5)
    assert [moments(timing, 100, None, None, n)[0][0] for n in (0, 4, 5, 15)] == [25, 29, 20, 20]


def test_retimed_by_keys_frames_run_as_the_keys_say():
    timing = Timing(retime=[RetimeKey(frame=0, at=10), RetimeKey(frame=10, at=30), RetimeKey(frame=20, at=30)])
    assert [moments(timing, 100, R12, R24, n)[0][0] for n in (0, 5, 10, 15, 30)] == [10, 20, 30, 30, 30]
