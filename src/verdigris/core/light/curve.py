"""Tone curves through a few points.

References
----------
Fritsch and Carlson, Monotone piecewise cubic interpolation, SIAM Journal on Numerical Analysis 17, 1980: no overshoot between points.
"""

from collections.abc import Sequence

import numpy as np
from scipy.interpolate import PchipInterpolator

from verdigris.core.types import Float32, Float64

ENTRIES = 4096


def curve_table(points: Sequence[tuple[float, float]]) -> Float64 | None:
    """A curve at ENTRIES even steps of 0..1, float64; None where it changes nothing.

    Parameters
    ----------
    points : (x, y), code values 0..1, x rising; before the first and after the last it goes on with the slope of 1
    """
    if all(abs(x - y) < 1e-9 for x, y in points):
        return None
    x, y = (np.array([p[i] for p in points], np.float64) for i in (0, 1))
    at = np.linspace(0, 1, ENTRIES)
    inner = np.clip(at, x[0], x[-1])
    value = PchipInterpolator(x, y)(inner) if len(x) > 1 else np.full(ENTRIES, y[0])
    return np.asarray(value + (at - inner), np.float64)


def curved(codes: Float32, tables: Sequence[Float64 | None]) -> Float32:
    """Code values (..., 3) through a table for each channel; beyond 0..1 they go on with the slope of 1."""
    out = np.array(codes, np.float32)
    for i, table in enumerate(tables):
        if table is not None:
            inside = np.clip(codes[..., i], 0, 1)
            out[..., i] = np.interp(inside, np.linspace(0, 1, ENTRIES), table) + (codes[..., i] - inside)
    return out
