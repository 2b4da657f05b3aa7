"""Lens, rows and movement: what is projected comes back, and movement is what differences of poses say."""

import numpy as np
import pytest
import scipy.linalg
from hypothesis import given, settings
from hypothesis import strategies as st

from verdigris.core.camera.optics import STILL, Movement, Optics, flow
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.lens import Lens

GRID = np.array([[x, y] for x in (200.0, 500, 900) for y in (120.0, 300, 560)])
POSE = np.array([[1.04, 0.05, -12], [-0.03, 0.98, 20], [3e-5, -2e-5, 1.0]])
OPTICS = Optics(1280, 720, Lens.of_picture(1280, 720, -0.1, 0.02), readout=0.5)


def movement(scale: float) -> Movement:
    v = scale * np.array([[0.01, -0.02, 22.0], [0.018, -0.004, -9.0], [1e-5, 4e-6, -0.006]])
    a = scale * np.array([[0.002, 0.001, 3.0], [-0.001, 0.001, 2.0], [0, 1e-6, -0.003]])
    return Movement(v, a)


@pytest.mark.parametrize("scale", [0.0, 0.3, 1.0])
@pytest.mark.parametrize("optics", [Optics(1280, 720), Optics(1280, 720, readout=-0.6), OPTICS])
def test_points_come_back_from_where_they_are_seen(optics, scale):
    move = movement(scale)
    seen = optics.project(GRID, POSE, move)
    # The terms of second order leave a trace where rows are read late in a quick movement.
    assert np.abs(optics.plane(seen, POSE, move) - GRID).max() < 0.02


@pytest.mark.parametrize("optics", [Optics(1280, 720), Optics(1280, 720, readout=-0.6), OPTICS])
def test_points_of_the_plane_are_the_inverse_of_where_it_is_at_their_rows_time(optics):
    """Against matrices: the inverse of H exp(t V + t^2 A / 2) to the second order, at the time of each point's row."""
    move = movement(1.0)
    seen = np.concatenate([GRID, [[640.0, -900.0], [20.0, 1700.0]]])
    ideal = np.concatenate([optics.ideal(seen), np.ones((len(seen), 1))], axis=1)
    inverse = np.linalg.inv(POSE)
    for point, q, found in zip(seen, ideal, optics.plane(seen, POSE, move), strict=True):
        # Rows far outside the picture are taken for ones not so far outside.
        t = optics.readout * (np.clip(point[1], -720, 1440) / 720 - 0.5)
        p = (inverse - t * move.v @ inverse + 0.5 * t * t * (move.v @ move.v - move.a) @ inverse) @ q
        assert found == pytest.approx(p[:2] / p[2], abs=1e-8)


def test_a_row_that_is_read_later_shows_the_plane_later():
    optics, move = Optics(1280, 720, readout=1.0), Movement(np.array([[0, 0, 10.0], [0, 0, 0], [0, 0, 0]]), STILL.a)
    top, bottom = optics.project(np.array([[600.0, 0.0], [600.0, 720.0]]), np.eye(3), move)
    assert top[0] == pytest.approx(595, abs=1e-3)
    assert bottom[0] == pytest.approx(605, abs=1e-3)


def test_without_movement_rows_do_not_matter():
    still = Optics(1280, 720, readout=0.7).project(GRID, POSE, STILL)
    assert np.allclose(still, apply_homography(POSE, GRID), atol=1e-9)


@given(st.lists(st.floats(-1, 1), min_size=8, max_size=8))
@settings(max_examples=40, deadline=None)
def test_the_logarithm_undoes_the_exponential(p):
    optics = Optics(1280, 720)
    g = np.array([[0.05 * p[0], 0.05 * p[1], 30 * p[2]], [0.05 * p[3], 0.05 * p[4], 30 * p[5]], [4e-5 * p[6], 4e-5 * p[7], 0]])
    g -= np.eye(3) * np.trace(g) / 3
    assert np.allclose(optics.log(scipy.linalg.expm(g)), g, atol=1e-6 * (1 + np.abs(g).max()))


def test_a_map_that_turns_the_picture_over_has_no_small_generator():
    assert not np.any(Optics(1280, 720).log(np.diag([-1.0, 1.0, 1.0])))


@pytest.mark.parametrize("known", [(-2, -1, 1, 2), (-1, 1), (1, 2), (-2, -1)])
def test_velocity_is_found_from_whichever_neighbours_are_known(known):
    optics, v = Optics(1280, 720), movement(0.4).v
    v = v - np.eye(3) * np.trace(v) / 3
    poses = {0: POSE, **{k: POSE @ scipy.linalg.expm(k * v) for k in known}}
    found = optics.movement(poses)
    assert np.abs(flow(GRID, found) - flow(GRID, Movement(v, STILL.a))).max() < 1e-3
    assert np.abs(found.a).max() < 1e-3


def test_acceleration_is_found_from_both_sides():
    optics = Optics(1280, 720)
    shift = lambda x: np.array([[1, 0, x], [0, 1, 0], [0, 0, 1.0]])  # noqa: E731
    found = optics.movement({k: shift(7 * k + 1.5 * k * k) for k in range(-2, 3)})
    assert flow(GRID, found)[:, 0] == pytest.approx(7, abs=1e-6)
    assert found.a[0, 2] == pytest.approx(3, abs=1e-6)


def test_nothing_known_beside_a_frame_is_no_movement():
    assert Optics(1280, 720).movement({0: POSE}).is_still


def test_what_an_exposure_sees_on_average_lies_aside_of_its_middle_when_speed_changes():
    optics, variance = Optics(1280, 720), 0.5**2 / 12
    move = Movement(STILL.v + np.array([[0, 0, 1e-9], [0, 0, 0], [0, 0, 0]]), np.array([[0, 0, 24.0], [0, 0, 0], [0, 0, 0]]))
    times = np.linspace(-0.25, 0.25, 401)
    seen = 600 + np.trapezoid(0.5 * 24 * times**2, times) / 0.5
    assert optics.project(np.array([[600.0, 300]]), np.eye(3), move, variance)[0, 0] == pytest.approx(seen, abs=1e-3)
