"""Where two edges of the picture cross near a point, to a fraction of a pixel: what a corner placed by hand is snapped to.

References
----------
Canny, A computational approach to edge detection, PAMI 8(6), 1986 (edge points as maxima along the gradient);
Devernay, A non-maxima suppression method for edge detection with sub-pixel accuracy, INRIA RR-2724, 1995.
"""

from dataclasses import dataclass
from itertools import combinations

import cv2
import numpy as np

from verdigris.core.types import Bool, Float32, Float64

# Smoothing before the gradient, px: as much as a lens does, little against the distance of a bezel's two edges.
BLUR_PX = 1.0
# An edge point lies on a line when it is this close, px, and looks the same way within this angle.
ON_LINE_PX = 0.75
SAME_WAY = np.cos(np.radians(18))
# Edges that cross at less than this can not say where along them the corner is.
LEAST_ANGLE = np.radians(20)
MOST_LINES = 8
# Edge points per px along an edge.
DENSE = 0.75


@dataclass(frozen=True)
class EdgeCrossing:
    """A crossing of two edges.

    Attributes
    ----------
    at : (2,) float64, px of the picture given, pixel centres at +0.5
    sigma_px : standard deviation of where it is, px, from how straight the two edges are
    """

    at: Float64
    sigma_px: float


@dataclass(frozen=True)
class _Line:
    point: Float64
    along: Float64
    on: Bool
    strength: float
    noise: float


def find_edge_crossing(luma: Float32, near: Float64, reach: float = 8.0) -> EdgeCrossing | None:
    """The crossing of two edges that a point near it most likely means; None when there is none to trust.

    Parameters
    ----------
    luma : (H, W) float32, any encoding that is even over the patch; code values 0..1 are usual
    near : (2,) px, pixel centres at +0.5
    reach : how far from `near` the crossing may be, px
    """
    edges = _edge_points(luma, near, 2.5 * reach)
    if edges is None:
        return None
    points, normals, weights = edges
    lines = _lines(points, normals, weights, least_span=1.2 * reach)
    best: tuple[float, EdgeCrossing] | None = None
    for a, b in combinations(lines, 2):
        crossing = _cross(points, weights, a, b)
        if crossing is None:
            continue
        away = float(np.linalg.norm(crossing.at - near))
        if away > reach:
            continue
        score = np.sqrt(a.strength * b.strength) * np.exp(-2 * (away / reach) ** 2)
        if best is None or score > best[0]:
            best = float(score), crossing
    return None if best is None else best[1]


def _edge_points(luma: Float32, near: Float64, radius: float) -> tuple[Float64, Float64, Float64] | None:
    """Edge points (N, 2), their unit normals (N, 2) and strengths (N,) around a point."""
    height, width = luma.shape
    low = np.maximum(np.floor(near - radius - 3).astype(int), 0)
    high = np.minimum(np.ceil(near + radius + 3).astype(int), [width, height])
    if np.any(high - low < 8):
        return None
    patch = cv2.GaussianBlur(np.ascontiguousarray(luma[low[1] : high[1], low[0] : high[0]], np.float32), (0, 0), BLUR_PX)
    gx = cv2.Sobel(patch, cv2.CV_32F, 1, 0, ksize=3, scale=0.125)
    gy = cv2.Sobel(patch, cv2.CV_32F, 0, 1, ksize=3, scale=0.125)
    size = np.hypot(gx, gy)
    rows, columns = np.mgrid[1 : patch.shape[0] - 1, 1 : patch.shape[1] - 1]
    rows, columns = rows.ravel(), columns.ravel()
    strong = size[rows, columns] > max(0.2 * float(np.quantile(size, 0.99)), 0.004)
    rows, columns = rows[strong], columns[strong]
    if len(rows) < 12:
        return None
    here = size[rows, columns].astype(np.float64)
    normal = np.stack([gx[rows, columns], gy[rows, columns]], axis=1).astype(np.float64) / here[:, None]
    sides = []
    for side in (-1.0, 1.0):
        x = (columns + side * normal[:, 0]).astype(np.float32)
        y = (rows + side * normal[:, 1]).astype(np.float32)
        sides.append(cv2.remap(size, x, y, cv2.INTER_LINEAR).ravel().astype(np.float64))
    before, after = sides
    peak = (here >= before) & (here > after)
    bend = before - 2 * here + after
    shift = np.where(bend < 0, 0.5 * (before - after) / np.minimum(bend, -1e-9), 0.0)
    at = np.stack([columns, rows], axis=1) + 0.5 + normal * np.clip(shift, -0.6, 0.6)[:, None] + low
    peak &= np.linalg.norm(at - near, axis=1) < radius
    return (at[peak], normal[peak], here[peak]) if peak.sum() >= 10 else None


def _lines(points: Float64, normals: Float64, weights: Float64, least_span: float) -> list[_Line]:
    """Straight edges, strongest first: every edge point proposes the line it lies on."""
    left = np.ones(len(points), bool)
    found: list[_Line] = []
    while len(found) < MOST_LINES and left.sum() >= 8:
        offset = np.abs(np.einsum("ik,ijk->ij", normals, points[None] - points[:, None]))
        on = (offset < ON_LINE_PX) & (normals @ normals.T > SAME_WAY) & left[None] & left[:, None]
        best = int(np.argmax(on @ weights))
        mine = on[best]
        line = None
        # Twice: the point that proposed it looks along its own pixel only.
        for _ in range(3):
            if mine.sum() < 6:
                break
            line = _fit(points, weights, mine)
            across = np.array([-line.along[1], line.along[0]])
            mine = left & (np.abs((points - line.point) @ across) < ON_LINE_PX) & (np.abs(normals @ across) > SAME_WAY)
        if line is None or mine.sum() < 6:
            left[best] = False
            continue
        span = np.ptp((points[mine] - line.point) @ line.along)
        # An edge is there all along; noise lines up only here and there.
        if span >= least_span and mine.sum() >= DENSE * span:
            found.append(line)
        left &= ~mine
        left[best] = False
    return found


def _fit(points: Float64, weights: Float64, on: Bool) -> _Line:
    """Total least squares through the points that lie on a line."""
    w, p = weights[on] / weights[on].sum(), points[on]
    middle = w @ p
    _, _, axes = np.linalg.svd(np.sqrt(w)[:, None] * (p - middle))
    noise = float(np.sqrt(max(w @ ((p - middle) @ axes[1]) ** 2, 1e-8) * len(p) / max(1, len(p) - 2)))
    return _Line(middle, axes[0], on, float(weights[on].sum()), noise)


def _cross(points: Float64, weights: Float64, a: _Line, b: _Line) -> EdgeCrossing | None:
    """Crossing of two lines, without the edge points that the crossing itself rounds off."""
    if abs(a.along[0] * b.along[1] - a.along[1] * b.along[0]) < np.sin(LEAST_ANGLE):
        return None
    at = _meet(a, b)
    straight = np.linalg.norm(points - at, axis=1) > 3 * BLUR_PX
    on_a, on_b = a.on & straight, b.on & straight
    if on_a.sum() < 5 or on_b.sum() < 5:
        return None
    a, b = _fit(points, weights, on_a), _fit(points, weights, on_b)
    at = _meet(a, b)
    sine = abs(a.along[0] * b.along[1] - a.along[1] * b.along[0])
    sideways = []
    for line in (a, b):
        t = (points[line.on] - line.point) @ line.along
        lever = ((at - line.point) @ line.along) ** 2 / max(float(np.sum(t**2)), 1e-9)
        # An edge that ends far from the crossing says nothing about it.
        if float(np.min(np.linalg.norm(points[line.on] - at, axis=1))) > 6 * BLUR_PX + 3:
            return None
        sideways.append(line.noise * np.sqrt(1 / len(t) + lever))
    return EdgeCrossing(at, float(np.hypot(*sideways) / sine))


def _meet(a: _Line, b: _Line) -> Float64:
    s = np.linalg.solve(np.stack([a.along, -b.along], axis=1), b.point - a.point)
    return np.asarray(a.point + s[0] * a.along, np.float64)
