"""Procedural surfaces: noise, wear, type. Linear light, float32, R G B (A premultiplied)."""

from collections.abc import Sequence

import cv2
import numpy as np

from verdigris.core.types import AnyArray, Float32, Float64

Rng = np.random.Generator


def fractal_noise(rng: Rng, height: int, width: int, cell: float, octaves: int = 5, gain: float = 0.55) -> Float32:
    """Sum of smooth noises of halving size, mean 0, standard deviation 1, (height, width) float32."""
    total = np.zeros((height, width), np.float32)
    amplitude = 1.0
    for i in range(octaves):
        size = max(1.0, cell / 2**i)
        rows, cols = int(height / size) + 4, int(width / size) + 4
        grid = rng.standard_normal((rows, cols)).astype(np.float32)
        big = cv2.resize(grid, (int(cols * size), int(rows * size)), interpolation=cv2.INTER_CUBIC)
        total += amplitude * big[int(size) : int(size) + height, int(size) : int(size) + width]
        amplitude *= gain
    return np.asarray((total - total.mean()) / max(float(total.std()), 1e-6), np.float32)


def sample_noise(noise: Float32, u: Float64, v: Float64) -> Float32:
    """Noise looked up at world positions, repeating, (H, W) float32; `u`, `v` in noise px."""
    h, w = noise.shape
    return np.asarray(
        cv2.remap(noise, np.mod(u, w - 1).astype(np.float32), np.mod(v, h - 1).astype(np.float32), cv2.INTER_LINEAR), np.float32
    )


def flat_colour(height: int, width: int, rgb: tuple[float, float, float]) -> Float32:
    """One colour, (height, width, 3)."""
    return np.broadcast_to(np.array(rgb, np.float32), (height, width, 3)).copy()


def text_mask(height: int, width: int, lines: Sequence[tuple[str, float, float, float, int]]) -> Float32:
    """Type as coverage, (height, width) float32 0..1.

    Parameters
    ----------
    lines : text, x and y of the baseline's start in px, size in px, weight 100..900
    """
    big = np.zeros((height * 2, width * 2, 3), np.uint8)
    for text, x, y, size, weight in lines:
        cv2.putText(big, text, (round(x * 2), round(y * 2)), (255, 255, 255), cv2.FontFace("sans"), round(size * 2), weight)
    return cv2.resize(big[..., 0], (width, height), interpolation=cv2.INTER_AREA).astype(np.float32) / 255


def over(base: Float32, colour: tuple[float, ...] | Float32, mask: AnyArray) -> None:
    """Lay a colour over a picture where a mask says, in place."""
    m = mask[..., None]
    base *= 1 - m
    base += np.asarray(colour, np.float32) * m


def soft(mask: Float32, sigma: float) -> Float32:
    """Gaussian blur."""
    return np.asarray(cv2.GaussianBlur(mask, (0, 0), sigma), np.float32)


def box_mask(height: int, width: int, x0: float, y0: float, x1: float, y1: float, radius: float = 0.0, blur: float = 0.7) -> Float32:
    """Rounded rectangle as coverage with a ramp `blur` px wide on each side."""
    x = np.arange(width, dtype=np.float32)[None, :] + 0.5
    y = np.arange(height, dtype=np.float32)[:, None] + 0.5
    dx = np.maximum(np.maximum(x0 + radius - x, x - x1 + radius), 0)
    dy = np.maximum(np.maximum(y0 + radius - y, y - y1 + radius), 0)
    distance = np.hypot(dx, dy) - radius
    if radius == 0:
        distance = np.maximum(np.maximum(x0 - x, x - x1), np.maximum(y0 - y, y - y1))
    return np.asarray(np.clip(0.5 - distance / (2 * blur), 0, 1), np.float32)


def fill_box(
    base: Float32,
    colour: tuple[float, ...] | Float32,
    x0: float,
    y0: float,
    x1: float,
    y1: float,
    radius: float = 0.0,
    strength: float = 1.0,
) -> None:
    """Lay a rounded rectangle over a picture, touching only its own pixels, in place."""
    h, w = base.shape[:2]
    left, top = max(0, int(x0) - 2), max(0, int(y0) - 2)
    right, bottom = min(w, int(x1) + 3), min(h, int(y1) + 3)
    if right <= left or bottom <= top:
        return
    mask = box_mask(bottom - top, right - left, x0 - left, y0 - top, x1 - left, y1 - top, radius) * np.float32(strength)
    c = np.asarray(colour, np.float32)
    over(base[top:bottom, left:right], c[top:bottom, left:right] if c.ndim == 3 else c, mask)


def fill_polygon(base: Float32, colour: tuple[float, ...] | Float32, points: Float64) -> None:
    """Lay a polygon (N, 2) px over a picture, touching only its own pixels, in place."""
    h, w = base.shape[:2]
    left, top = np.maximum(np.floor(points.min(axis=0)).astype(int) - 2, 0)
    right, bottom = np.minimum(np.ceil(points.max(axis=0)).astype(int) + 3, [w, h])
    if right <= left or bottom <= top:
        return
    mask = np.zeros((bottom - top, right - left), np.uint8)
    cv2.fillPoly(mask, [np.round((points - [left, top]) * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
    c = np.asarray(colour, np.float32)
    over(base[top:bottom, left:right], c[top:bottom, left:right] if c.ndim == 3 else c, mask.astype(np.float32) / 255)


def with_alpha(rgb: Float32, alpha: Float32) -> Float32:
    """Premultiply and attach alpha, (H, W, 4)."""
    return np.ascontiguousarray(np.concatenate([rgb * alpha[..., None], alpha[..., None]], axis=2), dtype=np.float32)
