"""How parts become one matte: each added, taken away, or only where both are."""

from typing import Literal, get_args

import cv2
import numba
import numpy as np

from verdigris.core.types import Float32

Combine = Literal["add", "subtract", "intersect"]
COMBINE = get_args(Combine)


def combined(so_far: Float32 | None, part: Float32, combine: Combine) -> Float32:
    """A matte with one more part, all (h, w) float32 0..1; the first is added to nothing, and taken away from everything."""
    if so_far is None:
        return part if combine != "subtract" else np.asarray(1 - part, np.float32)
    out = np.empty_like(part)
    _combine(np.ascontiguousarray(so_far).reshape(-1), np.ascontiguousarray(part).reshape(-1), COMBINE.index(combine), out.reshape(-1))
    return out


@numba.njit(cache=True, nogil=True, fastmath=True)
def _combine(so_far, part, how, out):  # type: ignore[no-untyped-def]
    for i in range(out.size):
        a, b = so_far[i], part[i]
        out[i] = a + b - a * b if how == 0 else a - a * b if how == 1 else a * b


def grown(matte: Float32, by_px: float) -> Float32:
    """A matte with its edge moved outwards by so many px, inwards below 0; fractions lie between the whole steps around them."""
    if by_px == 0:
        return matte
    if by_px < 0:
        return np.asarray(1 - grown(np.asarray(1 - matte, np.float32), -by_px), np.float32)
    whole = int(by_px)
    low = _dilated(matte, whole)
    rest = np.float32(by_px - whole)
    return low if rest == 0 else np.asarray(low + rest * (_dilated(matte, whole + 1) - low), np.float32)


def _dilated(matte: Float32, radius: int) -> Float32:
    if radius == 0:
        return matte
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1))
    return np.asarray(cv2.dilate(matte, disc), np.float32)


def softened(matte: Float32, deviation_px: float) -> Float32:
    """A matte with a soft edge of a standard deviation, px."""
    return matte if deviation_px <= 0 else np.asarray(cv2.GaussianBlur(matte, (0, 0), deviation_px), np.float32)


def brightness(codes: Float32, channel: str, contrast: float, low: tuple[float, float], high: tuple[float, float]) -> Float32:
    """What is as bright as a range says.

    Parameters
    ----------
    codes : (h, w, 3) float32 display codes 0..1
    channel : luma, red, green or blue
    contrast : steepness around the middle of the range
    low, high : codes between which it fades in, and out; from 1 on it does not fade out
    """
    weights = {"luma": (0.2126, 0.7152, 0.0722), "red": (1, 0, 0), "green": (0, 1, 0), "blue": (0, 0, 1)}[channel]
    level = codes @ np.array(weights, np.float32)
    middle = (low[0] + min(high[1], 1.0)) / 2
    level = middle + contrast * (level - middle)
    rise = _ramp(level, *low)
    return rise if high[0] >= 1 else np.asarray(rise * (1 - _ramp(level, *high)), np.float32)


def difference(codes: Float32, clean: Float32, low: float, high: float) -> Float32:
    """What differs from a picture without it: the greatest difference of a channel, display codes, smoothed over 3 px against noise."""
    away = cv2.GaussianBlur(codes - clean, (0, 0), 0.8)
    return _ramp(np.abs(away).max(axis=2), low, high)


def _ramp(level: Float32, start: float, stop: float) -> Float32:
    """0 up to start, 1 from stop on; a step where both are one."""
    return np.asarray(np.clip((level - start) / max(stop - start, 1e-6), 0, 1), np.float32)
