"""A stand-in for artwork: a chart whose checks, rims and diagonals show at once when they slip against the plate."""

import cv2
import numpy as np

from verdigris.core.geometry.homography import homography_from_quads
from verdigris.core.types import Float64, Uint8

LIGHT, DARK, LINE = (244, 236, 218), (30, 32, 32), (98, 181, 163)
# How much of the plate it hides: enough to be read, little enough to see what it lies on.
COVER = 0.55


def stand_in_chart(aspect: float, rows: int = 6, cell: int = 48) -> Uint8:
    """Checks about as wide as high, a rim and two diagonals, (h, w, 3) uint8 sRGB.

    Parameters
    ----------
    aspect : width over height of the surface it is laid on
    """
    columns = max(2, round(rows * aspect))
    checks = (np.add.outer(np.arange(rows), np.arange(columns)) % 2).repeat(cell, axis=0).repeat(cell, axis=1)
    chart = np.where(checks[..., None] == 0, np.array(LIGHT, np.uint8), np.array(DARK, np.uint8))
    height, width = chart.shape[:2]
    chart = np.ascontiguousarray(chart, np.uint8)
    cv2.line(chart, (0, 0), (width, height), LINE, 3, cv2.LINE_AA)
    cv2.line(chart, (width, 0), (0, height), LINE, 3, cv2.LINE_AA)
    cv2.rectangle(chart, (0, 0), (width - 1, height - 1), LINE, 4)
    return chart


def lay_stand_in(picture: Uint8, corners: Float64, chart: Uint8) -> Uint8:
    """The chart over a picture, in perspective, half seen through, (H, W, 3) uint8.

    Parameters
    ----------
    corners : (4, 2) float64, px of the picture, corner order

    Raises
    ------
    ValueError
        When the corners hold no plane.
    """
    height, width = chart.shape[:2]
    h = homography_from_quads(np.array([[0.0, 0], [width, 0], [width, height], [0, height]]), corners)
    half = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])
    matrix, size = half @ h @ np.linalg.inv(half), (picture.shape[1], picture.shape[0])
    drawn = cv2.warpPerspective(chart, matrix, size, flags=cv2.INTER_AREA)
    cover = cv2.warpPerspective(np.full((height, width), COVER, np.float32), matrix, size, flags=cv2.INTER_LINEAR)[..., None]
    return np.asarray(np.clip(picture * (1 - cover) + drawn * cover + 0.5, 0, 255), np.uint8)
