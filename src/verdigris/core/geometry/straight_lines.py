"""A lens from lines that should be straight.

References
----------
Devernay and Faugeras, Straight lines have to be straight, Machine Vision and Applications 13(1), 2001.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.optimize import least_squares

from verdigris.core.geometry.lens import Lens
from verdigris.core.types import Float64

# Each further term must be this many times its own uncertainty.
SIGNIFICANT = 3.0
LEAST_POINTS = 3
# Placing a point by hand or at an edge is hardly better than this.
LEAST_NOISE_PX = 0.02


@dataclass(frozen=True)
class LensEstimate:
    """A lens, the standard deviation of each of its terms, and how far the drawn points are from straight lines then.

    Attributes
    ----------
    sigma : term -> standard deviation: `k1`, `k2`, `centre` (px)
    residual_px, before_px : root mean square distance from straight, plate px, with the lens and without one
    """

    lens: Lens
    sigma: dict[str, float]
    residual_px: float
    before_px: float


class LinesProblem(ValueError):
    """The lines cannot tell a lens, in the user's terms."""


def lens_from_lines(lines: Sequence[Float64], width: int, height: int) -> LensEstimate:
    """Estimate k1, then k2 and the centre as far as the lines hold them.

    Parameters
    ----------
    lines : each (N, 2) float64 points along one line that is straight in the world, plate px, N >= 3
    width, height : of the picture, px

    Raises
    ------
    LinesProblem
        With what is missing.
    """
    lines = [np.asarray(line, dtype=np.float64) for line in lines if len(line) >= LEAST_POINTS]
    if not lines:
        raise LinesProblem("A line needs at least three points along it.")
    spare = sum(len(line) - 2 for line in lines)
    lens = Lens.of_picture(width, height)
    before = _residuals(lines, lens)
    found = _solve(lines, lens, ("k1",))
    # The centre shows in lines on both sides of it only; each needs points to spare.
    for terms in (("k1", "k2"), ("k1", "k2", "centre"), ("k1", "centre")):
        count = len(terms) + ("centre" in terms)
        if spare < 2 * count + 2 or ("centre" in terms and len(lines) < 4):
            continue
        tried = _solve(lines, found.lens, terms)
        sure = all(abs(getattr(tried.lens, t)) > SIGNIFICANT * tried.sigma[t] for t in terms if t != "centre")
        off = float(np.hypot(tried.lens.centre[0] - width / 2, tried.lens.centre[1] - height / 2))
        if sure and ("centre" not in terms or off > SIGNIFICANT * tried.sigma["centre"]) and tried.residual_px < found.residual_px:
            found = tried
    return replace(found, before_px=float(np.sqrt(np.mean(before**2))))


def _residuals(lines: Sequence[Float64], lens: Lens) -> Float64:
    """Distances of all points from the straight line through their line's ideal points, plate px."""
    answer = []
    for line in lines:
        at = lens.undistort(line)
        middle = at.mean(axis=0)
        normal = np.linalg.svd(at - middle, full_matrices=False)[2][1]
        # A lens that shrinks everything would shorten distances too: they are counted at the size they were drawn.
        size = float(np.linalg.norm(line[-1] - line[0])) / max(float(np.linalg.norm(at[-1] - at[0])), 1e-6)
        answer.append((at - middle) @ normal * size)
    return np.concatenate(answer)


def _solve(lines: Sequence[Float64], start: Lens, terms: tuple[str, ...]) -> LensEstimate:
    unit = 0.01 * start.half_diagonal

    def lens_of(x: Float64) -> Lens:
        values = dict(zip((t for t in terms if t != "centre"), map(float, x), strict=False))
        if "centre" in terms:
            values["centre"] = (start.centre[0] + unit * float(x[-2]), start.centre[1] + unit * float(x[-1]))  # type: ignore[assignment]
        return replace(start, **values)  # type: ignore[arg-type]

    first = [float(getattr(start, t)) for t in terms if t != "centre"] + ([0.0, 0.0] if "centre" in terms else [])

    def distances(x: Float64) -> Float64:
        return _residuals(lines, lens_of(x))

    solved = least_squares(distances, first, loss="soft_l1", f_scale=1.0, x_scale=0.05)
    residual = _residuals(lines, lens_of(solved.x))
    spare = max(1, len(residual) - 2 * len(lines) - len(first))
    noise = max(float(np.sqrt(np.sum(residual**2) / spare)), LEAST_NOISE_PX)
    jac: Float64 = np.asarray(solved.jac)
    spread = noise * np.sqrt(np.maximum(np.diag(np.linalg.pinv(jac.T @ jac)), 0.0))
    sigma = dict(zip((t for t in terms if t != "centre"), map(float, spread), strict=False))
    if "centre" in terms:
        sigma["centre"] = unit * float(np.hypot(spread[-2], spread[-1]))
    return LensEstimate(lens_of(solved.x), sigma, float(np.sqrt(np.mean(residual**2))), 0.0)
