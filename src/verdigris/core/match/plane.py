"""A surface laid square-on: a frame's light in the surface's own coordinates, to be compared over time."""

from dataclasses import dataclass

import cv2
import numpy as np

from verdigris.core.composite.warp import Warp, outline_from_surface
from verdigris.core.types import Bool, Float32, Float64

# Where a surface is bent, its places are told exactly on a grid of this many cells, and bilinearly between.
GRID = 24


@dataclass(frozen=True)
class Square:
    """The size a surface is laid out at, px, and how many of them are a plate px at the reference frame."""

    width: int
    height: int
    scale: float


def square_for(quad: Float64, longest: int) -> Square:
    """The size for a surface with these corners, (4, 2) plate px: at most `longest` px, and at most the plate's own."""
    side = np.linalg.norm(np.roll(quad, -1, axis=0) - quad, axis=1)
    width, height = (side[0] + side[2]) / 2, (side[1] + side[3]) / 2
    scale = min(1.0, longest / max(width, height))
    return Square(max(16, round(width * scale)), max(16, round(height * scale)), float(scale))


def places(warp: Warp, square: Square) -> Float32:
    """Where the middles of a square's px are seen, (h, w, 2) float32 plate px."""
    u, v = np.linspace(0, 1, GRID + 1), np.linspace(0, 1, GRID + 1)
    unit = np.stack(np.meshgrid(u, v), axis=2).reshape(-1, 2)
    at = outline_from_surface(unit, warp).reshape(GRID + 1, GRID + 1, 2).astype(np.float32)
    x = ((np.arange(square.width) + 0.5) / square.width * GRID).astype(np.float32)
    y = ((np.arange(square.height) + 0.5) / square.height * GRID).astype(np.float32)
    if warp.bend is None:
        # A plane: exact everywhere.
        gx, gy = np.meshgrid(x / GRID, y / GRID)
        m = warp.straight_from_surface[len(warp.weights) // 2]
        p = np.stack([gx, gy, np.ones_like(gx)], axis=2) @ m.T
        return np.asarray(p[..., :2] / p[..., 2:], np.float32)
    return np.asarray(cv2.remap(at, *np.meshgrid(x, y), cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE), np.float32)


def laid_square(light: Float32, origin: tuple[int, int], at: Float32, scale: float) -> tuple[Float32, Bool]:
    """A region's light on the square, and where the square is inside the region.

    Parameters
    ----------
    light : (h, w, 3) float32
    origin : plate px of the region's top-left corner
    at : (H, W, 2) from `places`
    scale : px of the square per plate px; where it is below 1, light is averaged over as many plate px first
    """
    h, w = light.shape[:2]
    x, y = at[..., 0] - np.float32(origin[0]), at[..., 1] - np.float32(origin[1])
    inside = (x >= 0.5) & (y >= 0.5) & (x <= w - 0.5) & (y <= h - 0.5)
    if scale < 0.75:
        sigma = 0.42 / scale
        light = cv2.GaussianBlur(light, (0, 0), sigma)
    out = cv2.remap(light, x - np.float32(0.5), y - np.float32(0.5), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(out, np.float32), np.asarray(inside, np.bool_)


def blurred(values: Float32, weight: Float32, sigma: float) -> tuple[Float32, Float32]:
    """Values averaged over a Gaussian where they are known: the average, and how much was known there, 0..1."""
    w = cv2.GaussianBlur(weight, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
    each = weight[..., None] if values.ndim == 3 else weight
    total = cv2.GaussianBlur(np.ascontiguousarray(np.where(each > 0, values, 0) * each), (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
    return np.asarray(total / np.maximum(w[..., None] if values.ndim == 3 else w, 1e-6), np.float32), np.asarray(w, np.float32)
