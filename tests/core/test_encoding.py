"""Curves against the standards' own formulas and figures; tables against the curves; primaries against published matrices."""

import numpy as np
import pytest

from verdigris.core.light.encoding import (
    PRIMARIES,
    TRANSFERS,
    exact_light,
    for_screen,
    in_primaries,
    nearest_primaries,
    primaries_matrix,
    to_code,
    to_light,
)

STANDARD = {
    "srgb": lambda c: np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4),
    "bt709": lambda c: np.where(c < 0.081, c / 4.5, ((c + 0.099) / 1.099) ** (1 / 0.45)),
    "gamma22": lambda c: c**2.2,
    "gamma24": lambda c: c**2.4,
    "gamma28": lambda c: c**2.8,
    "linear": lambda c: c,
    "log100": lambda c: 10 ** (2 * (c - 1)),
    "log316": lambda c: 10 ** (2.5 * (c - 1)),
    # BT.2100 table 4, in units of 203 cd/m2.
    "pq": lambda c: (
        10000
        / 203
        * (np.maximum(c ** (1 / 78.84375) - 0.8359375, 0) / (18.8515625 - 18.6875 * c ** (1 / 78.84375))) ** (1 / 0.1593017578125)
    ),
    # BT.2100 table 5, in units of its value at 75 %.
    "hlg": lambda c: np.where(c <= 0.5, c**2 / 3, (np.exp((c - 0.55991073) / 0.17883277) + 0.28466892) / 12) / 0.26496256,
    # S-2016-001, equation 8.
    "acescct": lambda c: np.where(c <= 0.155251141552511, (c - 0.0729055341958355) / 10.5402377416545, 2 ** (c * 17.52 - 9.72)),
}


@pytest.mark.parametrize("transfer", TRANSFERS)
def test_light_is_what_the_standard_says(transfer):
    code = np.linspace(0.02, 1.0, 400)
    wanted = STANDARD[transfer](code)
    # Constants of BT.709 are rounded in the standard: its two pieces meet to about 2e-4.
    within = {"bt709": 3e-4, "srgb": 2e-4}.get(transfer, 2e-5)
    assert np.allclose(to_light(code.astype(np.float32), transfer), wanted, rtol=3e-4, atol=within)


@pytest.mark.parametrize("transfer", TRANSFERS)
def test_codes_come_back_to_a_sixteenth_of_a_twelve_bit_step(transfer):
    lowest = {"log100": 0.01, "log316": 0.01}.get(transfer, -0.05)
    code = np.linspace(lowest, 1.05, 5001).astype(np.float32)
    if transfer in ("acescct", "srgb"):
        code = code[code < 1.0]
    back = to_code(to_light(code, transfer), transfer)
    assert np.abs(back - code).max() < 1 / (16 * 1023 if transfer == "srgb" else 16 * 4095)


@pytest.mark.parametrize("transfer", [t for t in TRANSFERS if t != "srgb"])
def test_tables_are_as_good_as_the_curves(transfer):
    code = np.random.default_rng(1).uniform(0, 1, 4000)
    exact = exact_light(code, transfer) if transfer != "linear" else code
    assert np.allclose(to_light(code.astype(np.float32), transfer), exact, rtol=1e-5, atol=1e-7)


def test_primaries_are_those_that_are_published():
    # BT.2087-0, equation 2.
    wanted = [[0.6274, 0.3293, 0.0433], [0.0691, 0.9195, 0.0114], [0.0164, 0.0880, 0.8956]]
    assert np.abs(primaries_matrix("bt709", "bt2020") - wanted).max() < 1e-4
    for a in PRIMARIES:
        for b in PRIMARIES:
            assert np.allclose(primaries_matrix(a, b) @ np.ones(3), 1, atol=1e-9)
            assert np.allclose(primaries_matrix(a, b) @ primaries_matrix(b, a), np.eye(3), atol=1e-9)
    light = np.random.default_rng(2).uniform(0, 1, (5, 4)).astype(np.float32)
    assert np.array_equal(in_primaries(light, "p3", "bt709")[:, 3], light[:, 3])


def test_primaries_are_told_from_chromaticities():
    assert nearest_primaries(np.array([[0.68, 0.32], [0.265, 0.69], [0.15, 0.06], [0.3127, 0.329]])) == "p3"
    assert nearest_primaries(np.array([[0.5, 0.3], [0.3, 0.5], [0.2, 0.1], [0.31, 0.33]])) is None


def test_a_screen_shows_srgb_as_it_is_and_highlights_in_order():
    code = np.linspace(0, 1, 256, dtype=np.float32)[:, None].repeat(3, axis=1)
    assert np.abs(for_screen(to_light(code, "srgb"), "bt709", False) - code).max() < 1 / 1000
    bright = np.geomspace(0.1, 40, 100, dtype=np.float32)[:, None].repeat(3, axis=1)
    shown = for_screen(bright, "bt2020", True)[:, 0]
    assert np.all(np.diff(shown) > -1e-6)
    assert shown[-1] <= 1
