"""Rounded limbs: unions of tapered capsules with height, lit from the upper left."""

import cv2
import numpy as np

from verdigris.core.types import Float32

Limb = tuple[float, float, float, float, float, float]


def limb_height(limbs: list[Limb], x: Float32, y: Float32) -> tuple[Float32, Float32]:
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


def limb_shade(height: Float32, relief: Float32) -> Float32:
    """Light on a rounded form from upper left, about 0.2 to 1.1; `relief` is finer height on top, px."""
    h = height + relief
    gx, gy = cv2.Sobel(h, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(h, cv2.CV_32F, 0, 1, scale=1 / 8)
    gx, gy = np.clip(gx, -4, 4), np.clip(gy, -4, 4)
    norm = np.sqrt(gx**2 + gy**2 + 1)
    key = np.clip((0.55 * gx + 0.62 * gy + 0.56) / norm, 0, 1)
    rim = np.clip(1 - 1 / norm, 0, 1) ** 3
    return np.asarray(0.20 + 0.85 * key + 0.06 * rim, np.float32)
