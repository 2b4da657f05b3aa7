"""What is not known of a lens or a read-out that were only estimated, and how far it moves what is seen.

A lens found from a shot is known where the shot's texture went, and only as far as its terms can be told apart there. A
corner that lies further out moves with what is not known; the pose, fitted again under every other lens that the shot would
bear, makes up for some of it where the texture is, and overshoots elsewhere. A read-out that is no more than likely does the same
with what moves.

References
----------
Tarantola, Inverse problem theory, 2005 (what data say and what is known before, together).
"""

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np

from verdigris.core.camera.optics import Movement, Optics
from verdigris.core.geometry.lens import Lens
from verdigris.core.geometry.motion import exponential
from verdigris.core.tracking.alignment.fit import Fit
from verdigris.core.types import Float64

# k1, k2, the centre's place against the picture's middle in half diagonals, by x and y, and the read-out, frames.
TERMS = 5
LENS_TERMS = 4
STEP = 1e-3
# Standard deviations of lenses: k1; k2 as a share of k1; the centre.
USUAL_K1, K2_SHARE, OFF_CENTRE = 0.1, 0.4, 0.02
# Scatter of the pulls that noise alone brings, as a share: so much there is in any case.
LEAST_SCATTER = 0.1
# As many samples say how a pose follows the lens.
FEW = 4000


def nudged(optics: Optics, term: int, by: float) -> Optics:
    """Optics with one term changed."""
    if term == LENS_TERMS:
        return replace(optics, readout=optics.readout + by)
    lens = optics.lens or Lens.of_picture(optics.width, optics.height)
    if term < 2:
        return replace(optics, lens=replace(lens, k1=lens.k1 + by * (term == 0), k2=lens.k2 + by * (term == 1)))
    off = by * lens.half_diagonal
    x, y = lens.centre
    return replace(optics, lens=replace(lens, centre=(x + off * (term == 2), y + off * (term == 3))))


def usual_size(term: str, k1: float) -> float:
    """Standard deviation of a shared term as long as nothing is known of a shot; 1 for all but the lens's. `k1` is what was found."""
    return {"k1": USUAL_K1, "k2": max(K2_SHARE * abs(k1), 1e-3), "cx": OFF_CENTRE, "cy": OFF_CENTRE}.get(term, 1.0)


def held_together(hessian: Float64, score: Float64, pulls: Float64, now: Float64, usual: Float64) -> tuple[Float64, Float64]:
    """Values of shared terms (m,) and their covariance (m, m): what a run says, held together with what they usually are.

    Parameters
    ----------
    hessian, score : (m, m), (m,) of the shared terms around their present values, poses eliminated
    pulls : (n, m), what every tile asks for
    now : (m,) present values
    usual : (m,) their usual sizes

    Notes
    -----
    A run says as much as the scatter of its tiles' pulls lets it (`doubt.sandwich`), and nothing along what cannot be told apart.
    """
    # In units of what is usual all terms are about one.
    h, p = hessian * np.outer(usual, usual), pulls * usual
    scatter = p.T @ p + LEAST_SCATTER * np.diag(np.diag(h)) + 1e-12 * np.eye(len(h))
    said = np.linalg.solve(scatter, h)
    posterior = np.linalg.inv(h @ said + np.eye(len(h)))
    value = posterior @ said.T @ (score * usual + h @ (now / usual))
    return np.asarray(value * usual), np.asarray(posterior * np.outer(usual, usual))


def covariance_of_lens(hessian: Float64, pulls: Float64, places: list[int], k1: float) -> Float64:
    """Covariance of k1, k2 and the centre's two, (LENS_TERMS, LENS_TERMS), found at `places` among shared terms; see `held_together`."""
    nothing, usual = np.zeros(len(hessian)), np.ones(len(hessian))
    usual[places] = [usual_size(t, k1) for t in ("k1", "k2", "cx", "cy")]
    return held_together(hessian, nothing, pulls, nothing, usual)[1][np.ix_(places, places)]


def with_doubt(optics: Optics, lens: Float64 | None = None, readout: float | None = None) -> Optics:
    """Optics with what is not known of the lens, (LENS_TERMS, LENS_TERMS), or of the read-out, as variance; what is not named stays."""
    covariance = np.zeros((TERMS, TERMS)) if optics.camera_covariance is None else optics.camera_covariance.copy()
    if lens is not None:
        covariance[:LENS_TERMS, :LENS_TERMS] = lens
    if readout is not None:
        covariance[LENS_TERMS, LENS_TERMS] = readout
    return replace(optics, camera_covariance=covariance)


def camera_rows(fit: Fit, h: Float64, terms: Sequence[int], which: slice = np.s_[:]) -> Iterator[Float64]:
    """Change of the predicted values per unit of some terms, (N,) each; for every so many of the samples."""
    s, optics, c = fit.samples, fit.optics, fit.conditions
    assert s is not None
    # Where nothing is predicted, gradients are not set.
    gradient = np.where(fit.view.seen[which, None], fit.view.prediction[which, 4:6], 0.0)
    seen = np.asarray(s.pixels[which] + 0.5, np.float64)
    plane = optics.plane(seen, h, c.movement)
    at_reference = optics.project(plane, np.eye(3), c.reference_movement)
    for term in terms:
        other = nudged(optics, term, STEP)
        # Another place of the plane is seen here, and the straightened reference shows there what lies elsewhere in its own px.
        moved = other.plane(seen, h, c.movement) - other.plane(at_reference, np.eye(3), c.reference_movement)
        yield np.sum(gradient * moved, axis=1) / STEP


def pose_by_camera(fit: Fit, h: Float64) -> Float64:
    """How a fitted pose follows each term, (freedoms, TERMS), coordinates of the fit's normaliser."""
    which = np.s_[:: max(1, len(fit.weights) // FEW)]
    rows = np.concatenate([fit.view.jacobian[:, which], np.stack([*camera_rows(fit, h, range(TERMS), which)]).astype(np.float32)])
    hessian = fit.equations(rows, which)[0].sum(axis=0)
    k = len(fit.view.jacobian)
    scale = np.sqrt(np.maximum(np.diag(hessian)[:k], 1e-12))
    inner = np.linalg.pinv(hessian[:k, :k] / np.outer(scale, scale) + 1e-9 * np.eye(k)) / np.outer(scale, scale)
    return np.asarray(-(inner @ hessian[:k, k:])[: fit.freedoms])


def corners_by_camera(
    optics: Optics, corners: Float64, h: Float64, movement: Movement, reference_movement: Movement, normaliser: Float64, by_camera: Float64
) -> Float64:  # fmt: skip
    """How far corners in a frame move with each term while the pose follows, (corners, 2, TERMS) plate px.

    Parameters
    ----------
    corners : (N, 2) float64, plate px at the reference frame
    h : (3, 3) float64, the frame's pose
    by_camera : (freedoms, TERMS), see `pose_by_camera`
    """
    now = optics.project(optics.plane(corners, np.eye(3), reference_movement), h, movement)
    moved = []
    for term in range(TERMS):
        other = nudged(optics, term, STEP)
        pose = np.linalg.inv(normaliser) @ exponential(STEP * by_camera[:, term]) @ normaliser @ h
        moved.append((other.project(other.plane(corners, np.eye(3), reference_movement), pose, movement) - now) / STEP)
    return np.stack(moved, axis=-1)
