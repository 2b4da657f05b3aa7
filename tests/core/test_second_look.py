"""Which frames the rounds of the second look touch."""

from types import SimpleNamespace

import numpy as np
import pytest

from verdigris.core.tracking import second_look
from verdigris.core.tracking.follow import AnalysisPicture
from verdigris.core.tracking.frame_result import Evidence, FrameResult
from verdigris.core.tracking.optics import STILL, Movement

FRAMES = range(30)


CORNERS = np.array([[0.0, 0.0], [100.0, 0.0], [100.0, 100.0], [0.0, 100.0]])


class Recorder:
    """A follower that tells which frames it was asked to settle, and says of some that their neighbours have them move otherwise."""

    reference_frame = 0
    plane_corners = CORNERS

    def __init__(self, speed=lambda n, count: 0.0, readout=0.0):
        self.asked, self.speed, self.optics = [[]], speed, SimpleNamespace(readout=readout)

    def movement_at(self, n, results):
        v = np.zeros((3, 3))
        v[0, 2] = self.speed(n, sum(thorough for _, thorough in self.asked[-1]))
        return Movement(v, STILL.a)

    def under(self, optics, movement):
        return self

    def restated(self, results):
        self.asked.append([])
        return dict(results)

    def settle(self, n, now, results, hidden, trust, thorough):
        self.asked[-1].append((n, thorough))
        return FrameResult(n, "followed", np.eye(3), results[n].corners, np.full(4, 0.1), 0.1, 1.0, "", Evidence(np.eye(3)))


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


@pytest.mark.parametrize(("readout", "speed", "again"), [(0.0, 2.0, True), (0.0, 0.2, False), (0.8, 0.2, True), (0.8, 0.02, False)])
def test_only_frames_that_were_thought_to_move_otherwise_are_looked_at_a_third_time(monkeypatch, known, readout, speed, again):
    """What a movement is off by matters through the rows, a tenth of it through the smear; a quarter of the doubt is enough."""
    follower = Recorder(lambda n, count: speed if n >= 20 and count < 39 else 0.0, readout)
    look(monkeypatch, follower, known, [calibration(False)])
    asked = [n for n, thorough in follower.asked[1] if thorough]
    assert asked[:29] == list(FRAMES[1:])
    assert asked[29:] == (list(range(20, 30)) if again else [])
