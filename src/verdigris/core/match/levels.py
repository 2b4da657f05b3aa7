"""Black, white and colour: what the artwork's codes become in the plate.

Print: light x (ink + (paper - ink) x code). Screen: white x code + reflection. Both are a line for each channel, in linear light.
"""

from dataclasses import dataclass

import numpy as np

from verdigris.core.types import Float64

# What black ink sends back of what paper does, where nothing tells it.
USUAL_INK = 0.04


@dataclass(frozen=True)
class Line:
    """Plate light = gain x code + offset, for each channel.

    Attributes
    ----------
    gain, offset : (3,) float64, linear light of the plate; a gain that nothing told is not a number
    sure : whether two codes far enough apart told both
    """

    gain: Float64
    offset: Float64
    sure: bool


def line_of(codes: Float64, seen: Float64, weight: Float64) -> Line:
    """The line through spots.

    Parameters
    ----------
    codes : (N, 3) linear light of what the old surface had there, 0..1
    seen : (N, 3) linear light on the plate
    weight : (N,) px of each
    """
    gain, offset, told = np.zeros(3), np.zeros(3), []
    for c in range(3):
        x, y = codes[:, c], seen[:, c]
        mean = float(np.average(x, weights=weight)), float(np.average(y, weights=weight))
        spread = float(np.average((x - mean[0]) ** 2, weights=weight))
        told.append(spread > 0.02)
        if told[-1]:
            slope = float(np.average((x - mean[0]) * (y - mean[1]), weights=weight)) / spread
            gain[c], offset[c] = slope, mean[1] - slope * mean[0]
        elif mean[0] > 0.05:
            gain[c], offset[c] = mean[1] / mean[0], 0.0
        else:
            gain[c], offset[c] = np.nan, mean[1]
    return Line(gain, offset, all(told))


def neutral_gain(gain: Float64) -> Float64:
    """Channels that no spot told get the mean of those that were: an old screen's white is taken for neutral."""
    known = np.isfinite(gain)
    return np.where(known, gain, float(np.mean(gain[known])) if known.any() else np.nan)
