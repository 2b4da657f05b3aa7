"""Sharpening by the camera: a dark and a bright line beside every edge, told from how code values rise over straight edges.

A camera sharpens code values: c + amount (c - c blurred by a Gaussian). Over an edge of known height the rise of a soft edge and that of
a sharpened one are drawn for a set of spreads and reaches; the amount is then a line (least squares).
"""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from verdigris.core.match.edges import STEPS, Edges
from verdigris.core.types import Float32, Float64

SPREADS = np.geomspace(0.45, 3.0, 24)
REACHES = (0.6, 0.8, 1.0, 1.3, 1.7, 2.2, 3.0)
SHARPEST, AS_GOOD, MOST_AMOUNT = 0.4, 1.15, 2.0
Coding = Callable[[Float32], Float32]
# A picture that is pinned has this softness of its own already, and sampling adds it, px.
SAMPLED = 0.29


@dataclass(frozen=True)
class Halo:
    """Sharpening.

    Attributes
    ----------
    amount : how much of what a blur takes away is added again
    radius_px : standard deviation of that blur
    """

    amount: float
    radius_px: float


@dataclass(frozen=True)
class HaloSeen:
    """What edges tell of sharpening.

    Attributes
    ----------
    halo : the best fit
    overshoot : how far codes go beyond their level, share of the edge's height
    gain : by how much it explains edges better than softness alone, 0..1
    edges : how many tell
    rise : (len(STEPS),) the mean rise, 0 to 1
    """

    halo: Halo
    overshoot: float
    gain: float
    edges: int
    rise: Float64


def measure_halo(edges: Edges, code_of: Coding, light_of: Coding) -> HaloSeen:
    """What edges in code values tell of sharpening.

    Parameters
    ----------
    edges : found in code values
    code_of, light_of : between linear light and code values, any shape
    """
    step = np.diff(edges.profile, axis=1) / edges.height[:, None]
    at = (STEPS[:-1] + STEPS[1:]) / 2
    # Sharpening leaves an edge's middle where it was, overshoot and all; how steep it is, is told by what rises alone.
    middle = _middle(step)
    near = np.clip(step, 0, None) * (np.abs(at) < 4)
    spread = (near * (at - middle[:, None]) ** 2).sum(axis=1) / np.maximum(near.sum(axis=1), 1e-6)
    best = np.argsort(spread)[: max(8, int(SHARPEST * len(spread)))]
    rises = np.stack([np.interp(STEPS + middle[i], STEPS, (edges.profile[i] - edges.low[i]) / edges.height[i]) for i in best])
    rise = np.asarray(np.median(rises, axis=0), np.float64)
    low, high = float(np.median(edges.low[best])), float(np.median(edges.low[best] + edges.height[best]))
    fits: list[tuple[float, Halo]] = []
    plain = np.inf
    inner = np.abs(STEPS) < 7.5
    for sigma in SPREADS:
        soft = _soft_rise(float(np.hypot(sigma, SAMPLED)), low, high, code_of, light_of)
        plain = min(plain, float(((rise - soft)[inner] ** 2).sum()))
        for reach in REACHES:
            extra = soft - _blurred(soft, reach)
            amount = float((extra * (rise - soft))[inner].sum() / max(float((extra**2)[inner].sum()), 1e-9))
            left = float(((rise - soft - amount * extra)[inner] ** 2).sum())
            if 0 < amount < MOST_AMOUNT:
                fits.append((left, Halo(amount, reach)))
    beyond = (STEPS > 0.5) & inner, (STEPS < -0.5) & inner
    overshoot = (max(float(rise[beyond[0]].max()) - 1, 0) + max(-float(rise[beyond[1]].min()), 0)) / 2
    if not fits:
        return HaloSeen(Halo(0.0, 1.0), overshoot, 0.0, len(edges.x), rise)
    # Where edges are as sharp as px, more sharpening of a softer edge looks the same: the least of it that explains them is taken.
    least = min(left for left, _ in fits)
    found = min((halo for left, halo in fits if left <= AS_GOOD * least), key=lambda h: h.amount)
    return HaloSeen(found, overshoot, 1 - least / max(plain, 1e-9), len(edges.x), rise)


def _soft_rise(sigma: float, low: float, high: float, code_of: Coding, light_of: Coding) -> Float64:
    """The rise in codes of an edge whose light is blurred, 0 to 1."""
    share = _blurred(np.asarray(STEPS > 0, np.float64) + 0.5 * (STEPS == 0), sigma)
    dark, bright = (float(light_of(np.array([[v]], np.float32))[0, 0]) for v in (low, high))
    rise = (code_of(np.asarray(dark + (bright - dark) * share, np.float32)[None])[0].astype(np.float64) - low) / max(high - low, 1e-6)
    # Codes put the middle of an edge elsewhere than light does.
    return np.asarray(np.interp(STEPS + float(_middle(np.diff(rise)[None])[0]), STEPS, rise), np.float64)


def _middle(step: Float64 | Float32) -> Float64:
    """First moments of rises' slopes (N, len(STEPS) - 1), px."""
    at = (STEPS[:-1] + STEPS[1:]) / 2
    near = step * (np.abs(at) < 5)
    total = near.sum(axis=1)
    return np.asarray((near * at).sum(axis=1) / np.where(np.abs(total) > 1e-6, total, 1), np.float64)


def _blurred(rise: Float64, sigma: float) -> Float64:
    """A rise blurred along the way over the edge; `sigma` px, two steps a px."""
    padded = np.pad(rise, 12, mode="edge")
    return np.asarray(cv2.GaussianBlur(padded[None], (0, 0), 2 * sigma, borderType=cv2.BORDER_REPLICATE)[0, 12:-12], np.float64)


def sharpened(codes: Float32, halo: Halo) -> Float32:
    """What a camera makes of code values (h, w, 3)."""
    return np.asarray(codes + np.float32(halo.amount) * (codes - _soft(codes, halo.radius_px)), np.float32)


def unsharpened(codes: Float32, halo: Halo, rounds: int = 8) -> Float32:
    """Code values as they were before the camera sharpened them (van Cittert's iteration, which converges as amount/(1 + amount) < 1)."""
    before = codes
    for _ in range(rounds):
        before = np.asarray((codes + np.float32(halo.amount) * _soft(before, halo.radius_px)) / np.float32(1 + halo.amount), np.float32)
    return before


def _soft(codes: Float32, sigma: float) -> Float32:
    return np.asarray(cv2.GaussianBlur(codes, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE), np.float32)
