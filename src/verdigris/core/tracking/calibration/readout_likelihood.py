"""A read-out that a shot shows, and one that it shows only a little: how far it is believed."""

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np
from scipy.special import ndtr

from verdigris.core.camera.optics import Optics
from verdigris.core.tracking.calibration.camera_covariance import with_doubt
from verdigris.core.tracking.calibration.choice import choose_terms, choose_together
from verdigris.core.tracking.calibration.equations import Asked, Equations
from verdigris.core.tracking.calibration.solve_parameters import WORTH_TRYING, Solved, solve
from verdigris.core.tracking.calibration.terms import Estimate, Term, with_values
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import FrameResult

# Rows that are read later move everything in every frame: left out, they cost more than when they are a third off.
ROWS_SHOW = 3.0
# Where rows are read one after another, it takes them so long, frames; and so likely it has to be to be asked for where it is not certain.
READOUTS = (0.1, 0.7)
WORTH_BELIEVING = 0.3
ROWS: tuple[Term, ...] = ("shutter", "readout")


def rows_show(equations: Equations, optics: Optics) -> bool:
    """Whether equations ask for a read-out for its own sake; around poses that do not know of it, by half of what they will in the end."""
    if not {*ROWS} <= {*equations.terms}:
        return False
    asked = choose_terms(equations.only(ROWS), optics, ROWS, WORTH_TRYING).estimates.get("readout")
    return asked is not None and abs(asked.value) > 0.5 * ROWS_SHOW * asked.sigma


def share_of_rows(value: float, sigma: float) -> float:
    """How likely rows are read one after another at all, if a read-out seems to be so long, 0..1.

    Notes
    -----
    Before a shot says anything, a camera as likely reads all rows at once, or takes any usual time, whichever way up it is held.

    References
    ----------
    Mitchell and Beauchamp, Bayesian variable selection in linear regression, JASA 83(404), 1988 (a spike and a slab).
    """
    shortest, longest = READOUTS
    at_once = np.exp(-0.5 * (value / sigma) ** 2) / (np.sqrt(2 * np.pi) * sigma)
    one_by_one = (ndtr((longest - abs(value)) / sigma) - ndtr((shortest - abs(value)) / sigma)) / (longest - shortest)
    return float(one_by_one / max(one_by_one + at_once, 1e-12))


def rows_may_be_read(equations: Equations, optics: Optics) -> bool:
    """Whether a read-out is worth asking for that is not certain; equations around poses that do not know of it show it too short."""
    if not {*ROWS} <= {*equations.terms}:
        return False
    found = choose_together(equations.only(ROWS), optics, ROWS, 0.0, 0.0).estimates.get("readout")
    return found is not None and share_of_rows(2 * found.value, found.sigma) > WORTH_BELIEVING


def likely_rows(
    base: PlaneFollower, start: Solved, results: Mapping[int, FrameResult], pictures: Mapping[int, Asked],
    terms: tuple[Term, ...], stop: Callable[[], bool],
) -> Solved | None:  # fmt: skip
    """Terms with a read-out that is not certain beside them, as far as it is likely.

    Left out altogether it costs more than when it is a part off.
    """
    solved = solve(base, start, results, pictures, terms, stop, together=True)
    rows = solved.estimates.get("readout") if solved is not None else None
    if solved is None or rows is None:
        return None
    share = share_of_rows(rows.value, rows.sigma)
    value, variance = share * rows.value, share * rows.sigma**2 + share * (1 - share) * rows.value**2
    optics = with_doubt(with_values(solved.follower.optics, {"readout": value}), readout=variance)
    believed = Estimate(value, float(np.sqrt(variance)), rows.scatter)
    return replace(solved, follower=base.under(optics, base.reference_movement), estimates={**solved.estimates, "readout": believed})
