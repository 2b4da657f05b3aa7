"""The least error any tracker can have on a plate: the Cramer-Rao bound of its region and noise."""

import cv2
import numpy as np

from bench.tracking.cases import Plate
from verdigris.core.geometry.motion import point_jacobian
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.types import Float64

DRAWS = 4000


def corner_bound(plate: Plate) -> Float64:
    """Radial errors of the corners, (DRAWS, 4) plate px, that the best of all trackers would make against a noisy reference frame.

    Drawn, so that medians are held against medians and the far tail against the far tail.

    References
    ----------
    Kay, Fundamentals of statistical signal processing: estimation theory, 1993, chapter 3: covariance is at least the
    inverse of the Fisher information, here of eight pose parameters in independent noise on two pictures.
    """
    height, width = plate.light.shape
    region = region_mask(plate.include, plate.exclude, None, width, height)
    gx = cv2.Sobel(plate.light, cv2.CV_64F, 1, 0, ksize=1, scale=0.5)
    gy = cv2.Sobel(plate.light, cv2.CV_64F, 0, 1, ksize=1, scale=0.5)
    ys, xs = np.nonzero(region)
    corners = plate.truth[plate.reference]
    middle, s = corners.mean(axis=0), 2.0 / float(np.hypot(*np.ptp(corners, axis=0)))
    jac = point_jacobian((np.stack([xs + 0.5, ys + 0.5], axis=1) - middle) * s, 8) / s
    columns = gx[ys, xs, None] * jac[:, 0] + gy[ys, xs, None] * jac[:, 1]
    # Rounding to eight bit adds its own noise.
    variance = 2 * (plate.noise**2 + (1 / 255) ** 2 / 12)
    covariance = variance * np.linalg.inv(columns.T @ columns)
    at = point_jacobian((corners - middle) * s, 8) / s
    poses = np.random.default_rng(0).multivariate_normal(np.zeros(8), covariance, DRAWS)
    return np.asarray(np.linalg.norm(np.einsum("nik,mk->mni", at, poses), axis=2))
