"""What stands in front of a surface, as coverage."""

from collections.abc import Sequence

import cv2
import numpy as np

from verdigris.core.geometry.shapes import mean_coverage, polygon_coverage
from verdigris.core.types import Bool, Float32, Float64


def occlusion(polygons: Sequence[Float64], feathers_px: Sequence[float], width: int, height: int) -> Float32 | None:
    """Union of shapes in front, softened each by its feather; None when there are none.

    Parameters
    ----------
    polygons : (N, 2) float64 each, px of the picture asked for; or (M, N, 2), where one is at M even moments of an exposure
    feathers_px : standard deviation of each shape's soft edge, same px

    Returns
    -------
    (height, width) float32, 1 = wholly in front
    """
    result: Float32 | None = None
    for polygon, feather in zip(polygons, feathers_px, strict=True):
        result = np.zeros((height, width), np.float32) if result is None else result
        # Only the polygon's own box, and what its soft edge reaches, is worked on.
        reach = 4 * feather + 2 if feather > 0 else 0.0
        every = polygon.reshape(-1, 2)
        left, top = np.clip(np.floor(every.min(axis=0) - reach), 0, [width, height]).astype(int)
        right, bottom = np.clip(np.ceil(every.max(axis=0) + reach), 0, [width, height]).astype(int)
        if right <= left or bottom <= top:
            continue
        cover = mean_coverage(polygon - [left, top], int(right - left), int(bottom - top))
        if feather > 0:
            cover = np.asarray(cv2.GaussianBlur(cover, (0, 0), feather), dtype=np.float32)
        box = result[top:bottom, left:right]
        box += cover * (1 - box)
    return result


def region_mask(include: Sequence[Float64], exclude: Sequence[Float64], in_front: Float32 | None, width: int, height: int) -> Bool:
    """Pixels that are wholly inside an include shape, outside every exclude shape and not covered, (H, W) bool."""
    mask = np.zeros((height, width), bool)
    for polygon in include:
        mask |= polygon_coverage(polygon, width, height) > 0.999
    for polygon in exclude:
        mask &= polygon_coverage(polygon, width, height) < 0.001
    if in_front is not None:
        mask &= in_front < 0.01
    return mask
