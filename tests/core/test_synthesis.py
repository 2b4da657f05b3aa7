"""Smears made of taps: as flat as an open shutter, against sums of very many."""

import numpy as np
import pytest

from bench.tracking.materials import photograph
from verdigris.core.camera.optics import STILL, Optics
from verdigris.core.light.tone import SRGB, encode_table, to_code, to_light
from verdigris.core.tracking.alignment.synthesis import MOST_TAPS, Softness, _end_weight, predict
from verdigris.core.tracking.reference.appearance import build_appearance

SIZE = (480, 320)
DIRECTION = np.array([np.cos(0.4), np.sin(0.4)])


@pytest.fixture(scope="module")
def appearance():
    picture = to_code(photograph(np.random.default_rng(11), SIZE[1], SIZE[0]), encode_table(SRGB))
    region = np.zeros(SIZE[::-1], bool)
    region[60:260, 80:400] = True
    return build_appearance(picture, region, Optics(*SIZE), most=6000)


def seen(appearance, base: float, length: float, shift: float = 0.0) -> np.ndarray:
    """Code values at the samples, shifted along the smear, blurred by `base` px^2 and smeared evenly over `length` px."""
    count, n = len(appearance.centres), len(appearance.points)
    soft = Softness(
        0.64, np.full(count, base), np.full(count, length**2 / 12), np.tile(DIRECTION, (count, 1)), np.zeros(count), np.ones(count)
    )  # fmt: skip
    return predict(appearance, soft, appearance.points + shift * DIRECTION, np.zeros(n), appearance.tiles, np.eye(3), STILL, 0.0)[:, 0]


@pytest.mark.parametrize("n", range(3, MOST_TAPS + 1, 2))
def test_taps_have_the_moments_of_a_box(n):
    weights = np.ones(n)
    weights[0] = weights[-1] = _end_weight(n)
    at = np.arange(n) - (n - 1) / 2
    second, fourth = (np.sum(weights * at**k) / weights.sum() for k in (2, 4))
    assert fourth / second**2 == pytest.approx(1.8)
    assert 0.5 < weights[0] < 1


@pytest.mark.parametrize("base", [0.64, 1.5, 4.0])
@pytest.mark.parametrize("length", [2.0, 5.0, 9.0, 17.0])
def test_a_smear_is_the_mean_of_what_passes(appearance, base, length):
    made = seen(appearance, base, length)
    steps = (np.arange(81) - 40) / 81 * length
    exact = to_code(np.mean([to_light(seen(appearance, base, 0.0, s), SRGB) for s in steps], axis=0).astype(np.float32), encode_table(SRGB))
    known = made > -50
    assert known.mean() > 0.9
    assert np.sqrt(np.mean((made - exact)[known] ** 2)) < 5e-4
    assert np.abs((made - exact)[known]).mean() < 0.02 * np.abs((seen(appearance, base, 0.0) - exact)[known]).mean()
