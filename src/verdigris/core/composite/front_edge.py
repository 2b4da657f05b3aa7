"""What is in front of a surface, at its edge: the surface's own light taken out of mixed pixels.

Where an outline or a shape covers a share m of a pixel, the plate shows C = m F + (1 - m) O, with F what is in front and O the old
surface. Both are known from pixels near by that are one or the other alone, more or less exactly; the likeliest F given C is

    F = F' + m v_F (C - m F' - (1 - m) O') / (m^2 v_F + (1 - m)^2 v_O + n)

with F', O' the means, v_F, v_O the variances around there, and n the noise. A surface that is even is taken out wholly; of one that
varies as much as what is in front, no more than is known of it.

References
----------
Chuang, Curless, Salesin and Szeliski, A Bayesian approach to digital matting, CVPR 2001, for a share that is given.
Knutsson and Westin, Normalized and differential convolution, CVPR 1993 (means of what is known only in places).
"""

import cv2
import numba
import numpy as np

from verdigris.core.composite.layer import Box
from verdigris.core.types import Bool, Float32

# Shares from which on a pixel counts as one or the other alone.
NEARLY_NONE, NEARLY_ALL = 0.002, 0.998
# Neighbourhoods that are asked, the nearest that has enough of it: standard deviation, px, and how many px are one for that.
NEIGHBOURHOODS = ((2.0, 1), (6.0, 4), (18.0, 8))
# So much of a neighbourhood has to be known.
ENOUGH = 0.02
# Variance of light that is never taken to be less: noise and codes.
LEAST_VARIANCE = 2e-5
# Room around what is mixed, px: twice the furthest of them.
ROOM_PX = 36


def front_edge(light: Float32, front: Float32, surface: Float32) -> tuple[Box, Float32] | None:
    """What the light of what is in front is to change by where it is mixed with an old surface.

    Parameters
    ----------
    light : (h, w, 3) float32, linear light of the plate
    front : (h, w) float32 0..1, share of what is in front
    surface : (h, w) float32 0..1, coverage of the old surface

    Returns
    -------
    Box of the pixels that may change, px of `light`, and (h, w, 3) float32 there, m (F - C); None where nothing is mixed
    """
    mixed = (front > NEARLY_NONE) & (front < NEARLY_ALL) & (surface > NEARLY_ALL)
    box = _around(mixed, ROOM_PX)
    if box is None:
        return None
    part = np.s_[box[1] : box[3], box[0] : box[2]]
    light, front, surface = (np.ascontiguousarray(v[part]) for v in (light, front, surface))
    mixed = np.ascontiguousarray(mixed[part])
    old = cv2.erode(((front < NEARLY_NONE) & (surface > NEARLY_ALL)).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    change = np.zeros_like(light)
    _likeliest(light, front, mixed, *_around_there(light, old), *_around_there(light, front > NEARLY_ALL), change)
    return box, change


def _around(where: Bool, room: int) -> Box | None:
    """The box around some pixels, with room; None where there are none."""
    rows, cols = np.flatnonzero(where.any(axis=1)), np.flatnonzero(where.any(axis=0))
    if len(rows) == 0:
        return None
    h, w = where.shape
    return (
        max(0, int(cols[0]) - room), max(0, int(rows[0]) - room), min(w, int(cols[-1]) + 1 + room), min(h, int(rows[-1]) + 1 + room),
    )  # fmt: skip


def _around_there(light: Float32, known: Bool) -> tuple[Float32, Float32, Float32]:
    """Of every neighbourhood: light and its square, times how much is known, and that, (h', w', 8) float32, the last unused."""
    first, second, third = (_blurred(_sums(light, known, step), deviation / step) for deviation, step in NEIGHBOURHOODS)
    return first, second, third


def _blurred(sums: Float32, deviation: float) -> Float32:
    # The library blurs four channels at a time fast.
    return np.dstack([cv2.GaussianBlur(sums[..., k : k + 4], (0, 0), deviation) for k in (0, 4)])


def _sums(light: Float32, known: Bool, step: int) -> Float32:
    h, w = known.shape
    out = np.zeros((-(-h // step), -(-w // step), 8), np.float32)
    _sum_up(light, known, step, out)
    return out


@numba.njit(cache=True, nogil=True, fastmath=True)
def _sum_up(light, known, step, out):  # type: ignore[no-untyped-def]
    h, w = known.shape
    share = np.float32(1.0 / (step * step))
    for r in range(h):
        for c in range(w):
            if known[r, c]:
                y, x = r // step, c // step
                for k in range(3):
                    v = light[r, c, k]
                    out[y, x, k] += share * v
                    out[y, x, 3 + k] += share * v * v
                out[y, x, 6] += share


@numba.njit(cache=True, nogil=True, fastmath=True, inline="always")
def _read(sums, step, r, c, into):  # type: ignore[no-untyped-def]
    """Mean and variance around a pixel, written into six numbers; whether enough of it is known."""
    rows, cols = sums.shape[:2]
    half, over = np.float32(0.5), np.float32(1.0 / step)
    at_y, at_x = (r + half) * over - half, (c + half) * over - half
    y, x = int(np.floor(at_y)), int(np.floor(at_x))
    ty, tx = at_y - y, at_x - x
    ya, yb = min(max(y, 0), rows - 1), min(max(y + 1, 0), rows - 1)
    xa, xb = min(max(x, 0), cols - 1), min(max(x + 1, 0), cols - 1)
    w00, w01, w10, w11 = (1 - ty) * (1 - tx), (1 - ty) * tx, ty * (1 - tx), ty * tx
    there = w00 * sums[ya, xa, 6] + w01 * sums[ya, xb, 6] + w10 * sums[yb, xa, 6] + w11 * sums[yb, xb, 6]
    if there <= ENOUGH:
        return False
    for k in range(6):
        into[k] = (w00 * sums[ya, xa, k] + w01 * sums[ya, xb, k] + w10 * sums[yb, xa, k] + w11 * sums[yb, xb, k]) / there
    for k in range(3):
        into[3 + k] = max(into[3 + k] - into[k] * into[k], np.float32(LEAST_VARIANCE))
    return True


@numba.njit(cache=True, nogil=True, fastmath=True)
def _likeliest(light, front, mixed, old_1, old_2, old_3, own_1, own_2, own_3, change):  # type: ignore[no-untyped-def]
    """The change m (F - C) of every mixed pixel both of whose sides are known."""
    old, own = np.empty(6, np.float32), np.empty(6, np.float32)
    s1, s2, s3 = NEIGHBOURHOODS[0][1], NEIGHBOURHOODS[1][1], NEIGHBOURHOODS[2][1]
    one, least = np.float32(1.0), np.float32(LEAST_VARIANCE)
    for r in range(mixed.shape[0]):
        for c in range(mixed.shape[1]):
            if not mixed[r, c]:
                continue
            if not (_read(old_1, s1, r, c, old) or _read(old_2, s2, r, c, old) or _read(old_3, s3, r, c, old)):
                continue
            if not (_read(own_1, s1, r, c, own) or _read(own_2, s2, r, c, own) or _read(own_3, s3, r, c, own)):
                continue
            m = front[r, c]
            rest = one - m
            for k in range(3):
                seen, varies = light[r, c, k], own[3 + k]
                gain = m * varies / (m * m * varies + rest * rest * old[3 + k] + least)
                told = own[k] + gain * (seen - m * own[k] - rest * old[k])
                change[r, c, k] = m * (max(told, min(seen, np.float32(0.0))) - seen)
