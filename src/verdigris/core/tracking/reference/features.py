"""Point evidence: features of the region, followed forwards and back, or found again from nothing."""

from functools import cached_property
from typing import Any

import cv2
import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.motion import Motion, estimate_motion
from verdigris.core.types import Bool, Float32, Float64, Int, Uint8

WINDOW_PX = 21
PYRAMID_LEVELS = 4
MARGIN_PX = 12
# Contrast from which on a point is described.
FAINT = 0.01
# Pictures wider than this are looked through at half size, as long as the plane is large enough for it.
WIDE_PX, LARGE_PX = 800, 200
# How faint a point may be against the strongest, and the share of points that is chosen by strength alone.
FAINTEST, STRONGEST = 0.0002, 0.25
# To a side, when points are chosen.
PARTS = 8
MOST_OF_PLANE, MOST_OF_PICTURE, LEAST_PAIRS = 1000, 5000, 12


def choose_features(image: Uint8, region: Bool, most: int = 200) -> Float64:
    """Well-textured points of the region, (N, 2) float64, plate px: the strongest, and some of every part however faint it is.

    References
    ----------
    Shi and Tomasi, Good features to track, CVPR 1994.
    """
    ys, xs = np.flatnonzero(region.any(axis=1)), np.flatnonzero(region.any(axis=0))
    if len(ys) == 0:
        return np.zeros((0, 2))
    # Only the region's surroundings are worked on; the margin is more than the filters reach.
    top, left = max(0, ys[0] - MARGIN_PX), max(0, xs[0] - MARGIN_PX)
    part = np.s_[top : ys[-1] + 1 + MARGIN_PX, left : xs[-1] + 1 + MARGIN_PX]
    mask = region[part].astype(np.uint8) * 255
    found = cv2.goodFeaturesToTrack(np.ascontiguousarray(image[part]), 0, FAINTEST, 9, mask=mask, blockSize=7)
    if found is None:
        return np.zeros((0, 2))
    points = found.reshape(-1, 2).astype(np.float64) + 0.5 + np.array([left, top], np.float64)
    # They come strongest first.
    first = min(len(points), int(STRONGEST * most))
    rest = first + _strongest(points[first:], -np.arange(float(len(points) - first)), most - first)
    return points[np.concatenate([np.arange(first), rest])]


def follow_features(
    before: Uint8, now: Uint8, points_before: Float64, points_guess: Float64, most_back_px: float = 1.0
) -> tuple[Float64, Bool]:
    """Follow points from one picture to the next and back again.

    Parameters
    ----------
    before, now : (H, W) uint8
    points_before : (N, 2) float64, plate px in `before`
    points_guess : (N, 2) float64, plate px, where they may be in `now`
    most_back_px : distance from the start up to which the way back counts as the same point

    Returns
    -------
    (N, 2) float64 positions in `now`, plate px, and (N,) bool of those that came back

    References
    ----------
    Bouguet, Pyramidal implementation of the Lucas Kanade feature tracker, 2000; Kalal et al.,
    Forward-backward error, ICPR 2010.
    """
    if len(points_before) == 0:
        return points_before, np.zeros(0, bool)
    height, width = before.shape
    seen = np.concatenate([points_before, points_guess])
    margin = WINDOW_PX * 2 ** (PYRAMID_LEVELS - 1) // 2
    x0, y0 = np.clip(np.floor(seen.min(axis=0)).astype(int) - margin, 0, [width - 1, height - 1])
    x1, y1 = np.clip(np.ceil(seen.max(axis=0)).astype(int) + margin, [x0 + 1, y0 + 1], [width, height])
    if x1 - x0 < WINDOW_PX or y1 - y0 < WINDOW_PX:
        return points_guess, np.zeros(len(points_before), bool)
    before, now = before[y0:y1, x0:x1], now[y0:y1, x0:x1]
    size = (WINDOW_PX, WINDOW_PX)
    criteria = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 20, 0.02)
    # OpenCV has pixel centres at whole numbers.
    corner = np.array([x0, y0]) + 0.5
    a = (points_before - corner).astype(np.float32).reshape(-1, 1, 2)
    g = (points_guess - corner).astype(np.float32).reshape(-1, 1, 2)
    options: dict[str, Any] = {"winSize": size, "maxLevel": PYRAMID_LEVELS, "criteria": criteria, "flags": cv2.OPTFLOW_USE_INITIAL_FLOW}
    b, ok, _ = cv2.calcOpticalFlowPyrLK(before, now, a, g.copy(), **options)
    back, ok_back, _ = cv2.calcOpticalFlowPyrLK(now, before, b, a.copy(), **options)
    returned = np.linalg.norm((back - a).reshape(-1, 2), axis=1) < most_back_px
    good = (ok.reshape(-1) == 1) & (ok_back.reshape(-1) == 1) & returned
    return b.reshape(-1, 2).astype(np.float64) + corner, good


def warped(image: Uint8, h: Float64) -> Uint8:
    """A picture (H, W) as a homography (plate px) shows it, of the same size."""
    # OpenCV has pixel centres at whole numbers.
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    size = image.shape[::-1]
    return np.asarray(cv2.warpPerspective(image, np.linalg.inv(half) @ h @ half, size, borderMode=cv2.BORDER_REPLICATE), np.uint8)


class Finder:
    """Finds the plane again in a whole picture, from descriptors of the reference.

    References
    ----------
    Lowe, Distinctive image features from scale-invariant keypoints, IJCV 60(2), 2004.
    """

    def __init__(self, image: Uint8, region: Bool, motion: Motion) -> None:
        # Soft and faint surfaces have theirs too, however much the surroundings have.
        self._sift = cv2.SIFT_create(contrastThreshold=FAINT)
        self._motion = motion
        self._halvings = 0
        size = float(np.sqrt(region.sum()))
        while image.shape[1] > WIDE_PX << self._halvings and size >= LARGE_PX << self._halvings:
            self._halvings += 1
        self._image, self._region = image, region

    @cached_property
    def _plane(self) -> tuple[Float64, Float32]:
        """The plane's points, plate px, and their descriptors; made when something is looked for."""
        return self._describe(self._image, self._region, MOST_OF_PLANE)

    def _describe(self, image: Uint8, region: Bool | None, most: int) -> tuple[Float64, Float32]:
        """The most distinct points of a picture, (N, 2) plate px, and their descriptors."""
        mask = None if region is None else region.astype(np.uint8) * 255
        for _ in range(self._halvings):
            image = np.asarray(cv2.pyrDown(image), np.uint8)
            mask = None if mask is None else np.asarray(cv2.resize(mask, image.shape[::-1], interpolation=cv2.INTER_NEAREST), np.uint8)
        # A limit given to the detector itself would count what lies outside the mask.
        found = self._sift.detect(image, mask)
        if not found:
            return np.zeros((0, 2)), np.zeros((0, 128), np.float32)
        at, response = np.array([k.pt for k in found]), np.array([k.response for k in found])
        keys, descriptors = self._sift.compute(image, [found[i] for i in _strongest(at, response, most)])
        return (np.array([k.pt for k in keys], np.float64) + 0.5) * 2**self._halvings, np.asarray(descriptors, np.float32)

    def find(self, image: Uint8) -> Float64 | None:
        """Homography frame_from_reference, or None when too few descriptors agree."""
        own_points, own_descriptors = self._plane
        if len(own_points) < LEAST_PAIRS:
            return None
        points, descriptors = self._describe(image, None, MOST_OF_PICTURE)
        if len(points) < LEAST_PAIRS:
            return None
        pairs = cv2.BFMatcher(cv2.NORM_L2).knnMatch(own_descriptors, descriptors, k=2)
        good = [m[0] for m in pairs if len(m) == 2 and m[0].distance < 0.78 * m[1].distance]
        if len(good) < LEAST_PAIRS:
            return None
        src, dst = own_points[[m.queryIdx for m in good]], points[[m.trainIdx for m in good]]
        h, inliers = estimate_motion(src, dst, self._motion, inlier_px=3.0)
        return h if h is not None and inliers.sum() >= 10 else None


def _strongest(at: Float64, response: Float64, most: int) -> Int:
    """Indices of the strongest points (N, 2), of every part of the picture its share: what is faint is not crowded out."""
    if len(at) <= most:
        return np.arange(len(at))
    low, high = at.min(axis=0), at.max(axis=0) + 1e-6
    cell = ((at - low) / (high - low) * PARTS).astype(np.int64)
    order = np.lexsort((-response, cell[:, 1] * PARTS + cell[:, 0]))
    _, start, counts = np.unique((cell[:, 1] * PARTS + cell[:, 0])[order], return_index=True, return_counts=True)
    rank = np.arange(len(at)) - np.repeat(start, counts)
    return np.asarray(order[np.argsort(rank, kind="stable")[:most]])


def moved(points: Float64, h: Float64) -> Float64:
    """Points under a homography; those behind the horizon come back as NaN-free far points."""
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.nan_to_num(apply_homography(h, points), nan=-1e4, posinf=-1e4, neginf=-1e4)
