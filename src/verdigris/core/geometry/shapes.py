"""Polygons over time and the exact area they cover of each pixel."""

from collections.abc import Sequence

import numba
import numpy as np

from verdigris.core.types import Float32, Float64


def polygon_at(frame: float, key_frames: Sequence[int], key_points: Sequence[Float64]) -> Float64:
    """Polygon at a frame: linear between keys, held before the first and after the last.

    Parameters
    ----------
    key_frames : ascending frame indices
    key_points : for each key (N, 2) float64, plate px; all keys have the same number of points

    Raises
    ------
    ValueError
        Without keys, or when keys differ in their number of points.
    """
    if not key_frames:
        raise ValueError("a shape needs at least one key")
    if len({len(p) for p in key_points}) != 1:
        raise ValueError("all keys of a shape have the same number of points")
    if frame <= key_frames[0]:
        return np.asarray(key_points[0], dtype=np.float64)
    for (f0, p0), (f1, p1) in zip(zip(key_frames, key_points, strict=True), zip(key_frames[1:], key_points[1:], strict=True), strict=False):
        if frame <= f1:
            t = (frame - f0) / (f1 - f0)
            return (1 - t) * np.asarray(p0, dtype=np.float64) + t * np.asarray(p1, dtype=np.float64)
    return np.asarray(key_points[-1], dtype=np.float64)


def keyed_points(frame: float, keys: Sequence[tuple[int, Float64, bool]]) -> Float64:
    """Points at a frame, every one between its own keys; held before its first and after its last.

    Parameters
    ----------
    keys : in order of frames: frame, (N, 2) float64 px with NaN where a point has no key of its own, and whether the way
        to the next key eases in and out

    Raises
    ------
    ValueError
        When keys differ in their number of points, or a point has no key at all.
    """
    if not keys or len({len(p) for _, p, _ in keys}) != 1:
        raise ValueError("a shape needs keys with the same number of points")
    points = np.array([p for _, p, _ in keys], dtype=np.float64)
    own = np.all(np.isfinite(points), axis=2)
    if not own.any(axis=0).all():
        raise ValueError(f"point {int(np.argmin(own.any(axis=0)))} has no key")
    # Every point's own keys around the frame: the last one up to it, the first one after it.
    order, frames = np.arange(len(keys))[:, None], np.array([f for f, _, _ in keys], dtype=np.float64)
    begun = frames[:, None] <= frame
    before = np.where(own & begun, order, -1).max(axis=0)
    after = np.where(own & ~begun, order, len(keys)).min(axis=0)
    a, b = np.where(before < 0, after, before), np.where(after == len(keys), before, after)
    t = np.where(a == b, 0.0, (frame - frames[a]) / np.where(a == b, 1.0, frames[b] - frames[a]))
    t = np.where(np.array([e for _, _, e in keys])[a], t * t * (3 - 2 * t), t)[:, None]
    column = np.arange(points.shape[1])
    return np.asarray((1 - t) * points[a, column] + t * points[b, column], np.float64)


def smooth_outline(points: Float64, steps: int = 12) -> Float64:
    """A smooth closed curve through points (N, 2), N >= 3, as a polygon of N x `steps` points.

    References
    ----------
    Catmull and Rom 1974; centripetal spacing as in Yuksel, Schaefer and Keyser, Parameterization and applications of
    Catmull-Rom curves, CAD 43(7), 2011: no loops or cusps between close points.
    """
    p = np.asarray(points, float)
    pieces = []
    for i in range(len(p)):
        a, b, c, d = p[i - 1], p[i], p[(i + 1) % len(p)], p[(i + 2) % len(p)]
        t = np.cumsum([0.0, *(max(float(np.linalg.norm(v)) ** 0.5, 1e-6) for v in (b - a, c - b, d - c))])
        x = np.linspace(t[1], t[2], steps, endpoint=False)[:, None]
        ab = a + (b - a) * (x - t[0]) / (t[1] - t[0])
        bc = b + (c - b) * (x - t[1]) / (t[2] - t[1])
        cd = c + (d - c) * (x - t[2]) / (t[3] - t[2])
        abc = ab + (bc - ab) * (x - t[0]) / (t[2] - t[0])
        bcd = bc + (cd - bc) * (x - t[1]) / (t[3] - t[1])
        pieces.append(abc + (bcd - abc) * (x - t[1]) / (t[2] - t[1]))
    return np.concatenate(pieces)


def polygon_coverage(polygon: Float64, width: int, height: int) -> Float32:
    """Share of each pixel's area inside a polygon.

    Parameters
    ----------
    polygon : (N, 2) float64, (x, y), px of the picture asked for

    Returns
    -------
    (height, width) float32 in 0..1; exact for simple polygons, overlaps count once

    References
    ----------
    Signed-area accumulation as in exact-coverage scan conversion of outlines: every edge adds the area
    between itself and the right border, row by row; a running sum along the row then gives coverage.
    """
    covered = np.zeros((height, width), np.float32)
    left, top = np.clip(np.floor(polygon.min(axis=0)), 0, [width, height]).astype(int)
    right, bottom = np.clip(np.ceil(polygon.max(axis=0)), 0, [width, height]).astype(int)
    if right <= left or bottom <= top:
        return covered
    # Only the polygon's own box is worked on.
    local = np.ascontiguousarray(np.asarray(polygon, dtype=np.float64) - [left, top])
    accumulated = np.zeros((bottom - top, right - left + 2), dtype=np.float64)
    _accumulate(local, accumulated, right - left, bottom - top)
    _run_along_rows(accumulated, covered[top:bottom, left:right])
    return covered


def outlines_of(polygon: Float64) -> Float64:
    """(N, 2), or (M, N, 2) at M moments, as the latter."""
    return polygon if polygon.ndim == 3 else polygon[None]


def mean_coverage(polygon: Float64, width: int, height: int) -> Float32:
    """Share of each pixel's area inside a polygon, over an exposure.

    Parameters
    ----------
    polygon : (N, 2) float64, px of the picture asked for; or (M, N, 2), where it is at M even moments

    Returns
    -------
    (height, width) float32 in 0..1
    """
    moments = outlines_of(polygon)
    cover = polygon_coverage(moments[0], width, height)
    for one in moments[1:]:
        cover += polygon_coverage(one, width, height)
    return cover if len(moments) == 1 else np.asarray(cover / np.float32(len(moments)), np.float32)


@numba.njit(cache=True, nogil=True)
def _run_along_rows(accumulated, out):  # type: ignore[no-untyped-def]
    for row in range(out.shape[0]):
        total = 0.0
        for column in range(out.shape[1]):
            total += accumulated[row, column]
            out[row, column] = min(abs(total), 1.0)


@numba.njit(cache=True, nogil=True)
def _accumulate(polygon, out, width, height):  # type: ignore[no-untyped-def]
    n = polygon.shape[0]
    for i in range(n):
        x0, y0 = polygon[i, 0], polygon[i, 1]
        x1, y1 = polygon[(i + 1) % n, 0], polygon[(i + 1) % n, 1]
        if y0 == y1:
            continue
        sign = 1.0
        if y0 > y1:
            x0, y0, x1, y1 = x1, y1, x0, y0
            sign = -1.0
        slope = (x1 - x0) / (y1 - y0)
        top, bottom = max(y0, 0.0), min(y1, float(height))
        row = int(np.floor(top))
        while row < bottom and row < height:
            ya, yb = max(top, float(row)), min(bottom, row + 1.0)
            if yb > ya:
                xa, xb = x0 + (ya - y0) * slope, x0 + (yb - y0) * slope
                _edge_in_row(out, row, xa, xb, (yb - ya) * sign, width)
            row += 1


@numba.njit(cache=True, nogil=True)
def _edge_in_row(out, row, xa, xb, dy, width):  # type: ignore[no-untyped-def]
    """Spread an edge piece over the cells it passes: area to its right within the cell, the rest to the next."""
    if xa > xb:
        xa, xb = xb, xa
    if xb <= 0.0:
        out[row, 0] += dy
        return
    if xa >= width:
        return
    span = xb - xa
    x = xa
    if x < 0.0:
        share = -x / span
        out[row, 0] += dy * share
        x = 0.0
    while True:
        cell = int(np.floor(x))
        if cell >= width:
            return
        end = min(xb, cell + 1.0)
        part = dy * ((end - x) / span) if span > 1e-12 else dy
        middle = 0.5 * (x + end) - cell
        out[row, cell] += part * (1.0 - middle)
        out[row, cell + 1] += part * middle
        if end >= xb - 1e-12:
            return
        x = end
