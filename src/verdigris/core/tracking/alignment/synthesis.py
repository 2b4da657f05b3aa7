"""What a frame should look like: the reference picture through the plane's pose, as soft and as smeared as the frame.

Predicted values are compared at the frame's own pixels, so the frame is never interpolated. Blur is made in linear
light, because that is where lens and shutter make it; comparison is in code values, where noise is nearly even.
A softness is a 2 x 2 covariance, px^2; softnesses add.

References
----------
Heckbert, Fundamentals of texture mapping and image warping, 1989 (footprints as covariances under the local map).
Thevenaz, Blu and Unser, Interpolation revisited, IEEE TMI 19(7), 2000 (cubic B-splines, exact where cubic convolution shifts waves).
"""

from dataclasses import dataclass
from typing import NamedTuple

import numba
import numpy as np

from verdigris.core.camera.optics import Movement
from verdigris.core.light.tone import encode_one
from verdigris.core.tracking.alignment.vector_taps import cubic_pair
from verdigris.core.tracking.reference.appearance import USUAL_VARIANCE, VARIANCES, Appearance
from verdigris.core.types import Bool, Float32, Float64, Int

PIXEL_VARIANCE = 1.0 / 12.0
MOST_SMOOTHING = 36.0
SMOOTHING_STEP = 1.05
MOST_TAPS = 33
# How far apart they are at most, in standard deviations of what is blurred all around: between them nothing shows.
APART = 1.5
# A smear of less variance is made all around.
SHORT = 0.15
UNKNOWN = -99.0


@dataclass(frozen=True)
class Softness:
    """How much softer each tile of the reference must become, ideal reference px.

    Attributes
    ----------
    smoothing : variance by which the frame is smoothed before it is compared, plate px^2
    round : (tiles,) float64 variance all around, px^2
    line : (tiles,) float64 further variance along `axis`, px^2
    axis : (tiles, 2) float64 unit vectors
    peaked : (tiles,) float64, 0 for a flat smear along the line, 1 for one that falls off
    zoom : (tiles,) float64, reference px^2 per frame px^2
    """

    smoothing: float
    round: Float64
    line: Float64
    axis: Float64
    peaked: Float64
    zoom: Float64

    @property
    def all_around(self) -> Float64:
        """Variance without that of smears that are worth a line, px^2, (tiles,)."""
        return np.where(self.has_line, self.round, self.round + 0.5 * self.line)

    @property
    def has_line(self) -> Bool:
        """Whether the smear of a tile is worth a line, (tiles,)."""
        return np.asarray(self.line >= SHORT)


def softness(
    appearance: Appearance,
    h: Float64,
    move: Movement,
    move_reference: Movement,
    blur: float,
    shutter: float,
    least: float,
    fixed: bool = False,
) -> Softness:
    """Match softness of reference and frame: the sharper one is blurred like the other.

    Parameters
    ----------
    h, move : pose and movement of the frame
    blur : variance by which the frame is softer than the reference, plate px^2; negative when sharper
    shutter : variance of the exposure in time, frames^2
    least : least variance by which the frame is smoothed, plate px^2
    fixed : keep to that least variance, even where the reference is softer
    """
    count = len(appearance.centres)
    round_, line, zoom, peaked = np.empty(count), np.empty(count), np.empty(count), np.empty(count)
    axis = np.empty((count, 2))
    most = least if fixed else MOST_SMOOTHING
    smoothing = _soften(
        appearance.centres, h, move.v, move_reference.v, blur, shutter, least, most, VARIANCES[0], round_, line, axis, peaked, zoom
    )
    return Softness(smoothing, round_, line, axis, peaked, zoom)


@numba.njit(cache=True, nogil=True)
def _soften(centres, h, v, vr, blur, shutter, least, most, floor, round_, line, axis, peaked, zoom):  # type: ignore[no-untyped-def]
    """Fill the softness of every tile; returns the smoothing of the frame that leaves nothing negative."""
    count = centres.shape[0]
    parts = np.empty((count, 7))
    smoothing = least
    for i in range(count):
        x, y = centres[i, 0], centres[i, 1]
        w = h[2, 0] * x + h[2, 1] * y + h[2, 2]
        u, q = (h[0, 0] * x + h[0, 1] * y + h[0, 2]) / w, (h[1, 0] * x + h[1, 1] * y + h[1, 2]) / w
        a, b = (h[0, 0] - u * h[2, 0]) / w, (h[0, 1] - u * h[2, 1]) / w
        c, d = (h[1, 0] - q * h[2, 0]) / w, (h[1, 1] - q * h[2, 1]) / w
        det = a * d - b * c
        ia, ib, ic, id_ = d / det, -b / det, -c / det, a / det
        oxx, oxy, oyy = ia * ia + ib * ib, ia * ic + ib * id_, ic * ic + id_ * id_
        third = v[2, 0] * x + v[2, 1] * y + v[2, 2]
        sx, sy = v[0, 0] * x + v[0, 1] * y + v[0, 2] - x * third, v[1, 0] * x + v[1, 1] * y + v[1, 2] - y * third
        third = vr[2, 0] * x + vr[2, 1] * y + vr[2, 2]
        rx, ry = vr[0, 0] * x + vr[0, 1] * y + vr[0, 2] - x * third, vr[1, 0] * x + vr[1, 1] * y + vr[1, 2] - y * third
        mxx, mxy, myy = shutter * (sx * sx - rx * rx), shutter * (sx * sy - rx * ry), shutter * (sy * sy - ry * ry)
        f = blur + PIXEL_VARIANCE
        xx, xy, yy = mxx + f * oxx - PIXEL_VARIANCE, mxy + f * oxy, myy + f * oyy - PIXEL_VARIANCE
        parts[i, 0], parts[i, 1], parts[i, 2], parts[i, 3], parts[i, 4], parts[i, 5] = xx, xy, yy, oxx, oxy, oyy
        parts[i, 6] = mxx + myy
        zoom[i] = 0.5 * (oxx + oyy)
        shrink = zoom[i] - np.sqrt((0.5 * (oxx - oyy)) ** 2 + oxy * oxy)
        txx, txy, tyy = xx + least * oxx, xy + least * oxy, yy + least * oyy
        lowest = 0.5 * (txx + tyy) - np.sqrt((0.5 * (txx - tyy)) ** 2 + txy * txy)
        smoothing = max(smoothing, least + (floor - lowest) / max(shrink, 1e-6))
    if smoothing > least:
        # In steps, so that a frame is not smoothed anew whenever a pose or a blur moves a little.
        smoothing = least * SMOOTHING_STEP ** np.ceil(np.log(smoothing / least) / np.log(SMOOTHING_STEP) - 1e-6)
    smoothing = min(smoothing, max(most, least))
    for i in range(count):
        xx, xy, yy = parts[i, 0] + smoothing * parts[i, 3], parts[i, 1] + smoothing * parts[i, 4], parts[i, 2] + smoothing * parts[i, 5]
        middle, half = 0.5 * (xx + yy), np.sqrt((0.5 * (xx - yy)) ** 2 + xy * xy)
        round_[i] = max(middle - half, floor)
        line[i] = max(middle + half - round_[i], 0.0)
        angle = 0.5 * np.arctan2(2 * xy, xx - yy)
        axis[i, 0], axis[i, 1] = np.cos(angle), np.sin(angle)
        peaked[i] = 0.0 if parts[i, 6] > 0.5 * line[i] else 1.0
    return smoothing


@numba.njit(cache=True, nogil=True, inline="always")
def _end_weight(n):  # type: ignore[no-untyped-def]
    """Weight of the first and last of n even taps, the others being 1, with which they are as flat as an open shutter.

    A box of variance v has a fourth moment of 1.8 v^2; taps of one weight alone have less, and an edge through them looks bent as
    by another tone curve.
    """
    a2 = ((n - 1) / 2.0) ** 2
    second, fourth = n * (n * n - 1) / 12.0, n * (n * n - 1) * (3 * n * n - 7) / 240.0
    a, b, c = -3.2 * a2 * a2, 2 * fourth + 2 * a2 * a2 * n - 7.2 * second * a2, fourth * n - 1.8 * second * second
    return 1.0 + (-b - np.sqrt(b * b - 4 * a * c)) / (2 * a)


class _Smears(NamedTuple):
    """Softness of every tile, as in `Softness`: what the compiled pass takes."""

    base: Float64
    line: Float64
    axis: Float64
    peaked: Float64
    zoom: Float64


@numba.njit(cache=True, nogil=True, inline="always")
def _lay_taps(extra, base, peaked, weights):  # type: ignore[no-untyped-def]
    """Fill the weights of the taps along a smear of variance `extra`, px^2; returns how many there are, and how far apart, px."""
    if extra < SHORT:
        return 1, 0.0
    length = np.sqrt(12.0 * extra)
    taps = min(MOST_TAPS, 3 + 2 * int(0.5 * length / max(1.0, APART * np.sqrt(base)) - 0.5))
    middle, total, second = (taps - 1) * 0.5, 0.0, 0.0
    for j in range(taps):
        weights[j] = 1.0 - peaked * abs(j - middle) / (middle + 1.0)
    if peaked == 0.0:
        weights[0] = weights[taps - 1] = _end_weight(taps)
    for j in range(taps):
        total += weights[j]
    for j in range(taps):
        weights[j] /= total
        second += weights[j] * (j - middle) ** 2
    return taps, np.sqrt(extra / second)


@numba.njit(cache=True, nogil=True, inline="always")
def _between_levels(variances, base):  # type: ignore[no-untyped-def]
    """The level of the pyramid below a variance, px^2, and the share of the next."""
    k = 0
    while k < variances.shape[0] - 2 and variances[k + 1] <= base:
        k += 1
    return k, min(max((base - variances[k]) / (variances[k + 1] - variances[k]), 0.0), 1.0)


@numba.njit(cache=True, nogil=True, fastmath=True, inline="always")
def _row_at(t, terms, row):  # type: ignore[no-untyped-def]
    """A row of H(t) = terms[0] + t terms[1] + t^2 terms[2]."""
    m0, m1, m2 = terms
    return (
        m0[row, 0] + t * (m1[row, 0] + t * m2[row, 0]),
        m0[row, 1] + t * (m1[row, 1] + t * m2[row, 1]),
        m0[row, 2] + t * (m1[row, 2] + t * m2[row, 2]),
    )


@numba.njit(cache=True, nogil=True, fastmath=True)
def _predict(splines, table, variances, origin, ideal, times, back, tiles, smears, out):  # type: ignore[no-untyped-def]
    """Fill `out` (N, 6): value, its gradient in ideal frame px, its change per px^2 of blur, gradient in reference px."""
    height, width = splines.shape[1], splines.shape[2]
    weights = np.empty(MOST_TAPS)
    last = -1
    k, taps, spacing, blend = 0, 1, 0.0, 0.0
    for i in range(ideal.shape[0]):
        tile = tiles[i]
        if tile != last:
            last = tile
            taps, spacing = _lay_taps(smears.line[tile], smears.base[tile], smears.peaked[tile], weights)
            k, blend = _between_levels(variances, smears.base[tile])
        t = times[i]
        h00, h01, h02 = _row_at(t, back, 0)
        h10, h11, h12 = _row_at(t, back, 1)
        h20, h21, h22 = _row_at(t, back, 2)
        x, y = ideal[i, 0], ideal[i, 1]
        w = 1.0 / (h20 * x + h21 * y + h22)
        rx, ry = (h00 * x + h01 * y + h02) * w, (h10 * x + h11 * y + h12) * w
        u0, v0 = rx - origin[0] - 0.5, ry - origin[1] - 0.5
        reach = spacing * (taps - 1) * 0.5
        if u0 - reach < 1 or v0 - reach < 1 or u0 + reach >= width - 3 or v0 + reach >= height - 3:
            out[i, 0] = UNKNOWN
            continue
        value, du, dv, change = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
        for j in range(taps):
            o = spacing * (j - (taps - 1) * 0.5)
            uu, vv = u0 + o * smears.axis[tile, 0], v0 + o * smears.axis[tile, 1]
            iu, iv = int(uu), int(vv)
            a, by_u, by_v, more = cubic_pair(splines, k, iv - 1, iu - 1, np.float32(uu - iu), np.float32(vv - iv), np.float32(blend))
            share = np.float32(weights[j]) if taps > 1 else np.float32(1)
            value += share * a
            du += share * by_u
            dv += share * by_v
            change += share * more
        change /= np.float32(variances[k + 1] - variances[k])
        code, slope = encode_one(value, table)
        du, dv = du * slope, dv * slope
        out[i, 0] = code
        out[i, 1] = (du * (h00 - rx * h20) + dv * (h10 - ry * h20)) * w
        out[i, 2] = (du * (h01 - rx * h21) + dv * (h11 - ry * h21)) * w
        out[i, 3] = change * slope * smears.zoom[tile]
        out[i, 4] = du
        out[i, 5] = dv


def predict(
    appearance: Appearance, soft: Softness, ideal: Float64, times: Float64, tiles: Int, h: Float64, move: Movement, shutter: float
) -> Float32:
    """Predicted code values at ideal frame points.

    Parameters
    ----------
    ideal : (N, 2) float64, ideal frame px
    times : (N,) float64, frames, when their rows are read
    tiles : (N,) int64, tile of each point, ascending
    h, move : pose and movement
    shutter : variance of the exposure in time, frames^2

    Returns
    -------
    (N, 6) float32: code value (UNKNOWN where nothing is known), its derivative by x and y of the frame (per ideal px), by
    blur variance (per px^2), by x and y of the reference (per px)
    """
    out = np.empty((len(ideal), 6), np.float32)
    _predict(
        appearance.pyramid.splines(soft.all_around), appearance.table, VARIANCES, appearance.origin, ideal, times,
        move.back(h, shutter), tiles, _Smears(soft.all_around, soft.line, soft.axis, soft.peaked, soft.zoom), out,
    )  # fmt: skip
    return out


def rim_px(soft: Softness) -> Float64:
    """How near to the rim of the region a sample may come, ideal reference px per tile: not within its own softness."""
    return np.asarray(1.5 + 1.2 * np.sqrt(np.maximum(soft.round + soft.line - USUAL_VARIANCE, 0.0)))
