"""Flicker, jumps and crops of a matte's edge, against mattes made to flicker."""

import cv2
import numpy as np
import pytest

from verdigris.core.matte.shape import shape_cover
from verdigris.core.matte.steadiness import Moment, edge_crop, stations, steadiness

H, W = 160, 220
TEXTURE = cv2.GaussianBlur(np.random.default_rng(4).uniform(0, 255, (H + 80, W + 80)).astype(np.float32), (0, 0), 2.0)


def moment(dx: float, grown: float = 0.0, hole: bool = False) -> Moment:
    """A textured square of 80 px that moves to the right over a still ground; its matte grown, or with a hole."""
    at = np.array([60.0 + dx, 40])
    quad = at + np.array([[0, 0], [80, 0], [80, 80], [0, 80]])
    cover = shape_cover(quad, W, H, 1.0)
    own = cv2.warpAffine(TEXTURE, np.float64([[1, 0, dx], [0, 1, 0]]), (W, H))
    still = TEXTURE[40 : 40 + H, 40 : 40 + W]
    luma = (0.5 * still * (1 - cover) + (60 + own * 0.7) * cover).clip(0, 255).astype(np.uint8)
    matte = shape_cover(quad + grown * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]), W, H, 1.0)
    if hole:
        matte[60:100, int(at[0]) + 20 : int(at[0]) + 60] = 0
    return Moment(matte, luma)


def test_an_edge_that_moves_with_its_picture_is_steady_and_one_that_breathes_is_not():
    steady = steadiness(moment(-3), moment(0), moment(3))
    breathing = steadiness(moment(-3, 0.6), moment(0, -0.6), moment(3, 0.6))
    assert steady.flicker < 0.03
    assert breathing.flicker > 3 * steady.flicker
    assert not steady.jumps
    assert not breathing.jumps


def test_a_hole_that_opens_is_a_jump():
    assert steadiness(moment(-3), moment(0, hole=True), moment(3)).jumps
    assert steadiness(None, moment(0), moment(3)).change is None
    empty = Moment(np.zeros((H, W), np.float32), moment(0).luma)
    assert steadiness(empty, empty, None).flicker is None


def test_stations_lie_on_the_edge_and_crops_show_it_upright_with_the_front_on_the_right():
    cover = moment(0).cover
    found = stations(cover, np.array([60.0, 40.0]))
    assert len(found) == 4
    for place, normal in found:
        x, y = place
        assert min(abs(x - 60), abs(x - 140), abs(y - 40), abs(y - 120)) < 1.5
        assert np.linalg.norm(normal) == pytest.approx(1)
        crop = edge_crop((cover * 255).astype(np.uint8), place, normal, 32, 2.0)
        assert crop[8:24, :6].max() < 20
        assert crop[8:24, -6:].min() > 235
    # From another start they go on round from there.
    other = stations(cover, np.array([140.0, 120.0]))
    assert np.linalg.norm(other[0][0] - found[2][0]) < 4
    left = np.zeros((H, W), bool)
    left[50:110, :100] = True
    assert {round(float(p[0])) // 10 for p, _ in stations(cover, np.array([60.0, 40.0]), left)} == {6}
    assert stations(np.zeros((H, W), np.float32), np.zeros(2)) == []
