"""CIEDE2000 against the published pairs."""

import numpy as np
import pytest

from verdigris.core.inspection.colour_difference import ciede2000, ciede2000_of_lab, lab_of

# Sharma, Wu and Dalal 2005, table 1: pairs 1, 4, 7, 10, 13, 17, 20, 25, 30, 34.
PAIRS = [
    ((50.0, 2.6772, -79.7751), (50.0, 0.0, -82.7485), 2.0425),
    ((50.0, -1.3802, -84.2814), (50.0, 0.0, -82.7485), 1.0),
    ((50.0, 0.0, 0.0), (50.0, -1.0, 2.0), 2.3669),
    ((50.0, 2.49, -0.001), (50.0, -2.49, 0.0011), 7.2195),
    ((50.0, -0.001, 2.49), (50.0, 0.0009, -2.49), 4.8045),
    ((50.0, 2.5, 0.0), (73.0, 25.0, -18.0), 27.1492),
    ((50.0, 2.5, 0.0), (58.0, 24.0, 15.0), 19.4535),
    ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
    ((22.7233, 20.0904, -46.694), (23.0331, 14.973, -42.5619), 2.0373),
    ((2.0776, 0.0795, -1.135), (0.9033, -0.0636, -0.5514), 0.9082),
]


@pytest.mark.parametrize(("a", "b", "wanted"), PAIRS)
def test_published_pairs(a, b, wanted):
    one, other = np.array([a]), np.array([b])
    assert ciede2000_of_lab(one, other)[0] == pytest.approx(wanted, abs=2e-4)
    assert ciede2000_of_lab(other, one)[0] == pytest.approx(wanted, abs=2e-4)


def test_white_is_white_and_light_that_is_the_same_differs_by_nothing():
    assert lab_of(np.ones((1, 3)))[0] == pytest.approx([100, 0, 0], abs=0.02)
    light = np.random.default_rng(1).random((20, 3)).astype(np.float32)
    assert np.abs(ciede2000(light, light)).max() < 1e-6
    assert (ciede2000(light, light * np.float32(0.8)) > 1).all()
