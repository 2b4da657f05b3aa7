"""What a lens does to a new picture: light that falls off towards the rim, softness that differs over the surface, colour fringes.

References
----------
Fringes as a difference of magnification between channels: ISO 19084:2015. Softness between two spreads is mixed in variance, which is
how blurs add (a mixture of two Gaussians near each other is close to the one between).
"""

from dataclasses import dataclass

import cv2
import numpy as np

from verdigris.core.composite.layer import Box
from verdigris.core.types import Float32

# Variances of softness over a surface are drawn at so many steps, and mixed between.
SOFT_STEPS = 4


@dataclass(frozen=True)
class Vignette:
    """Light that falls off towards the picture's corners.

    Attributes
    ----------
    amount : share of light lost in a corner; it grows with the square of the distance from the middle
    middle : plate px
    radius_px : from the middle to a corner
    """

    amount: float
    middle: tuple[float, float]
    radius_px: float


def fallen_off(light: Float32, box: Box, vignette: Vignette) -> Float32:
    """Light (h, w, 3) of a region as it comes through the lens."""
    x, y = _places(box, vignette.middle)
    share = (x**2 + y**2) / np.float32(vignette.radius_px**2)
    return np.asarray(light * np.maximum(1 - np.float32(vignette.amount) * share, 0)[..., None], np.float32)


def drawn_apart(values: Float32, box: Box, middle: tuple[float, float], magnified: float) -> Float32:
    """One channel (h, w) of a region as a lens draws it that much larger, around the middle of the picture, plate px."""
    x, y = _places(box, middle)
    k = np.float32(1 / (1 + magnified) - 1)
    cols, rows = np.meshgrid(np.arange(values.shape[1], dtype=np.float32), np.arange(values.shape[0], dtype=np.float32))
    return np.asarray(cv2.remap(values, cols + k * x, rows + k * y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE), np.float32)


def _places(box: Box, middle: tuple[float, float]) -> tuple[Float32, Float32]:
    """Where a region's pixels are from the middle of the picture, two (h, w) plate px."""
    x = np.arange(box[0], box[2], dtype=np.float32) + np.float32(0.5 - middle[0])
    y = np.arange(box[1], box[3], dtype=np.float32) + np.float32(0.5 - middle[1])
    across, down = np.meshgrid(x, y)
    return np.asarray(across, np.float32), np.asarray(down, np.float32)


def sigmas_over(corners: tuple[float, float, float, float], unit: Float32) -> Float32:
    """Softness at every pixel, (h, w) px, from that at four corners; beyond the surface as at its edge."""
    u, v = np.clip(unit[..., 0], 0, 1), np.clip(unit[..., 1], 0, 1)
    tl, tr, br, bl = (np.float32(c**2) for c in corners)
    return np.asarray(np.sqrt((1 - v) * ((1 - u) * tl + u * tr) + v * ((1 - u) * bl + u * br)), np.float32)


def soft_by(values: Float32, sigma: Float32) -> Float32:
    """Values (h, w) or (h, w, 3) softened by as much as each pixel asks, standard deviation (h, w) px."""
    low, high = float(sigma.min()) ** 2, float(sigma.max()) ** 2
    variances = np.linspace(low, high, SOFT_STEPS) if high - low > 1e-3 else np.array([high])
    blurs = [
        cv2.GaussianBlur(values, (0, 0), float(np.sqrt(v)), borderType=cv2.BORDER_REPLICATE) if v > 0.003 else values for v in variances
    ]
    if len(blurs) == 1:
        return np.asarray(blurs[0], np.float32)
    at = (sigma**2 - np.float32(low)) / np.float32((high - low) / (SOFT_STEPS - 1))
    out = np.zeros_like(values)
    for k, blur in enumerate(blurs):
        weight = np.maximum(1 - np.abs(at - k), 0)
        out += blur * (weight if values.ndim == 2 else weight[..., None])
    return out
