"""Fingers that hold something from the side, and a thumb, shaded as rounded limbs."""

import cv2
import numpy as np

from verdigris.core.types import Float32, Float64
from verdigris.demo.limbs import Limb, limb_height, limb_shade
from verdigris.demo.textures import Rng, fractal_noise, soft, with_alpha

# Four fingers curl round from the left edge, the palm behind them.
FINGERS: list[Limb] = [
    (590, 96, 34, 700, 84, 31), (700, 84, 31, 788, 96, 25), (580, 190, 37, 710, 176, 34), (710, 176, 34, 812, 186, 27),
    (584, 286, 36, 708, 276, 33), (708, 276, 33, 804, 284, 26), (596, 376, 32, 700, 368, 29), (700, 368, 29, 776, 374, 23),
    (568, 110, 60, 564, 372, 66), (550, 236, 112, 400, 420, 96), (400, 420, 96, 200, 760, 108), (200, 760, 108, -30, 1260, 124),
]  # fmt: skip
THUMB: list[Limb] = [(470, 470, 66, 330, 330, 52), (330, 330, 52, 214, 216, 40), (214, 216, 40, 150, 150, 34)]
NAILS: list[tuple[float, float, float, float]] = [(776, 96, 15, 12), (800, 186, 16, 13), (792, 284, 15, 12), (765, 374, 13, 10)]


def _skin(rng: Rng, limbs: list[Limb], nails: list[tuple[float, float, float, float]], width: int, height: int) -> Float32:
    y, x = np.mgrid[0.5:height, 0.5:width].astype(np.float32)
    rise, _ = limb_height(limbs, x, y)
    light = limb_shade(soft(rise, 2.4), np.asarray(0.7 * fractal_noise(rng, height, width, 9, 3), np.float32))
    mottled = 1 + 0.06 * fractal_noise(rng, height, width, 26, 5)
    rgb = np.stack([0.47 * light, 0.27 * light**1.1, 0.195 * light**1.18], axis=2) * mottled[..., None]
    for cx, cy, rx, ry in nails:
        nail = np.clip(1.4 - np.hypot((x - cx) / rx, (y - cy) / ry) * 1.2, 0, 1)[..., None]
        rgb = rgb * (1 - 0.5 * nail) + np.array([0.50, 0.34, 0.28]) * light[..., None] * 0.5 * nail
    mask = np.clip(soft(np.asarray(rise > 0.5, np.float32), 0.9), 0, 1)
    return with_alpha(soft(np.asarray(rgb, np.float32), 0.8), soft(mask, 1.2))


def fingers(rng: Rng, from_right: bool) -> Float32:
    """A hand that grips from a side, its fingers foremost, (1250, 950, 4)."""
    picture = _skin(rng, FINGERS, NAILS, 950, 1250)
    return np.ascontiguousarray(picture[:, ::-1]) if from_right else picture


def thumb(rng: Rng) -> Float32:
    """A thumb reaching up and left, (520, 520, 4); its tip lies at about (135, 135)."""
    return _skin(rng, THUMB, [(158, 160, 24, 20)], 520, 520)


def finger_outline(picture: Float32) -> Float64:
    """Outline of what is seen of a hand in texture px, (N, 2), a little outside."""
    solid = cv2.dilate((picture[..., 3] > 0.08).astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (9, 9)))
    contours, _ = cv2.findContours(cv2.copyMakeBorder(solid, 2, 2, 2, 2, cv2.BORDER_CONSTANT), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    outline = cv2.approxPolyDP(max(contours, key=cv2.contourArea), 2.5, True)
    return outline.reshape(-1, 2).astype(np.float64) - 1.5
