"""How a plane gets into the picture: through a lens, row after row, while it moves.

Ideal coordinates are those a pinhole with all rows at once would give, plate px. H is frame_from_reference in
them, at the time of the picture's middle row. Around it the plane moves as H(t) = H exp(t V + t^2 A / 2), with
generators V and A in the reference's ideal coordinates, per frame and per frame squared.

References
----------
Meingast, Geyer and Sastry, Geometric models of rolling-shutter cameras, OMNIVIS 2005.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numba
import numpy as np

from verdigris.core.geometry.homography import homography_from_quads, product
from verdigris.core.geometry.lens import NO_LENS, Lens, distort_one
from verdigris.core.light.tone import SRGB, Tone
from verdigris.core.types import Float64


@dataclass(frozen=True)
class Movement:
    """How a plane moves around a frame: generators (3, 3) of its velocity and acceleration, ideal reference px."""

    v: Float64
    a: Float64

    @property
    def is_still(self) -> bool:
        """Whether it does not move at all."""
        return not self.v.any()

    def ahead(self, h: Float64, shutter: float = 0.0) -> tuple[Float64, Float64, Float64]:
        """Terms of H(t) = terms[0] + t terms[1] + t^2 terms[2]; averaged over an exposure of this variance in time.

        While it speeds up or turns, what the exposure sees on average is not where the plane is at its middle.
        """
        return _ahead(np.ascontiguousarray(h), self.v, self.a, shutter)  # type: ignore[no-any-return]

    def back(self, h: Float64, shutter: float = 0.0) -> tuple[Float64, Float64, Float64]:
        """Terms of the inverse of H(t), averaged alike."""
        return _back(np.ascontiguousarray(h), self.v, self.a, shutter)  # type: ignore[no-any-return]


STILL = Movement(np.zeros((3, 3)), np.zeros((3, 3)))


@dataclass(frozen=True)
class Optics:
    """Attributes.

    ----------
    width, height : picture size, px
    lens : distortion, or None
    readout : share of the frame time between first and last row
    shutter : variance of the exposure in time, frames^2; an evenly open shutter has share^2 / 12
    tone : how the tone curve departs from sRGB
    bow : how far the middle of the surface stands out, along and across, see `bow`
    focal : focal length, in widths of the picture, or None when it was not asked for; a bow needs it
    camera_covariance : (5, 5) of what is not known of an estimated lens and read-out, see `camera_doubt`; None where nothing is in doubt
    """

    width: int
    height: int
    lens: Lens | None = None
    readout: float = 0.0
    shutter: float | None = None
    tone: Tone = SRGB
    bow: tuple[float, float] = (0.0, 0.0)
    focal: float | None = None
    camera_covariance: Float64 | None = field(default=None, compare=False)

    @property
    def is_plain(self) -> bool:
        """Whether a homography says everything."""
        return (self.lens is None or self.lens.is_ideal) and self.readout == 0

    @property
    def terms(self) -> Float64:
        """The lens for compiled code, see `Lens.terms`."""
        return NO_LENS if self.lens is None else self.lens.terms()

    def ideal(self, seen: Float64) -> Float64:
        """Ideal points of plate px (N, 2)."""
        return seen if self.lens is None else self.lens.undistort(seen)

    def seen(self, ideal: Float64) -> Float64:
        """Plate px of ideal points (N, 2)."""
        return ideal if self.lens is None else self.lens.distort(ideal)

    def row_time(self, y: Float64) -> Float64:
        """Time of rows against the middle one, frames."""
        return self.readout * (np.clip(y, -self.height, 2 * self.height) / self.height - 0.5)

    def project(self, points: Float64, h: Float64, move: Movement, exposure: float = 0.0) -> Float64:
        """Where points (N, 2) of the plane, ideal reference px, are seen: plate px (N, 2); far away if behind.

        With an `exposure`, a variance in time, it is the middle of their smear, without it their place half-way through.
        """
        out = np.empty((len(points), 2))
        readout = 0.0 if move.is_still else self.readout
        _project(np.ascontiguousarray(points, float), *move.ahead(h, exposure), readout, float(self.height), self.terms, out)
        return out

    def plane(self, seen: Float64, h: Float64, move: Movement) -> Float64:
        """Points of the plane, ideal reference px (N, 2), seen at plate px (N, 2)."""
        readout = 0.0 if move.is_still else self.readout
        return move_to_plane(self.ideal(seen), seen[:, 1], move.back(h), readout, float(self.height))

    def pose_of_corners(self, plane_corners: Float64, seen: Float64, move: Movement) -> Float64 | None:
        """The pose at the middle row's time that shows four points of the plane, ideal reference px, at plate px (4, 2); None if none."""
        times = self.row_time(seen[:, 1])[:, None]
        p = np.concatenate([plane_corners, np.ones((4, 1))], axis=1)
        m0, m1, m2 = move.ahead(np.eye(3))
        moved_on = p @ m0.T + times * (p @ m1.T) + times**2 * (p @ m2.T)
        try:
            return homography_from_quads(moved_on[:, :2] / moved_on[:, 2:], self.ideal(seen))
        except ValueError:
            return None

    def log(self, m: Float64) -> Float64:
        """Generator of a map near the identity, (3, 3), trace free; zero when there is none.

        Notes
        -----
        log M = 2 artanh((M - I)(M + I)^-1), summed in coordinates in which the picture is about 1 across.
        """
        return np.asarray(_log(np.ascontiguousarray(m, np.float64), float(self.width), float(self.height)), np.float64)

    def movement(self, poses: dict[int, Float64]) -> Movement:
        """Velocity and acceleration at offset 0 from poses at offsets -2..2 that are known, frames; 0 must be among them.

        Notes
        -----
        Finite differences in the group: five points are exact to the fourth order, which fast turns need.
        """
        here = np.linalg.inv(poses[0])
        f = {k: self.log(here @ p) for k, p in poses.items() if k}
        if all(k in f for k in (-2, -1, 1, 2)):
            return Movement((8 * (f[1] - f[-1]) - (f[2] - f[-2])) / 12, (16 * (f[1] + f[-1]) - (f[2] + f[-2])) / 12)
        if -1 in f and 1 in f:
            return Movement((f[1] - f[-1]) / 2, f[1] + f[-1])
        for side in (1, -1):
            if side in f and 2 * side in f:
                return Movement(side * (4 * f[side] - f[2 * side]) / 2, STILL.a)
        for side in (1, -1):
            if side in f:
                return Movement(side * f[side], STILL.a)
        return STILL


@numba.njit(cache=True, nogil=True)
def _log(m, width, height):  # type: ignore[no-untyped-def]
    """See `Optics.log`."""
    s = 2.0 / width
    n = np.array([[s, 0.0, -1.0], [0.0, s, -s * height / 2], [0.0, 0.0, 1.0]])
    back = np.linalg.inv(n)
    scaled = n @ m @ back
    det = np.linalg.det(scaled)
    if not np.isfinite(det) or det <= 0:
        return np.zeros((3, 3))
    scaled = scaled / det ** (1.0 / 3.0)
    y = (scaled - np.eye(3)) @ np.linalg.inv(scaled + np.eye(3))
    if np.abs(y).max() > 0.7:
        return np.zeros((3, 3))
    square, term, total = y @ y, y, y.copy()
    for k in range(3, 20, 2):
        term = term @ square
        total += term / k
    log = 2 * back @ total @ n
    return log - np.eye(3) * np.trace(log) / 3


@numba.njit(cache=True, nogil=True)
def _ahead(h, v, a, shutter):  # type: ignore[no-untyped-def]
    """See `Movement.ahead`; small matrices cost most in being handed over."""
    second = 0.5 * product(h, product(v, v) + a)
    return h + shutter * second, product(h, v), second


@numba.njit(cache=True, nogil=True)
def _back(h, v, a, shutter):  # type: ignore[no-untyped-def]
    """See `Movement.back`."""
    m = np.linalg.inv(h)
    second = 0.5 * product(product(v, v) - a, m)
    return m + shutter * second, -product(v, m), second


@numba.njit(cache=True, nogil=True, fastmath=True, inline="always")
def project_one(x, y, h0, h1, h2, readout, height, lens):  # type: ignore[no-untyped-def]
    """Where a point is seen at the time of the row it lands on, and its ideal point then; inside a kernel.

    `h1` and `h2` are H's change per frame and half its second.
    """
    px, py, u, v, t = -1e5, -1e5, -1e5, -1e5, 0.0
    a0, a1, a2 = h0[0, 0] * x + h0[0, 1] * y + h0[0, 2], h0[1, 0] * x + h0[1, 1] * y + h0[1, 2], h0[2, 0] * x + h0[2, 1] * y + h0[2, 2]
    b0, b1, b2 = h1[0, 0] * x + h1[0, 1] * y + h1[0, 2], h1[1, 0] * x + h1[1, 1] * y + h1[1, 2], h1[2, 0] * x + h1[2, 1] * y + h1[2, 2]
    c0, c1, c2 = h2[0, 0] * x + h2[0, 1] * y + h2[0, 2], h2[1, 0] * x + h2[1, 1] * y + h2[1, 2], h2[2, 0] * x + h2[2, 1] * y + h2[2, 2]
    for _ in range(8):
        w = a2 + t * (b2 + t * c2)
        if w < 1e-6:
            px, py = -1e5, -1e5
            break
        u, v = (a0 + t * (b0 + t * c0)) / w, (a1 + t * (b1 + t * c1)) / w
        u, v = min(max(u, -1e5), 1e5), min(max(v, -1e5), 1e5)
        px, qy = distort_one(u, v, lens)
        settled = abs(qy - py) < 1e-5
        py = qy
        if readout == 0.0 or settled:
            break
        t = readout * (min(max(py / height, -1.0), 2.0) - 0.5)
    return px, py, u, v


@numba.njit(cache=True, nogil=True, fastmath=True)
def _project(points, h0, h1, h2, readout, height, lens, out):  # type: ignore[no-untyped-def]
    for i in range(points.shape[0]):
        out[i, 0], out[i, 1], _, _ = project_one(points[i, 0], points[i, 1], h0, h1, h2, readout, height, lens)


@numba.njit(cache=True, nogil=True)
def _plane(ideal, rows, m0, m1, m2, readout, height, out):  # type: ignore[no-untyped-def]
    """Each point at the time of the row it is seen in; `m1`, `m2` are the inverse's change per frame and half its second."""
    for i in range(ideal.shape[0]):
        x, y, t = ideal[i, 0], ideal[i, 1], 0.0
        if readout != 0.0:
            t = readout * (min(max(rows[i], -height), 2 * height) / height - 0.5)
        u = m0[0, 0] * x + m0[0, 1] * y + m0[0, 2] + t * (m1[0, 0] * x + m1[0, 1] * y + m1[0, 2])
        v = m0[1, 0] * x + m0[1, 1] * y + m0[1, 2] + t * (m1[1, 0] * x + m1[1, 1] * y + m1[1, 2])
        w = m0[2, 0] * x + m0[2, 1] * y + m0[2, 2] + t * (m1[2, 0] * x + m1[2, 1] * y + m1[2, 2])
        if t != 0.0:
            u += t * t * (m2[0, 0] * x + m2[0, 1] * y + m2[0, 2])
            v += t * t * (m2[1, 0] * x + m2[1, 1] * y + m2[1, 2])
            w += t * t * (m2[2, 0] * x + m2[2, 1] * y + m2[2, 2])
        out[i, 0] = u / w
        out[i, 1] = v / w


def move_to_plane(ideal: Float64, rows: Float64, back: Sequence[Float64], readout: float, height: float) -> Float64:
    """Ideal frame px (N, 2), each at the time of the row (N,) it is seen in, through a map and its changes: see `Movement.back`."""
    out = np.empty((len(ideal), 2))
    terms = (np.ascontiguousarray(m) for m in back)
    _plane(np.ascontiguousarray(ideal, float), np.ascontiguousarray(rows, float), *terms, readout, height, out)
    return out


def flow(points: Float64, move: Movement) -> Float64:
    """Movement of plane points (N, 2), ideal reference px per frame, (N, 2)."""
    y = np.concatenate([points, np.ones((len(points), 1))], axis=1) @ move.v.T
    return np.asarray(y[:, :2] - points * y[:, 2:])
