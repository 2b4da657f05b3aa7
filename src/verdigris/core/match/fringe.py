"""Colour fringes: a lens draws red and blue a little larger or smaller than green, so that edges part from the middle outwards.

References
----------
Lateral chromatic aberration as a difference of magnification: ISO 19084:2015, Photography - Digital cameras - Chromatic displacement
measurements.
"""

from dataclasses import dataclass

import numpy as np

from verdigris.core.match.edges import STEPS, Edges
from verdigris.core.types import Bool, Float32, Float64

# Contrast of the flattest channel against the steepest, from which on an edge is one of light and not of colour.
LEAST_ALIKE = 0.6


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
    rises = np.stack([p[2] for p in places])
    # Edges of colour alone are drawn wide by a film's own halved colour: all three channels must rise alike.
    alike = rises.min(axis=0) > LEAST_ALIKE * rises.max(axis=0)
    for c in (0, 2):
        apart, good = places[c][0] - places[1][0], places[c][1] & places[1][1] & alike
        x, y = along[good].astype(np.float64), apart[good].astype(np.float64)
        if len(x) < 12 or float(x.std()) < 1:
            return None
        # What lies to one side of every edge alike, from dark to bright, is no magnification.
        basis = np.stack([x, np.ones_like(x)], axis=1)
        keep = np.ones(len(x), np.bool_)
        fit, spread = np.zeros(2), 1.0
        for _ in range(5):
            fit = np.linalg.lstsq(basis[keep], y[keep], rcond=None)[0]
            left = y - basis @ fit
            spread = 1.4826 * float(np.median(np.abs(left[keep]))) + 1e-4
            keep = np.abs(left) < 3 * spread
        # Edges that follow each other along a line are not independent: each few px count once.
        errors.append(2 * spread * float(np.sqrt(np.linalg.inv(basis[keep].T @ basis[keep] + 1e-9 * np.eye(2))[0, 0])))
        told.append(float(fit[0]))
    return FringeSeen(Fringe(*told), np.array(errors), len(edges.x))


def _middle_of(profile: Float32) -> tuple[Float32, Bool, Float32]:
    """Where a channel's edges are on the way over them, px; where that can be told; and their contrast, share of both sides."""
    height = profile[:, -5:].mean(axis=1) - profile[:, :5].mean(axis=1)
    step = np.diff(profile, axis=1) / np.where(np.abs(height) > 1e-5, height, 1)[:, None]
    at = (STEPS[:-1] + STEPS[1:]) / 2
    near = np.clip(step, 0, None) * (np.abs(at) < 4)
    total = near.sum(axis=1)
    both = np.maximum(profile[:, -5:].mean(axis=1) + profile[:, :5].mean(axis=1), 1e-5)
    middle = np.asarray((near * at).sum(axis=1) / np.maximum(total, 1e-6), np.float32)
    return middle, np.asarray((height > 0.02) & (total > 0.5), np.bool_), np.asarray(height / both, np.float32)
