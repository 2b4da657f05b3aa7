"""Parts of a matte, and how they become one."""

import numpy as np
import pytest

from verdigris.core.composite.blend import blended
from verdigris.core.light.transfer import linear_to_srgb, srgb_to_linear
from verdigris.core.matte.recipe import brightness, combined, difference, grown, softened
from verdigris.core.matte.shape import shape_cover

SQUARE = np.array([[20.0, 20], [60, 20], [60, 50], [20, 50]])


def full(value: float) -> np.ndarray:
    return np.full((3, 3), value, np.float32)


def test_parts_are_added_taken_away_and_met():
    assert combined(None, full(0.3), "add")[0, 0] == pytest.approx(0.3)
    assert combined(None, full(0.3), "subtract")[0, 0] == pytest.approx(0.7)
    assert combined(full(0.5), full(0.5), "add")[0, 0] == pytest.approx(0.75)
    assert combined(full(0.5), full(0.5), "subtract")[0, 0] == pytest.approx(0.25)
    assert combined(full(0.5), full(0.4), "intersect")[0, 0] == pytest.approx(0.2)


@pytest.mark.parametrize("by", [0.5, 1.0, 2.5, -0.5, -2.0])
def test_an_edge_moves_by_as_much_as_it_is_told(by):
    cover = shape_cover(SQUARE, 80, 70, 0.0)
    row = grown(cover, by)[35]
    assert row.sum() == pytest.approx(40 + 2 * by, abs=0.02)


def test_a_soft_edge_keeps_its_middle():
    soft = softened(shape_cover(SQUARE, 80, 70, 0.0), 3.0)
    assert soft[35, 19:21].mean() == pytest.approx(0.5, abs=0.02)
    assert shape_cover(SQUARE, 80, 70, 3.0)[35] == pytest.approx(soft[35], abs=1e-3)


def test_one_edge_is_sharp_and_the_other_soft():
    cover = shape_cover(SQUARE, 80, 70, np.array([0.0, 8.0, 8.0, 0.0]))
    left, right = np.abs(np.diff(cover[35, :35])).max(), np.abs(np.diff(cover[35, 45:])).max()
    assert left > 0.4
    assert right < 0.12
    # What lies beyond the picture's border softens into it.
    outside = shape_cover(SQUARE - [40, 0], 40, 70, 4.0)
    assert outside[35, 0] > 0.98


def test_brightness_fades_in_and_out_by_channel():
    codes = np.zeros((1, 5, 3), np.float32)
    codes[0, :, 1] = [0.1, 0.4, 0.5, 0.6, 0.95]
    assert brightness(codes, "green", 1.0, (0.4, 0.6), (1, 1))[0] == pytest.approx([0, 0, 0.5, 1, 1])
    assert brightness(codes, "green", 1.0, (0.4, 0.4), (0.6, 0.9))[0][3:] == pytest.approx([1, 0])
    assert brightness(codes, "red", 1.0, (0.4, 0.6), (1, 1)).max() == 0


def test_what_differs_from_a_clean_picture_is_in_front():
    clean = np.full((30, 30, 3), 0.4, np.float32)
    seen = clean.copy()
    seen[10:20, 10:20, 0] = 0.9
    matte = difference(seen, clean, 0.04, 0.12)
    assert matte[15, 15] == 1
    assert matte[3, 3] == 0


def test_blends_are_what_their_definition_says():
    rng = np.random.default_rng(4)
    b, a = (rng.uniform(0, 1, (4, 5, 3)).astype(np.float32) for _ in range(2))
    assert blended("multiply", b, a) == pytest.approx(b * a)
    assert blended("add", b, a) == pytest.approx(b + a)
    assert np.array_equal(blended("over", b, a), a)
    cb, ca = linear_to_srgb(b), linear_to_srgb(a)
    assert blended("screen", b, a) == pytest.approx(srgb_to_linear(cb + ca - cb * ca), abs=2e-3)
    hard = np.where(cb <= 0.5, 2 * cb * ca, 1 - 2 * (1 - cb) * (1 - ca))
    assert blended("overlay", b, a) == pytest.approx(srgb_to_linear(hard), abs=2e-3)
    d = np.where(cb <= 0.25, ((16 * cb - 12) * cb + 4) * cb, np.sqrt(cb))
    soft = np.where(ca <= 0.5, cb - (1 - 2 * ca) * cb * (1 - cb), cb + (2 * ca - 1) * (d - cb))
    assert blended("soft_light", b, a) == pytest.approx(srgb_to_linear(soft), abs=2e-3)
    assert blended("screen", b, a, "linear") == pytest.approx(b + a - b * a, abs=1e-6)


def test_a_moving_outline_has_the_edge_of_its_movement():
    moments = np.stack([SQUARE + [t, 0] for t in (np.arange(32) + 0.5) / 32 * 8 - 4])
    row = shape_cover(moments, 90, 70, 0.0)[35]
    # A box of 8 px over the edge at 20: a straight ramp.
    assert row[14:26] == pytest.approx(np.clip((np.arange(14, 26) + 0.5 - 16) / 8, 0, 1), abs=0.03)
    assert row.sum() == pytest.approx(40, abs=0.01)
