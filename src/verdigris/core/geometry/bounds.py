"""The box around points."""

import numpy as np

from verdigris.core.types import Float32, Float64, Int


def bounds(points: Float64 | Float32 | Int) -> tuple[Float64, Float64]:
    """Least and greatest x and y of points (..., 2), each (2,) float64.

    Column by column: reducing along the longer axis of rows of two takes twenty times as long.
    """
    x, y = points[..., 0], points[..., 1]
    return np.array([x.min(), y.min()], np.float64), np.array([x.max(), y.max()], np.float64)
