"""Folds and texture of a printed surface: how its bare paper departs from the smooth light on it, what is printed taken out.

References
----------
Knutsson and Westin, Normalized and differential convolution, CVPR 1993 (smoothing over what is known). Land and McCann, Lightness and
retinex theory, Journal of the Optical Society of America 61, 1971 (light changes gently, print has edges).
"""

from dataclasses import dataclass

import cv2
import numpy as np

from verdigris.core.match.light_field import CHROMA_LEAST, CHROMA_SPREADS, Paper, chroma_of
from verdigris.core.match.plane import blurred
from verdigris.core.types import Bool, Float32

# Paper in a fold is so dark or bright at most against the smooth light; from px to px it changes by no more than this share.
DARKEST, BRIGHTEST, GENTLE = 0.5, 1.6, 0.1
# Px of the square near print that are not paper alone; reach of the smoothing close by, and between letters. Farther from paper nothing
# is guessed: a fold goes its own way.
RIM, NEAR, FAR = 2, 1.0, 3.0
# Share of what is around that is paper from which it is trusted, close by and between letters.
TRUSTED, TRUSTED_FAR = 0.3, 0.2
# From so much on folds are seen.
SEEN = 0.012


@dataclass(frozen=True)
class Shading:
    """Folds and texture.

    Attributes
    ----------
    field : (h, w, 3) float32, ratio to the smooth light, 1 where nothing is known
    known : share of the surface where bare paper tells it
    depth : standard deviation of it where it is known
    """

    field: Float32
    known: float
    depth: float

    @property
    def is_seen(self) -> bool:
        """Whether there is anything to keep."""
        return self.depth > SEEN


def shading_of(clean: Float32, paper: Paper, ever: Bool) -> Shading:
    """Shading of a surface from its clean picture (h, w, 3) linear light, where it was ever seen (h, w)."""
    level = np.maximum(clean.mean(axis=2), 1e-6)
    ratio = np.asarray(level / np.maximum(paper.light.mean(axis=2), 1e-6), np.float32)
    where = _bare(clean, ratio, paper, ever)
    weight = where.astype(np.float32)
    out = carried_near(ratio, weight)
    depth = float(np.std(out[where])) if where.any() else 0.0
    return Shading(np.repeat(out[..., None], 3, axis=2), float(where.mean()), depth)


def carried_near(ratio: Float32, weight: Float32) -> Float32:
    """A ratio (h, w) where it is told, smoothed, and carried to what is near; 1 farther away."""
    close, known = blurred(ratio, weight, NEAR)
    wide, around = blurred(ratio, weight, FAR)
    near = np.clip(known / TRUSTED, 0, 1)
    far = np.clip(around / TRUSTED_FAR, 0, 1) * (1 - near)
    return np.asarray(close * near + wide * far + (1 - near - far), np.float32)


def _bare(clean: Float32, ratio: Float32, paper: Paper, ever: Bool) -> Bool:
    """Bare paper, also in the dark of folds: of paper's colour, and reached from plain paper without a printed edge."""
    if not paper.where.any():
        return np.zeros(ever.shape, np.bool_)
    sample = chroma_of(clean[paper.where])
    middle = np.median(sample, axis=0)
    reach = max(CHROMA_LEAST, CHROMA_SPREADS * 1.4826 * float(np.median(np.linalg.norm(sample - middle, axis=1))))
    like = ever & (np.linalg.norm(chroma_of(clean) - middle, axis=2) < reach) & (ratio > DARKEST) & (ratio < BRIGHTEST)
    soft = cv2.GaussianBlur(np.log(np.maximum(ratio, 1e-3)), (0, 0), 0.7)
    steep = np.hypot(cv2.Sobel(soft, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(soft, cv2.CV_32F, 0, 1, scale=0.125))
    gentle = (like & (steep < GENTLE)).astype(np.uint8)
    gentle = cv2.erode(gentle, np.ones((2 * RIM + 1,) * 2, np.uint8))
    count, labels = cv2.connectedComponents(gentle, connectivity=8)
    reached = np.zeros(count, np.bool_)
    reached[np.unique(labels[paper.where & (gentle > 0)])] = True
    reached[0] = False
    return np.asarray(reached[labels], np.bool_)
