"""Photometric refinement: move the plane until the predicted frame is the frame, tile by tile gain and bias, robustly.

References
----------
Baker and Matthews, Lucas-Kanade 20 years on, IJCV 56(3), 2004: compositional Gauss-Newton alignment.
"""

from dataclasses import replace
from typing import Literal

import numpy as np

from verdigris.core.geometry.homography import apply_homography, normalised
from verdigris.core.tracking.alignment import Alignment
from verdigris.core.tracking.appearance import USUAL_VARIANCE, Appearance
from verdigris.core.tracking.doubt import bend_of, bent_jacobian, picture_of, sandwich, seen_box
from verdigris.core.tracking.fit import Conditions, Fit, box_of
from verdigris.core.tracking.frame_pictures import FramePictures
from verdigris.core.tracking.motion import Motion, exponential
from verdigris.core.tracking.optics import Optics
from verdigris.core.types import Float32, Float64, Int

COARSE_VARIANCE = 5.0
# A step this small against its standard deviation changes nothing any more.
SETTLED = 0.08
# Which samples, least smoothing of the frame (px^2), most steps, and the step (px) at which it is done.
Look = Literal["soft", "few", "all"]
Looks = tuple[Look, ...]
FROM_FAR: Looks = ("soft", "few", "all")
FROM_NEAR: Looks = ("few", "all")
_Stage = tuple[Int | None, float, int, float]


def align(
    appearance: Appearance, optics: Optics, values: Float32, start: Float64, conditions: Conditions, motion: Motion,
    looks: Looks = FROM_FAR, tolerance_px: float = 0.0008,
) -> Alignment | None:  # fmt: skip
    """Refine a pose from coarse to fine; None when the region is hardly in the picture.

    Parameters
    ----------
    appearance : what the plane looks like at its reference frame
    values : (H, W) float32 code values 0..1 of the frame
    start : (3, 3) float64, first guess, ideal frame px from ideal reference px
    looks : what is looked at, one after the other: a softer picture finds the way from further off, all samples are surest
    tolerance_px : step at which it stops
    """
    stages: dict[Look, _Stage] = {
        "soft": (appearance.few, COARSE_VARIANCE, 8, 0.1),
        "few": (appearance.few, USUAL_VARIANCE, 6, 0.01),
        "all": (None, USUAL_VARIANCE, 6, tolerance_px),
    }
    plan = [stages[look] for look in looks]
    found = _refined(appearance, optics, values, start, conditions, motion, plan)
    return None if found is None else _conclude(*found)


def fit_at(
    appearance: Appearance, optics: Optics, values: Float32, start: Float64, conditions: Conditions, motion: Motion,
    least: float = USUAL_VARIANCE,
) -> tuple["Fit", Float64] | None:  # fmt: skip
    """Refine a pose that is nearly right, and hand out the fit's state at the end; `least` smooths the frame, px^2."""
    plan: list[_Stage] = [(appearance.few, least, 4, 0.01)]
    found = _refined(appearance, optics, values, start, conditions, motion, plan)
    if found is None:
        return None
    fit, h, _ = found
    fit.look(h, least)
    fit.reweigh()
    return fit, h


def _refined(
    appearance: Appearance, optics: Optics, values: Float32, start: Float64, conditions: Conditions, motion: Motion, plan: "list[_Stage]"
) -> tuple["Fit", Float64, float] | None:
    """Fit, pose, and the last step's length, px: 0 when it was too short to matter."""
    box = box_of(appearance, optics, start, conditions.movement)
    if box is None:
        return None
    fit = Fit(appearance, optics, FramePictures(values, box, optics.tone), conditions, motion)
    h, last = start, 0.0
    for stage, (which, least, most, stop) in enumerate(plan):
        if not fit.place(h, which):
            return None
        if stage == 0 and len(conditions.shutters) > 1:
            fit.conditions = conditions = replace(
                conditions, shutter=conditions.shutters[int(np.argmin(fit.shutter_costs(h, least, conditions.shutters)))]
            )
        placed_at, last = h, np.inf
        for iteration in range(most):
            fit.look(h, least)
            if iteration:
                fit.reweigh()
            found = _step(fit)
            if found is None:
                break
            step, step_sigma = found
            try:
                pose = step[:-1]
                n = fit.normaliser
                h = normalised(np.linalg.inv(n) @ exponential(pose) @ n @ h)
            except (ValueError, np.linalg.LinAlgError):
                break
            change = float(np.clip(step[-1], -0.35 - 0.3 * abs(fit.blur), 0.35 + 0.3 * abs(fit.blur)))
            fit.blur = float(np.clip(fit.blur + change, -25.0, 40.0))
            moved = float(np.abs(pose).sum()) / n[0, 0]
            if moved < max(stop, SETTLED * fit.noise * float(np.linalg.norm(step_sigma)) / n[0, 0]) and abs(change) < (
                0.05 + 0.03 * abs(fit.blur)
            ) * (10 if least >= COARSE_VARIANCE else 1):
                last = 0.0
                break
            last = moved
            if least < COARSE_VARIANCE and _drift(appearance, placed_at, h) > 1.0:
                placed_at = h
                if not fit.place(h, which):
                    return None
    return fit, h, last


def _drift(appearance: Appearance, a: Float64, b: Float64) -> float:
    return float(np.abs(apply_homography(a, appearance.centres) - apply_homography(b, appearance.centres)).max())


def _step(fit: Fit) -> tuple[Float64, Float64] | None:
    """Gauss-Newton step of pose and blur, and the pose's standard deviation per unit of noise; None when it runs away."""
    hessian, score, _ = fit.equations()
    scale = np.sqrt(np.maximum(np.diag(hessian), 1e-12))
    inverse = np.linalg.inv(hessian / np.outer(scale, scale) + 1e-9 * np.eye(len(hessian))) / np.outer(scale, scale)
    step = inverse @ score
    if not np.all(np.isfinite(step)) or np.abs(step[:-1]).max() >= 0.5:
        return None
    return step, np.sqrt(np.maximum(np.diag(inverse)[:-1], 0.0))


def _conclude(fit: Fit, h: Float64, last_step: float) -> Alignment:
    fit.look(h, USUAL_VARIANCE)
    fit.reweigh()
    equations = fit.equations(bent_jacobian(fit))
    bend, k = bend_of(fit, *equations), fit.freedoms
    hessian, tile_score = equations[0][: k + 1, : k + 1], equations[2][:, : k + 1]
    covariance = sandwich(hessian, tile_score, fit.tile_hessians()[:, : k + 1, : k + 1])
    # Steps that stay within the doubt go to and fro as weights change: that is settled too.
    doubt = float(np.sqrt(np.trace(covariance[:2, :2]))) / fit.normaliser[0, 0]
    return Alignment(
        h, covariance[:k, :k], fit.normaliser, fit.residual_px(), float(fit.weights.sum()) / max(1, fit.total), fit.good_share(), fit.blur,
        fit.conditions.shutter, fit.cost(), fit.agreement, last_step < 0.5 * doubt, *bend, seen_box(fit), picture_of(fit),
    )  # fmt: skip
