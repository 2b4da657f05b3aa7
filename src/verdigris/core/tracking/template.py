"""The reference template: which pixels of the region are compared, and how they change with the warp."""

from dataclasses import dataclass

import cv2
import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.tracking.motion import FREEDOMS, Motion, point_jacobian
from verdigris.core.types import Bool, Float32, Float64, Int

SMOOTHING_PX = 0.8


@dataclass(frozen=True)
class TemplateLevel:
    """Samples of one pyramid level.

    Attributes
    ----------
    scale : level px per plate px
    points : (N, 2) float64, plate px
    values : (N,) float32, smoothed code values 0..1
    jacobian : (N, k) float32, change of the value per unit of warp parameter
    gradient : (N,) float32, gradient length, code values per plate px
    tiles : (N,) int64, tile of each sample, ascending
    tile_count : number of tiles
    """

    scale: float
    points: Float64
    values: Float32
    jacobian: Float32
    gradient: Float32
    tiles: Int
    tile_count: int


@dataclass(frozen=True)
class Template:
    """What a plane looks like at its reference frame.

    Attributes
    ----------
    motion : the model it is compared under
    normaliser : (3, 3) float64, normalised coordinates from plate px
    levels : coarse to fine
    """

    motion: Motion
    normaliser: Float64
    levels: tuple[TemplateLevel, ...]


def smoothed(image: Float32) -> Float32:
    """Blur slightly, so that sub-pixel sampling has no bias towards pixel centres."""
    return np.asarray(cv2.GaussianBlur(image, (0, 0), SMOOTHING_PX), dtype=np.float32)


def half_size(image: Float32) -> Float32:
    """Average 2 x 2 pixels; an odd last row or column is dropped."""
    h, w = image.shape[0] // 2 * 2, image.shape[1] // 2 * 2
    c = image[:h, :w]
    return np.asarray((c[0::2, 0::2] + c[1::2, 0::2] + c[0::2, 1::2] + c[1::2, 1::2]) * np.float32(0.25))


def build_template(image: Float32, region: Bool, motion: Motion, samples: tuple[int, int] = (6000, 16000)) -> Template | None:
    """Choose samples in the region; None when it has too little texture to hold a track.

    Parameters
    ----------
    image : (H, W) float32, code values 0..1, the analysis picture of the reference frame
    region : (H, W) bool, pixels that move with the plane
    samples : most samples for the coarse and the fine level
    """
    ys, xs = np.nonzero(region)
    if len(xs) < 200:
        return None
    box = (int(xs.min()), int(ys.min()), int(xs.max()) + 1, int(ys.max()) + 1)
    centre = np.array([(box[0] + box[2]) / 2, (box[1] + box[3]) / 2])
    s = 2.0 / float(np.hypot(box[2] - box[0], box[3] - box[1]))
    normaliser = np.array([[s, 0, -s * centre[0]], [0, s, -s * centre[1]], [0, 0, 1]])
    coarse_region = cv2.resize(region.astype(np.uint8), None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA) > 0
    levels = (
        _build_level(half_size(image), coarse_region, 0.5, box, normaliser, motion, samples[0]),
        _build_level(image, region, 1.0, box, normaliser, motion, samples[1]),
    )
    if any(level is None for level in levels):
        return None
    return Template(motion, normaliser, tuple(level for level in levels if level is not None))


def _build_level(
    image: Float32, region: Bool, scale: float, box: tuple[int, int, int, int], normaliser: Float64, motion: Motion, most: int
) -> TemplateLevel | None:
    h, w = image.shape
    region = region[:h, :w]
    # The rim often lies on a depth edge, where what is behind shows: leave it out.
    inner = cv2.erode(region.astype(np.uint8), np.ones((5, 5), np.uint8), borderValue=0) > 0
    soft = smoothed(image)
    gx = np.zeros_like(soft)
    gy = np.zeros_like(soft)
    gx[:, 1:-1] = (soft[:, 2:] - soft[:, :-2]) * 0.5
    gy[1:-1, :] = (soft[2:, :] - soft[:-2, :]) * 0.5
    inner[[0, -1], :] = inner[:, [0, -1]] = False
    ys, xs = np.nonzero(inner)
    if len(xs) < 100:
        return None
    strength = np.hypot(gx, gy)
    chosen = _choose(cv2.GaussianBlur(strength, (0, 0), 1.5)[ys, xs], xs, ys, most)
    ys, xs = ys[chosen], xs[chosen]
    points = np.stack([(xs + 0.5) / scale, (ys + 0.5) / scale], axis=1)
    tiles, count = _tiles_of(points, box, len(points))
    order = np.argsort(tiles, kind="stable")
    ys, xs, points, tiles = ys[order], xs[order], points[order], tiles[order]
    dx, dy = gx[ys, xs] * scale, gy[ys, xs] * scale
    inner_points = apply_homography(normaliser, points)
    jac = point_jacobian(inner_points, FREEDOMS[motion]) / normaliser[0, 0]
    jacobian = (dx[:, None] * jac[:, 0] + dy[:, None] * jac[:, 1]).astype(np.float32)
    return TemplateLevel(scale, points, soft[ys, xs], np.ascontiguousarray(jacobian), np.hypot(dx, dy).astype(np.float32), tiles, count)


def _choose(strength: Float32, xs: Int, ys: Int, most: int) -> Int:
    """Indices of the strongest samples, with every part of the region keeping its share."""
    if len(strength) <= most:
        return np.arange(len(strength))
    cell = (ys // 32) * 100_000 + xs // 32
    order = np.lexsort((-strength, cell))
    _, start, counts = np.unique(cell[order], return_index=True, return_counts=True)
    quota = np.maximum(1, counts * most // len(strength))
    rank = np.arange(len(order)) - np.repeat(start, counts)
    return np.asarray(order[rank < np.repeat(quota, counts)])


def _tiles_of(points: Float64, box: tuple[int, int, int, int], samples: int) -> tuple[Int, int]:
    """Tile number of each point: about 10 x 10 tiles, at least 60 samples a tile on average; then compacted."""
    across = int(np.clip(np.sqrt(samples / 60), 2, 10))
    tx = np.clip(((points[:, 0] - box[0]) / (box[2] - box[0]) * across).astype(int), 0, across - 1)
    ty = np.clip(((points[:, 1] - box[1]) / (box[3] - box[1]) * across).astype(int), 0, across - 1)
    _, compact = np.unique(ty * across + tx, return_inverse=True)
    compact = np.asarray(compact, dtype=np.int64)
    return compact, int(compact.max()) + 1
