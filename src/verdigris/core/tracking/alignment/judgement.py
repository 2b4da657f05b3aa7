"""How well a frame fits under a pose: what is left, what it gains over another, how much of it looks as it should."""

import numpy as np

from verdigris.core.tracking.alignment.fit import Fit, median
from verdigris.core.tracking.alignment.grain import Grain, alike_px2
from verdigris.core.tracking.alignment.tile_sums import left_and_slope

# Share of the pixels that two fits are compared on: the rest is what something in front leaves.
TRUSTED_SHARE = 0.67
# In pictures softer than this, px^2, neighbouring pixels do not tell how far noise is alike.
TELLING_PX2 = 1.3
# So many pixels have to be there on both sides.
LEAST_COMPARED = 50


def residual_px(fit: Fit) -> float:
    """The residuals as a slip along the picture's slopes, root mean square by weight, px."""
    starts = fit.samples.starts
    left, slope = left_and_slope(starts, fit.view.template, fit.view.values, fit.view.slope, fit.used, fit.tiles.gain, fit.tiles.bias)
    return float(np.sqrt(left / max(slope, 1e-12)))


def cost_of(fit: Fit) -> float:
    """Root mean square of the smaller residuals where the picture is steep, code values: lower fits better.

    The largest third is what something in front leaves; it says nothing about the plane.
    """
    r = np.abs(fit.residuals()[fit.steep()])
    most = int(TRUSTED_SHARE * len(r))
    return float(np.sqrt(np.mean(np.partition(r, most)[:most] ** 2))) if most else 1.0


def gain_over(fit: Fit, other: Fit) -> float | None:
    """Share of another fit's residual that this one does without, on the same pixels; None when there are too few.

    Noise is the same on both sides and cancels; the largest third is what something in front leaves.
    """
    both = other.steep() & fit.view.seen
    mine, theirs = np.abs(fit.residuals()[both]), np.abs(other.residuals()[both])
    most = int(TRUSTED_SHARE * len(mine))
    if most < LEAST_COMPARED:
        return None
    counted = np.argpartition(np.maximum(mine, theirs), most)[:most]
    return 1.0 - float(np.sqrt(np.mean(mine[counted] ** 2) / max(float(np.mean(theirs[counted] ** 2)), 1e-12)))


def good_share(fit: Fit) -> float:
    """Share of the texture in view (as variance, capped) that is seen as it should be."""
    # What correlation can be expected: signal against the noise that is there.
    noise = max(fit.noise, 1e-3) ** 2
    signal = fit.tiles.gain**2 * fit.tiles.energy
    expected = np.sqrt(signal / (signal + noise))
    good = (fit.tiles.correlation > 0.7 * expected) & (fit.tiles.gain > 0.2) & (signal > 2 * noise)
    weight = fit.tiles.mass * np.sqrt(
        np.minimum(fit.tiles.energy, 4 * float(np.median(fit.tiles.energy[fit.tiles.mass > 0])) if (fit.tiles.mass > 0).any() else 1.0)
    )
    if fit.conditions.trust is not None:
        weight = weight * fit.conditions.trust
    return float((weight * good).sum() / max(float(weight.sum()), 1e-12))


def grain_of(fit: Fit) -> Grain:
    """The noise that shows where the picture is flat."""
    slope = fit.view.slope[fit.view.seen]
    flat = fit.view.seen & (fit.view.slope <= median(slope)) if len(slope) else fit.view.seen
    reference = float(np.median(fit.view.soft.all_around / fit.view.soft.zoom))
    # In soft pictures all noise is alike, and along a smear.
    tells = max(fit.view.soft.smoothing, reference) < TELLING_PX2 and not fit.view.soft.has_line.any()
    softened = 0.5 * (fit.view.soft.smoothing + reference)
    return Grain(fit.pixel_noise(), alike_px2(fit.samples.pixels, fit.residuals(), flat, softened) if tells else np.nan)
