"""Motion models as groups: each has exactly its own freedoms, composed within itself.

A warp is H = exp(sum p_k G_k) in normalised coordinates (region centre at 0, half its diagonal = 1), with
the generators G_k of SL(3). Translations, rigid motions, similarities, affinities and homographies each
form a subgroup spanned by the first k generators below, so an update never leaves its model.

References
----------
Benhimane and Malis, Homography-based 2D visual tracking and servoing, IJRR 26(7), 2007 (SL(3) parameters).
"""

from typing import Literal

import cv2
import numba
import numpy as np

from verdigris.core.geometry.homography import apply_homography, fit_homography, normalised, product
from verdigris.core.types import Float64

Motion = Literal["translation", "rigid", "similarity", "affine", "perspective"]
MOTIONS: tuple[Motion, ...] = ("translation", "rigid", "similarity", "affine", "perspective")
FREEDOMS: dict[Motion, int] = {"translation": 2, "rigid": 3, "similarity": 4, "affine": 6, "perspective": 8}

# Of what points hold best, they hold everything by more than this.
LEAST_HELD = 0.01

GENERATORS = np.array(
    [
        [[0, 0, 1], [0, 0, 0], [0, 0, 0]],
        [[0, 0, 0], [0, 0, 1], [0, 0, 0]],
        [[0, -1, 0], [1, 0, 0], [0, 0, 0]],
        [[1, 0, 0], [0, 1, 0], [0, 0, -2]],
        [[1, 0, 0], [0, -1, 0], [0, 0, 0]],
        [[0, 1, 0], [1, 0, 0], [0, 0, 0]],
        [[0, 0, 0], [0, 0, 0], [1, 0, 0]],
        [[0, 0, 0], [0, 0, 0], [0, 1, 0]],
    ],
    dtype=np.float64,
)


def exponential(parameters: Float64) -> Float64:
    """Matrix exponential of a combination of the first k generators, (3, 3), normalised coordinates."""
    return np.asarray(_exponential(np.ascontiguousarray(parameters, np.float64), GENERATORS), np.float64)


@numba.njit(cache=True, nogil=True)
def _exponential(parameters, generators):  # type: ignore[no-untyped-def]
    a = np.zeros((3, 3))
    for k in range(parameters.shape[0]):
        a += parameters[k] * generators[k]
    result, term = np.eye(3), np.eye(3)
    for i in range(1, 12):
        term = product(term, a) / i
        result += term
    return result


def point_jacobian(points: Float64, freedoms: int) -> Float64:
    """Derivative of exp(p) applied to points, at p = 0.

    Parameters
    ----------
    points : (N, 2) float64, normalised coordinates
    freedoms : number of generators used

    Returns
    -------
    (N, 2, k) float64
    """
    x, y = points[:, 0], points[:, 1]
    o, z = np.ones_like(x), np.zeros_like(x)
    columns = [
        (o, z), (z, o), (-y, x), (3 * x, 3 * y), (x, -y), (y, x), (-x * x, -x * y), (-x * y, -y * y),
    ][:freedoms]  # fmt: skip
    return np.stack([np.stack(c, axis=-1) for c in columns], axis=-1)


def holds(points: Float64, motion: Motion) -> bool:
    """Whether points (N, 2) lie so that they can drive a motion model: three in a line drive no shear, four with three in a line no tilt.

    References
    ----------
    Hartley and Zisserman, Multiple view geometry, 2004, section 4.1.3 (degenerate configurations).
    """
    k = FREEDOMS[motion]
    centred = points - points.mean(axis=0)
    spread = float(np.sqrt(np.mean(np.sum(centred**2, axis=1))))
    if 2 * len(points) < k or (motion != "translation" and spread < 1e-9):
        return False
    singular = np.linalg.svd(point_jacobian(centred / max(spread, 1e-9), k).reshape(-1, k), compute_uv=False)
    return bool(singular[-1] > LEAST_HELD * singular[0])


def estimate_motion(src: Float64, dst: Float64, motion: Motion, inlier_px: float = 2.0) -> tuple[Float64 | None, Float64]:
    """Robust fit of a motion model to point pairs, refined by least squares on its inliers.

    Parameters
    ----------
    src, dst : (N, 2) float64, (x, y), px
    inlier_px : transfer error up to which a pair agrees

    Returns
    -------
    homography dst_from_src (3, 3) or None when too few pairs agree, and (N,) bool of the pairs that agree

    Notes
    -----
    The robust step is OpenCV's MAGSAC (Barath et al., CVPR 2020) or RANSAC for the simpler models; its raw
    answer is several times less exact than a least-squares fit to its inliers, hence the second step.
    """
    none = np.zeros(len(src), dtype=bool)
    least = {"translation": 3, "rigid": 4, "similarity": 4, "affine": 6, "perspective": 8}[motion]
    if len(src) < least:
        return None, none
    h = _robust(src, dst, motion, inlier_px)
    if h is None:
        return None, none
    for _ in range(2):
        inliers = np.linalg.norm(apply_homography(h, src) - dst, axis=1) < inlier_px
        if inliers.sum() < least:
            return None, none
        refined = fit_motion(src[inliers], dst[inliers], motion)
        if refined is None:
            return None, none
        h = refined
    return h, np.linalg.norm(apply_homography(h, src) - dst, axis=1) < inlier_px


def _robust(src: Float64, dst: Float64, motion: Motion, inlier_px: float) -> Float64 | None:
    if motion == "translation":
        h = np.eye(3)
        h[:2, 2] = np.median(dst - src, axis=0)
        return h
    s, d = src.astype(np.float32), dst.astype(np.float32)
    if motion == "perspective":
        found, _ = cv2.findHomography(s, d, cv2.USAC_MAGSAC, inlier_px, maxIters=2000, confidence=0.999)
        return None if found is None or abs(found[2, 2]) < 1e-12 else normalised(np.asarray(found, dtype=np.float64))
    solver = cv2.estimateAffine2D if motion == "affine" else cv2.estimateAffinePartial2D
    found, _ = solver(s, d, method=cv2.RANSAC, ransacReprojThreshold=inlier_px)
    return None if found is None else np.vstack([np.asarray(found, dtype=np.float64), [0, 0, 1]])


def fit_motion(src: Float64, dst: Float64, motion: Motion) -> Float64 | None:
    """Least-squares fit of a motion model to point pairs (N, 2), px: dst_from_src (3, 3); None when degenerate."""
    if motion == "perspective":
        return fit_homography(src, dst)
    h = np.eye(3)
    if motion == "translation":
        h[:2, 2] = (dst - src).mean(axis=0)
        return h
    cs, cd = src.mean(axis=0), dst.mean(axis=0)
    a, b = src - cs, dst - cd
    if motion == "affine":
        solved, *_ = np.linalg.lstsq(a, b, rcond=None)
        linear = solved.T
    else:
        # Umeyama, PAMI 13(4), 1991: rotation and scale by complex regression.
        za, zb = a[:, 0] + 1j * a[:, 1], b[:, 0] + 1j * b[:, 1]
        c = np.vdot(za, zb) / max(float(np.vdot(za, za).real), 1e-12)
        if motion == "rigid":
            c = c / max(abs(c), 1e-12)
        linear = np.array([[c.real, -c.imag], [c.imag, c.real]])
    h[:2, :2] = linear
    h[:2, 2] = cd - linear @ cs
    return h
