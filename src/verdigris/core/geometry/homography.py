"""Plane-to-plane maps as 3x3 matrices, named `dst_from_src` so that they chain by eye."""

import numba
import numpy as np

from verdigris.core.types import Float64


def apply_homography(dst_from_src: Float64, points: Float64) -> Float64:
    """Map points.

    Parameters
    ----------
    dst_from_src : (3, 3) float64
    points : (N, 2) float64, (x, y), px

    Returns
    -------
    (N, 2) float64, (x, y), px
    """
    p = np.asarray(points, dtype=np.float64)
    h = np.asarray(dst_from_src, dtype=np.float64)
    w = p @ h[2, :2] + h[2, 2]
    return (p @ h[:2, :2].T + h[:2, 2]) / w[:, None]


def normalised(h: Float64) -> Float64:
    """Scale a homography so that its bottom-right element is 1.

    Raises
    ------
    ValueError
        When that element is 0: the origin maps to infinity, which no visible plane does.
    """
    if abs(h[2, 2]) < 1e-12:
        raise ValueError("the origin maps to infinity")
    return np.asarray(h / h[2, 2], dtype=np.float64)


def scaling(sx: float, sy: float | None = None) -> Float64:
    """Homography that multiplies x by `sx` and y by `sy` (default: the same)."""
    return np.diag([sx, sx if sy is None else sy, 1.0])


def homography_from_quads(src: Float64, dst: Float64) -> Float64:
    """The homography that takes four points exactly to four others.

    Parameters
    ----------
    src, dst : (4, 2) float64, (x, y), px

    Raises
    ------
    ValueError
        When three of the points lie on a line.

    References
    ----------
    Hartley and Zisserman, Multiple View Geometry, 2nd ed. 2004, section 4.1 (eight equations, h33 = 1),
    solved in normalised coordinates (section 4.4.4).
    """
    found = _between_quads(*(np.ascontiguousarray(quad, np.float64) for quad in (src, dst)))
    if not np.isfinite(found[2, 2]):
        raise ValueError("three of the four points lie on a line")
    return normalised(found)


@numba.njit(cache=True, nogil=True)
def _between_quads(src, dst):  # type: ignore[no-untyped-def]
    """The homography between two quads, compiled because small matrices cost most in being handed over; NaN where there is none."""
    none = np.full((3, 3), np.nan)
    if not (np.isfinite(src).all() and np.isfinite(dst).all()):
        return none
    t = np.zeros((2, 3, 3))
    at = np.empty((2, 4, 2))
    for side, quad in enumerate((src, dst)):
        x0, y0, spread = quad[:, 0].mean(), quad[:, 1].mean(), 0.0
        for i in range(4):
            spread += np.hypot(quad[i, 0] - x0, quad[i, 1] - y0) / 4
        s = np.sqrt(2.0) / max(spread, 1e-12)
        t[side, 0, 0], t[side, 0, 2], t[side, 1, 1], t[side, 1, 2], t[side, 2, 2] = s, -s * x0, s, -s * y0, 1.0
        for i in range(4):
            at[side, i, 0], at[side, i, 1] = s * (quad[i, 0] - x0), s * (quad[i, 1] - y0)
    a, b = np.zeros((8, 8)), np.zeros(8)
    for i in range(4):
        x, y, u, v = at[0, i, 0], at[0, i, 1], at[1, i, 0], at[1, i, 1]
        a[2 * i, 0], a[2 * i, 1], a[2 * i, 2], a[2 * i, 6], a[2 * i, 7], b[2 * i] = x, y, 1.0, -u * x, -u * y, u
        a[2 * i + 1, 3], a[2 * i + 1, 4], a[2 * i + 1, 5], a[2 * i + 1, 6], a[2 * i + 1, 7], b[2 * i + 1] = x, y, 1.0, -v * x, -v * y, v
    if not np.linalg.cond(a) <= 1e12:
        return none
    h = np.append(np.linalg.solve(a, b), 1.0).reshape(3, 3)
    if abs(np.linalg.det(h)) < 1e-10:
        return none
    return np.linalg.inv(t[1]) @ h @ t[0]


@numba.njit(cache=True, nogil=True, inline="always")
def product(a, b):  # type: ignore[no-untyped-def]
    """Product of two 3 x 3 matrices, inside a kernel."""
    out = np.zeros((3, 3))
    for i in range(3):
        for j in range(3):
            for k in range(3):
                out[i, j] += a[i, k] * b[k, j]
    return out


def unit_square_to(quad: Float64) -> Float64:
    """Homography from the unit square (0,0) (1,0) (1,1) (0,1) to a quad (4, 2), px."""
    return homography_from_quads(np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]]), np.asarray(quad, dtype=np.float64))


def _normaliser(points: Float64) -> Float64:
    """Similarity that centres points and brings their mean distance to sqrt 2 (Hartley 1997)."""
    centre = points.mean(axis=0)
    spread = np.linalg.norm(points - centre, axis=1).mean()
    s = np.sqrt(2.0) / max(float(spread), 1e-12)
    return np.array([[s, 0, -s * centre[0]], [0, s, -s * centre[1]], [0, 0, 1.0]])


def fit_homography(src: Float64, dst: Float64, iterations: int = 4) -> Float64 | None:
    """Least-squares homography over N >= 4 pairs, transfer error in dst; None when degenerate.

    Parameters
    ----------
    src, dst : (N, 2) float64, (x, y), px

    References
    ----------
    Hartley and Zisserman 2004, algorithm 4.2 (normalised DLT), then Gauss-Newton on the transfer error.
    """
    if len(src) < 4:
        return None
    t_src, t_dst = _normaliser(src), _normaliser(dst)
    s, d = apply_homography(t_src, src), apply_homography(t_dst, dst)
    x, y, u, v = s[:, 0], s[:, 1], d[:, 0], d[:, 1]
    o, z = np.ones_like(x), np.zeros_like(x)
    rows_u = np.stack([x, y, o, z, z, z, -u * x, -u * y, -u], axis=1)
    rows_v = np.stack([z, z, z, x, y, o, -v * x, -v * y, -v], axis=1)
    a = np.concatenate([rows_u, rows_v])
    _, values, vt = np.linalg.svd(a.T @ a)
    if values[-2] < 1e-12 * values[0]:
        return None
    h = vt[-1].reshape(3, 3)
    if abs(h[2, 2]) < 1e-9:
        return None
    h = h / h[2, 2]
    for _ in range(iterations):
        w = h[2, 0] * x + h[2, 1] * y + 1.0
        pu, pv = (h[0, 0] * x + h[0, 1] * y + h[0, 2]) / w, (h[1, 0] * x + h[1, 1] * y + h[1, 2]) / w
        ju = np.stack([x / w, y / w, o / w, z, z, z, -pu * x / w, -pu * y / w], axis=1)
        jv = np.stack([z, z, z, x / w, y / w, o / w, -pv * x / w, -pv * y / w], axis=1)
        j = np.concatenate([ju, jv])
        step, *_ = np.linalg.lstsq(j.T @ j, j.T @ np.concatenate([u - pu, v - pv]), rcond=None)
        h = h + np.append(step, 0.0).reshape(3, 3)
    full = np.linalg.inv(t_dst) @ h @ t_src
    return None if abs(full[2, 2]) < 1e-12 else normalised(full)
