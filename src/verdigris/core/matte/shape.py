"""A drawn shape as coverage, soft all around or more here than there."""

import cv2
import numpy as np

from verdigris.core.geometry.shapes import mean_coverage, outlines_of
from verdigris.core.types import Float32, Float64

# Softness between these is mixed from the two next to it: standard deviations double from one to the next.
SHARPEST = 0.35


def shape_cover(polygon: Float64, width: int, height: int, soft: float | Float64) -> Float32:
    """Coverage of a polygon with a soft edge.

    Parameters
    ----------
    polygon : (N, 2) float64, px of the picture asked for; or (M, N, 2), where it is at M even moments of an exposure
    soft : standard deviation of its edge, px; or one for each point, between which it runs evenly along the outline

    Returns
    -------
    (height, width) float32
    """
    points = np.atleast_1d(np.asarray(soft, np.float64))
    most = float(points.max())
    # What lies outside the picture softens into it; only the shape's own box is worked on.
    pad = int(np.ceil(3 * most)) + 1 if most > 0 else 0
    out = np.zeros((height, width), np.float32)
    every = outlines_of(polygon).reshape(-1, 2)
    left, top = np.clip(np.floor(every.min(axis=0)) - pad, 0, [width, height]).astype(int)
    right, bottom = np.clip(np.ceil(every.max(axis=0)) + pad, 0, [width, height]).astype(int)
    if right <= left or bottom <= top:
        return out
    w, h = int(right - left), int(bottom - top)
    local = polygon + (pad - np.array([left, top]))
    cover = mean_coverage(local, w + 2 * pad, h + 2 * pad)
    if len(points) == 1 or np.ptp(points) < 1e-6:
        soft_cover = cover if most <= 0 else cv2.GaussianBlur(cover, (0, 0), most)
    else:
        soft_cover = _unevenly(cover, outlines_of(local).mean(axis=0), points)
    out[top:bottom, left:right] = soft_cover[pad : pad + h, pad : pad + w]
    return out


def _unevenly(cover: Float32, polygon: Float64, points: Float64) -> Float32:
    """Softness by the nearest place on the outline, smoothed; the picture is mixed from evenly softened ones."""
    wanted = _softness_field(cover.shape, polygon, points)
    levels = [0.0]
    while levels[-1] < points.max():
        levels.append(max(SHARPEST, 2 * levels[-1]))
    pictures = [cover if s == 0 else cv2.GaussianBlur(cover, (0, 0), s) for s in levels]
    out = np.zeros_like(cover)
    for (a, low), (b, high) in zip(zip(levels, pictures, strict=True), zip(levels[1:], pictures[1:], strict=True), strict=False):
        # By variance: softness adds up in squares.
        t = np.clip((wanted**2 - a * a) / (b * b - a * a), 0, 1)
        here = (wanted >= a) & (wanted <= b)
        out[here] = (low + t * (high - low))[here]
    return out


def _softness_field(shape: tuple[int, ...], polygon: Float64, points: Float64) -> Float32:
    """Softness at every px: that of the outline, farther away the mean of what is around."""
    per_side = 16
    nodes = np.arange(len(points) * per_side) / per_side
    along = np.interp(nodes, np.arange(len(points) + 1), np.append(points, points[0]))
    where = np.stack([np.interp(nodes * len(polygon) / len(points), np.arange(len(polygon) + 1), np.append(polygon[:, k], polygon[0, k]))
                      for k in (0, 1)], axis=1)  # fmt: skip
    step = 4
    small = (shape[0] // step + 2, shape[1] // step + 2)
    total, weight = np.zeros(small, np.float32), np.zeros(small, np.float32)
    x, y = np.clip(where / step, 0, np.array(small)[::-1] - 1).astype(int).T
    np.add.at(total, (y, x), along.astype(np.float32))
    np.add.at(weight, (y, x), 1.0)
    value, known = np.zeros(small, np.float32), np.zeros(small, np.float32)
    for reach in (2.0, 8.0, 32.0):
        t, w = cv2.GaussianBlur(total, (0, 0), reach), cv2.GaussianBlur(weight, (0, 0), reach)
        share = np.clip(w * 50 * reach, 0, 1) * (1 - known)
        value += share * t / np.maximum(w, 1e-9)
        known += share
    field = np.where(known > 0, value / np.maximum(known, 1e-6), points.mean()).astype(np.float32)
    return np.asarray(cv2.resize(field, (small[1] * step, small[0] * step), interpolation=cv2.INTER_LINEAR)[: shape[0], : shape[1]])
