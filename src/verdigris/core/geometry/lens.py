"""Lens distortion: where a lens shows what a pinhole would show elsewhere, and the way back.

References
----------
Brown, Close-range camera calibration, Photogrammetric Engineering 37(8), 1971 (radial and tangential terms).
"""

from dataclasses import dataclass

import numba
import numpy as np

from verdigris.core.types import Float64


@dataclass(frozen=True)
class Lens:
    """Radial and tangential distortion; radii are counted in half diagonals of the picture.

    Attributes
    ----------
    centre : (x, y), plate px
    half_diagonal : plate px
    k1, k2, k3, p1, p2 : distorted = ideal (1 + k1 r^2 + k2 r^4 + k3 r^6) + tangential part
    """

    centre: tuple[float, float]
    half_diagonal: float
    k1: float = 0.0
    k2: float = 0.0
    k3: float = 0.0
    p1: float = 0.0
    p2: float = 0.0

    @classmethod
    def of_picture(cls, width: int, height: int, k1: float = 0.0, k2: float = 0.0) -> "Lens":
        """A lens whose centre is the picture's."""
        return cls((width / 2, height / 2), float(np.hypot(width, height)) / 2, k1, k2)

    @property
    def is_ideal(self) -> bool:
        """Whether it changes nothing."""
        return not any((self.k1, self.k2, self.k3, self.p1, self.p2))

    def terms(self) -> Float64:
        """Centre, half diagonal, k1, k2, k3, p1, p2 as an array, as kernels take them."""
        return np.array([*self.centre, self.half_diagonal, self.k1, self.k2, self.k3, self.p1, self.p2])

    def distort(self, ideal: Float64) -> Float64:
        """Plate px (N, 2) where ideal points (N, 2) are seen."""
        flat = np.ascontiguousarray(ideal, float).reshape(-1, 2)
        out = np.empty_like(flat)
        _distort(flat, self.terms(), out)
        return out.reshape(np.shape(ideal))

    def undistort(self, seen: Float64) -> Float64:
        """Ideal points (N, 2) of what is seen at plate px (N, 2).

        Notes
        -----
        Newton's method, to 1e-7 px; points beyond the radius up to which the model is one to one come back as the
        nearest answer found.
        """
        flat = np.ascontiguousarray(seen, float).reshape(-1, 2)
        out = np.empty_like(flat)
        _undistort(flat, self.terms(), out)
        return out.reshape(np.shape(seen))

    def one_to_one_radius(self) -> float:
        """Radius, in half diagonals, up to which different ideal points are seen in different places; at most MOST_RADII."""
        r = np.linspace(0, MOST_RADII, 400)
        slope = 1 + 3 * self.k1 * r**2 + 5 * self.k2 * r**4 + 7 * self.k3 * r**6
        folded = np.flatnonzero(slope <= 0)
        return float(r[folded[0] - 1]) if len(folded) else MOST_RADII


# Nothing is looked for further out than this many half diagonals.
MOST_RADII = 3.0
NO_LENS = np.array([0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0])


@numba.njit(cache=True, nogil=True)
def distort_one(u, v, lens):  # type: ignore[no-untyped-def]
    """Plate px of one ideal point inside a kernel."""
    x, y = (u - lens[0]) / lens[2], (v - lens[1]) / lens[2]
    r2 = x * x + y * y
    radial = 1 + r2 * (lens[3] + r2 * (lens[4] + r2 * lens[5]))
    dx = x * radial + 2 * lens[6] * x * y + lens[7] * (r2 + 2 * x * x)
    dy = y * radial + lens[6] * (r2 + 2 * y * y) + 2 * lens[7] * x * y
    return dx * lens[2] + lens[0], dy * lens[2] + lens[1]


@numba.njit(cache=True, nogil=True)
def _distort(points, lens, out):  # type: ignore[no-untyped-def]
    for i in range(points.shape[0]):
        out[i, 0], out[i, 1] = distort_one(points[i, 0], points[i, 1], lens)


@numba.njit(cache=True, nogil=True)
def undistort_near(seen_x, seen_y, u, v, lens):  # type: ignore[no-untyped-def]
    """Ideal point of one that is seen somewhere, plate px, inside a kernel; looked for from a guess (u, v)."""
    for _ in range(25):
        du, dv = distort_one(u, v, lens)
        eu, ev = seen_x - du, seen_y - dv
        if abs(eu) + abs(ev) < 1e-8:
            break
        x, y = (u - lens[0]) / lens[2], (v - lens[1]) / lens[2]
        r2 = x * x + y * y
        # Along the radius distortion grows fastest, across it evenly.
        along = max(1 + r2 * (3 * lens[3] + r2 * (5 * lens[4] + r2 * 7 * lens[5])), 0.15)
        across = max(1 + r2 * (lens[3] + r2 * (lens[4] + r2 * lens[5])), 0.15)
        part = (eu * x + ev * y) / max(r2, 1e-12)
        u += part * x / along + (eu - part * x) / across
        v += part * y / along + (ev - part * y) / across
        # Beyond what the model reaches, steps grow without end: they stay near the picture.
        square = ((u - lens[0]) ** 2 + (v - lens[1]) ** 2) / (MOST_RADII * lens[2]) ** 2
        if not square <= 1.0:
            far = np.sqrt(square)
            u, v = lens[0] + (u - lens[0]) / far, lens[1] + (v - lens[1]) / far
    return u, v


@numba.njit(cache=True, nogil=True)
def _undistort(points, lens, out):  # type: ignore[no-untyped-def]
    for i in range(points.shape[0]):
        out[i, 0], out[i, 1] = undistort_near(points[i, 0], points[i, 1], points[i, 0], points[i, 1], lens)
