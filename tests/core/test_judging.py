"""Judging frames: what moves in a surface held still, and which frame would be the best reference."""

import cv2
import numpy as np
import pytest

from tests.plates import make_plate
from verdigris.core.inspection.jitter import measure_jitter
from verdigris.core.inspection.reference import sharpness, weigh_frames

EVERYWHERE = np.ones((420, 640), bool)


@pytest.fixture(scope="module")
def plate():
    return make_plate("perspective", count=7, reference=3, noise=0.01, size=(640, 420))


def corners_of(plate):
    return {n: plate.corners_at(n) for n in range(7)}


def test_a_true_track_leaves_hardly_any_movement(plate):
    found = measure_jitter(lambda n: plate.frames[n], corners_of(plate), 3, EVERYWHERE)
    assert [j.frame for j in found] == list(range(7))
    assert max(j.worst_px for j in found) < 0.1
    assert found[3].worst_px < 1e-6


def test_a_slipped_frame_is_measured_by_as_much_as_it_slips(plate):
    corners = corners_of(plate)
    corners[5] = corners[5] + [0.8, -0.5]
    found = {j.frame: j for j in measure_jitter(lambda n: plate.frames[n], corners, 3, EVERYWHERE)}
    # The frame is a little larger than the reference: a slip there is a little less here.
    assert np.allclose(found[5].shift_px, [-0.8, 0.5], atol=0.12)
    assert found[4].worst_px < 0.1


@pytest.mark.parametrize("noise", [0.01, 0.03])
def test_what_noise_alone_would_show_is_told(noise):
    plate = make_plate("perspective", count=13, reference=3, noise=noise, size=(640, 420))
    found = measure_jitter(lambda n: plate.frames[n], {n: plate.corners_at(n) for n in range(13)}, 3, EVERYWHERE)
    others = [j for j in found if j.frame != 3]
    shown = np.sqrt(np.mean([np.sum(j.shift_px**2, axis=1) for j in others]))
    told = np.sqrt(np.mean([j.noise_px**2 for j in others]))
    assert told == pytest.approx(shown, rel=0.45)


def test_a_sliver_beside_what_is_in_front_says_nothing(plate):
    """Hardly anything of the corner is left to compare: whatever it seems to move by is chance."""
    covered = np.zeros((420, 640), bool)
    x, y = plate.corners_at(1)[2].astype(int)
    covered[:, : x + 14] = covered[: y + 14] = True
    found = measure_jitter(lambda n: plate.frames[n], corners_of(plate), 3, EVERYWHERE, lambda n: covered if n == 1 else None)
    assert np.isnan(found[1].shift_px[2]).all()
    assert np.isfinite(found[2].shift_px).all()


def test_what_is_covered_or_blank_says_nothing(plate):
    frames = [f.copy() for f in plate.frames]
    x, y = plate.corners_at(1)[0].astype(int)
    frames[1][y - 60 : y + 60, x - 60 : x + 60] = np.random.default_rng(3).random((120, 120), np.float32)
    found = {j.frame: j for j in measure_jitter(lambda n: frames[n], corners_of(plate), 3, EVERYWHERE)}
    assert np.all(np.isnan(found[1].shift_px[0]))
    assert np.array_equal(np.isnan(found[1].noise_px), np.isnan(found[1].shift_px[:, 0]))
    assert np.all(np.isfinite(found[1].shift_px[2]))
    blank = measure_jitter(lambda n: np.full_like(plate.frames[0], 0.4), corners_of(plate), 3, EVERYWHERE)
    assert all(np.isnan(j.worst_px) for j in blank)


def test_content_that_runs_beside_the_region_is_not_compared(plate):
    frames = [f.copy() for f in plate.frames]
    outside = np.ones((420, 640), bool)
    x, y = plate.corners[0].astype(int)
    outside[y - 2 : y + 60, x - 2 : x + 60] = False
    for n in range(7):
        # Something runs through the surface, in its own plane.
        at = plate.corners_at(n)[0].astype(int)
        frames[n][at[1] : at[1] + 50, at[0] : at[0] + 50] = np.roll(plate.frames[3][y : y + 50, x : x + 50], 3 * n, axis=1)
    found = measure_jitter(lambda n: frames[n], corners_of(plate), 3, outside)
    assert max(np.nan_to_num(j.worst_px) for j in found) < 0.15
    assert np.all(np.isfinite(found[5].shift_px[0]))


def test_the_largest_sharpest_least_hidden_frame_is_worth_most(plate):
    sharp = plate.frames[3]
    soft = cv2.GaussianBlur(sharp, (0, 0), 2.0)
    crisp = [sharpness(sharp), sharpness(soft), sharpness(sharp), sharpness(sharp)]
    assert crisp[1] < 0.75 * crisp[0]
    rows = weigh_frames([0, 1, 2, 3], [100.0, 100.0, 60.0, 100.0], crisp, [0.0, 0.0, 0.0, 0.5])
    assert rows[0].worth == 1.0
    assert all(r.worth < 1 for r in rows[1:])
    assert weigh_frames([0, 1], [float("nan")] * 2, [0.1, 0.2], [0.0, 0.0])[1].worth == 1.0


def test_sharpness_is_asked_inside_the_region_only(plate):
    picture = plate.frames[3].copy()
    picture[:, 320:] = 0.5
    left, right = np.array([[10.0, 10], [300, 10], [300, 400], [10, 400]]), np.array([[340.0, 10], [630, 10], [630, 400], [340, 400]])
    assert sharpness(picture, left) > 20 * sharpness(picture, right)
