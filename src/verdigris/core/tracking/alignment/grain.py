"""Noise of pictures: how much of it any softness leaves, and how far that of neighbouring pixels is alike.

References
----------
Van Vleck and Middleton, The spectrum of clipped noise, Proc. IEEE 54(1), 1966: how alike noise is, from its signs alone.
"""

from collections.abc import Iterable
from functools import lru_cache
from itertools import pairwise
from typing import NamedTuple

import cv2
import numba
import numpy as np

from verdigris.core.tracking.alignment.synthesis import Softness
from verdigris.core.tracking.reference.appearance import VARIANCES
from verdigris.core.types import Bool, Float64, Int

# Noise that is alike over more than this is something else.
MOST_ALIKE_PX2 = 1.0
# Longest tail of a blur, px.
REACH = 48
# As many pairs of pixels tell how far it is alike.
LEAST_PAIRS = 2000


class Grain(NamedTuple):
    """A picture's noise.

    Attributes
    ----------
    variance : of one pixel's noise, code values squared, as if none of it were alike: its power at long waves
    px2 : how far the noise of neighbouring pixels is alike, as the variance of a blur that would make it so, px^2; NaN where not told
    """

    variance: float
    px2: float


# What it is taken for as long as nothing shows it: cameras make one picture element of several.
USUAL_GRAIN = Grain(np.inf, 0.5)


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


def kept_and_pull(soft: Softness, px2: float) -> tuple[Float64, Float64]:
    """What each tile of the reference does with a pixel's noise.

    Returns
    -------
    kept : (tiles,) share of its variance that is left
    pull : (tiles,) how much what is left and its change by the blur of the frame have in common, per px^2 of blur

    Notes
    -----
    As `predict` makes them: softnesses between two of the pyramid are a blend of both, and the change is their difference.
    """
    kept, pull = np.empty(len(soft.round)), np.empty(len(soft.round))
    _of_tiles(
        soft.all_around, np.where(soft.has_line, soft.line, 0.0), soft.zoom, VARIANCES, *_kept_along_a_line(round(px2, 2)), px2, kept, pull
    )
    return kept, pull


@numba.njit(cache=True, nogil=True)
def _of_tiles(around, line, zoom, variances, own, shared, px2, kept, pull):  # type: ignore[no-untyped-def]
    """Fill what is kept, and the pull, of every tile."""
    for i in range(around.shape[0]):
        k = 0
        while k < variances.shape[0] - 2 and variances[k + 1] <= around[i]:
            k += 1
        low, high = variances[k], variances[k + 1]
        second = min(max((around[i] - low) / (high - low), 0.0), 1.0)
        first = 1 - second
        # Two softnesses of the same noise have in common what one in the middle would keep.
        one = own[k] ** 2 * np.sqrt((low + px2) / (low + px2 + line[i]))
        other = own[k + 1] ** 2 * np.sqrt((high + px2) / (high + px2 + line[i]))
        middle = 0.5 * (low + high) + px2
        both = shared[k] ** 2 * np.sqrt(middle / (middle + line[i]))
        kept[i] = first**2 * one + 2 * first * second * both + second**2 * other
        pull[i] = zoom[i] * (first * (both - one) + second * (other - both)) / (high - low)


@lru_cache(maxsize=256)
def _kept_along_a_line(px2: float) -> tuple[Float64, Float64]:
    """Share of noise that each softness of the pyramid keeps in one direction, and that each shares with the next one, read between pixels.

    Notes
    -----
    Blurs are sampled and splines read between pixels, so that narrow ones leave other shares than a Gaussian formula says.
    """
    waves = (np.arange(512) + 0.5) * np.pi / 512
    soft = []
    for variance in VARIANCES:
        impulse = np.zeros((1, 2 * REACH + 1), np.float64)
        impulse[0, REACH] = 1.0
        taps = cv2.GaussianBlur(impulse, (0, 0), sigmaX=float(np.sqrt(variance)), sigmaY=1e-3, borderType=cv2.BORDER_CONSTANT)[0]
        soft.append(np.cos(np.outer(waves, np.arange(-REACH, REACH + 1))) @ taps)
    f = (np.arange(16) + 0.5) / 16
    weights = np.stack([(1 - f) ** 3, 3 * f**3 - 6 * f**2 + 4, -3 * f**3 + 3 * f**2 + 3 * f + 1, f**3]) / 6
    spline = np.exp(1j * np.outer(waves, np.arange(-1, 3))) @ weights * (3 / (2 + np.cos(waves)))[:, None]
    spectrum = np.exp(-px2 * waves**2) * np.mean(np.abs(spline) ** 2, axis=1)
    own = [float(np.mean(spectrum * a * a)) for a in soft]
    shared = [float(np.mean(spectrum * a * b)) for a, b in pairwise(soft)]
    return np.array(own), np.array(shared)


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
