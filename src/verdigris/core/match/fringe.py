"""Colour fringes: a lens draws red and blue a little larger or smaller than green, so that edges part from the middle outwards.

References
----------
Lateral chromatic aberration as a difference of magnification: ISO 19084:2015, Photography - Digital cameras - Chromatic displacement
measurements.
"""

from dataclasses import dataclass

import numpy as np

from verdigris.core.match.edges import STEPS, Edges
from verdigris.core.types import Float32, Float64


@dataclass(frozen=True)
class Fringe:
    """How much larger red and blue are drawn than green, shares, around the middle of the picture.

    Attributes
    ----------
    red, blue : difference of magnification
    """

    red: float
    blue: float


@dataclass(frozen=True)
class FringeSeen:
    """What edges tell of fringes.

    Attributes
    ----------
    fringe : the best fit
    error : (2,) standard deviation of red and blue
    edges : how many tell
    """

    fringe: Fringe
    error: Float64
    edges: int


def measure_fringe(edges: Edges, channels: Float32, middle: tuple[float, float]) -> FringeSeen | None:
    """Fringes from edges.

    Parameters
    ----------
    channels : (h, w, 3) float32, linear light of the region that the edges are of
    middle : where the middle of the whole picture is in that region, px
    """
    places = [_middle_of(edges.over(np.ascontiguousarray(channels[..., c]))) for c in range(3)]
    along = (edges.x + 0.5 - middle[0]) * edges.nx + (edges.y + 0.5 - middle[1]) * edges.ny
    told, errors = [], []
    for c in (0, 2):
        apart, good = places[c][0] - places[1][0], places[c][1] & places[1][1]
        x, y = along[good].astype(np.float64), apart[good].astype(np.float64)
        if len(x) < 8 or float((x**2).sum()) < 1:
            return None
        keep = np.ones(len(x), np.bool_)
        k = 0.0
        for _ in range(5):
            k = float((x[keep] * y[keep]).sum() / max(float((x[keep] ** 2).sum()), 1e-9))
            left = y - k * x
            spread = 1.4826 * float(np.median(np.abs(left[keep]))) + 1e-4
            keep = np.abs(left) < 3 * spread
        # Edges that follow each other along a line are not independent: each few px count once.
        errors.append(spread / np.sqrt(max(float((x[keep] ** 2).sum()), 1e-9)) * 2)
        told.append(k)
    return FringeSeen(Fringe(*told), np.array(errors), len(edges.x))


def _middle_of(profile: Float32) -> tuple[Float32, np.ndarray]:  # type: ignore[type-arg]
    """Where each channel's edge is on the way over it, px, and where that can be told."""
    height = profile[:, -5:].mean(axis=1) - profile[:, :5].mean(axis=1)
    step = np.diff(profile, axis=1) / np.where(np.abs(height) > 1e-5, height, 1)[:, None]
    at = (STEPS[:-1] + STEPS[1:]) / 2
    near = np.clip(step, 0, None) * (np.abs(at) < 4)
    total = near.sum(axis=1)
    return np.asarray((near * at).sum(axis=1) / np.maximum(total, 1e-6), np.float32), (height > 0.02) & (total > 0.5)
