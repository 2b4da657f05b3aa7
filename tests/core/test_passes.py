"""Which frames the rounds of the second look touch."""

from dataclasses import replace
from functools import partial
from types import SimpleNamespace

import numpy as np
import pytest

from tests.plates import make_plate
from verdigris.core.camera.optics import STILL, Movement
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.alignment import align
from verdigris.core.tracking.refinement import close_passes
from verdigris.core.tracking.refinement.passes import look_again
from verdigris.core.tracking.sequence import follow
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import Evidence, FrameResult, lost
from verdigris.core.tracking.sequence.neighbours import stands_out
from verdigris.core.tracking.sequence.plane import AnalysisPicture

FRAMES = range(30)


CORNERS = np.array([[0.0, 0.0], [100.0, 0.0], [100.0, 100.0], [0.0, 100.0]])


class Recorder:
    """A follower that tells which frames it was asked to settle, and says of some that their neighbours have them move otherwise."""

    reference_frame = 0
    plane_corners = CORNERS

    def __init__(self, speed=lambda n, count: 0.0, readout=0.0, turn=0.0):
        """`speed` is in px a frame to the right; with a `turn`, what is lower moves the more by it, px a frame and px."""
        self.asked, self.speed, self.turn = [[]], speed, turn
        self.optics = SimpleNamespace(readout=readout, is_plain=True)
        self.reference_movement, self.laid_straight_by = STILL, []

    def movement_at(self, n, results):
        v = np.zeros((3, 3))
        v[0, 2] = self.speed(n, sum(thorough for _, thorough in self.asked[-1]))
        v[0, 1] = self.turn * (v[0, 2] != 0)
        return Movement(v, STILL.a)

    def under(self, optics, movement):
        if movement is not None:
            self.reference_movement = movement
            self.laid_straight_by.append(movement)
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
    monkeypatch.setattr(close_passes, "calibrate", lambda *a: next(answers))
    # Nothing is worth a look for its own sake: other optics were found in the round before.
    worth = iter([True] + [False] * 9)
    monkeypatch.setattr(close_passes, "worth_settling", lambda *a: next(worth))
    monkeypatch.setattr(close_passes, "trust_of_run", lambda *a: None)
    monkeypatch.setattr(close_passes, "choose_frames", lambda *a: [10])
    blank = AnalysisPicture.of(np.zeros((2, 2), np.float32))
    pictures = look_again(
        follower, known, lambda n: blank, lambda frames: [blank] * len(frames), lambda n, r: None, only=FRAMES
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
    # Those that were looked at with a camera that is still the same have had their quick pass.
    assert [n for n, thorough in second if not thorough] == [n for n in FRAMES[1:] if not 8 <= n <= 12]


def test_a_quick_pass_over_all_frames_leads_the_thorough_one(monkeypatch, known):
    follower = Recorder()
    look(monkeypatch, follower, known, [calibration(False)])
    assert follower.asked[1] == [(n, False) for n in FRAMES[1:]] + [(n, True) for n in FRAMES[1:]]


@pytest.mark.parametrize(
    ("readout", "speed", "turn", "again"),
    [
        (0.0, 2.0, 0.0, True),
        (0.0, 0.2, 0.0, False),
        # All rows move alike: one later than the other is a shear, which the pose has in it.
        (0.8, 0.2, 0.0, False),
        (0.8, 2.0, 0.0, True),
        # What turns shows through the rows long before it does in the smear.
        (0.8, 0.01, 0.002, True),
        (0.0, 0.01, 0.002, False),
        (0.8, 0.01, 0.0001, False),
    ],
)
def test_only_frames_that_were_thought_to_move_otherwise_are_looked_at_a_third_time(monkeypatch, known, readout, speed, turn, again):
    """What a movement is off by unevenly matters through the rows, hardly any of it through the smear; a quarter of the doubt is enough."""
    follower = Recorder(lambda n, count: speed if n >= 20 and count < 39 else 0.0, readout, turn)
    look(monkeypatch, follower, known, [calibration(False)])
    asked = [n for n, thorough in follower.asked[1] if thorough]
    assert asked[:29] == list(FRAMES[1:])
    assert asked[29:] == (list(range(20, 30)) if again else [])


def test_the_reference_is_laid_straight_anew_when_its_neighbours_tell_better_how_it_moves(monkeypatch, known):
    """And all frames are compared with that, once."""
    follower = Recorder(lambda n, count: 2.0 if n == 0 else 0.0, readout=0.8, turn=0.001)
    look(monkeypatch, follower, known, [calibration(False)])
    assert [m.v[0, 2] for m in follower.laid_straight_by] == [2.0]
    assert [n for n, thorough in follower.asked[-1] if thorough] == list(FRAMES[1:])
    # Rows that are read at once, and a movement that is even over the plane, leave nothing to lay straight.
    even = Recorder(lambda n, count: 0.2 if n == 0 else 0.0, readout=0.8)
    look(monkeypatch, even, known, [calibration(False)])
    assert even.laid_straight_by == []


class Finding(Recorder):
    """A follower that finds some lost frames again, once the camera is known."""

    def __init__(self, found, plain):
        super().__init__()
        self.found, self.optics, self.tried = found, SimpleNamespace(readout=0.0, is_plain=plain), []

    def step(self, n, before, now, history, hidden, thorough):
        assert not thorough
        self.tried.append((n, history[-1].frame))
        if n not in self.found:
            return lost(n, 0.0, "Nothing here looks like it.")
        return FrameResult(n, "followed", np.eye(3), np.full((4, 2), float(n)), np.full(4, 0.1), 0.1, 1.0, "", Evidence(np.eye(3)))


@pytest.mark.parametrize("plain", [True, False])
def test_what_a_plain_camera_lost_is_followed_again_from_both_sides_through_the_right_one(monkeypatch, known, plain):
    gone = range(10, 16)
    follower = Finding({10, 11, 14, 15}, plain)
    results = look(monkeypatch, follower, {**known, **{n: lost(n, 0.0, "") for n in gone}}, [calibration(False)])
    if plain:
        assert follower.tried == []
        return
    # As far as it leads, and no further, on from one side and back from the other.
    assert follower.tried == [(10, 9), (11, 10), (12, 11), (15, 16), (14, 15), (13, 14)]
    first = {r.frame: r.status for r in reversed(results)}
    assert [first.get(n) for n in (10, 11, 14, 15)] == ["followed"] * 4


def test_where_nothing_new_is_found_every_frame_has_one_thorough_look_at_once(monkeypatch, known):
    monkeypatch.setattr(close_passes, "calibrate", lambda *a: calibration(True))
    monkeypatch.setattr(close_passes, "worth_settling", lambda *a: False)
    monkeypatch.setattr(close_passes, "trust_of_run", lambda *a: None)
    follower = Recorder()
    blank = AnalysisPicture.of(np.zeros((2, 2), np.float32))
    better = list(look_again(follower, known, lambda n: blank, lambda frames: [blank] * len(frames), lambda n, r: None, only=FRAMES))
    assert follower.asked[-1] == [(n, True) for n in FRAMES[1:]]
    assert [r.frame for r in better] == list(FRAMES[1:])


def test_frames_are_looked_at_from_the_reference_outwards_and_no_further_than_there_is_something(monkeypatch, known):
    asked = []
    monkeypatch.setattr(close_passes, "calibrate", lambda *a: calibration(False))
    monkeypatch.setattr(close_passes, "worth_settling", lambda *a: False)
    monkeypatch.setattr(close_passes, "trust_of_run", lambda *a: None)
    follower = Recorder(lambda n, count: 2.0 if n in (3, 5, 14) and count < 32 else 0.0)
    follower.reference_frame = 8
    blank = AnalysisPicture.of(np.zeros((2, 2), np.float32))

    def pictures(frames):
        asked.append(frames)
        return [blank] * len(frames)

    better = [r.frame for r in look_again(follower, known, lambda n: blank, pictures, lambda n, r: None, only=FRAMES)]
    outwards = [*range(9, 30), *range(7, -1, -1)]
    assert better[:29] == outwards
    # Those that turned out to move otherwise, in the same order: what lies beyond them is not read.
    assert better[29:] == [14, 5, 3]
    assert asked == [range(9, 30), range(7, -1, -1), range(14, 15), range(5, 2, -1)]


@pytest.fixture(scope="module")
def plate():
    return make_plate(noise=0.002)


@pytest.fixture(scope="module")
def plane(plate):
    picture = plate.frames[plate.reference]
    region = region_mask([plate.corners], [], None, picture.shape[1], picture.shape[0])
    return PlaneFollower(AnalysisPicture.of(picture), region, plate.corners, "perspective", plate.reference)


def test_a_frame_stands_out_against_those_around_it_and_only_where_there_are_some(plane):
    def result(n: int, cost: float) -> FrameResult:
        return FrameResult(n, "followed", np.eye(3), CORNERS, np.full(4, 0.1), 0.1, 1.0, "", Evidence(np.eye(3), cost=cost))

    even = {n: result(n, 0.01 + 0.001 * (n % 3)) for n in range(plane.reference_frame + 1, plane.reference_frame + 12)}
    assert not any(stands_out(plane, n, even) for n in even)
    which = plane.reference_frame + 6
    odd = {**even, which: result(which, 0.03)}
    assert [n for n in odd if stands_out(plane, n, odd)] == [which]
    assert not stands_out(plane, which, {n: odd[n] for n in (which - 1, which, which + 1)})


def test_doubt_grows_where_hardly_anything_looks_as_it_should(monkeypatch, plate, plane):
    n = plate.reference + 1
    known = {plate.reference: plane.reference_result(), n: replace(plane.reference_result(), frame=n)}

    def looking(good: float, *args, **options):
        found = align.align(*args, **options)
        assert found is not None
        return replace(found, good_share=good)

    sigmas = []
    for good in (0.95, 0.7, 0.3):
        monkeypatch.setattr(follow, "align", partial(looking, good))
        sigmas.append(plane.settle(n, AnalysisPicture.of(plate.frames[n]), known, None).sigma_px)
    assert sigmas[1] == pytest.approx(sigmas[0])
    # Half of what is enough: four times as unsure.
    assert sigmas[2] == pytest.approx(4 * sigmas[0])


@pytest.mark.parametrize("readout", [0.0, 0.6])
def test_a_pose_is_found_again_from_the_corners_it_shows(plane, readout):
    """Rows that are read later show the corners later; what leads there leads back."""
    through = plane.under(replace(plane.optics, readout=readout), STILL)
    pose = np.array([[1.02, 0.01, 3.0], [-0.02, 0.99, -2.0], [1e-5, -2e-5, 1.0]])
    move = Movement(np.array([[0.0, 0.01, 4.0], [-0.01, 0.0, -6.0], [0.0, 0.0, 0.0]]), STILL.a)
    shown = through.optics.project(through.plane_corners, pose, move)
    assert through.pose_at(shown, move) == pytest.approx(pose, abs=1e-6)
    # The other way around: in a picture whose rows are read at once the same corners are another pose, unless nothing moves.
    assert (np.abs(plane.pose_at(shown, move) - pose).max() < 1e-6) == (readout == 0.0)


def test_corners_in_a_line_show_no_pose(plane):
    assert plane.pose_at(np.array([[0.0, 0.0], [10.0, 10.0], [20.0, 20.0], [30.0, 30.0]]), STILL) is None


@pytest.mark.parametrize("only_noise", [True, False])
def test_points_are_asked_only_where_something_else_than_noise_is_left(monkeypatch, plate, plane, only_noise):
    n, calls = plate.reference + 1, []
    known = {plate.reference: plane.reference_result(), n: replace(plane.reference_result(), frame=n)}

    def looking(*args, **options):
        found = align.align(*args, **options)
        assert found is not None
        return replace(found, only_noise=only_noise)

    monkeypatch.setattr(follow, "align", looking)
    monkeypatch.setattr(follow, "look_at_points", lambda *a: calls.append(a))
    assert plane.settle(n, AnalysisPicture.of(plate.frames[n]), known, None).status == "followed"
    assert bool(calls) != only_noise


def test_a_result_says_whether_closer_looks_may_still_move_it(plate, plane):
    n = plate.reference + 1
    now, before = AnalysisPicture.of(plate.frames[n]), AnalysisPicture.of(plate.frames[plate.reference])
    reference = plane.reference_result()
    stepped = plane.step(n, before, now, [reference], None, thorough=False)
    run = {plate.reference: reference, n: stepped}
    assert [r.first_look for r in (reference, stepped)] == [False, True]
    assert plane.settle(n, now, run, None, thorough=False).first_look
    assert not plane.settle(n, now, run, None).first_look
    # One that cannot be found stays lost, and is through all the same.
    assert not plane.settle(n, now, {**run, n: replace(lost(n, 0.0, ""), first_look=True)}, np.ones(now.values.shape, bool)).first_look


def test_a_quick_step_leads_near_and_a_thorough_one_nearer(plate, plane):
    """The quick one is no less honest: its doubt contains what it is off by."""
    now, before = (AnalysisPicture.of(plate.frames[plate.reference + k]) for k in (1, 0))
    truth = plate.corners_at(plate.reference + 1)
    found = [
        plane.step(plate.reference + 1, before, now, [plane.reference_result()], None, thorough=thorough) for thorough in (False, True)
    ]
    off = [float(np.linalg.norm(r.corners - truth, axis=1).max()) for r in found]
    assert off[0] < 0.05
    assert off[1] <= max(off[0], 0.01)
    assert all(np.all(np.linalg.norm(r.corners - truth, axis=1) < 4 * r.sigma_px) for r in found)
