"""What single points say about a pose, beside what all intensities say: each moves by itself, with its own gain and bias.

A small window around each well-textured point is compared with its prediction and says by how much it is off, and how sure
that is. A leaf, a highlight or a ringing edge spoils its own windows only, where it would pull at the whole fit of
intensities. The two are weighed by their predicted errors.

References
----------
Shi and Tomasi, Good features to track, CVPR 1994 (which windows hold a displacement).
Baker and Matthews, Lucas-Kanade 20 years on, IJCV 56(3), 2004 (gain and bias in the same equations).
"""

from dataclasses import dataclass, replace

import numba
import numpy as np

from verdigris.core.camera.optics import Optics
from verdigris.core.geometry.homography import apply_homography, normalised
from verdigris.core.geometry.motion import FREEDOMS, Motion, exponential, point_jacobian
from verdigris.core.light.tone import to_code
from verdigris.core.tracking.alignment.conditions import Conditions
from verdigris.core.tracking.alignment.frame_pictures import KeptPictures
from verdigris.core.tracking.alignment.result import Alignment
from verdigris.core.tracking.alignment.samples import box_of
from verdigris.core.tracking.alignment.synthesis import UNKNOWN, predict, softness
from verdigris.core.tracking.alignment.uncertainty import corner_sigmas, sandwich
from verdigris.core.tracking.reference.appearance import USUAL_VARIANCE, Appearance
from verdigris.core.types import Float64, Int

REACH_PX = 6
LEAST_POINTS = 12
# A window that is off by more has not found its place.
MOST_OFF_PX = 1.5
MOST_SIGMA_PX = 1.0
# What compression and interpolation leave of a displacement, however clear the window.
SLIP_PX = 0.03
# Points on tiles that did not move with the plane over the run have no say.
LEAST_TRUST = 0.3


@dataclass(frozen=True)
class PointEvidence:
    """How far single points are from where a pose puts them.

    Attributes
    ----------
    at : (N, 2) float64, ideal frame px
    off : (N, 2) float64, where they are seen minus where they should be, ideal frame px
    covariance : (N, 2, 2) float64, px^2
    tiles : (N,) int64, the tile of the region each lies on, ascending
    """

    at: Float64
    off: Float64
    covariance: Float64
    tiles: Int


@numba.njit(cache=True, nogil=True, fastmath=True)
def _displace(prediction, image, x0, y0, pixels, count, falloff, off, covariance, sound):  # type: ignore[no-untyped-def]
    """Displacement of every window from its prediction, gain and bias left free, robustly, in three rounds."""
    a, weights = np.empty((count, 4)), np.empty(count)
    values, residual = np.empty(count), np.empty(count)
    normal, right, inverse = np.empty((4, 4)), np.empty(4), np.empty((4, 4))
    for j in range(off.shape[0]):
        known = 0
        for i in range(count):
            p = prediction[j * count + i]
            col, row = pixels[j * count + i, 0] - x0, pixels[j * count + i, 1] - y0
            weights[i] = 0.0
            a[i, :] = 0.0
            values[i] = 0.0
            if p[0] > 0.5 * UNKNOWN and row >= 0 and col >= 0 and row < image.shape[0] and col < image.shape[1]:
                known += 1
                weights[i] = falloff[i]
                a[i, 0], a[i, 1], a[i, 2], a[i, 3] = -p[1], -p[2], p[0], 1.0
                values[i] = image[row, col]
        sound[j] = False
        if known < 0.7 * count:
            continue
        base, robust = weights.copy(), weights.copy()
        solution, scale = np.zeros(4), 1.0
        for _ in range(3):
            xx, xy, xt, x1, yy, yt, y1, tt, t1, one = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
            vx, vy, vt, v1 = 0.0, 0.0, 0.0, 0.0
            for i in range(count):
                w, x, y, t, v = robust[i], a[i, 0], a[i, 1], a[i, 2], values[i]
                wx, wy, wt = w * x, w * y, w * t
                xx, xy, xt, x1 = xx + wx * x, xy + wx * y, xt + wx * t, x1 + wx
                yy, yt, y1 = yy + wy * y, yt + wy * t, y1 + wy
                tt, t1, one = tt + wt * t, t1 + wt, one + w
                vx, vy, vt, v1 = vx + wx * v, vy + wy * v, vt + wt * v, v1 + w * v
            normal[0, 0], normal[0, 1], normal[0, 2], normal[0, 3] = xx + 1e-9, xy, xt, x1
            normal[1, 0], normal[1, 1], normal[1, 2], normal[1, 3] = xy, yy + 1e-9, yt, y1
            normal[2, 0], normal[2, 1], normal[2, 2], normal[2, 3] = xt, yt, tt + 1e-9, t1
            normal[3, 0], normal[3, 1], normal[3, 2], normal[3, 3] = x1, y1, t1, one + 1e-9
            right[0], right[1], right[2], right[3] = vx, vy, vt, v1
            inverse[:] = np.linalg.inv(normal)
            solution = inverse @ right
            total, mass = 0.0, 1e-12
            for i in range(count):
                residual[i] = values[i] - a[i, 0] * solution[0] - a[i, 1] * solution[1] - a[i, 2] * solution[2] - solution[3] * a[i, 3]
                total += base[i] * abs(residual[i])
                mass += base[i]
            scale = 1.2533 * total / mass + 1e-3
            for i in range(count):
                r = residual[i] / (2.0 * scale)
                robust[i] = base[i] / (1.0 + r * r)
        gain = solution[2]
        if gain < 0.2:
            continue
        off[j, 0], off[j, 1] = solution[0] / gain, solution[1] / gain
        unit = (scale / gain) ** 2
        for r in range(2):
            for c in range(2):
                covariance[j, r, c] = unit * inverse[r, c]
        far = np.hypot(off[j, 0], off[j, 1])
        sound[j] = far < MOST_OFF_PX and covariance[j, 0, 0] + covariance[j, 1, 1] < MOST_SIGMA_PX**2


def look_at_points(
    appearance: Appearance, optics: Optics, frame: KeptPictures, h: Float64, blur: float, conditions: Conditions, features: Float64
) -> PointEvidence | None:
    """Compare windows around points with what a pose predicts; None when too few can be compared.

    Parameters
    ----------
    frame : the frame, with what was made of it before
    h : (3, 3) float64, a pose that is nearly right, ideal frame px from ideal reference px
    blur : variance by which the frame is softer than the reference, plate px^2
    features : (N, 2) float64, ideal reference px
    """
    box = box_of(appearance, optics, h, conditions.movement)
    if box is None or len(features) < LEAST_POINTS:
        return None
    at = optics.project(features, h, conditions.movement)
    reach = REACH_PX + 2
    inside = np.all((at > reach) & (at < np.array([optics.width, optics.height]) - reach), axis=1)
    if conditions.hidden is not None:
        cell = at[inside].astype(int)
        inside[inside] = ~conditions.hidden[cell[:, 1], cell[:, 0]]
    tiles = np.argmin(np.sum((features[:, None] - appearance.centres[None]) ** 2, axis=2), axis=1)
    order = np.argsort(tiles, kind="stable")
    order = order[inside[order]]
    if len(order) < LEAST_POINTS:
        return None
    span = np.arange(-REACH_PX, REACH_PX + 1)
    window = np.stack(np.meshgrid(span, span), axis=-1).reshape(-1, 2)
    window = window[np.sum(window**2, axis=1) <= (REACH_PX + 0.5) ** 2]
    middle = np.floor(at[order]).astype(np.int64)
    pixels = (middle[:, None] + window[None]).reshape(-1, 2)
    centres = pixels + 0.5
    soft = softness(
        appearance, h, conditions.movement, conditions.reference_movement, blur, conditions.shutter, USUAL_VARIANCE
    )  # fmt: skip
    picture = frame.around(box, optics.tone)
    times = optics.row_time(centres[:, 1]) if optics.readout else np.zeros(len(centres))
    count = len(window)
    ideal = optics.ideal(centres)
    flat = ideal if conditions.bow is None else conditions.bow.flat(ideal, h)
    prediction = predict(appearance, soft, flat, times, np.repeat(tiles[order], count), h, conditions.movement, conditions.shutter)
    off, covariance, sound = np.zeros((len(order), 2)), np.zeros((len(order), 2, 2)), np.zeros(len(order), np.bool_)
    falloff = np.exp(-np.sum(window**2, axis=1) / (2 * (0.6 * REACH_PX) ** 2))
    codes = to_code(picture.smoothed(soft.smoothing), picture.table)
    _displace(prediction, codes, *picture.origin, pixels, count, falloff, off, covariance, sound)
    if sound.sum() < LEAST_POINTS:
        return None
    return PointEvidence(optics.ideal(middle + 0.5)[sound], off[sound], covariance[sound], tiles[order][sound])


def weigh_points(a: Alignment, points: PointEvidence | None, motion: Motion, corners: Float64, trust: Float64 | None = None) -> Alignment:
    """An alignment moved towards what its points say, as far as they are the surer ones.

    Parameters
    ----------
    corners : (4, 2) float64, ideal reference px; the doubt there decides
    trust : (tiles,) 0..1, how far each tile has moved with the plane in other frames, or None

    Notes
    -----
    Both look at the same pixels, so their errors go together and the doubt does not shrink: it is that of a mixture, and
    contains how far the two disagree.
    """
    found = None if points is None else _pose_step(a, points, FREEDOMS[motion], trust)
    if found is None:
        return a
    step, covariance = found
    at = apply_homography(a.h, corners)
    own = float(np.mean(corner_sigmas(a, at) ** 2))
    theirs = float(np.mean(corner_sigmas(replace(a, covariance=covariance), at) ** 2))
    share = own / max(own + theirs, 1e-12)
    n = a.normaliser
    h = normalised(np.linalg.inv(n) @ exponential(share * step) @ n @ a.h)
    mixed = (1 - share) * a.covariance + share * covariance + share * (1 - share) * np.outer(step, step)
    return replace(a, h=h, covariance=mixed)


def _pose_step(a: Alignment, points: PointEvidence, freedoms: int, trust: Float64 | None) -> tuple[Float64, Float64] | None:
    """The step of the pose that the points ask for, robustly, and its covariance from the scatter of tiles; normalised coordinates."""
    base = np.ones(len(points.at)) if trust is None else (trust[points.tiles] > LEAST_TRUST).astype(float)
    if base.sum() < max(LEAST_POINTS, 2 * freedoms):
        return None
    n = a.normaliser
    jacobian = point_jacobian(points.at @ n[:2, :2].T + n[:2, 2], freedoms) / n[0, 0]
    # Rows and displacements in units of their own doubt.
    whiten = np.linalg.cholesky(np.linalg.inv(points.covariance + SLIP_PX**2 * np.eye(2))).transpose(0, 2, 1)
    rows, off = whiten @ jacobian, (whiten @ points.off[:, :, None])[:, :, 0]
    flat, right = rows.reshape(-1, freedoms), off.reshape(-1)
    q, step, hessian, residual = base, np.zeros(freedoms), np.eye(freedoms), off
    for _ in range(8):
        weighted = flat * np.repeat(q, 2)[:, None]
        hessian = weighted.T @ flat + 1e-9 * np.eye(freedoms)
        step = np.linalg.solve(hessian, weighted.T @ right)
        residual = (right - flat @ step).reshape(-1, 2)
        distance = np.linalg.norm(residual, axis=1)
        scale = max(float(np.median(distance[base > 0])) / 1.1774, 0.5)
        q = base * np.maximum(1 - (distance / (4.685 * scale)) ** 2, 0.0) ** 2
    pulls = (rows * (residual * q[:, None])[:, :, None]).sum(axis=1)
    own = (rows * q[:, None, None]).transpose(0, 2, 1) @ rows
    starts = np.flatnonzero(np.diff(points.tiles, prepend=-1))
    covariance = sandwich(hessian, np.add.reduceat(pulls, starts, axis=0), np.add.reduceat(own, starts, axis=0))
    return (step, covariance) if np.all(np.isfinite(step)) and np.abs(step).max() < 0.5 else None
