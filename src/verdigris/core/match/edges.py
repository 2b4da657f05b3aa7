"""Straight edges with nothing else near, and how light rises over each: what softness, halo and fringe are told from."""

from dataclasses import dataclass

import cv2
import numpy as np

from verdigris.core.types import Bool, Float32

REACH = 9
# Edges lower than so many times the noise, or than this share of the light around, are not looked at.
LEAST_SNR, LEAST_CONTRAST = 12.0, 0.2
MOST = 4000
# Places along the way over an edge, px.
STEPS = np.arange(-REACH, REACH + 0.01, 0.5, dtype=np.float32)


@dataclass(frozen=True)
class Edges:
    """Straight edges.

    Attributes
    ----------
    x, y : (N,) float32, index coordinates of the pixel that is on each
    nx, ny : (N,) float32, unit vector from dark to bright
    profile : (N, len(STEPS)) float32, light over it from dark to bright
    low, height : (N,) float32, light of its dark side, and how far it rises
    """

    x: Float32
    y: Float32
    nx: Float32
    ny: Float32
    profile: Float32
    low: Float32
    height: Float32

    def over(self, channel: Float32) -> Float32:
        """How another channel (h, w) rises over the same edges, (N, len(STEPS))."""
        return _along(channel, self.x, self.y, self.nx, self.ny)[1]


def find_edges(light: Float32, where: Bool, noise: float) -> Edges | None:
    """Straight edges of a picture; None with fewer than eight.

    Parameters
    ----------
    light : (h, w) float32, of one channel, or luma
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
    best = np.argsort(-slope[ys, xs])[:MOST]
    ys, xs = ys[best], xs[best]
    nx, ny = (np.asarray(g[ys, xs] / slope[ys, xs], np.float32) for g in (gx, gy))
    x, y = xs.astype(np.float32), ys.astype(np.float32)
    bent, profile = _along(light, x, y, nx, ny)
    low, high = profile[:, :5].mean(axis=1), profile[:, -5:].mean(axis=1)
    height = high - low
    # Levels on both sides, a straight edge, and nothing else near.
    flat = np.maximum(np.ptp(profile[:, :6], axis=1), np.ptp(profile[:, -6:], axis=1))
    good = (height > max(LEAST_SNR * noise, 1e-4)) & (height > LEAST_CONTRAST * np.maximum(high, 1e-6)) & (flat < 0.12 * height + 3 * noise)
    good &= bent < 0.2 * height + 4 * noise
    if good.sum() < 8:
        return None
    return Edges(x[good], y[good], nx[good], ny[good], profile[good], low[good], height[good])


def _along(light: Float32, x: Float32, y: Float32, nx: Float32, ny: Float32) -> tuple[Float32, Float32]:
    """How much each edge bends, (N,), and light over it, (N, len(STEPS))."""
    px, py = x[:, None] + nx[:, None] * STEPS, y[:, None] + ny[:, None] * STEPS
    three = [cv2.remap(light, px - k * ny[:, None], py + k * nx[:, None], cv2.INTER_CUBIC) for k in (-1, 0, 1)]
    return np.asarray(np.max(np.abs(three[0] - three[2]), axis=1), np.float32), np.asarray(np.mean(three, axis=0), np.float32)
