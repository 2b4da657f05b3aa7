"""Whether an alignment is to be believed. What is not, is reported as lost, with the reason."""

import numpy as np

from verdigris.core.geometry.quad import find_quad_problem
from verdigris.core.tracking.alignment.result import Alignment
from verdigris.core.types import Float64

LEAST_SHARE = 0.01
LEAST_GOOD = 0.15
MOST_SIGMA_PX = 2.0


def reason_against(a: Alignment, corners: Float64, sigma: Float64, size: tuple[int, int]) -> str:
    """Reason for not believing an alignment; empty when it holds.

    Parameters
    ----------
    corners : (4, 2) float64, where it puts the corners, plate px
    sigma : (4,) float64, their standard deviation without the margin, px
    size : width and height of the plate
    """
    if find_quad_problem(corners) is not None or np.abs(corners).max() > 20 * max(size):
        return "The corners would cross or collapse: the picture does not hold them."
    if a.share_used < LEAST_SHARE:
        return f"Only {100 * a.share_used:.0f} % of the region can be compared here; the rest is covered or out of the picture."
    if a.good_share < LEAST_GOOD:
        return f"Only {100 * a.good_share:.0f} % of what shows looks like the region at the reference frame."
    if float(sigma.max()) <= MOST_SIGMA_PX:
        return ""
    if not a.converged:
        return "The position did not settle."
    return f"A corner is unsure by {sigma.max():.1f} px; more than {MOST_SIGMA_PX:g} px is not reported as found."
