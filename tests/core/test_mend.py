"""Holding, smoothing, filling and re-anchoring a track whose truth is a smooth path."""

import numpy as np
import pytest

from verdigris.core.geometry.homography import apply_homography, homography_from_quads
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.tracking.sequence.mend import fill_gaps, hold, leave_out, re_anchor, smooth, smooth_span, tie_span

QUAD = np.array([[100.0, 80], [300, 90], [290, 220], [110, 210]])


def path(n: float) -> np.ndarray:
    """True corners at a frame: a smooth turn and shift."""
    a = 0.01 * n
    turn = np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
    return (QUAD - 200) @ turn.T + 200 + [3.0 * n, 8 * np.sin(n / 7)]


def result(n: int, corners: np.ndarray | None, sigma: float = 0.05) -> FrameResult:
    if corners is None:
        return FrameResult(n, "lost", None, None, None, None, 0.0, "covered")
    return FrameResult(n, "followed", homography_from_quads(QUAD, corners), corners, np.full(4, sigma), 0.1, 0.8)


def track(count: int = 30, noise: float = 0.02, sigma: float = 0.05, lost: tuple[int, ...] = ()) -> dict[int, FrameResult]:
    rng = np.random.default_rng(3)
    return {n: result(n, None if n in lost else path(n) + noise * rng.standard_normal((4, 2)), sigma) for n in range(count)}


def off(results: dict[int, FrameResult], frames) -> float:
    return max(float(np.linalg.norm(results[n].corners - path(n), axis=1).max()) for n in frames)


def test_corners_set_by_hand_are_kept_exactly():
    hand = {5: path(5) + 1.5, 20: path(20) - 0.5}
    held = hold(track(), hand, QUAD)
    for n, corners in hand.items():
        assert np.array_equal(held[n].corners, corners)
        assert held[n].status == "by_hand"
        assert np.allclose(apply_homography(held[n].homography, QUAD), corners, atol=1e-9)


def test_a_drifted_track_is_held_at_its_ends_and_keeps_its_shape_between():
    drifted = {n: result(n, path(n) + [0.04 * n, -0.02 * n], 0.05) for n in range(30)}
    held = hold(drifted, {0: path(0), 29: path(29)}, QUAD)
    assert off(drifted, range(30)) > 1.2
    assert off(held, range(30)) < 0.15


def test_between_held_frames_the_least_sure_frames_take_the_correction():
    sigmas = {n: 1.0 if 10 <= n < 15 else 0.02 for n in range(25)}
    jumped = {n: result(n, path(n) + (2.0 if n >= 15 else 0.0), sigmas[n]) for n in range(25)}
    held = hold(jumped, {0: path(0), 24: path(24)}, QUAD)
    assert off(held, range(9)) < 0.4
    assert off(held, range(16, 25)) < 0.4


@pytest.mark.parametrize("broken", [{3: QUAD[[1, 0, 2, 3]]}, {99: QUAD}])
def test_a_crossed_or_strange_hand_is_refused(broken):
    with pytest.raises(ValueError, match="frame"):
        hold(track(), broken, QUAD)


def test_smoothing_leaves_sure_frames_and_calms_unsure_ones():
    results = track(noise=0.0, sigma=0.01)
    results[12] = result(12, path(12) + [2.5, -1.5], 2.0)
    calm = smooth(results, QUAD)
    assert np.linalg.norm(calm[12].corners - path(12), axis=1).max() < 0.4
    for n in (3, 20):
        assert np.abs(calm[n].corners - results[n].corners).max() < 0.02
    assert smooth(results, QUAD, 0)[12].corners is results[12].corners


def test_gaps_are_carried_with_doubt_that_grows_towards_their_middle_and_beyond_the_end():
    gone = tuple(range(10, 17))
    filled = fill_gaps(track(lost=gone), QUAD, range(36))
    assert all(filled[n].status == "carried" for n in (*gone, 30, 35))
    assert filled[13].sigma_px.max() > filled[10].sigma_px.max()
    assert filled[35].sigma_px.max() > filled[31].sigma_px.max() > 0.05
    for n in gone:
        error = np.linalg.norm(filled[n].corners - path(n), axis=1).max()
        assert error < 4 * filled[n].sigma_px.max()
    assert filled[5] is not None
    assert filled[5].status == "followed"


def test_what_is_not_there_cannot_be_filled():
    nothing = {n: result(n, None) for n in range(5)}
    assert all(r.corners is None for r in fill_gaps(nothing, QUAD, range(5)).values())


def test_a_span_followed_again_has_no_jump_at_its_ends():
    kept = track(noise=0.0)
    again = {n: result(n, path(n) + 0.8) for n in range(9, 21)}
    tied = tie_span(kept, again, QUAD, (10, 19))
    step = [np.abs((tied[n + 1].corners - path(n + 1)) - (tied[n].corners - path(n))).max() for n in range(29)]
    assert max(step) < 0.25
    assert tied[9] is kept[9]
    assert tied[20] is kept[20]


def test_re_anchoring_keeps_corners_and_starts_homographies_anew():
    results = track(lost=(4,))
    anew = re_anchor(results, 7)
    assert np.allclose(anew[7].homography, np.eye(3), atol=1e-9)
    for n in (0, 15):
        assert np.allclose(apply_homography(anew[n].homography, results[7].corners), apply_homography(results[n].homography, QUAD))
        assert anew[n].sigma_px.max() > results[n].sigma_px.max()
    with pytest.raises(ValueError, match="lost"):
        re_anchor(results, 4)


def test_a_calmed_span_is_calmer_and_leaves_the_rest_alone():
    rough = track(noise=0.4, sigma=0.4)
    calm = smooth_span(rough, QUAD, (10, 19), 2.0)
    assert all(calm[n] is rough[n] for n in (*range(10), *range(20, 30)))

    def jerk(results, frames) -> float:
        at = np.array([results[n].corners for n in frames])
        return float(np.abs(np.diff(at, 2, axis=0)).mean())

    assert jerk(calm, range(13, 17)) < 0.5 * jerk(rough, range(13, 17))
    # The first calmed frame is mostly as it was: nothing jumps at the end of a span.
    first = np.linalg.norm(calm[10].corners - rough[10].corners, axis=1)
    whole = np.linalg.norm(smooth(rough, QUAD, 2.0)[10].corners - rough[10].corners, axis=1)
    assert np.all(first <= 0.2 * whole + 1e-9)


def test_frames_left_out_are_lost_and_may_be_carried():
    wild = {**track(), 12: result(12, path(12) + 40)}
    without = leave_out(wild, [(12, 12), (25, 29)])
    assert [n for n, r in without.items() if r.status == "lost"] == [12, 25, 26, 27, 28, 29]
    filled = fill_gaps(without, QUAD, range(30))
    assert filled[12].status == "carried"
    assert off(filled, [12]) < 0.3
