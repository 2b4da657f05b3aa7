"""Three baselines made from OpenCV alone, on the same pictures, region and masks."""

from collections.abc import Callable
from typing import Any

import cv2
import numpy as np

from bench.tracking.cases import Plate
from bench.tracking.measure import Answer
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.types import Float64, Uint8

HALF = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])
NO_SIGMA = np.full(4, np.nan)


def region_of(plate: Plate) -> Uint8:
    """The region at the reference frame, 0 or 255."""
    height, width = plate.frames[0].shape
    hidden = plate.hidden.get(plate.reference)
    front = None if hidden is None else hidden.astype(np.float32)
    return region_mask(plate.include, plate.exclude, front, width, height).astype(np.uint8) * 255


def _both_ways(plate: Plate, step: Callable[[int, int, Float64], Float64 | None]) -> list[Answer]:
    """Run a step (frame before, frame now, last homography) from the reference to both ends."""
    quad = plate.truth[plate.reference]
    answers: list[Answer] = [None] * len(plate.frames)
    answers[plate.reference] = (quad, NO_SIGMA)
    for direction in (1, -1):
        last, n = np.eye(3), plate.reference + direction
        while 0 <= n < len(plate.frames):
            found = step(n - direction, n, last)
            if found is not None and np.all(np.isfinite(found)):
                last = found
                answers[n] = (apply_homography(found, quad), NO_SIGMA)
            n += direction
    return answers


def _seen(plate: Plate, region: Uint8, n: int, h: Float64) -> Uint8:
    """The region where a homography puts it in a frame, without what is known to be in front."""
    height, width = region.shape
    mask = cv2.warpPerspective(region, HALF @ h @ np.linalg.inv(HALF), (width, height), flags=cv2.INTER_NEAREST)
    if n in plate.hidden:
        mask[plate.hidden[n]] = 0
    return mask


def chained_points(plate: Plate) -> list[Answer]:
    """Pyramidal Lucas-Kanade from frame to frame with RANSAC, then anchored again to the reference's own points."""
    region, reference = region_of(plate), plate.frames[plate.reference]

    def corners(picture: Uint8, mask: Uint8) -> Float64:
        found = cv2.goodFeaturesToTrack(picture, 400, 0.01, 7, mask=mask)
        return np.zeros((0, 2)) if found is None else found.reshape(-1, 2).astype(float)

    anchors = corners(reference, region)
    options: dict[str, Any] = {"winSize": (21, 21), "maxLevel": 5, "criteria": (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 30, 0.01)}

    def step(before: int, now: int, last: Float64) -> Float64 | None:
        a = corners(plate.frames[before], _seen(plate, region, before, last)).astype(np.float32)
        if len(a) < 8:
            return None
        b, ok, _ = cv2.calcOpticalFlowPyrLK(plate.frames[before], plate.frames[now], a.reshape(-1, 1, 2), None, **options)  # type: ignore[call-overload]
        good = ok.ravel() == 1
        if good.sum() < 8:
            return None
        move, _ = cv2.findHomography(a[good], b.reshape(-1, 2)[good], cv2.RANSAC, 2.0)
        if move is None:
            return None
        guess = np.linalg.inv(HALF) @ move @ HALF @ last
        # Without this step errors add up: the reference, seen through the guess, is matched with the frame.
        width, height = region.shape[1], region.shape[0]
        seen = cv2.warpPerspective(reference, HALF @ guess @ np.linalg.inv(HALF), (width, height))
        where = apply_homography(HALF @ guess @ np.linalg.inv(HALF), anchors).astype(np.float32)
        c, ok, _ = cv2.calcOpticalFlowPyrLK(
            seen,
            plate.frames[now],
            where.reshape(-1, 1, 2),
            where.reshape(-1, 1, 2).copy(),
            **{**options, "maxLevel": 1},
            flags=cv2.OPTFLOW_USE_INITIAL_FLOW,
        )
        good = ok.ravel() == 1
        if good.sum() < 8:
            return guess
        fine, inliers = cv2.findHomography(anchors[good], c.reshape(-1, 2)[good], cv2.RANSAC, 1.0)
        return guess if fine is None or inliers.sum() < 8 else np.linalg.inv(HALF) @ fine @ HALF

    return _both_ways(plate, step)


def intensity(plate: Plate) -> list[Answer]:
    """`findTransformECC` against the reference, begun from the frame before."""
    region, reference = region_of(plate), plate.frames[plate.reference]
    ys, xs = np.nonzero(region)
    x0, y0 = int(xs.min()), int(ys.min())
    template = reference[y0 : ys.max() + 1, x0 : xs.max() + 1]
    shift = np.array([[1, 0, x0], [0, 1, y0], [0, 0, 1.0]])
    criteria = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 50, 1e-6)

    def step(before: int, now: int, last: Float64) -> Float64 | None:
        warp = (HALF @ last @ np.linalg.inv(HALF) @ shift).astype(np.float32)
        try:
            # Its mask belongs to the frame: the region where the last frame had it, with room to move.
            mask = (
                cv2.dilate(_seen(plate, region, now, last), np.ones((9, 9), np.uint8))
                if now not in plate.hidden
                else _seen(plate, region, now, last)
            )
            score, warp = cv2.findTransformECC(template, plate.frames[now], warp, cv2.MOTION_HOMOGRAPHY, criteria, mask, 5)
        except cv2.error:
            return None
        return None if score < 0.4 else np.linalg.inv(HALF) @ warp.astype(float) @ np.linalg.inv(shift) @ HALF

    return _both_ways(plate, step)


def descriptors(plate: Plate) -> list[Answer]:
    """SIFT matched to the reference with MAGSAC, every frame on its own."""
    region, sift = region_of(plate), cv2.SIFT_create(nfeatures=3000)
    keys, known = sift.detectAndCompute(plate.frames[plate.reference], region)
    points = np.array([k.pt for k in keys], dtype=np.float64).reshape(-1, 2)

    def step(before: int, now: int, last: Float64) -> Float64 | None:
        found, described = sift.detectAndCompute(plate.frames[now], None)
        if described is None or known is None or len(found) < 8:
            return None
        pairs = cv2.BFMatcher(cv2.NORM_L2).knnMatch(known, described, k=2)
        good = [m[0] for m in pairs if len(m) == 2 and m[0].distance < 0.8 * m[1].distance]
        if len(good) < 8:
            return None
        there = np.array([found[m.trainIdx].pt for m in good])
        h, inliers = cv2.findHomography(points[[m.queryIdx for m in good]], there, cv2.USAC_MAGSAC, 2.0)
        return None if h is None or inliers.sum() < 8 else np.linalg.inv(HALF) @ h @ HALF

    return _both_ways(plate, step)


BASELINES: dict[str, Callable[[Plate], list[Answer]]] = {
    "points, chained and anchored": chained_points,
    "findTransformECC": intensity,
    "SIFT and MAGSAC": descriptors,
}
