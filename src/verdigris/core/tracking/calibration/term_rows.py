"""How a frame's prediction changes with each of the terms that all frames share."""

from collections.abc import Iterator

import numpy as np

from verdigris.core.light.tone import Tone, to_code
from verdigris.core.tracking.alignment.fit import Fit
from verdigris.core.tracking.alignment.grain import kept_and_pull
from verdigris.core.tracking.alignment.synthesis import predict, softness
from verdigris.core.tracking.calibration.camera_covariance import camera_rows
from verdigris.core.tracking.calibration.terms import BOW, CAMERA, TONE, TONE_STEP, Term, value_of
from verdigris.core.tracking.reference.appearance import Appearance
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.types import Float32, Float64


def reduced(fit: Fit, follower: PlaneFollower, h: Float64, terms: tuple[Term, ...]) -> tuple[Float64, Float64, Float64]:
    """Normal equations of the shared terms with pose and blur eliminated: (m, m), (m,), (tiles, m)."""
    rows = np.stack(list(rows_of(fit, follower, h, terms))).astype(np.float32)
    k = len(fit.view.jacobian)
    pulls = {k + terms.index("shutter"): _pull_by_shutter(fit, h)} if "shutter" in terms else {}
    hessians, tile_score = fit.equations(np.concatenate([fit.view.jacobian, rows]), pulls=pulls)
    hessian, score = hessians.sum(axis=0), tile_score.sum(axis=0)
    scale = np.sqrt(np.maximum(np.diag(hessian)[:k], 1e-12))
    inner = np.linalg.pinv(hessian[:k, :k] / np.outer(scale, scale) + 1e-9 * np.eye(k)) / np.outer(scale, scale)
    carry = hessian[k:, :k] @ inner
    # Residuals of one frame are counted in units of its noise.
    unit = 1.0 / max(fit.noise, 1e-3) ** 2
    return (
        unit * (hessian[k:, k:] - carry @ hessian[:k, k:]),
        unit * (score[k:] - carry @ score[:k]),
        unit * (tile_score[:, k:] - tile_score[:, :k] @ carry.T),
    )


def _pull_by_shutter(fit: Fit, h: Float64, step: float = 0.002) -> Float64:
    """How much a pixel's noise in the reference and its change by the shutter's variance have in common, (tiles,)."""
    c, soft, px2 = fit.conditions, fit.view.soft, fit.conditions.grain.px2
    other = softness(fit.appearance, h, c.movement, c.reference_movement, fit.blur, c.shutter + step, soft.smoothing, fixed=True)
    return np.asarray(0.5 * (kept_and_pull(other, px2)[0] - fit.view.kept) / step)


def rows_of(fit: Fit, follower: PlaneFollower, h: Float64, terms: tuple[Term, ...]) -> Iterator[Float64]:
    """Change of the predicted values per unit of each shared term, (N,)."""
    s, optics = fit.samples, follower.optics
    # Where nothing is predicted, gradients are not set.
    known = fit.view.seen[:, None]
    gradient = np.where(known, fit.view.prediction[:, 1:3], 0.0)
    of_camera = camera_rows(fit, h, [CAMERA.index(t) for t in terms if t in CAMERA])
    for term in terms:
        if term == "shutter":
            row = np.asarray(by_shutter(fit, h), float)
        elif term in TONE:
            tone = optics.tone._replace(**{term: value_of(optics, term) + TONE_STEP})
            row = np.asarray(by_tone(fit, follower.bent(tone), tone, h), float) / TONE_STEP
        elif term in BOW:
            unit = (1.0, 0.0) if term == "bow_along" else (0.0, 1.0)
            row = -np.sum(gradient * follower.bowed(unit).offset(s.ideal, h), axis=1)
        else:
            row = next(of_camera)
        yield np.where(fit.view.seen, row, 0.0)


def by_shutter(fit: Fit, h: Float64) -> Float32:
    """Change of the predicted values per unit of the shutter's variance, (N,)."""
    c, s, delta = fit.conditions, fit.samples, 0.002
    soft = softness(fit.appearance, h, c.movement, c.reference_movement, fit.blur, c.shutter + delta, fit.view.soft.smoothing, True)
    other = predict(fit.appearance, soft, fit.view.flat, s.times, s.tiles, h, c.movement, c.shutter + delta)[:, 0]
    return np.where(fit.view.seen & (other > -50), (other - fit.view.prediction[:, 0]) / delta, 0).astype(np.float32)


def by_tone(fit: Fit, bent: Appearance, tone: Tone, h: Float64) -> Float32:
    """Change of the predicted values against the frame's from the present tone curve to another one, (N,)."""
    c, s = fit.conditions, fit.samples
    other = predict(bent, fit.view.soft, fit.view.flat, s.times, s.tiles, h, c.movement, c.shutter)[:, 0]
    pictures, (x0, y0) = fit.pictures.bent(tone), fit.pictures.origin
    image = pictures.smoothed(fit.view.soft.smoothing)
    light = image[np.clip(s.pixels[:, 1] - y0, 0, image.shape[0] - 1), np.clip(s.pixels[:, 0] - x0, 0, image.shape[1] - 1)]
    values = to_code(light, pictures.table)
    change = (other - fit.view.prediction[:, 0]) - (values - fit.view.values) / fit.tiles.gain[s.tiles]
    return np.where(fit.view.seen & (other > -50), change, 0).astype(np.float32)
