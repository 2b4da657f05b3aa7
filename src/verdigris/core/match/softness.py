"""How soft a picture's edges are: the spread of its sharpest straight edges, told by height and steepness.

An edge blurred by a Gaussian of sigma rises with the largest slope height / (sigma sqrt(2 pi)). The sharpest of many edges are those
that are sharp in the world; what is left of them is the camera.
"""

import cv2
import numpy as np

from verdigris.core.types import Bool, Float32

REACH = 9
# Edges lower than so many times the noise, or than this share of the light around, are not looked at.
LEAST_SNR, LEAST_CONTRAST = 12.0, 0.2
SHARPEST = 0.3
# What a picture that is pinned by area and drawn bilinearly has of its own, and what a px itself adds, px.
OWN_SIGMA = 0.38


def edge_sigma(light: Float32, where: Bool, noise: float) -> tuple[float, int] | None:
    """Standard deviation of the sharpest edges, px, and from how many; None with fewer than eight.

    Parameters
    ----------
    light : (h, w) float32, linear light of one channel, or luma
    where : (h, w) bool, where to look
    noise : standard deviation of a px
    """
    gx, gy = cv2.Sobel(light, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(light, cv2.CV_32F, 0, 1, scale=1 / 8)
    slope = np.hypot(gx, gy)
    peak = slope >= cv2.dilate(slope, np.ones((3, 3), np.uint8)) - 1e-9
    strong = peak & where & (slope > max(LEAST_SNR * noise / 6, 1e-4))
    strong[:REACH], strong[-REACH:], strong[:, :REACH], strong[:, -REACH:] = False, False, False, False
    ys, xs = np.nonzero(strong)
    if len(xs) < 8:
        return None
    best = np.argsort(-slope[ys, xs])[:4000]
    ys, xs = ys[best], xs[best]
    nx, ny = gx[ys, xs] / slope[ys, xs], gy[ys, xs] / slope[ys, xs]
    t = np.arange(-REACH, REACH + 0.01, 0.5, dtype=np.float32)
    px, py = (xs[:, None] + nx[:, None] * t).astype(np.float32), (ys[:, None] + ny[:, None] * t).astype(np.float32)
    along = [
        cv2.remap(light, px - k * ny[:, None].astype(np.float32), py + k * nx[:, None].astype(np.float32), cv2.INTER_CUBIC)
        for k in (-1, 0, 1)
    ]
    straight = np.max(np.abs(along[0] - along[2]), axis=1)
    profile = np.mean(along, axis=0)
    low, high = profile[:, :5].mean(axis=1), profile[:, -5:].mean(axis=1)
    height = high - low
    # Levels on both sides, a straight edge, and nothing else near.
    flat = np.maximum(np.ptp(profile[:, :6], axis=1), np.ptp(profile[:, -6:], axis=1))
    good = (height > max(LEAST_SNR * noise, 1e-4)) & (height > LEAST_CONTRAST * np.maximum(high, 1e-6)) & (flat < 0.12 * height + 3 * noise)
    good &= straight < 0.2 * height + 4 * noise
    if good.sum() < 8:
        return None
    # The slope's second moment is the blur's variance; its middle part alone keeps noise out.
    step = np.clip(np.diff(profile[good], axis=1) / height[good, None], 0, None)
    at = (t[:-1] + t[1:]) / 2
    total = step.sum(axis=1)
    mean = (step * at).sum(axis=1) / total
    reach: Float32 = np.full(len(step), 7.0, np.float32)
    for _ in range(3):
        # As wide as the edge itself: beyond it there is noise alone.
        kept = step * (np.abs(at - mean[:, None]) < reach[:, None])
        total = np.maximum(kept.sum(axis=1), 1e-6)
        mean = (kept * at).sum(axis=1) / total
        variance = (kept * (at - mean[:, None]) ** 2).sum(axis=1) / total
        reach = np.asarray(np.clip(3.2 * np.sqrt(variance), 1.5, 7.0), np.float32)
    # Cubic sampling and steps of half a px add their own.
    variance = np.sort(np.maximum(variance - 0.25 / 12, 0.0))
    kept_many = variance[: max(8, int(SHARPEST * len(variance)))]
    return float(np.sqrt(np.median(kept_many))), int(good.sum())


def extra_sigma(plate: float, own: float = OWN_SIGMA) -> float:
    """By how much a pinned picture must be softened to be as soft as the plate, px."""
    return float(np.sqrt(max(plate**2 - own**2, 0.0)))
