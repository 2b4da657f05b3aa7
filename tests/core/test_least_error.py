"""The least error that any tracker can have: reached by least squares that knows the truth, and never passed by far."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from bench.tracking.bound import corner_bound
from bench.tracking.cases import Recipe, a_photograph, make
from bench.tracking.render import Camera
from verdigris.core.geometry.motion import point_jacobian
from verdigris.core.matte.occlusion import region_mask

PLATE = make(3, Recipe(count=2, reference=0, size=(640, 360), scale=0.34, camera=Camera(noise=3.0)), a_photograph)


def typical(errors) -> float:
    return float(np.sqrt(np.mean(errors**2)))


def test_twice_the_noise_is_twice_the_error():
    # Rounding to eight bit, which stays the same, is a thirtieth of the noise here.
    assert typical(corner_bound(replace(PLATE, noise=2 * PLATE.noise))) == pytest.approx(2 * typical(corner_bound(PLATE)), rel=0.01)


def test_half_of_the_region_says_less():
    left = [np.array([[0.0, 0.0], [PLATE.truth[0][:, 0].mean(), 0.0], [PLATE.truth[0][:, 0].mean(), 360.0], [0.0, 360.0]])]
    cut = replace(PLATE, exclude=left)
    assert typical(corner_bound(cut)) > 1.3 * typical(corner_bound(PLATE))


def test_least_squares_from_the_true_picture_reaches_it():
    """Two noisy pictures of a plane that did not move; gradients as they are without noise."""
    height, width = PLATE.light.shape
    region = region_mask(PLATE.include, PLATE.exclude, None, width, height)
    ys, xs = np.nonzero(region)
    corners = PLATE.truth[PLATE.reference]
    middle, s = corners.mean(axis=0), 2.0 / float(np.hypot(*np.ptp(corners, axis=0)))
    jac = point_jacobian((np.stack([xs + 0.5, ys + 0.5], axis=1) - middle) * s, 8) / s
    gx, gy = (cv2.Sobel(PLATE.light, cv2.CV_64F, *d, ksize=1, scale=0.5)[ys, xs, None] for d in ((1, 0), (0, 1)))
    rows = gx * jac[:, 0] + gy * jac[:, 1]
    rng = np.random.default_rng(8)
    errors = []
    for _ in range(60):
        a, b = (np.round(255 * (PLATE.light + rng.normal(0, PLATE.noise, PLATE.light.shape))) / 255 for _ in range(2))
        pose = np.linalg.lstsq(rows, (b - a)[ys, xs], rcond=None)[0]
        errors.append(np.linalg.norm(point_jacobian((corners - middle) * s, 8) @ pose / s, axis=1))
    assert typical(np.array(errors)) == pytest.approx(typical(corner_bound(PLATE)), rel=0.25)
