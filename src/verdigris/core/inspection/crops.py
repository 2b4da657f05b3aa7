"""Small pictures that show whether a track sticks."""

import cv2
import numpy as np

from verdigris.core.types import Float64, Uint8

CROP_PX = 64


def crop_box(corner: Float64, size: int = CROP_PX) -> tuple[int, int, int, int]:
    """Whole-pixel square around a point (2,), x0, y0, x1, y1; may reach beyond the picture."""
    x0, y0 = np.floor(np.asarray(corner) - size / 2).astype(int)
    return int(x0), int(y0), int(x0) + size, int(y0) + size


def centred_crop(region: Uint8, box: tuple[int, int, int, int], corner: Float64, size: int = CROP_PX) -> Uint8:
    """Shift a whole-pixel crop by the rest of a pixel, so that the corner lies exactly in its middle.

    Parameters
    ----------
    region : (size, size, 3) uint8, the pixels of `box`
    corner : (2,) float64, plate px
    """
    dx, dy = np.asarray(corner) - (np.array(box[:2]) + size / 2)
    shift = np.array([[1, 0, -dx], [0, 1, -dy]], dtype=np.float64)
    return np.asarray(cv2.warpAffine(region, shift, (size, size), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.uint8)
