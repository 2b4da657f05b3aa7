"""The lens model and its inverse, and a plane seen row by row."""

import numpy as np
import pytest

from verdigris.core.camera.optics import STILL, Movement, Optics, flow
from verdigris.core.geometry.lens import Lens

POINTS = np.random.default_rng(1).uniform([0, 0], [1280, 720], (200, 2))


@pytest.mark.parametrize(
    "terms", [{"k1": -0.12}, {"k1": -0.13, "k2": 0.05}, {"k1": 0.1, "k3": 0.02}, {"p1": 0.003, "p2": -0.002, "k1": -0.05}]
)
def test_undistorting_is_the_inverse_of_distorting(terms):
    lens = Lens((655.0, 350.0), 734.3, **terms)
    assert np.abs(lens.undistort(lens.distort(POINTS)) - POINTS).max() < 1e-5
    assert np.abs(lens.distort(POINTS) - POINTS).max() > 0.5


def test_a_radius_of_half_the_diagonal_is_one():
    lens = Lens.of_picture(1280, 720, k1=-0.1)
    assert np.allclose(lens.distort(np.array([[0.0, 0.0]])), np.array([[0.0, 0.0]]) * 0.9 + np.array([[640, 360]]) * 0.1)
    assert Lens.of_picture(1280, 720).is_ideal


def test_projecting_and_looking_back_agree_with_lens_and_readout():
    optics = Optics(1280, 720, Lens.of_picture(1280, 720, -0.1, 0.02), readout=0.6)
    h = np.array([[1.02, 0.03, 12], [-0.02, 0.98, -5], [2e-5, -1e-5, 1]])
    v = np.array([[0.002, -0.03, 20], [0.03, 0.001, -12], [1e-6, 2e-6, -0.003]])
    move = Movement(v, 0.1 * v)
    inside = POINTS[(POINTS[:, 0] > 200) & (POINTS[:, 0] < 1000) & (POINTS[:, 1] > 150) & (POINTS[:, 1] < 600)]
    assert np.abs(optics.plane(optics.project(inside, h, move), h, move) - inside).max() < 0.02


def test_velocity_and_acceleration_of_a_known_movement_are_found():
    optics = Optics(1280, 720)

    def pose(t: float) -> np.ndarray:
        a, s = 0.02 * t + 0.002 * t * t, 1 + 0.004 * t
        turn = np.array([[s * np.cos(a), -s * np.sin(a), 0], [s * np.sin(a), s * np.cos(a), 0], [0, 0, 1.0]])
        there = np.array([[1, 0, 500.0 + 7 * t], [0, 1, 300.0 - 3 * t], [0, 0, 1]])
        return there @ turn @ np.linalg.inv(np.array([[1, 0, 500.0], [0, 1, 300], [0, 0, 1]]))

    at = np.array([[420.0, 250.0], [600.0, 380.0]])
    eps = 1e-4

    def seen(t: float) -> np.ndarray:
        p = np.concatenate([at, np.ones((2, 1))], axis=1) @ pose(t).T
        return p[:, :2] / p[:, 2:]

    move = optics.movement({k: pose(3 + k) for k in (-2, -1, 0, 1, 2)})
    now = Optics(1280, 720).movement({0: pose(3), 1: pose(3), -1: pose(3)})
    truth = (seen(3 + eps) - seen(3 - eps)) / (2 * eps)
    local = pose(3)[:2, :2]
    assert np.abs(flow(at, move) @ local.T - truth).max() < 0.02
    assert np.abs(flow(at, now)).max() < 1e-9
    assert STILL.is_still


def test_points_that_no_ideal_point_is_seen_at_stay_finite_and_near():
    lens = Lens.of_picture(480, 320, k1=-0.15)
    back = lens.undistort(np.array([[0.0, 0], [480, 320], [-300, -200]]))
    assert np.all(np.isfinite(back))
    assert np.abs(back - [240, 160]).max() < 3 * 290
    assert lens.one_to_one_radius() == pytest.approx(1 / np.sqrt(0.45), abs=0.01)
    assert Lens.of_picture(480, 320, k1=0.1).one_to_one_radius() == 3.0
