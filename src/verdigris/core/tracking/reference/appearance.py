"""What the plane looks like at its reference frame, at every softness, and where it is worth looking.

References
----------
Lindeberg, Scale-space theory in computer vision, 1994 (blurs as one family, additive in variance).
Unser, Splines: a perfect fit for signal and image processing, IEEE Signal Processing Magazine 16(6), 1999 (B-spline coefficients).
"""

from dataclasses import dataclass, replace
from functools import cached_property

import cv2
import numpy as np
from scipy.interpolate import make_interp_spline

from verdigris.core.camera.optics import STILL, Movement, Optics
from verdigris.core.geometry.bounds import bounds
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.resample import TAPS, resample
from verdigris.core.light.tone import Tone, encode_table, to_code, to_light
from verdigris.core.types import Bool, Float32, Float64, Int

VARIANCES = np.array([0.3, 0.64, 1.3, 2.6, 5.2, 10.4, 20.8, 41.6, 83.2])
# From this variance on, px^2, pictures may be softened in steps.
SOFT = 5.0
SPLINE_REACH = 8
MARGIN_PX = 40
GRID_PX = 16
USUAL_VARIANCE = 0.64
# How far samples stay from the rim of the region, px: usually, at least, and as a share of its half width.
RIM_PX, LEAST_RIM_PX, NARROW = 3.0, 2.0, 0.2
# About as many of the samples inside are kept with an outline; of a small region, all.
OUTLINE_POINTS = 500
# Share of the samples that is spread evenly over the region; the others are where it is steepest, however few marks it has.
FAIR_SHARE = 0.75


@dataclass(frozen=True)
class Appearance:
    """The reference picture of a plane.

    Attributes
    ----------
    origin : (2,) float64, ideal reference px of their top-left corner
    pyramid : linear light at every softness
    table : light to code values, see `tone`
    points : (N, 2) float64, ideal reference px of samples, strongest of each neighbourhood first kept
    seen : (N, 2) float64, plate px at which the reference frame shows them
    depth : (N,) float32, distance of a sample from the rim of the region, px
    tiles : (N,) int64 tile of each sample, ascending
    centres : (tiles, 2) float64, ideal reference px
    across : tiles to a side
    some, few : (M,) int64 indices of thinner choices: most looks, and first looks
    normaliser : (3, 3) float64, the region to about -1..1
    strength : mean gradient of the samples, code values per px
    """

    origin: Float64
    pyramid: "Pyramid"
    table: Float32
    points: Float64
    seen: Float64
    depth: Float32
    tiles: Int
    centres: Float64
    across: int
    some: Int
    few: Int
    normaliser: Float64
    strength: float

    @cached_property
    def outline(self) -> Float64:
        """Samples that every pose keeps around the others, and some of those, (M, 2), ideal reference px."""
        few = self.points[self.few]
        hull = cv2.convexHull(few.astype(np.float32), returnPoints=False)
        return np.concatenate([few[hull.reshape(-1)], few[:: max(1, len(few) // OUTLINE_POINTS)]])


def build_appearance(
    values: Float32, region: Bool, optics: Optics, move: Movement = STILL, most: int = 130000, some: int = 24000, few: int = 4000
) -> Appearance | None:
    """Prepare a reference picture; None when the region has too few pixels.

    Parameters
    ----------
    values : (H, W) float32 code values 0..1
    region : (H, W) bool, pixels that move with the plane
    move : movement of the plane at the reference frame
    most, some, few : numbers of samples
    """
    ys, xs = np.nonzero(region)
    if len(xs) < 200:
        return None
    crop = _Crop.of((xs.min(), ys.min(), xs.max() + 1, ys.max() + 1), optics, move)
    pyramid, table = Pyramid(crop.light(values, optics.tone)), encode_table(optics.tone)
    soft = to_code(pyramid.softened(VARIANCES.tolist().index(USUAL_VARIANCE)), table)
    gx, gy = cv2.Sobel(soft, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(soft, cv2.CV_32F, 0, 1, scale=0.125)
    strength = np.hypot(gx, gy)
    depth = cv2.distanceTransform(crop.mask(region).astype(np.uint8), cv2.DIST_L2, 5)
    # The very rim often lies on a depth edge, where what is behind shows; a narrow region keeps its middle.
    ys, xs = np.nonzero(depth > min(RIM_PX, max(LEAST_RIM_PX, NARROW * float(depth.max()))))
    if len(xs) < 100:
        return None
    steepness = cv2.GaussianBlur(strength, (0, 0), 1.5)[ys, xs]
    chosen = _choose(steepness, xs, ys, min(some, most))
    left = np.ones(len(xs), np.bool_)
    left[chosen] = False
    others = np.flatnonzero(left)
    others = others[_choose(steepness[others], xs[others], ys[others], most - len(chosen))] if most > len(chosen) else others[:0]
    first = np.arange(len(chosen) + len(others)) < len(chosen)
    ys, xs = (a[np.concatenate([chosen, others])] for a in (ys, xs))
    points = np.stack([xs + 0.5, ys + 0.5], axis=1) + crop.origin
    across = int(np.clip(np.sqrt(len(chosen) / 60), 2, 10))
    low, high = bounds(points[: len(chosen)])
    cell = np.clip(((points - low) / (high + 1e-6 - low) * across).astype(np.int64), 0, across - 1)
    tiles = cell[:, 1] * across + cell[:, 0]
    order = np.argsort(tiles, kind="stable")
    points, tiles, depths = points[order], tiles[order], depth[ys, xs][order].astype(np.float32)
    often = np.flatnonzero(first[order])
    seen = points if crop.at is None else optics.project(points, np.eye(3), move, optics.shutter or 0.0)
    return Appearance(
        crop.origin, pyramid, table, points, seen, depths, tiles, _centres(points, tiles, across), across,
        often, often[:: max(1, len(often) // few)], _normaliser(points), float(strength[ys, xs][order][often].mean()),
    )  # fmt: skip


def under_other_optics(known: Appearance, values: Float32, optics: Optics, move: Movement) -> Appearance:
    """The same samples of a reference picture seen through other optics, so that fits under both can be held against each other."""
    low, high = bounds(known.seen)
    crop = _Crop.of((*(np.floor(low).astype(int) - 1), *(np.ceil(high).astype(int) + 1)), optics, move)
    points = known.seen if crop.at is None else optics.plane(known.seen, np.eye(3), move)
    return replace(
        known, origin=crop.origin, pyramid=Pyramid(crop.light(values, optics.tone)), table=encode_table(optics.tone), points=points,
        centres=_centres(points, known.tiles, known.across), normaliser=_normaliser(points),
    )  # fmt: skip


def in_other_tone(known: Appearance, tone: Tone) -> Appearance:
    """The same reference picture, with what it has of light by another tone curve."""
    light = to_light(to_code(known.pyramid.light, known.table), tone)
    return replace(known, pyramid=Pyramid(light), table=encode_table(tone))


class Pyramid:
    """A picture at all softnesses, each made when it is first asked for."""

    def __init__(self, light: Float32) -> None:
        """From (h, w) float32 linear light."""
        self.light = light
        self._soft: dict[int, Float32] = {}
        self._splines = np.empty((len(VARIANCES), *light.shape), np.float32)
        self._made: set[int] = set()

    def softened(self, level: int) -> Float32:
        """The picture blurred by VARIANCES[level] px^2; the softest are made from softer ones, as variances add."""
        if level not in self._soft:
            rest = VARIANCES[level] < SOFT
            start, missing = (self.light, VARIANCES[level]) if rest else (self.softened(level - 1), VARIANCES[level] - VARIANCES[level - 1])
            soft = cv2.GaussianBlur(start, (0, 0), float(np.sqrt(missing)), borderType=cv2.BORDER_REFLECT_101)
            self._soft[level] = np.asarray(soft, np.float32)
        return self._soft[level]

    def splines(self, wanted: Float64) -> Float32:
        """Coefficients of cubic B-splines through the picture, (levels, h, w), set where these variances (px^2) lie between.

        Notes
        -----
        They go through every pixel; the filter's tail is cut where it is below a ten-thousandth.
        """
        last = len(VARIANCES) - 2
        low, high = (min(max(int(np.searchsorted(VARIANCES, v, "right")) - 1, 0), last) for v in (wanted.min(), wanted.max()))
        for level in range(low, high + 2):
            if level not in self._made:
                pole = np.sqrt(3.0) - 2.0
                taps = pole ** np.abs(np.arange(-SPLINE_REACH, SPLINE_REACH + 1))
                taps /= taps.sum()
                self._splines[level] = cv2.sepFilter2D(self.softened(level), cv2.CV_32F, taps, taps, borderType=cv2.BORDER_REFLECT_101)
                self._made.add(level)
        return self._splines


def _centres(points: Float64, tiles: Int, across: int) -> Float64:
    """Middles of the tiles' samples, (tiles, 2). A tile without samples keeps its number, so that tiles mean the same in all frames."""
    low, high = bounds(points)
    mass = np.bincount(tiles, minlength=across * across)
    middles = (np.stack(np.meshgrid(np.arange(across), np.arange(across)), axis=-1).reshape(-1, 2) + 0.5) / across
    sums = np.stack([np.bincount(tiles, points[:, i], across * across) for i in (0, 1)], axis=1)
    return np.where(mass[:, None] > 0, sums / np.maximum(mass, 1)[:, None], low + middles * (high - low))


def _normaliser(points: Float64) -> Float64:
    """Similarity that brings points to about -1..1, (3, 3)."""
    low, high = bounds(points)
    middle, s = (low + high) / 2, 2.0 / max(float(np.hypot(*(high - low))), 8.0)
    return np.array([[s, 0, -s * middle[0]], [0, s, -s * middle[1]], [0, 0, 1]])


@dataclass(frozen=True)
class _Crop:
    """Surroundings of a region in ideal coordinates.

    Attributes
    ----------
    origin : (2,) float64, ideal px of its top-left corner
    size : width and height, px
    at : (h, w, 2) float32, plate px at which each of its pixels is seen; None where it is the plate itself
    """

    origin: Float64
    size: tuple[int, int]
    at: Float32 | None

    @classmethod
    def of(cls, box: tuple[int, int, int, int], optics: Optics, move: Movement) -> "_Crop":
        """Around a box of plate px (x0, y0, x1, y1)."""
        x0, y0, x1, y1 = box
        exposure = optics.shutter or 0.0
        if optics.is_plain and exposure * float(np.abs(move.a).max()) == 0:
            left, top = max(0, x0 - MARGIN_PX), max(0, y0 - MARGIN_PX)
            right, bottom = min(optics.width, x1 + MARGIN_PX), min(optics.height, y1 + MARGIN_PX)
            return cls(np.array([left, top], float), (right - left, bottom - top), None)
        rim = np.array([[x, y] for x in np.linspace(x0, x1, 9) for y in np.linspace(y0, y1, 9)])
        ideal = optics.plane(rim, np.eye(3), move)
        low, high = bounds(ideal)
        left, top = np.floor(low).astype(int) - MARGIN_PX
        right, bottom = np.ceil(high).astype(int) + MARGIN_PX
        width, height = int(right - left), int(bottom - top)
        # Lens and rows bend slowly: a coarse grid says where everything is seen.
        x, y = (np.arange(-1, -(-n // GRID_PX) + 2) * float(GRID_PX) for n in (width, height))
        grid = np.stack(np.meshgrid(x + left + 0.5, y + top + 0.5), axis=-1)
        seen = optics.project(grid.reshape(-1, 2), np.eye(3), move, exposure).reshape(grid.shape)
        rows = make_interp_spline(x, seen, axis=1)(np.arange(width))
        at = make_interp_spline(y, rows, axis=0)(np.arange(height))
        return cls(np.array([left, top], float), (width, height), at.astype(np.float32))

    def light(self, values: Float32, tone: Tone) -> Float32:
        """Linear light of code values (H, W)."""
        if self.at is None:
            return to_light(np.ascontiguousarray(values[self._part]), tone)
        # Only what is looked at, and what the taps reach around it, is made light.
        least, most = bounds(self.at)
        x0, y0 = np.clip(least.astype(int) - TAPS, 0, np.array(values.shape[::-1]) - 1)
        x1, y1 = np.maximum(most.astype(int) + TAPS, (x0 + 1, y0 + 1))
        return resample(to_light(np.ascontiguousarray(values[y0:y1, x0:x1]), tone), self.at - np.array([x0, y0], np.float32))

    def mask(self, region: Bool) -> Bool:
        """What belongs to a region (H, W)."""
        if self.at is None:
            return region[self._part]
        return cv2.remap(region.astype(np.uint8), self.at - 0.5, None, cv2.INTER_NEAREST, borderValue=0) > 0

    @property
    def _part(self) -> tuple[slice, slice]:
        x, y = self.origin.astype(int)
        return np.s_[y : y + self.size[1], x : x + self.size[0]]


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
    return _normaliser(apply_homography(h, appearance.centres))
