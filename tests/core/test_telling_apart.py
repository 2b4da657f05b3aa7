"""What tells things apart, against colours that are known to differ in one way."""

import numpy as np
import pytest

from verdigris.core.matte.telling_apart import tell_apart


def some(colour, seed=1, level=0.15, noise=0.01):
    """Pixels of a colour, lit unevenly."""
    rng = np.random.default_rng(seed)
    return np.float32(np.array(colour) * rng.uniform(1 - level, 1 + level, (4000, 1)) + rng.normal(0, noise, (4000, 3))).clip(1e-4)


def test_a_hand_before_a_blue_screen_is_told_by_hue():
    told = tell_apart(some((0.4, 0.25, 0.18)), some((0.03, 0.07, 0.5), 2))
    assert told.by == "key"
    assert told.wrong < 0.01


@pytest.mark.parametrize("darker", [False, True])
def test_grey_before_grey_is_told_by_brightness(darker):
    bright, dark = some((0.5, 0.5, 0.5)), some((0.08, 0.08, 0.08), 2)
    told = tell_apart(dark, bright) if darker else tell_apart(bright, dark)
    assert told.darker == darker
    assert told.is_sure
    assert 0.3 < told.low[0] < told.low[1] < 0.75


def test_one_channel_may_tell_more_than_all():
    told = tell_apart(some((0.2, 0.33, 0.3)), some((0.42, 0.3, 0.3), 2))
    assert told.by == "red"
    assert told.darker


def test_what_looks_alike_is_not_sure():
    assert not tell_apart(some((0.3, 0.3, 0.3), level=0.5), some((0.32, 0.3, 0.3), 2, level=0.5)).is_sure
    with pytest.raises(ValueError, match="nothing to tell apart"):
        tell_apart(np.zeros((0, 3), np.float32), some((1, 1, 1)))
