"""Which frame would serve best as the reference: where the surface is large, sharp and least hidden."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from verdigris.core.geometry.shapes import polygon_coverage
from verdigris.core.types import Float32, Float64

# Detail finer than this is noise at this scale, coarser than the second is the layout of the picture.
FINE_PX, COARSE_PX = 1.0, 2.5


@dataclass(frozen=True)
class FrameWorth:
    """How well one frame would serve as the reference.

    Attributes
    ----------
    size : area of the surface in the picture, px^2 of the plate; NaN while it is not followed
    sharpness : contrast of fine detail, comparable between frames of one plate only
    hidden : share of the surface that is covered or outside the picture, 0..1
    worth : the three together, 0..1, 1 for the best frame
    """

    frame: int
    size: float
    sharpness: float
    hidden: float
    worth: float


def sharpness(luma: Float32, region: Float64 | None = None) -> float:
    """Contrast of fine detail: standard deviation of what lies between two blurs, within a polygon (N, 2) px or everywhere.

    The upper half by strength counts: bare wall in the region says nothing about focus.
    """
    fine = cv2.GaussianBlur(luma, (0, 0), FINE_PX) - cv2.GaussianBlur(luma, (0, 0), COARSE_PX)
    if region is not None:
        inside = polygon_coverage(region, luma.shape[1], luma.shape[0]) > 0.5
        if inside.sum() >= 64:
            fine = fine[inside]
    strength = np.square(fine.ravel())
    return float(np.sqrt(np.mean(np.sort(strength)[len(strength) // 2 :])))


def weigh_frames(frames: Sequence[int], sizes: Sequence[float], sharp: Sequence[float], hidden: Sequence[float]) -> list[FrameWorth]:
    """Frames with their worth: error of a corner falls with the surface's size, its sharpness and what of it is seen.

    Parameters
    ----------
    frames, sizes, sharp, hidden : one value for each frame; a size of NaN where nothing is known counts as the median
    """
    size, crisp, gone = np.array(sizes, float), np.array(sharp, float), np.array(hidden, float)
    known = np.isfinite(size)
    filled = np.where(known, size, np.median(size[known]) if known.any() else 1.0)
    # Information grows with the gradient's square and the number of pixels; the doubt with the root of its inverse.
    score = np.sqrt(np.maximum(filled, 0) * np.clip(1 - gone, 0, 1)) * np.maximum(crisp, 1e-9)
    best = float(score.max()) if len(score) and score.max() > 0 else 1.0
    return [
        FrameWorth(int(n), float(s), float(c), float(g), float(w))
        for n, s, c, g, w in zip(frames, size, crisp, gone, score / best, strict=True)
    ]
