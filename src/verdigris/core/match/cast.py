"""The shadow that what is in front casts on the surface: how far off, how soft, how dark.

Where the surface's own picture is known, what is missing of its light beside what is in front is the shadow. The shape in front, moved
and blurred, is laid on it; strength is a line, the move and the blur that leave least are taken: coarsely first, then finely.
"""

from dataclasses import dataclass
from itertools import product

import cv2
import numpy as np

from verdigris.core.types import Bool, Float32

SOFT = (1.5, 3.0, 5.0, 8.0, 12.0, 18.0)
FARTHEST, COARSE = 24, 6


@dataclass(frozen=True)
class CastSeen:
    """A shadow.

    Attributes
    ----------
    offset : px
    soft_px : standard deviation of its edge
    strength : share of light taken away
    gain : how much of what is missing it explains, 0..1
    """

    offset: tuple[float, float]
    soft_px: float
    strength: float
    gain: float


def measure_cast(missing: Float32, front: Float32, where: Bool) -> CastSeen | None:
    """Tell a shadow.

    Parameters
    ----------
    missing : (h, w) float32, share of light that is missing on the surface
    front : (h, w) float32, coverage of what is in front
    where : (h, w) bool, the surface with nothing in front
    """
    near = where & (cv2.dilate(front, np.ones((2 * FARTHEST + 1, 2 * FARTHEST + 1), np.uint8)) > 0.5)
    if near.sum() < 200 or front.max() < 0.5:
        return None
    whole = float((missing[near].astype(np.float64) ** 2).sum())
    steps = range(-FARTHEST, FARTHEST + 1, COARSE)
    best = CastSeen((0.0, 0.0), SOFT[0], 0.0, 0.0)
    for soft in SOFT:
        shape = cv2.GaussianBlur(front, (0, 0), soft, borderType=cv2.BORDER_REPLICATE)
        best = _better(best, missing, shape, near, whole, soft, [(float(x), float(y)) for x, y in product(steps, steps)])
    for fine in (3.0, 1.5, 0.75):
        around = [(best.offset[0] + fine * i, best.offset[1] + fine * j) for i, j in product((-1, 0, 1), (-1, 0, 1))]
        for soft in (best.soft_px / 1.25, best.soft_px, best.soft_px * 1.25):
            shape = cv2.GaussianBlur(front, (0, 0), soft, borderType=cv2.BORDER_REPLICATE)
            best = _better(best, missing, shape, near, whole, soft, around)
    return best


def _better(
    best: CastSeen, missing: Float32, shape: Float32, near: Bool, whole: float, soft: float, offsets: list[tuple[float, float]]
) -> CastSeen:
    """The best of some offsets of a shape, or what was best before."""
    y = missing[near]
    for dx, dy in offsets:
        moved = cv2.warpAffine(
            shape, np.array([[1, 0, dx], [0, 1, dy]], np.float64), shape.shape[::-1], borderMode=cv2.BORDER_REPLICATE
        )[near]  # fmt: skip
        strength = float((moved * y).sum() / max(float((moved**2).sum()), 1e-9))
        gain = 1 - float(((y - strength * moved).astype(np.float64) ** 2).sum()) / max(whole, 1e-9)
        if 0 < strength <= 1 and gain > best.gain:
            best = CastSeen((dx, dy), soft, strength, gain)
    return best
