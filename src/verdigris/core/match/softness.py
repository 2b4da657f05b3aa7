"""How soft a picture's edges are: the spread of its sharpest straight edges, told by height and steepness.

An edge blurred by a Gaussian of sigma rises with the largest slope height / (sigma sqrt(2 pi)). The sharpest of many edges are those
that are sharp in the world; what is left of them is the camera.
"""

import numpy as np

from verdigris.core.match.edges import STEPS, find_edges
from verdigris.core.types import Bool, Float32

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
    edges = find_edges(light, where, noise)
    if edges is None:
        return None
    # The slope's second moment is the blur's variance; its middle part alone keeps noise out.
    step = np.clip(np.diff(edges.profile, axis=1) / edges.height[:, None], 0, None)
    at = (STEPS[:-1] + STEPS[1:]) / 2
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
    return float(np.sqrt(np.median(kept_many))), len(edges.x)


def extra_sigma(plate: float, own: float = OWN_SIGMA) -> float:
    """By how much a pinned picture must be softened to be as soft as the plate, px."""
    return float(np.sqrt(max(plate**2 - own**2, 0.0)))
