"""What must not change the answer, and what must change it in step."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_tracking import errors, follow
from tests.plates import Plate, make_plate
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.motion import GENERATORS, MOTIONS, exponential, fit_motion
from verdigris.core.geometry.shapes import keyed_points, polygon_coverage, smooth_outline
from verdigris.core.matte.occlusion import region_mask

PLATE = make_plate(count=6, reference=2)
HEIGHT, WIDTH = PLATE.frames[0].shape


def conjugated(frames, matrix: np.ndarray) -> Plate:
    """The plate after its pictures were moved by a matrix (px), with the truth moved alike."""
    return Plate(
        frames, [matrix @ h @ np.linalg.inv(matrix) for h in PLATE.truth], apply_homography(matrix, PLATE.corners), PLATE.reference
    )


def test_a_mirrored_plate_gives_the_mirrored_track():
    mirror = np.array([[-1, 0, WIDTH], [0, 1, 0], [0, 0, 1.0]])
    other = conjugated([np.ascontiguousarray(f[:, ::-1]) for f in PLATE.frames], mirror)
    # Corner order is as seen upright: after mirroring left and right change places.
    order = [1, 0, 3, 2]
    seen = Plate(other.frames, other.truth, other.corners[order], other.reference)
    a, b = follow(PLATE), follow(seen)
    for n in a:
        assert np.abs(apply_homography(mirror, a[n].corners)[order] - b[n].corners).max() < 0.02


def test_a_plate_of_twice_the_size_gives_twice_the_coordinates():
    import cv2

    double = np.diag([2.0, 2.0, 1.0])
    frames = [cv2.resize(f, (2 * WIDTH, 2 * HEIGHT), interpolation=cv2.INTER_CUBIC) for f in PLATE.frames]
    large = follow(conjugated(frames, double))
    small = follow(PLATE)
    for n in small:
        assert np.abs(large[n].corners / 2 - small[n].corners).max() < 0.06


def test_the_order_of_a_regions_points_and_where_it_begins_change_nothing():
    masks = [
        region_mask([corners], [], None, WIDTH, HEIGHT) for corners in (PLATE.corners, PLATE.corners[::-1], np.roll(PLATE.corners, 2, 0))
    ]
    tracks = [follow(PLATE, region=m) for m in masks]
    for other in tracks[1:]:
        for n, r in tracks[0].items():
            assert np.array_equal(r.corners, other[n].corners)


def test_frame_numbers_are_names_only():
    shifted = Plate(PLATE.frames[1:], PLATE.truth[1:], PLATE.corners, PLATE.reference - 1)
    a, b = follow(PLATE), follow(shifted)
    for n in range(2, 6):
        assert np.array_equal(a[n].corners, b[n - 1].corners)


def test_going_far_and_coming_back_ends_where_it_began():
    there = make_plate(count=24, reference=0, noise=0.002)
    path = [*range(24), *reversed(range(23))]
    walk = Plate([there.frames[i] for i in path], [there.truth[i] for i in path], there.corners, 0)
    results = follow(walk)
    assert np.abs(results[len(path) - 1].corners - walk.corners).max() < 0.05
    assert errors(walk, results).max() < 0.1


@given(gain=st.floats(0.6, 1.2), bias=st.floats(-0.05, 0.08))
@settings(max_examples=6, deadline=None)
def test_gain_and_bias_do_not_move_the_plane(gain, bias):
    lit = [
        np.clip(f * (gain if n != PLATE.reference else 1) + (bias if n != PLATE.reference else 0), 0, 1).astype(np.float32)
        for n, f in enumerate(PLATE.frames)
    ]
    changed = follow(Plate(lit, PLATE.truth, PLATE.corners, PLATE.reference))
    # Darkened code values are noisier in light; a corner may be a little less sure, but nothing is pulled.
    assert errors(PLATE, changed).max() < 0.12
    assert np.median(errors(PLATE, changed)) < 0.03


@given(st.lists(st.floats(-0.2, 0.2), min_size=8, max_size=8))
@settings(max_examples=40, deadline=None)
def test_the_exponential_of_a_sum_of_generators_inverts_by_its_negative(p):
    p = np.array(p)
    assert np.allclose(exponential(p) @ exponential(-p), np.eye(3), atol=1e-9)
    assert np.linalg.det(exponential(p)) == pytest.approx(1, abs=1e-9)
    assert abs(np.trace(np.tensordot(p, GENERATORS, axes=1))) < 1e-12


@pytest.mark.parametrize("motion", MOTIONS)
def test_least_squares_returns_the_motion_that_made_the_pairs(motion):
    plate = make_plate(motion, count=4, reference=0)
    src = np.random.default_rng(1).uniform([50, 50], [430, 270], (30, 2))
    h = fit_motion(src, apply_homography(plate.truth[3], src), motion)
    assert np.abs(apply_homography(h, src) - apply_homography(plate.truth[3], src)).max() < 1e-6


def test_a_smooth_outline_passes_through_its_points_and_encloses_more_than_its_polygon():
    square = np.array([[20.0, 20], [80, 20], [80, 80], [20, 80]])
    curve = smooth_outline(square, 16)
    assert len(curve) == 64
    assert np.allclose(curve[::16], square)
    inside = polygon_coverage(curve, 100, 100).sum()
    assert polygon_coverage(square, 100, 100).sum() < inside < np.pi / 2 * 3600


def test_points_with_keys_of_their_own_move_by_them_alone():
    nan = np.array([np.nan, np.nan])
    keys = [
        (0, np.array([[0.0, 0], [10, 0], [10, 10]]), False),
        (10, np.array([[10.0, 0], nan, nan]), True),
        (20, np.array([[10.0, 20], [30, 0], nan]), False),
    ]
    assert np.allclose(keyed_points(5, keys), [[5, 0], [15, 0], [10, 10]])
    assert np.allclose(keyed_points(15, keys)[0], [10, 10])
    eased = keyed_points(12, keys)[0]
    assert 0 < eased[1] < 0.2 * 20
    assert np.allclose(keyed_points(99, keys), [[10, 20], [30, 0], [10, 10]])
    with pytest.raises(ValueError, match="no key"):
        keyed_points(0, [(0, np.array([nan, nan, nan]), False)])
    with pytest.raises(ValueError, match="same number"):
        keyed_points(0, [keys[0], (3, np.zeros((2, 2)), False)])
