"""Which frames the rounds of the second look touch."""

from types import SimpleNamespace

import numpy as np
import pytest

from verdigris.core.tracking import second_look
from verdigris.core.tracking.follow import AnalysisPicture, FrameResult

FRAMES = range(30)


class Recorder:
    """A follower that tells which frames it was asked to settle, and moves each by as much as it is told."""

    reference_frame = 0

    def __init__(self, moves=0.0):
        self.asked, self.moves = [[]], moves

    def under(self, optics, movement):
        return self

    def restated(self, results):
        self.asked.append([])
        return dict(results)

    def settle(self, n, now, results, hidden, trust, thorough):
        self.asked[-1].append((n, thorough))
        move = self.moves(n, len(self.asked[-1])) if callable(self.moves) else self.moves
        r = results[n]
        return FrameResult(n, "followed", np.eye(3), r.corners + move, np.full(4, 0.1), 0.1, 1.0, "")


@pytest.fixture
def known():
    return {n: FrameResult(n, "followed", np.eye(3), np.full((4, 2), float(n)), np.full(4, 0.1), 0.1, 1.0, "") for n in FRAMES}


def look(monkeypatch, follower, known, found):
    answers = iter(found)
    monkeypatch.setattr(second_look, "calibrate", lambda *a: next(answers))
    # Nothing is worth a look for its own sake: other optics were found in the round before.
    worth = iter([True] + [False] * 9)
    monkeypatch.setattr(second_look, "worth_settling", lambda *a: next(worth))
    monkeypatch.setattr(second_look, "trust_of_run", lambda *a: None)
    monkeypatch.setattr(second_look, "choose_frames", lambda *a: [10])
    blank = AnalysisPicture.of(np.zeros((2, 2), np.float32))
    pictures = second_look.look_again(
        follower, known, lambda n: blank, lambda a, b: [blank] * (b - a), lambda n, r: None, only=FRAMES
    )  # fmt: skip
    return list(pictures)


def calibration(moving):
    return SimpleNamespace(optics=None, reference_movement=None, moving=moving)


def test_a_round_that_asks_about_the_camera_is_followed_by_one_over_all_frames(monkeypatch, known):
    follower = Recorder()
    look(monkeypatch, follower, known, [calibration(True), calibration(False)])
    first, second = follower.asked[1:]
    assert [n for n, thorough in first if not thorough] == [8, 9, 10, 11, 12]
    assert [n for n, thorough in second if thorough] == list(FRAMES[1:])


def test_a_quick_pass_over_all_frames_leads_the_thorough_one(monkeypatch, known):
    follower = Recorder()
    look(monkeypatch, follower, known, [calibration(False)])
    assert follower.asked[1] == [(n, False) for n in FRAMES[1:]] + [(n, True) for n in FRAMES[1:]]


def test_frames_that_rest_are_not_looked_at_a_third_time(monkeypatch, known):
    follower = Recorder(lambda n, count: 1.0 if n >= 20 and count < 59 else 0.0)
    look(monkeypatch, follower, known, [calibration(False)])
    asked = [n for n, thorough in follower.asked[1] if thorough]
    assert asked[:29] == list(FRAMES[1:])
    # Those that moved, and the one beside them.
    assert asked[29:40] == list(range(19, 30))
