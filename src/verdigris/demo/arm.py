"""A passer-by's arm in a knitted sleeve, shaded as rounded limbs."""

import cv2
import numpy as np

from verdigris.core.types import Float32, Float64
from verdigris.demo.limbs import Limb, limb_height, limb_shade
from verdigris.demo.textures import Rng, fractal_noise, soft, with_alpha

SIZE = 1000

SLEEVE: list[Limb] = [(1080, 1120, 96, 640, 640, 70), (640, 640, 70, 436, 418, 54)]
CUFF: list[Limb] = [(452, 436, 59, 424, 404, 57)]
HAND: list[Limb] = [
    (415, 395, 40, 352, 318, 45), (345, 322, 38, 318, 286, 36), (318, 268, 19, 262, 196, 14), (262, 196, 14, 226, 148, 11),
    (340, 262, 18, 306, 212, 15), (306, 212, 15, 318, 186, 13), (362, 268, 17, 338, 226, 14), (338, 226, 14, 352, 206, 12),
    (300, 312, 17, 246, 276, 14), (246, 276, 14, 216, 240, 11),
]  # fmt: skip


def arm_texture(rng: Rng) -> Float32:
    """The arm reaching up and left, (1000, 1000, 4); the fingertip lies at about (226, 140)."""
    y, x = np.mgrid[0.5:SIZE, 0.5:SIZE].astype(np.float32)
    skin_h, _ = limb_height(HAND, x, y)
    sleeve_h, along = limb_height(SLEEVE, x, y)
    cuff_h, _ = limb_height(CUFF, x, y)
    folds = fractal_noise(rng, SIZE, SIZE, 90, 4, 0.5) * 5
    across = (x - y) / np.sqrt(2)
    knit = 1.3 * np.sin(along / 3.6) * np.sin(across / 3.1)
    cloth = limb_shade(soft(sleeve_h, 1.5), soft(np.asarray(folds + knit, np.float32), 0.7))
    cloth_rgb = np.array([0.225, 0.075, 0.055], np.float32) * (cloth * (1 + 0.08 * fractal_noise(rng, SIZE, SIZE, 4, 2)))[..., None]
    rib = limb_shade(soft(cuff_h, 1.2), np.asarray(1.5 * np.sin(across / 2.4), np.float32))
    rib_rgb = np.array([0.20, 0.066, 0.050], np.float32) * rib[..., None]
    mottled = 1 + 0.07 * fractal_noise(rng, SIZE, SIZE, 24, 5)
    skin = limb_shade(soft(skin_h, 2.2), np.asarray(0.6 * fractal_noise(rng, SIZE, SIZE, 10, 3), np.float32))
    skin_rgb = np.stack([0.50 * skin, 0.285 * skin**1.12, 0.205 * skin**1.2], axis=2) * mottled[..., None]
    rgb = np.zeros((SIZE, SIZE, 3), np.float32)
    alpha = np.zeros((SIZE, SIZE), np.float32)
    for height, colour in ((skin_h, skin_rgb), (sleeve_h, cloth_rgb), (cuff_h, rib_rgb)):
        mask = np.clip(soft(np.asarray(height > 0.5, np.float32), 0.9), 0, 1)
        rgb = rgb * (1 - mask[..., None]) + colour.astype(np.float32) * mask[..., None]
        alpha = np.maximum(alpha, mask)
    return with_alpha(soft(np.asarray(rgb, np.float32), 0.8), soft(alpha, 1.3))


def arm_outline() -> Float64:
    """Outline of the arm and hand in texture px, (N, 2), clockwise from the fingertip, a little outside."""
    y, x = np.mgrid[0.5:SIZE, 0.5:SIZE].astype(np.float32)
    solid = np.zeros((SIZE, SIZE), np.uint8)
    for limbs in (HAND, SLEEVE, CUFF):
        solid |= (limb_height(limbs, x, y)[0] > 0).astype(np.uint8)
    solid = cv2.dilate(solid, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (13, 13)))
    contours, _ = cv2.findContours(solid, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    outline = cv2.approxPolyDP(max(contours, key=cv2.contourArea), 5.0, True)
    return outline.reshape(-1, 2).astype(np.float64) + 0.5
