"""Noise of pictures: how much of it any softness leaves, and how far that of neighbouring pixels is alike.

References
----------
Van Vleck and Middleton, The spectrum of clipped noise, Proc. IEEE 54(1), 1966: how alike noise is, from its signs alone.
"""

from collections.abc import Iterable
from typing import NamedTuple

import numba
import numpy as np

from verdigris.core.tracking.appearance import VARIANCES
from verdigris.core.tracking.synthesis import Softness
from verdigris.core.types import Bool, Float64, Int

# Noise that is alike over more than this is something else.
MOST_ALIKE_PX2 = 1.0
# As many pairs of pixels tell how far it is alike.
LEAST_PAIRS = 2000


class Grain(NamedTuple):
    """A picture's noise.

    Attributes
    ----------
    variance : of one pixel's noise, code values squared
    px2 : how far the noise of neighbouring pixels is alike, as the variance of a blur that would make it so, px^2; NaN where not told
    """

    variance: float
    px2: float


# What it is taken for as long as nothing shows it.
USUAL_GRAIN = Grain(np.inf, 0.3)


def common_grain(seen: Iterable[Grain | None]) -> Grain:
    """The noise that frames have in common: what is more in any of them is no noise."""
    told = [g for g in seen if g is not None and g.variance > 0]
    if not told:
        return USUAL_GRAIN
    alike = [g.px2 for g in told if np.isfinite(g.px2)]
    return Grain(min(g.variance for g in told), float(np.median(alike)) if alike else USUAL_GRAIN.px2)


def left_in_frame(soft: Softness, px2: float) -> float:
    """Share of a pixel's noise, as variance, that the frame keeps."""
    return float(1.0 / (4 * np.pi * (soft.smoothing + px2)))


def left_in_reference(soft: Softness, px2: float) -> Float64:
    """Share of a pixel's noise, as variance, that each tile of the reference keeps, (tiles,)."""
    return _left(soft.round, soft.line, px2)


def change_by_blur(soft: Softness, px2: float) -> Float64:
    """How that share changes with the blur of the frame, per px^2 of it, (tiles,).

    Notes
    -----
    As `predict` sees it: softnesses between two of the pyramid are a blend of both, and its derivative their difference.
    """
    base, line = soft.all_around, np.where(soft.has_line, soft.line, 0.0)
    k = np.clip(np.searchsorted(VARIANCES, base, "right") - 1, 0, len(VARIANCES) - 2)
    low, high = VARIANCES[k], VARIANCES[k + 1]
    second = np.clip((base - low) / (high - low), 0.0, 1.0)
    first = 1 - second
    # Two softnesses of the same noise have in common what a softness in the middle keeps.
    one, both, other = (_left(v, line, px2) for v in (low, (low + high) / 2, high))
    blend = first**2 * one + 2 * first * second * both + second**2 * other
    change = 2 * soft.zoom * (first * (both - one) + second * (other - both)) / (high - low)
    return np.asarray(change * left_in_reference(soft, px2) / blend)


def alike_px2(pixels: Int, residual: Float64, flat: Bool, variance: float) -> float:
    """How far noise is alike, as the variance of a blur, px^2; NaN where too few pixels are neighbours.

    Parameters
    ----------
    pixels : (N, 2) int64 x and y of each, once
    residual : (N,) what is left there
    flat : (N,) where nothing but noise is left
    variance : by which the pictures were softened, px^2
    """
    pairs, same = _same_signs(pixels, np.asarray(residual, np.float32), flat)
    if pairs < LEAST_PAIRS:
        return np.nan
    alike = float(np.sin(np.pi * (same / pairs - 0.5)))
    if alike <= 0:
        return 0.0
    # Softened noise a pixel away is alike by exp(-1 / 4v).
    return float(np.clip(-0.25 / min(np.log(alike), -1e-6) - variance, 0.0, MOST_ALIKE_PX2))


@numba.njit(cache=True, nogil=True)
def _same_signs(pixels, residual, flat):  # type: ignore[no-untyped-def]
    """How many pixels have a neighbour to the right or below, and for how many of those the signs are the same."""
    x0, y0, x1, y1 = pixels[:, 0].min(), pixels[:, 1].min(), pixels[:, 0].max(), pixels[:, 1].max()
    signs = np.zeros((y1 - y0 + 2, x1 - x0 + 2), np.int8)
    for i in range(pixels.shape[0]):
        if flat[i]:
            signs[pixels[i, 1] - y0, pixels[i, 0] - x0] = 1 if residual[i] > 0 else -1
    pairs, same = 0, 0
    for i in range(pixels.shape[0]):
        row, col = pixels[i, 1] - y0, pixels[i, 0] - x0
        own = signs[row, col]
        if own:
            for other in (signs[row, col + 1], signs[row + 1, col]):
                if other:
                    pairs += 1
                    same += own == other
    return pairs, same


def _left(base: Float64, line: Float64, px2: float) -> Float64:
    return np.asarray(1.0 / (4 * np.pi * np.sqrt((base + px2) * (base + line + px2))))
