"""Reading a picture between its pixels: waves come out where they are, ramps stay ramps, nothing is rounded."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from verdigris.core.geometry.resample import PHASES, TAPS, kernel, resample

WIDTH, HEIGHT = 120, 60
X, Y = np.meshgrid(np.arange(WIDTH) + 0.5, np.arange(HEIGHT) + 0.5)
AT = np.stack([X, Y], axis=-1)
INSIDE = np.s_[TAPS:-TAPS, TAPS:-TAPS]


@pytest.mark.parametrize("shift", [1 / 70, 0.1, 0.3, 0.5, 0.77])
@pytest.mark.parametrize("per_px", [0.2, 0.5, 1.0, 1.6])
def test_waves_come_out_where_they_are(per_px, shift):
    wave = lambda x: (0.5 + 0.3 * np.sin(per_px * x + 0.4)).astype(np.float32)  # noqa: E731
    slope = 0.3 * per_px * np.cos(per_px * (X + shift) + 0.4)
    wrong = (resample(wave(X), AT + [shift, 0]) - wave(X + shift))[INSIDE]
    moved = float(np.sum(wrong * slope[INSIDE]) / np.sum(slope[INSIDE] ** 2))
    assert abs(moved) < 0.0015
    assert np.sqrt(np.mean(wrong**2)) < 0.002


@given(st.floats(-0.003, 0.003), st.floats(-0.003, 0.003), st.floats(0, 1), st.floats(0, 1))
def test_a_ramp_stays_a_ramp(along, down, dx, dy):
    ramp = lambda x, y: (0.4 + along * x + down * y).astype(np.float32)  # noqa: E731
    away = 1.5 / PHASES * (abs(along) + abs(down))
    assert np.abs(resample(ramp(X, Y), AT + [dx, dy]) - ramp(X + dx, Y + dy))[INSIDE].max() < away + 1e-6


def test_pixel_centres_are_the_pixels():
    picture = np.random.default_rng(1).uniform(size=(HEIGHT, WIDTH)).astype(np.float32)
    assert np.abs(resample(picture, AT) - picture).max() < 1e-6


def test_beyond_the_picture_lies_the_nearest_pixel_or_what_was_asked_for():
    picture = np.random.default_rng(2).uniform(size=(HEIGHT, WIDTH)).astype(np.float32)
    places = np.array([[-9.0, 0.5], [WIDTH + 30.0, HEIGHT - 0.5], [0.5, -1e9]])
    assert resample(picture, places) == pytest.approx([picture[0, 0], picture[-1, -1], picture[0, 0]])
    assert np.all(resample(picture, places, outside=-1.0) == -1.0)


def test_what_is_nowhere_lies_outside():
    picture = np.random.default_rng(3).uniform(size=(HEIGHT, WIDTH)).astype(np.float32)
    nowhere = np.array([[np.nan, 5.0], [5.0, np.inf], [-np.inf, np.nan]])
    assert np.all(resample(picture, nowhere, outside=-1.0) == -1.0)
    assert np.all(np.isfinite(resample(picture, nowhere)))


def test_weights_sum_to_one_with_their_middle_where_it_should_be():
    weights = kernel().astype(np.float64)
    assert weights.sum(axis=1) == pytest.approx(np.ones(PHASES + 1), abs=1e-6)
    assert weights @ (np.arange(TAPS) - (TAPS // 2 - 1)) == pytest.approx(np.linspace(0, 1, PHASES + 1), abs=1e-5)
