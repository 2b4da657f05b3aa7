"""Four corners of a surface: what may be wrong with them, and the true shape behind them."""

from dataclasses import dataclass

import numpy as np

from verdigris.core.types import Float64

CORNER_NAMES = ("top-left", "top-right", "bottom-right", "bottom-left")
CORNER_GLYPHS = ("disc", "triangle", "square", "diamond")


@dataclass(frozen=True)
class QuadProblem:
    """Why four corners cannot be a surface seen from its front."""

    code: str
    reason: str


def _turns(quad: Float64) -> Float64:
    """Cross product at each corner, px^2; positive = clockwise on screen (y down)."""
    before, after = quad - np.roll(quad, 1, axis=0), np.roll(quad, -1, axis=0) - quad
    return np.asarray(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0])


def signed_area(polygon: Float64) -> float:
    """Area of a polygon (N, 2), px^2; positive = clockwise on screen."""
    x, y = polygon[:, 0], polygon[:, 1]
    return float(0.5 * np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y))


def _crosses(a: Float64, b: Float64, c: Float64, d: Float64) -> bool:
    def side(p: Float64, q: Float64, r: Float64) -> float:
        return float((q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]))

    return side(a, b, c) * side(a, b, d) < 0 and side(c, d, a) * side(c, d, b) < 0


def find_quad_problem(quad: Float64, smallest_side_px: float = 4.0) -> QuadProblem | None:
    """Say why a quad is refused, or None when it is sound.

    Parameters
    ----------
    quad : (4, 2) float64, (x, y), plate px, in corner order
    smallest_side_px : shortest side that is still a surface
    """
    q = np.asarray(quad, dtype=np.float64)
    if not np.all(np.isfinite(q)):
        return QuadProblem("not_finite", "A corner has no position.")
    sides = np.linalg.norm(np.roll(q, -1, axis=0) - q, axis=1)
    if sides.min() < smallest_side_px:
        i = int(sides.argmin())
        return QuadProblem(
            "too_small", f"The {CORNER_GLYPHS[i]} and the {CORNER_GLYPHS[(i + 1) % 4]} are closer than {smallest_side_px:g} px."
        )
    if _crosses(q[0], q[1], q[2], q[3]) or _crosses(q[1], q[2], q[3], q[0]):
        return QuadProblem("crossed", "Two edges cross: the picture would be twisted. Swap the two corners of one crossing edge.")
    turns = _turns(q)
    if np.all(turns < 0):
        return QuadProblem("flipped", "The corners run anticlockwise: the picture would be mirrored. Swap left and right.")
    if np.any(turns <= 0):
        i = int(turns.argmin())
        return QuadProblem(
            "not_convex",
            f"The {CORNER_GLYPHS[i]} ({CORNER_NAMES[i]}) lies inside the line between its neighbours. Pull it outwards.",
        )
    return None


def surface_aspect(quad: Float64, width: int, height: int, pixel_aspect: float = 1.0) -> float:
    """True width : height of a rectangle seen as `quad`.

    Parameters
    ----------
    quad : (4, 2) float64, plate px
    width, height : plate size, px
    pixel_aspect : width : height of one plate pixel

    Notes
    -----
    The optical axis is taken to be the middle of the picture. Where the view is too frontal to tell the
    focal length, 1.2 x the picture's width is assumed; the answer then hardly depends on it.

    References
    ----------
    Zhang and He, Whiteboard scanning and image enhancement, MSR-TR-2003-39, equations 11 to 21.
    """
    q = np.asarray(quad, dtype=np.float64) * [pixel_aspect, 1.0]
    u0, v0 = width * pixel_aspect / 2, height / 2
    tl, tr, br, bl = (np.array([x, y, 1.0]) for x, y in q)
    k2 = np.dot(np.cross(tl, br), bl) / np.dot(np.cross(tr, br), bl)
    k3 = np.dot(np.cross(tl, br), tr) / np.dot(np.cross(bl, br), tr)
    n2, n3 = k2 * tr - tl, k3 * bl - tl
    typical = 1.2 * width * pixel_aspect
    f2 = typical**2
    if abs(n2[2] * n3[2]) > 1e-6:
        dot = (n2[0] - n2[2] * u0) * (n3[0] - n3[2] * u0) + (n2[1] - n2[2] * v0) * (n3[1] - n3[2] * v0)
        solved = -dot / (n2[2] * n3[2])
        if (0.4 * typical) ** 2 < solved < (5 * typical) ** 2:
            f2 = float(solved)

    def length2(n: Float64) -> float:
        return float(((n[0] - n[2] * u0) ** 2 + (n[1] - n[2] * v0) ** 2) / f2 + n[2] ** 2)

    return float(np.sqrt(length2(n2) / length2(n3)))


def grow_quad(quad: Float64, by_px: float) -> Float64:
    """Move every edge outwards by `by_px` along its normal; corners are the new edges' meeting points.

    Parameters
    ----------
    quad : (4, 2) float64, convex, clockwise on screen, plate px
    """
    q = np.asarray(quad, dtype=np.float64)
    if by_px == 0:
        return q.copy()
    along = np.roll(q, -1, axis=0) - q
    outward = np.stack([along[:, 1], -along[:, 0]], axis=1) / np.linalg.norm(along, axis=1)[:, None]
    start = q + outward * by_px
    grown = np.empty_like(q)
    for i in range(4):
        j = (i - 1) % 4
        a = np.stack([along[j], -along[i]], axis=1)
        t = np.linalg.solve(a, start[i] - start[j])
        grown[i] = start[j] + along[j] * t[0]
    return grown
