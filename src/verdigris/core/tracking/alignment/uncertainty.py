"""How sure an alignment is: doubt of corners from the scatter of tiles, and how far a surface that bends would move them.

References
----------
Liang and Zeger, Longitudinal data analysis using generalized linear models, Biometrika 73(1), 1986:
cluster-robust covariance, here with tiles as clusters, because residuals within a tile hang together.
"""

from collections.abc import Sequence

import numba
import numpy as np

from verdigris.core.geometry.motion import point_jacobian
from verdigris.core.tracking.alignment.fit import Fit
from verdigris.core.tracking.alignment.result import Alignment
from verdigris.core.types import Float32, Float64

USUAL_BEND_PX = 0.7
# Ways in which a surface or a lens may bend.
BENDS = 6
MOST_REACH = 1.5
# From so many frames around a frame on, what their bends have in common counts; and by how much it has to exceed chance.
LEAST_NEAR = 4
NEAR_SIGMAS = 1.0
# How far corners usually lie outside of the samples, in half sizes of what is seen.
USUAL_REACH = 0.3
# How quickly doubt grows with the distance beyond that.
REACH_GROWTH = 1.5
# A bend that moves one corner may move every other one by this share of that: where it seems to leave one alone is mere chance.
SHARED_BEND = 0.4
# No light changes by more than this; what does is a tile that shows nothing.
MOST_GAIN = 1e3


def seen_box(fit: Fit) -> Float64:
    """Low and high corner of nearly all that holds the pose, normalised coordinates, (2, 2)."""
    assert fit.samples is not None
    # A few thousand samples tell it.
    some = np.s_[:: max(1, len(fit.weights) // 4000)]
    at = fit.normaliser[0, 0] * fit.samples.ideal[some] + fit.normaliser[:2, 2]
    slope = np.where(fit.weights[some, None] > 0, fit.view.prediction[some, 1:3], 0.0)
    # What looks flat here, where the reference does not, holds nothing.
    gain = np.clip(np.nan_to_num(fit.tiles.gain), 0, MOST_GAIN)[fit.samples.tiles[some]]
    slope = np.clip(np.nan_to_num(slope).astype(np.float64), -MOST_GAIN, MOST_GAIN)
    pull = fit.weights[some] * gain**2 * np.sum(slope**2, axis=1)
    box = np.zeros((2, 2))
    for axis in (0, 1):
        order = np.argsort(at[:, axis])
        share = np.cumsum(pull[order])
        ends = np.searchsorted(share, np.array([0.03, 0.97]) * share[-1])
        box[:, axis] = at[order[np.minimum(ends, len(order) - 1)], axis]
    return box


def bent_jacobian(fit: Fit) -> Float32:
    """A fit's Jacobian with a row for every bend, (k + 1 + BENDS, N)."""
    assert fit.samples is not None
    rows = np.empty((BENDS, len(fit.samples.ideal)), np.float32)
    _bend_rows(fit.samples.ideal, fit.normaliser, picture_of(fit), fit.view.jacobian, rows)
    return np.concatenate([fit.view.jacobian, rows])


def picture_of(fit: Fit) -> Float64:
    """Centre and half diagonal of the picture in coordinates of a fit's normaliser, (3,)."""
    n, o = fit.normaliser, fit.optics
    return np.array([n[0, 0] * o.width / 2 + n[0, 2], n[0, 0] * o.height / 2 + n[1, 2], n[0, 0] * float(np.hypot(o.width, o.height)) / 2])


@numba.njit(cache=True, nogil=True, fastmath=True, inline="always")
def _bends(x, y, picture, out):  # type: ignore[no-untyped-def]
    """How a point moves, by x and y, on a surface that bends along and across, and through a lens that bends, (BENDS, 2)."""
    u, v = (x - picture[0]) / picture[2], (y - picture[1]) / picture[2]
    square = u * u + v * v
    out[:] = 0.0
    out[0, 0] = out[1, 1] = x * x
    out[2, 0] = out[3, 1] = y * y
    out[4, 0], out[4, 1] = u * square, v * square
    out[5, 0], out[5, 1] = u * square * square, v * square * square


@numba.njit(cache=True, nogil=True, fastmath=True)
def _bend_rows(ideal, normaliser, picture, jacobian, out):  # type: ignore[no-untyped-def]
    """What every bend changes."""
    s = normaliser[0, 0]
    moved = np.empty((BENDS, 2))
    for i in range(ideal.shape[0]):
        _bends(s * ideal[i, 0] + normaliser[0, 2], s * ideal[i, 1] + normaliser[1, 2], picture, moved)
        for j in range(BENDS):
            out[j, i] = moved[j, 0] * jacobian[0, i] + moved[j, 1] * jacobian[1, i]


def _bends_at(at: Float64, picture: Float64) -> Float64:
    """How points (N, 2) move by every bend, (N, 2, BENDS)."""
    out = np.empty((len(at), BENDS, 2))
    for one, (x, y) in zip(out, at, strict=True):
        _bends(x, y, picture, one)
    return out.transpose(0, 2, 1)


def bend_of(fit: Fit, hessian: Float64, tile_score: Float64) -> tuple[Float64, Float64]:
    """The step that a fit would take if the surface were allowed to bend a little, and its covariance; from `bent_jacobian`."""
    n, k = fit.normaliser, fit.freedoms
    held = hessian.copy()
    # A bend of a fraction of a pixel is what is looked for; where the picture cannot tell, there is none.
    unit = max(fit.noise, 1e-3) ** 2
    held[k + 1 :, k + 1 :] += unit / (n[0, 0] * USUAL_BEND_PX) ** 2 * np.eye(BENDS)
    scale = np.sqrt(np.maximum(np.diag(held), 1e-12))
    inverse = np.linalg.pinv(held / np.outer(scale, scale) + 1e-10 * np.eye(len(held))) / np.outer(scale, scale)
    keep = [*range(k), *range(k + 1, k + 1 + BENDS)]
    return (inverse @ tile_score.sum(axis=0))[keep], (inverse @ (tile_score.T @ tile_score) @ inverse)[np.ix_(keep, keep)]


def bend_at(alignment: Alignment, corners: Float64) -> Float64:
    """How far each corner would move if surface and lens were allowed to bend, squared, and what chance alone would show, (2, 4) px^2.

    A lens that is not quite what it was taken for, rows that are read later, a surface that is not quite flat: all of them
    leave a smooth remainder that the motion model cannot follow, and that neighbouring tiles agree on.

    Parameters
    ----------
    corners : (4, 2) float64, ideal frame px
    """
    n = alignment.normaliser
    at = corners @ n[:2, :2].T + n[:2, 2]
    # Far outside the region squares say nothing any more.
    far = np.clip(at, -MOST_REACH, MOST_REACH)
    jac = np.concatenate([point_jacobian(at, alignment.covariance.shape[0]), _bends_at(far, alignment.picture)], axis=2) / n[0, 0]
    moved = np.einsum("nik,k->ni", jac, alignment.bend)
    chance = np.einsum("nik,kl,nil->n", jac, alignment.bend_covariance, jac)
    return np.stack([np.sum(moved**2, axis=1), chance])


def corner_margins(own: Float64, near: Sequence[Float64] = ()) -> Float64:
    """Margin of each corner: how far it would bend away beyond what chance shows, (4,) plate px.

    One frame shows a bend only where it is much more than chance. A surface that is not flat, or a lens that is not quite known,
    bends in one frame as in the next: what they have in common shows long before.

    Parameters
    ----------
    own : (2, 4) of the frame, see `bend_at`
    near : the same of the frames around it
    """
    alone = own[0] - 3.0 * own[1]
    if len(near) < LEAST_NEAR:
        return _shared(alone)
    all_of_them = np.stack([own, *near])
    excess = all_of_them[:, 0] - all_of_them[:, 1]
    # The square of a normal deviate scatters by the root of two around its mean.
    scatter = all_of_them[:, 1].mean(axis=0) * np.sqrt(2.0 / len(all_of_them))
    together = excess.mean(axis=0) - NEAR_SIGMAS * scatter
    return _shared(np.maximum(alone, together))


def _shared(square: Float64) -> Float64:
    """Margins from their squares (4,), with every corner's share of the largest."""
    margins = np.sqrt(np.maximum(square, 0.0))
    return np.asarray(np.maximum(margins, SHARED_BEND * margins.max()))


def sandwich(hessian: Float64, tile_score: Float64, tile_hessian: Float64 | None = None) -> Float64:
    """Covariance of a fit from the scatter of its tiles' pulls.

    Parameters
    ----------
    hessian : (k, k)
    tile_score : (tiles, k)
    tile_hessian : (tiles, k, k), each tile's share of the Hessian; with it, every tile's pull is what it would be if the fit
        had not seen the tile, which keeps few tiles far to one side from looking certain

    References
    ----------
    Bell and McCaffrey, Bias reduction in standard errors for linear regression with multi-stage samples, 2002.
    """
    k = len(hessian)
    scale = np.sqrt(np.maximum(np.diag(hessian), 1e-12))
    inverse = np.linalg.pinv(hessian / np.outer(scale, scale) + 1e-10 * np.eye(k)) / np.outer(scale, scale)
    alive = int((np.abs(tile_score).sum(axis=1) > 0).sum())
    if tile_hessian is not None:
        leverage = tile_hessian @ inverse
        # A tile that alone holds some freedom is left with a tenth of itself rather than with nothing.
        left = np.eye(k)[None] - 0.95 * leverage
        tile_score = np.linalg.solve(left, tile_score[:, :, None])[:, :, 0]
        correction = (alive - 1) / max(1, alive) if alive > k else 50.0
    else:
        correction = alive / max(1, alive - k) if alive > k else 50.0
    return np.asarray(correction * inverse @ (tile_score.T @ tile_score) @ inverse)


def corner_sigmas(alignment: Alignment, corners: Float64) -> Float64:
    """Radial standard deviation of each corner in the frame, (4,) float64, plate px.

    Parameters
    ----------
    corners : (4, 2) float64, ideal frame px

    Notes
    -----
    The square root of the covariance's trace is the root mean square distance from the true corner. What is small where
    the picture is seen grows away from it: a corner that lies out by more than is seen is several times less sure
    than the covariance says.
    """
    n = alignment.normaliser
    points = corners @ n[:2, :2].T + n[:2, 2]
    jac = point_jacobian(points, alignment.covariance.shape[0]) / n[0, 0]
    spread = np.einsum("nik,kl,nil->n", jac, alignment.covariance, jac)
    half = np.maximum((alignment.seen[1] - alignment.seen[0]) / 2, 1e-3)
    out = np.maximum(np.maximum(alignment.seen[0] - points, points - alignment.seen[1]), 0.0) / half
    reach = np.maximum(out.max(axis=1) - USUAL_REACH, 0.0)
    return np.asarray(np.sqrt(np.maximum(spread, 0.0) * (1 + (REACH_GROWTH * reach) ** 2)))
