"""Tone curves: what two numbers say of them, and back and forth between code values and light."""

import numpy as np
import pytest
from scipy.optimize import least_squares

from verdigris.core.light.tone import SRGB, Tone, encode_one, encode_table, light_of, to_code, to_light
from verdigris.core.light.transfer import srgb_to_linear

LIGHT = np.linspace(0.004, 1.0, 800)
CURVES = {
    "lifted and rolled off": 0.03 + 0.95 * np.log1p(14 * LIGHT) / np.log1p(14 * 1.05),
    "logarithmic": 0.1 + 0.225 * np.log10(1 + 222 * LIGHT),
    "television": np.where(LIGHT < 0.018, 4.5 * LIGHT, 1.099 * LIGHT**0.45 - 0.099),
    "power": LIGHT ** (1 / 2.4),
}


@pytest.mark.parametrize("name", CURVES)
def test_two_numbers_say_what_cameras_do(name):
    """Light may be scaled and lifted: what blur does is the same."""
    code, grid = CURVES[name] / max(1.0, CURVES[name].max()), np.linspace(0, 1, 2001)
    slope = np.maximum(np.gradient(LIGHT, code), 0.02)

    def off(numbers) -> np.ndarray:
        light = np.interp(code, grid, light_of(grid, Tone(*numbers)))
        a = np.stack([light, np.ones_like(light)], axis=1) / slope[:, None]
        return a @ np.linalg.lstsq(a, LIGHT / slope, rcond=None)[0] - LIGHT / slope

    found = least_squares(off, [0.0, 0.0])
    assert np.sqrt(np.mean(found.fun**2)) < 0.004
    assert np.sqrt(np.mean(found.fun**2)) < 0.3 * np.sqrt(np.mean(off(SRGB) ** 2))


@pytest.mark.parametrize("tone", [SRGB, Tone(-1.5, 0.3), Tone(0.1, 0.4), Tone(3.5, 0.5)])
def test_light_rises_with_code_values_and_leads_back(tone):
    code = np.linspace(0.02, 1.0, 500).astype(np.float32)
    light = to_light(code, tone)
    assert np.all(np.diff(light) > 0)
    assert light[-1] == pytest.approx(1.0, abs=2e-3)
    assert to_code(light, encode_table(tone)) == pytest.approx(code, abs=2e-3)


def test_without_a_tone_it_is_srgb():
    code = np.linspace(0, 1, 1001)
    assert light_of(code, SRGB) == pytest.approx(srgb_to_linear(code), abs=1e-9)


def test_a_picture_keeps_its_shape_and_what_overshoots_stays_in_order():
    picture = np.array([[-0.2, 0.0, 0.5], [1.0, 1.05, 1.5]], np.float32)
    light = to_light(picture, Tone(0.3, 0.2))
    assert light.shape == picture.shape
    assert light[0, 1] == pytest.approx(0.0, abs=1e-4)
    assert np.all(np.diff(light.ravel()) > 0)


@pytest.mark.parametrize("tone", [SRGB, Tone(-1.5, 0.3), Tone(0.41, 0.0), Tone(3.5, 0.5)])
def test_the_slope_of_code_values_is_what_small_steps_of_light_do(tone):
    """The derivative beside a value, which every fit steps by, against differences of the curve itself."""
    table = encode_table(tone)
    light = np.geomspace(0.01, 0.98, 60)
    code = np.linspace(0.0, 1.1, 40001)
    exact = np.interp(light, light_of(code, tone), code)
    step = 0.01 * light
    slope = (np.interp(light + step, light_of(code, tone), code) - np.interp(light - step, light_of(code, tone), code)) / (2 * step)
    found = np.array([encode_one(np.float32(x), table) for x in light])
    assert found[:, 0] == pytest.approx(exact, abs=1e-3)
    assert found[:, 1] == pytest.approx(slope, rel=0.05)


def test_tilt_makes_a_step_worth_more_at_white_and_ends_at_both():
    code = np.linspace(0, 1, 2001)

    def worth(tone: Tone) -> np.ndarray:
        """Light a step of code value, against sRGB's, at black, in the middle, and at white."""
        ratio = np.diff(light_of(code, tone)) / np.diff(light_of(code, SRGB))
        return ratio[[5, 1000, 1994]]

    black, middle, white = worth(Tone(1.0, 0.0))
    assert black < middle < white
    assert white / black == pytest.approx(np.exp(2.0), rel=0.03)
    black, middle, white = worth(Tone(0.0, 0.6))
    assert black == pytest.approx(white, rel=0.03)
    assert black / middle == pytest.approx(np.exp(0.9), rel=0.03)
