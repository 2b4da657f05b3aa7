"""A passer-by's arm in a knitted sleeve, shaded as rounded limbs."""

import cv2
import numpy as np

from verdigris.core.types import Float32, Float64
from verdigris.demo.textures import Rng, fractal_noise, soft, with_alpha

SIZE = 1000
Limb = tuple[float, float, float, float, float, float]

SLEEVE: list[Limb] = [(1080, 1120, 96, 640, 640, 70), (640, 640, 70, 436, 418, 54)]
CUFF: list[Limb] = [(452, 436, 59, 424, 404, 57)]
HAND: list[Limb] = [
    (415, 395, 40, 352, 318, 45), (345, 322, 38, 318, 286, 36), (318, 268, 19, 262, 196, 14), (262, 196, 14, 226, 148, 11),
    (340, 262, 18, 306, 212, 15), (306, 212, 15, 318, 186, 13), (362, 268, 17, 338, 226, 14), (338, 226, 14, 352, 206, 12),
    (300, 312, 17, 246, 276, 14), (246, 276, 14, 216, 240, 11),
]  # fmt: skip


def _height(limbs: list[Limb], x: Float32, y: Float32) -> tuple[Float32, Float32]:
    """Height of a union of tapered capsules above the picture, and the way along them, px."""
    top, along = np.zeros_like(x), np.zeros_like(x)
    walked = 0.0
    for x0, y0, r0, x1, y1, r1 in limbs:
        dx, dy = x1 - x0, y1 - y0
        length = float(np.hypot(dx, dy))
        t = np.clip(((x - x0) * dx + (y - y0) * dy) / length**2, 0, 1)
        distance = np.hypot(x - x0 - t * dx, y - y0 - t * dy)
        radius = r0 + t * (r1 - r0)
        h = np.sqrt(np.maximum(radius**2 - distance**2, 0))
        along = np.where(h > top, walked + t * length, along)
        top = np.maximum(top, h)
        walked += length
    return top, along


def _shade(height: Float32, relief: Float32) -> Float32:
    h = height + relief
    gx, gy = cv2.Sobel(h, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(h, cv2.CV_32F, 0, 1, scale=1 / 8)
    gx, gy = np.clip(gx, -4, 4), np.clip(gy, -4, 4)
    norm = np.sqrt(gx**2 + gy**2 + 1)
    key = np.clip((0.55 * gx + 0.62 * gy + 0.56) / norm, 0, 1)
    rim = np.clip(1 - 1 / norm, 0, 1) ** 3
    return np.asarray(0.20 + 0.85 * key + 0.06 * rim, np.float32)


def arm_texture(rng: Rng) -> Float32:
    """The arm reaching up and left, (1000, 1000, 4); the fingertip lies at about (226, 140)."""
    y, x = np.mgrid[0.5:SIZE, 0.5:SIZE].astype(np.float32)
    skin_h, _ = _height(HAND, x, y)
    sleeve_h, along = _height(SLEEVE, x, y)
    cuff_h, _ = _height(CUFF, x, y)
    folds = fractal_noise(rng, SIZE, SIZE, 90, 4, 0.5) * 5
    across = (x - y) / np.sqrt(2)
    knit = 1.3 * np.sin(along / 3.6) * np.sin(across / 3.1)
    cloth = _shade(soft(sleeve_h, 1.5), soft(np.asarray(folds + knit, np.float32), 0.7))
    cloth_rgb = np.array([0.225, 0.075, 0.055], np.float32) * (cloth * (1 + 0.08 * fractal_noise(rng, SIZE, SIZE, 4, 2)))[..., None]
    rib = _shade(soft(cuff_h, 1.2), np.asarray(1.5 * np.sin(across / 2.4), np.float32))
    rib_rgb = np.array([0.20, 0.066, 0.050], np.float32) * rib[..., None]
    mottled = 1 + 0.07 * fractal_noise(rng, SIZE, SIZE, 24, 5)
    skin = _shade(soft(skin_h, 2.2), np.asarray(0.6 * fractal_noise(rng, SIZE, SIZE, 10, 3), np.float32))
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
        solid |= (_height(limbs, x, y)[0] > 0).astype(np.uint8)
    solid = cv2.dilate(solid, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (13, 13)))
    contours, _ = cv2.findContours(solid, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    outline = cv2.approxPolyDP(max(contours, key=cv2.contourArea), 5.0, True)
    return outline.reshape(-1, 2).astype(np.float64) + 0.5
