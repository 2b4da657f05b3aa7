"""Where a plane is looked at: rich places in full, every part of the region at least a little, never its rim."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from verdigris.core.camera.optics import STILL, Movement, Optics
from verdigris.core.geometry.lens import Lens
from verdigris.core.geometry.resample import resample
from verdigris.core.light.tone import SRGB, Tone, to_code, to_light
from verdigris.core.tracking.reference.appearance import (
    FAIR_SHARE,
    LEAST_RIM_PX,
    RIM_PX,
    VARIANCES,
    Appearance,
    build_appearance,
    in_other_tone,
    under_other_optics,
)

WIDTH, HEIGHT = 640, 360


def region(x0: int, y0: int, x1: int, y1: int) -> np.ndarray:
    inside = np.zeros((HEIGHT, WIDTH), bool)
    inside[y0:y1, x0:x1] = True
    return inside


def photograph(seed: int = 0) -> np.ndarray:
    rng = np.random.default_rng(seed)
    picture = cv2.GaussianBlur(rng.normal(size=(HEIGHT, WIDTH)).astype(np.float32), (0, 0), 2.0)
    return np.clip(0.5 + 0.8 * picture, 0.02, 0.98).astype(np.float32)


def marked(seed: int = 1) -> np.ndarray:
    """A blank screen with noise and four small marks."""
    rng = np.random.default_rng(seed)
    picture = np.full((HEIGHT, WIDTH), 0.5) + rng.normal(0, 0.004, (HEIGHT, WIDTH))
    for x, y in ((160, 90), (480, 100), (170, 260), (470, 270)):
        picture[y - 5 : y + 6, x - 1 : x + 2] += 0.3
        picture[y - 1 : y + 2, x - 5 : x + 6] += 0.3
    return cv2.GaussianBlur(picture.astype(np.float32), (0, 0), 0.7)


def shown_by(made: Appearance, level: int) -> np.ndarray:
    """The picture that a level's splines go through: a cubic B-spline is a sixth, two thirds and a sixth at pixel centres."""
    taps = np.array([1.0, 4.0, 1.0]) / 6.0
    return cv2.sepFilter2D(
        made.pyramid.splines(VARIANCES[level : level + 1])[level], cv2.CV_32F, taps, taps, borderType=cv2.BORDER_REFLECT_101
    )


INSIDE = region(60, 40, 580, 320)
PLAIN = Optics(WIDTH, HEIGHT)


def test_marks_on_a_blank_screen_are_looked_at_in_full():
    made = build_appearance(marked(), INSIDE, PLAIN)
    for x, y in ((160, 90), (480, 100), (170, 260), (470, 270)):
        near = np.sum(np.all(np.abs(made.points - [x + 0.5, y + 0.5]) <= 4, axis=1))
        assert near >= 70, (x, y)


def test_every_part_of_the_region_keeps_some_samples():
    made = build_appearance(marked(), INSIDE, PLAIN)
    x, y = made.points.T
    cells = np.histogram2d(x, y, bins=(10, 6), range=((60, 580), (40, 320)))[0]
    even = FAIR_SHARE * len(made.points) / cells.size
    assert cells.min() > 0.5 * even


def test_no_more_samples_than_asked_for_each_once_and_all_of_a_small_region():
    made = build_appearance(photograph(), INSIDE, PLAIN, most=5000, few=1000)
    assert len(made.points) <= 5000
    assert len(np.unique(made.points, axis=0)) == len(made.points)
    assert 900 <= len(made.few) <= 1300
    more = build_appearance(photograph(), INSIDE, PLAIN, most=15000, some=5000, few=1000)
    assert 14000 <= len(more.points) <= 15000
    assert len(np.unique(more.points, axis=0)) == len(more.points)
    # What most looks are at stays the same, however many more there are for the last one; first looks are at some of it.
    np.testing.assert_array_equal(np.unique(more.points[more.some], axis=0), np.unique(made.points, axis=0))
    assert {*more.few} <= {*more.some}
    small = build_appearance(photograph(), region(100, 100, 150, 150), PLAIN)
    side = 50 - 2 * int(RIM_PX)
    assert len(small.points) == pytest.approx(side**2, rel=0.1)


def test_samples_stay_off_the_rim_and_a_narrow_region_keeps_its_middle():
    made = build_appearance(photograph(), INSIDE, PLAIN)
    assert made.points[:, 0].min() >= 60 + RIM_PX
    assert made.points[:, 1].max() <= 320 - RIM_PX
    narrow = build_appearance(photograph(), region(60, 150, 580, 158), PLAIN)
    assert len(narrow.points) > 1000
    assert narrow.points[:, 1].min() >= 150 + LEAST_RIM_PX


def test_tiles_are_ascending_and_hold_their_own_samples():
    made = build_appearance(photograph(), INSIDE, PLAIN)
    assert np.all(np.diff(made.tiles) >= 0)
    for tile in (0, 37, made.across**2 - 1):
        own = made.points[made.tiles == tile]
        np.testing.assert_allclose(own.mean(axis=0), made.centres[tile], atol=1e-9)


def test_the_splines_go_through_light_as_soft_as_it_says():
    picture = photograph()
    made = build_appearance(picture, INSIDE, PLAIN)
    x0, y0 = made.origin.astype(int)
    height, width = made.pyramid.softened(0).shape
    light = to_light(picture, SRGB)
    for k in (1, 4):
        soft = cv2.GaussianBlur(light, (0, 0), float(np.sqrt(VARIANCES[k])))[y0 : y0 + height, x0 : x0 + width]
        middle = np.s_[45:-45, 45:-45]
        np.testing.assert_allclose(shown_by(made, k)[middle], soft[middle], atol=1e-4)


def test_under_a_read_out_the_reference_is_straightened():
    slid = Movement(np.array([[0, 0, 12.0], [0, 0, 0], [0, 0, 0]]), STILL.a)
    late = Optics(WIDTH, HEIGHT, readout=0.5)
    picture = photograph()
    made = build_appearance(picture, INSIDE, late, slid)
    # At the top row a point was seen a quarter frame before the middle's time: three pixels back.
    row, col = 60, 300
    shift = 12.0 * 0.5 * ((row + 0.5) / HEIGHT - 0.5)
    seen = cv2.getRectSubPix(cv2.GaussianBlur(to_light(picture, SRGB), (0, 0), float(np.sqrt(VARIANCES[1]))), (1, 1), (col + shift, row))
    at = (np.array([col, row]) - made.origin).astype(int)
    assert shown_by(made, 1)[at[1], at[0]] == pytest.approx(float(seen[0, 0]), abs=0.02)


@pytest.mark.parametrize("inside", [region(0, 0, 10, 10), region(100, 100, 640, 103)])
def test_a_region_with_next_to_nothing_in_it_is_refused(inside):
    assert build_appearance(photograph(), inside, PLAIN) is None


def test_other_optics_show_the_same_samples_where_the_lens_puts_them():
    picture = photograph()
    plain = build_appearance(picture, INSIDE, PLAIN)
    lens = replace(Lens.of_picture(WIDTH, HEIGHT), k1=-0.1)
    bent = Optics(WIDTH, HEIGHT, lens=lens)
    other = under_other_optics(plain, picture, bent, STILL)
    assert np.array_equal(other.tiles, plain.tiles)
    assert np.array_equal(other.depth, plain.depth)
    assert np.abs(bent.project(other.points, np.eye(3), STILL) - plain.points).max() < 1e-6
    # Both show the same light under a sample.
    shown = [resample(shown_by(a, 2), a.points - a.origin) for a in (plain, other)]
    assert np.std(shown[0] - shown[1]) < 0.03 * np.std(shown[0])


def test_a_picture_is_straightened_as_exactly_as_point_by_point():
    picture = photograph()
    lens = replace(Lens.of_picture(WIDTH, HEIGHT), k1=-0.15, k2=0.05)
    turning = Movement(np.array([[0.02, -0.01, 25], [0.015, 0.01, 10], [1e-5, -2e-5, -0.03]]), STILL.a)
    optics = Optics(WIDTH, HEIGHT, lens=lens, readout=0.4, shutter=0.02)
    made = build_appearance(picture, INSIDE, optics, turning)
    height, width = made.pyramid.softened(0).shape
    x, y = np.meshgrid(np.arange(width) + 0.5, np.arange(height) + 0.5)
    at = optics.project(np.stack([x.ravel(), y.ravel()], axis=1) + made.origin, np.eye(3), turning, 0.02).reshape(height, width, 2)
    straight = resample(to_light(picture, SRGB), at)
    exact = cv2.GaussianBlur(straight, (0, 0), float(np.sqrt(VARIANCES[1])), borderType=cv2.BORDER_REFLECT_101)
    inside = np.all((at > 8) & (at < np.array([WIDTH, HEIGHT]) - 8), axis=-1)
    assert np.abs(shown_by(made, 1) - exact)[inside].max() < 1e-4
    assert inside.mean() > 0.8


@pytest.mark.parametrize("box", [(60, 40, 580, 320), (0, 0, 120, 90), (500, 250, 640, 360)])
@pytest.mark.parametrize("readout", [0.0, 0.5])
def test_only_the_part_that_is_looked_at_is_read_and_it_is_the_same(box, readout):
    """Through a lens, in the middle and at the picture's corners: as if the whole picture had been made light and read."""
    picture = photograph(3)
    optics = Optics(WIDTH, HEIGHT, lens=Lens.of_picture(WIDTH, HEIGHT, -0.15, 0.03), readout=readout)
    move = Movement(np.array([[0.0, 0.01, 14.0], [-0.01, 0.0, -6.0], [0.0, 0.0, 0.0]]), STILL.a)
    made = build_appearance(picture, region(*box), optics, move)
    height, width = made.pyramid.softened(0).shape
    y, x = np.mgrid[0:height, 0:width] + 0.5
    at = optics.project(np.stack([x.ravel(), y.ravel()], axis=1) + made.origin, np.eye(3), move).reshape(height, width, 2)
    whole = resample(to_light(picture, SRGB), at.astype(np.float32))
    assert cv2.GaussianBlur(whole, (0, 0), float(np.sqrt(VARIANCES[0])), borderType=cv2.BORDER_REFLECT_101) == pytest.approx(
        made.pyramid.softened(0), abs=2e-4
    )


@pytest.mark.parametrize("optics", [PLAIN, replace(PLAIN, lens=Lens.of_picture(WIDTH, HEIGHT, -0.1))])
@pytest.mark.parametrize("tone", [Tone(0.3, 0.0), Tone(-0.2, 0.5)])
def test_another_tone_curve_changes_the_light_of_the_reference_and_nothing_else(optics, tone):
    """As if it were built anew through the other curve, without looking at the picture once more."""
    made = build_appearance(photograph(3), INSIDE, optics)
    bent, anew = in_other_tone(made, tone), build_appearance(photograph(3), INSIDE, replace(optics, tone=tone))
    assert bent.points is made.points
    assert bent.tiles is made.tiles
    assert bent.table == pytest.approx(anew.table)
    # Through a lens light is interpolated first and bent afterwards: where it is steep that is not quite the same.
    inner = np.s_[30:-30, 30:-30]
    off = np.abs(to_code(bent.pyramid.light, bent.table) - to_code(anew.pyramid.light, anew.table))[inner]
    assert np.median(off) < 1e-4
    assert off.max() < 0.01
    assert np.abs(bent.pyramid.light - made.pyramid.light)[inner].max() > 0.02
