"""B-splines four taps at a time: the numbers of a plain sum of sixteen, and slopes that are slopes."""

import numba
import numpy as np
import pytest
from scipy.interpolate import BSpline

from verdigris.core.tracking.alignment.vector_taps import cubic_pair

SPLINES = np.random.default_rng(3).random((4, 21, 17)).astype(np.float32)


@numba.njit
def looked_up(splines, k, u, v, blend):
    x, y = int(u), int(v)
    return cubic_pair(splines, k, y - 1, x - 1, np.float32(u - x), np.float32(v - y), np.float32(blend))


def plainly(k: int, u: float, v: float) -> float:
    """Sixteen coefficients weighed by the basis as a library has it, its knots around each of them."""
    basis = BSpline.basis_element(np.arange(-2.0, 3.0), extrapolate=False)
    along, across = np.nan_to_num(basis(v - np.arange(21.0))), np.nan_to_num(basis(u - np.arange(17.0)))
    return float(along @ SPLINES[k].astype(float) @ across)


@pytest.mark.parametrize("at", [(1.0, 1.0), (7.3, 4.9), (13.999, 17.2), (14.5, 18.5)])
@pytest.mark.parametrize("k", [0, 2])
def test_values_and_slopes_are_those_of_the_spline_that_lies_between_both_levels(at, k):
    (u, v), blend, small = at, 0.3, 1e-4

    def between(u: float, v: float) -> float:
        return (1 - blend) * plainly(k, u, v) + blend * plainly(k + 1, u, v)

    value, du, dv, change = looked_up(SPLINES, k, u, v, blend)
    assert value == pytest.approx(between(u, v), abs=2e-6)
    assert change == pytest.approx(plainly(k + 1, u, v) - plainly(k, u, v), abs=2e-6)
    assert du == pytest.approx((between(u + small, v) - between(u - small, v)) / (2 * small), abs=1e-4)
    assert dv == pytest.approx((between(u, v + small) - between(u, v - small)) / (2 * small), abs=1e-4)


def test_the_ends_of_the_blend_are_the_levels_themselves():
    for blend, level in ((0.0, 1), (1.0, 2)):
        assert looked_up(SPLINES, 1, 6.25, 9.75, blend)[0] == pytest.approx(plainly(level, 6.25, 9.75), abs=2e-6)
