"""What a frame should look like: the reference picture through the plane's pose, as soft and as smeared as the frame.

Predicted values are compared at the frame's own pixels, so the frame is never interpolated. Blur is made in linear
light, because that is where lens and shutter make it; comparison is in code values, where noise is nearly even.
A softness is a 2 x 2 covariance, px^2; softnesses add.

References
----------
Heckbert, Fundamentals of texture mapping and image warping, 1989 (footprints as covariances under the local map).
Keys, Cubic convolution interpolation for digital image processing, IEEE ASSP 29(6), 1981.
"""

from dataclasses import dataclass

import numba
import numpy as np

from verdigris.core.light.transfer import encode
from verdigris.core.tracking.appearance import USUAL_VARIANCE, VARIANCES, Appearance
from verdigris.core.tracking.optics import Movement, flow
from verdigris.core.types import Float32, Float64, Int

PIXEL_VARIANCE = 1.0 / 12.0
MOST_SMOOTHING = 36.0
MOST_TAPS = 33
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


def softness(
    appearance: Appearance, h: Float64, move: Movement, move_reference: Movement, blur: float, shutter: float, least: float, fixed: bool = False
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
    c = appearance.centres
    w = c @ h[2, :2] + h[2, 2]
    at = (c @ h[:2, :2].T + h[:2, 2]) / w[:, None]
    local = (h[None, :2, :2] - at[:, :, None] * h[None, None, 2, :2]) / w[:, None, None]
    inverse = np.linalg.inv(local)
    own = inverse @ inverse.transpose(0, 2, 1)
    smear, smear_reference = flow(c, move), flow(c, move_reference)
    motion = shutter * (smear[:, :, None] * smear[:, None, :] - smear_reference[:, :, None] * smear_reference[:, None, :])
    eye = np.eye(2)[None]
    rest = motion + (blur + PIXEL_VARIANCE) * own - PIXEL_VARIANCE * eye
    shrink = np.linalg.eigvalsh(own)[:, 0]
    missing = (VARIANCES[0] - np.linalg.eigvalsh(rest + least * own)[:, 0]) / np.maximum(shrink, 1e-6)
    smoothing = least if fixed else float(np.clip(least + max(0.0, float(missing.max())), least, MOST_SMOOTHING))
    values, vectors = np.linalg.eigh(rest + smoothing * own)
    low = np.clip(values[:, 0], VARIANCES[0], None)
    line = np.clip(values[:, 1] - low, 0.0, None)
    moving = np.trace(motion, axis1=1, axis2=2)
    peaked = np.where(moving > 0.5 * line, 0.0, 1.0)
    return Softness(smoothing, low, line, np.ascontiguousarray(vectors[:, :, 1]), peaked, np.trace(own, axis1=1, axis2=2) / 2)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _cubic(image, u, v):  # type: ignore[no-untyped-def]
    """Catmull-Rom value and derivatives at (u, v), px with pixel centres at whole numbers."""
    iu, iv = int(np.floor(u)), int(np.floor(v))
    fu, fv = u - iu, v - iv
    a0, a1 = ((-0.5 * fu + 1.0) * fu - 0.5) * fu, (1.5 * fu - 2.5) * fu * fu + 1.0
    a2, a3 = ((-1.5 * fu + 2.0) * fu + 0.5) * fu, (0.5 * fu - 0.5) * fu * fu
    d0, d1 = (-1.5 * fu + 2.0) * fu - 0.5, (4.5 * fu - 5.0) * fu
    d2, d3 = (-4.5 * fu + 4.0) * fu + 0.5, (1.5 * fu - 1.0) * fu
    b = ((-0.5 * fv + 1.0) * fv - 0.5) * fv, (1.5 * fv - 2.5) * fv * fv + 1.0, ((-1.5 * fv + 2.0) * fv + 0.5) * fv, (0.5 * fv - 0.5) * fv * fv
    e = (-1.5 * fv + 2.0) * fv - 0.5, (4.5 * fv - 5.0) * fv, (-4.5 * fv + 4.0) * fv + 0.5, (1.5 * fv - 1.0) * fv
    value, du, dv = 0.0, 0.0, 0.0
    for r in range(4):
        row = image[iv - 1 + r]
        p0, p1, p2, p3 = row[iu - 1], row[iu], row[iu + 1], row[iu + 2]
        line = a0 * p0 + a1 * p1 + a2 * p2 + a3 * p3
        value += b[r] * line
        du += b[r] * (d0 * p0 + d1 * p1 + d2 * p2 + d3 * p3)
        dv += e[r] * line
    return value, du, dv


@numba.njit(cache=True, nogil=True, fastmath=True)
def _bilinear(image, u, v):  # type: ignore[no-untyped-def]
    iu, iv = int(np.floor(u)), int(np.floor(v))
    fu, fv = u - iu, v - iv
    p, q, r, s = image[iv, iu], image[iv, iu + 1], image[iv + 1, iu], image[iv + 1, iu + 1]
    top, bottom = p + fu * (q - p), r + fu * (s - r)
    return top + fv * (bottom - top), (q - p) * (1 - fv) + (s - r) * fv, bottom - top


@numba.njit(cache=True, nogil=True, fastmath=True)
def _predict(stack, steps, variances, origin, ideal, times, m0, m1, m2, tiles, round_, line, axis, peaked, zoom, out):  # type: ignore[no-untyped-def]
    """Fill `out` (N, 6): value, its gradient in ideal frame px, its change per px^2 of blur, gradient in reference px."""
    levels, height, width = stack.shape
    weights = np.empty(MOST_TAPS)
    last = -1
    k, taps, spacing, blend = 0, 1, 0.0, 0.0
    for i in range(ideal.shape[0]):
        tile = tiles[i]
        if tile != last:
            last = tile
            extra, base = line[tile], round_[tile]
            taps, spacing = 1, 0.0
            if extra < 0.15:
                base += 0.5 * extra
            else:
                length = np.sqrt(12.0 * extra)
                taps = min(MOST_TAPS, 3 + 2 * int(0.5 * length / max(1.0, np.sqrt(base))))
                middle, total, second = (taps - 1) * 0.5, 0.0, 0.0
                for j in range(taps):
                    weights[j] = 1.0 - peaked[tile] * abs(j - middle) / (middle + 1.0)
                    total += weights[j]
                for j in range(taps):
                    weights[j] /= total
                    second += weights[j] * (j - middle) ** 2
                spacing = np.sqrt(extra / second)
            k = 0
            while k < levels - 2 and variances[k + 1] <= base:
                k += 1
            blend = min(max((base - variances[k]) / (variances[k + 1] - variances[k]), 0.0), 1.0)
        t = times[i]
        h00, h01, h02 = m0[0, 0] + t * (m1[0, 0] + t * m2[0, 0]), m0[0, 1] + t * (m1[0, 1] + t * m2[0, 1]), m0[0, 2] + t * (m1[0, 2] + t * m2[0, 2])
        h10, h11, h12 = m0[1, 0] + t * (m1[1, 0] + t * m2[1, 0]), m0[1, 1] + t * (m1[1, 1] + t * m2[1, 1]), m0[1, 2] + t * (m1[1, 2] + t * m2[1, 2])
        h20, h21, h22 = m0[2, 0] + t * (m1[2, 0] + t * m2[2, 0]), m0[2, 1] + t * (m1[2, 1] + t * m2[2, 1]), m0[2, 2] + t * (m1[2, 2] + t * m2[2, 2])
        x, y = ideal[i, 0], ideal[i, 1]
        w = 1.0 / (h20 * x + h21 * y + h22)
        rx, ry = (h00 * x + h01 * y + h02) * w, (h10 * x + h11 * y + h12) * w
        u0, v0 = rx - origin[0] - 0.5, ry - origin[1] - 0.5
        reach = spacing * (taps - 1) * 0.5
        if u0 - reach < 1 or v0 - reach < 1 or u0 + reach >= width - 3 or v0 + reach >= height - 3:
            out[i, 0] = UNKNOWN
            continue
        value, du, dv, change = 0.0, 0.0, 0.0, 0.0
        if taps == 1:
            value, du, dv = _cubic(stack[k], u0, v0)
            change, _, _ = _bilinear(steps[k], u0, v0)
        else:
            for j in range(taps):
                o = spacing * (j - (taps - 1) * 0.5)
                uu, vv = u0 + o * axis[tile, 0], v0 + o * axis[tile, 1]
                a, adu, adv = _bilinear(stack[k], uu, vv)
                b, _, _ = _bilinear(steps[k], uu, vv)
                value += weights[j] * a
                du += weights[j] * adu
                dv += weights[j] * adv
                change += weights[j] * b
        value += blend * change
        change /= variances[k + 1] - variances[k]
        code = encode(value)
        slope = 12.92 if value < 0.0031308 else (code + 0.055) / (2.4 * value)
        du, dv = du * slope, dv * slope
        out[i, 0] = code
        out[i, 1] = (du * (h00 - rx * h20) + dv * (h10 - ry * h20)) * w
        out[i, 2] = (du * (h01 - rx * h21) + dv * (h11 - ry * h21)) * w
        out[i, 3] = change * slope * zoom[tile]
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
        appearance.stack, appearance.steps, VARIANCES, appearance.origin, ideal, times, *move.back(h, shutter), tiles,
        soft.round, soft.line, soft.axis, soft.peaked, soft.zoom, out,
    )  # fmt: skip
    return out


def rim_px(soft: Softness) -> Float64:
    """How near to the rim of the region a sample may come, ideal reference px per tile: not within its own softness."""
    return np.asarray(1.5 + 1.2 * np.sqrt(np.maximum(soft.round + soft.line - USUAL_VARIANCE, 0.0)))

