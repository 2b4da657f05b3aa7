"""Light that a screen throws on what is around it: how much of its own light, and how far it spreads.

What is around shows its own light, told as a plane for each channel, plus a share of the screen's light blurred by a Gaussian. The share
and the plane are a line for each reach; the reach that leaves least is taken. A place that is darker than both say is a bezel or a
shadow and counts no longer.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from verdigris.core.types import Bool, Float32

REACHES = (2.0, 3.0, 4.5, 6.5, 10.0, 13.0, 18.0, 25.0)
ROUNDS = 4
MOST = 12_000


@dataclass(frozen=True)
class GlowSeen:
    """What surroundings tell of a screen's light.

    Attributes
    ----------
    share : of its light
    radius_px : standard deviation of its spread
    error : standard deviation of the share
    """

    share: float
    radius_px: float
    error: float


def measure_glow_around(light: Float32, screen: Float32, around: Bool) -> GlowSeen | None:
    """Tell a screen's glow.

    Parameters
    ----------
    light : (h, w, 3) float32, linear light of the region
    screen : (h, w, 3) float32, the screen's own light where it is seen, else 0
    around : (h, w) bool, surroundings with nothing of the screen in them
    """
    ys, xs = np.nonzero(around)
    if len(xs) < 200:
        return None
    if len(xs) > MOST:
        ys, xs = ys[:: len(ys) // MOST + 1], xs[:: len(xs) // MOST + 1]
    h, w = around.shape
    plane = np.stack([np.ones(len(xs)), xs / w - 0.5, ys / h - 0.5], axis=1)
    seen = light[ys, xs].astype(np.float64)
    best: GlowSeen | None = None
    least = np.inf
    for reach in REACHES:
        thrown = cv2.GaussianBlur(screen, (0, 0), reach, borderType=cv2.BORDER_CONSTANT)[ys, xs].astype(np.float64)
        keep = np.ones(len(xs), np.bool_)
        share, error, left = 0.0, 1.0, np.zeros(1)
        for _ in range(ROUNDS):
            # The same share in all channels: each channel's own plane is taken out of both first.
            x, y = (v[keep] - plane[keep] @ np.linalg.lstsq(plane[keep], v[keep], rcond=None)[0] for v in (thrown, seen))
            share = float((x * y).sum() / max(float((x**2).sum()), 1e-12))
            ambient = np.linalg.lstsq(plane[keep], seen[keep] - share * thrown[keep], rcond=None)[0]
            left = (seen - share * thrown - plane @ ambient).mean(axis=1)
            spread = 1.4826 * float(np.median(np.abs(left[keep]))) + 1e-6
            error = spread / np.sqrt(max(float((x**2).sum() / 3), 1e-12)) * 5
            keep = (left > -3 * spread) & (left < 4 * spread)
            if keep.sum() < 100:
                return best
        # Judged on the same places for every reach: the middle of what is left.
        score = float(np.median(np.abs(left)))
        if share > 0 and score < least:
            best, least = GlowSeen(share, reach, float(error)), score
    return best
