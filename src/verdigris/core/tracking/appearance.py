"""What the plane looks like at its reference frame, at every softness, and where it is worth looking.

References
----------
Lindeberg, Scale-space theory in computer vision, 1994 (blurs as one family, additive in variance).
"""

from dataclasses import dataclass

import cv2
import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.tracking.optics import STILL, Movement, Optics
from verdigris.core.tracking.tone import encode_table, to_code, to_light
from verdigris.core.types import Bool, Float32, Float64, Int

VARIANCES = np.array([0.3, 0.64, 1.3, 2.6, 5.2, 10.4, 20.8, 41.6, 83.2])
MARGIN_PX = 40
USUAL_VARIANCE = 0.64
# How far samples stay from the rim of the region, px: usually, at least, and as a share of its half width.
RIM_PX, LEAST_RIM_PX, NARROW = 3.0, 2.0, 0.2
# Share of the samples that is spread evenly over the region; the others are where it is steepest, however few marks it has.
FAIR_SHARE = 0.75


@dataclass(frozen=True)
class Appearance:
    """The reference picture of a plane.

    Attributes
    ----------
    origin : (2,) float64, ideal reference px of the stack's top-left corner
    stack : (levels, h, w) float32, linear light, blurred by VARIANCES px^2
    steps : (levels - 1, h, w) float32, differences of neighbouring levels
    table : light to code values, see `tone`
    points : (N, 2) float64, ideal reference px of samples, strongest of each neighbourhood first kept
    depth : (N,) float32, distance of a sample from the rim of the region, px
    tiles : (N,) int64 tile of each sample, ascending
    centres : (tiles, 2) float64, ideal reference px
    across : tiles to a side
    few : (M,) int64 indices of a thinner choice for first looks
    normaliser : (3, 3) float64, the region to about -1..1
    strength : mean gradient of the samples, code values per px
    """

    origin: Float64
    stack: Float32
    steps: Float32
    table: Float32
    points: Float64
    depth: Float32
    tiles: Int
    centres: Float64
    across: int
    few: Int
    normaliser: Float64
    strength: float


def build_appearance(
    values: Float32, region: Bool, optics: Optics, move: Movement = STILL, most: int = 24000, few: int = 4000, across: int | None = None
) -> Appearance | None:
    """Prepare a reference picture; None when the region has too few pixels.

    Parameters
    ----------
    values : (H, W) float32 code values 0..1
    region : (H, W) bool, pixels that move with the plane
    move : movement of the plane at the reference frame
    most, few : numbers of samples
    across : tiles to a side; by default up to 10, at least 60 samples to a tile
    """
    ys, xs = np.nonzero(region)
    if len(xs) < 200:
        return None
    light, inside, origin = _crop(values, region, optics, move, (xs.min(), ys.min(), xs.max() + 1, ys.max() + 1))
    stack = np.stack([cv2.GaussianBlur(light, (0, 0), float(np.sqrt(s)), borderType=cv2.BORDER_REFLECT_101) for s in VARIANCES])
    table = encode_table(optics.tone)
    soft = to_code(np.ascontiguousarray(stack[1]), table)
    gx, gy = cv2.Sobel(soft, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(soft, cv2.CV_32F, 0, 1, scale=0.125)
    strength = np.hypot(gx, gy)
    depth = cv2.distanceTransform(inside.astype(np.uint8), cv2.DIST_L2, 5)
    # The very rim often lies on a depth edge, where what is behind shows; a narrow region keeps its middle.
    ys, xs = np.nonzero(depth > min(RIM_PX, max(LEAST_RIM_PX, NARROW * float(depth.max()))))
    if len(xs) < 100:
        return None
    chosen = _choose(cv2.GaussianBlur(strength, (0, 0), 1.5)[ys, xs], xs, ys, most)
    ys, xs = ys[chosen], xs[chosen]
    points = np.stack([xs + 0.5, ys + 0.5], axis=1) + origin
    low, high = points.min(axis=0), points.max(axis=0) + 1e-6
    across = across or int(np.clip(np.sqrt(len(points) / 60), 2, 10))
    cell = np.clip(((points - low) / (high - low) * across).astype(np.int64), 0, across - 1)
    tiles = cell[:, 1] * across + cell[:, 0]
    order = np.argsort(tiles, kind="stable")
    points, tiles, depths = points[order], tiles[order], depth[ys, xs][order]
    mass = np.bincount(tiles, minlength=across * across)
    middles = (np.stack(np.meshgrid(np.arange(across), np.arange(across)), axis=-1).reshape(-1, 2) + 0.5) / across
    sums = np.stack([np.bincount(tiles, points[:, i], across * across) for i in (0, 1)], axis=1)
    # A tile without samples keeps its number, so that tiles mean the same under other optics.
    centres = np.where(mass[:, None] > 0, sums / np.maximum(mass, 1)[:, None], low + middles * (high - low))
    stride = max(1, len(points) // few)
    middle, s = (low + high) / 2, 2.0 / float(np.hypot(*(high - low)))
    normaliser = np.array([[s, 0, -s * middle[0]], [0, s, -s * middle[1]], [0, 0, 1]])
    return Appearance(
        origin, stack, np.ascontiguousarray(stack[1:] - stack[:-1]), table, points, depths.astype(np.float32), tiles, centres, across,
        np.arange(0, len(points), stride), normaliser, float(strength[ys, xs].mean()),
    )  # fmt: skip


def _crop(values: Float32, region: Bool, optics: Optics, move: Movement, box: tuple[int, int, int, int]) -> tuple[Float32, Bool, Float64]:
    """The region's surroundings in linear light and ideal coordinates, its mask, and the crop's corner."""
    x0, y0, x1, y1 = box
    exposure = optics.shutter or 0.0
    if optics.is_plain and exposure * float(np.abs(move.a).max()) == 0:
        left, top = max(0, x0 - MARGIN_PX), max(0, y0 - MARGIN_PX)
        part = np.s_[top : y1 + MARGIN_PX, left : x1 + MARGIN_PX]
        return to_light(np.ascontiguousarray(values[part]), optics.tone), region[part], np.array([left, top], float)
    rim = np.array([[x, y] for x in np.linspace(x0, x1, 9) for y in np.linspace(y0, y1, 9)])
    ideal = optics.plane(rim, np.eye(3), move)
    left, top = np.floor(ideal.min(axis=0)).astype(int) - MARGIN_PX
    right, bottom = np.ceil(ideal.max(axis=0)).astype(int) + MARGIN_PX
    x, y = np.meshgrid(np.arange(left, right) + 0.5, np.arange(top, bottom) + 0.5)
    at = optics.project(np.stack([x.ravel(), y.ravel()], axis=1), np.eye(3), move, exposure).reshape(*x.shape, 2)
    u, w = at[..., 0].astype(np.float32) - 0.5, at[..., 1].astype(np.float32) - 0.5
    light = cv2.remap(to_light(values, optics.tone), u, w, cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REPLICATE)
    inside = cv2.remap(region.astype(np.uint8), u, w, cv2.INTER_NEAREST, borderValue=0) > 0
    return np.asarray(light, np.float32), inside, np.array([left, top], float)


def _choose(strength: Float32, xs: Int, ys: Int, most: int) -> Int:
    """Indices of the strongest samples, with every part of the region keeping its share of some of them."""
    if len(strength) <= most:
        return np.arange(len(strength))
    # One whole number a sample: its neighbourhood first, then how weak it is.
    weakness = 65535 - np.minimum(strength * (65535 / max(float(strength.max()), 1e-9)), 65535).astype(np.int64)
    cell = (ys // 32) * 100_000 + xs // 32
    order = np.argsort(cell * 65536 + weakness)
    _, start, counts = np.unique(cell[order], return_index=True, return_counts=True)
    quota = np.maximum(1, counts * int(FAIR_SHARE * most) // len(strength))
    fair = np.arange(len(order)) - np.repeat(start, counts) < np.repeat(quota, counts)
    chosen, rest = order[fair], order[~fair]
    more = most - len(chosen)
    if more <= 0:
        return np.asarray(chosen)
    return np.concatenate([chosen, rest[np.argpartition(-strength[rest], more)[:more]]])


def frame_normaliser(appearance: Appearance, h: Float64) -> Float64:
    """Similarity that brings the region, as a frame shows it, to about -1..1, (3, 3)."""
    at = apply_homography(h, appearance.centres)
    low, high = at.min(axis=0), at.max(axis=0)
    s = 2.0 / max(float(np.hypot(*(high - low))), 8.0)
    middle = (low + high) / 2
    return np.array([[s, 0, -s * middle[0]], [0, s, -s * middle[1]], [0, 0, 1]])
