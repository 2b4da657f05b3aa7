"""Corners snapped to where two edges cross, against the truth they were drawn from."""

import cv2
import numpy as np
import pytest

from verdigris.core.geometry.edge_crossing import find_edge_crossing
from verdigris.core.geometry.shapes import polygon_coverage


def picture(quad, noise=0.0, blur=0.8, inner=None):
    """A lighter quad on a darker ground, with an inner one as a bezel leaves it."""
    luma = 0.3 + 0.4 * polygon_coverage(np.array(quad, float), 160, 120)
    if inner is not None:
        luma -= 0.5 * polygon_coverage(np.array(inner, float), 160, 120)
    luma = cv2.GaussianBlur(luma.astype(np.float32), (0, 0), blur)
    return luma + np.random.default_rng(5).normal(0, noise, luma.shape).astype(np.float32)


QUAD = [(31.37, 22.81), (124.2, 35.6), (118.9, 99.3), (25.4, 88.7)]


@pytest.mark.parametrize("corner", range(4))
@pytest.mark.parametrize(("noise", "within"), [(0.0, 0.04), (0.02, 0.2)])
def test_the_crossing_is_found_from_pixels_away(corner, noise, within):
    truth = np.array(QUAD[corner])
    found = find_edge_crossing(picture(QUAD, noise), truth + [3.1, -2.2])
    assert found is not None
    assert np.linalg.norm(found.at - truth) < within
    assert found.sigma_px < 0.3


def test_of_two_nested_corners_the_nearer_is_meant():
    inner = [(37.2, 28.1), (116.0, 40.2), (111.5, 92.6), (31.8, 82.3)]
    luma = picture(QUAD, 0.004, 0.7, inner)
    for truth in (QUAD[0], inner[0]):
        found = find_edge_crossing(luma, np.array(truth) + [0.9, -0.6])
        assert found is not None
        assert np.linalg.norm(found.at - truth) < 0.15


def test_a_single_edge_and_an_empty_wall_offer_nothing():
    edge = picture([(-50, 60.3), (300, 48.2), (300, 400), (-50, 400)])
    assert find_edge_crossing(edge, np.array([80.0, 55.0])) is None
    assert find_edge_crossing(np.full((120, 160), 0.4, np.float32), np.array([80.0, 60.0])) is None
    noise = np.random.default_rng(2).normal(0.4, 0.03, (120, 160)).astype(np.float32)
    assert find_edge_crossing(noise, np.array([80.0, 60.0])) is None


def test_beside_the_picture_nothing_is_found_and_nothing_fails():
    for near in ([-40.0, 10.0], [2.0, 2.0], [500.0, 500.0]):
        assert find_edge_crossing(picture(QUAD), np.array(near)) is None


def test_it_moves_with_the_picture():
    luma = picture(QUAD, 0.01)
    moved = np.roll(luma, (4, 7), axis=(0, 1))
    at = np.array(QUAD[2]) + [1.0, 1.0]
    a, b = find_edge_crossing(luma, at), find_edge_crossing(moved, at + [7, 4])
    assert a is not None
    assert b is not None
    assert np.allclose(b.at - a.at, [7, 4], atol=1e-4)
