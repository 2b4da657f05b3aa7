"""Photometric refinement: move the plane until the predicted frame is the frame, tile by tile gain and bias, robustly.

References
----------
Baker and Matthews, Lucas-Kanade 20 years on, IJCV 56(3), 2004: compositional Gauss-Newton alignment.
"""

from dataclasses import replace
from typing import Literal

import numba
import numpy as np

from verdigris.core.camera.optics import Optics
from verdigris.core.geometry.homography import apply_homography, normalised
from verdigris.core.geometry.motion import Motion, exponential, point_jacobian
from verdigris.core.tracking.alignment.conditions import Conditions
from verdigris.core.tracking.alignment.fit import Fit
from verdigris.core.tracking.alignment.frame_pictures import KeptPictures
from verdigris.core.tracking.alignment.judgement import cost_of, good_share, grain_of, residual_px
from verdigris.core.tracking.alignment.result import Alignment
from verdigris.core.tracking.alignment.samples import box_of
from verdigris.core.tracking.alignment.uncertainty import bend_of, bent_jacobian, picture_of, sandwich, seen_box
from verdigris.core.tracking.calibration.camera_covariance import pose_by_camera
from verdigris.core.tracking.reference.appearance import USUAL_VARIANCE, Appearance
from verdigris.core.types import Float64, Int

COARSE_VARIANCE = 5.0
# A step this small against its standard deviation changes nothing any more.
SETTLED = 0.08
# Share of the doubt within which steps may still go to and fro.
WITHIN = 0.5
# Steps that are still longer may lead as many times as far.
UNSETTLED = 2.0
# Steps after which a shutter is judged by what it leaves.
CHOOSING_STEPS = 4
# By so much less, as a share, a smear has to leave than none does.
UNDECIDED = 0.005
# Steps on one look, as long as they stay within what straight lines predict, px.
STEPS_A_LOOK = 4
LINEAR_PX = 0.25
# How far off straight lines are, px, a pixel on.
CURVED = 0.3
# From this slip on, px, something else than noise is left where the picture is steep, and more samples do not help.
NOT_NOISE_PX = 0.015
# Share of the texture that looks as it should where nothing is in front; and slips that noise makes up, as a share of it in px.
ALL_GOOD, BY_CHANCE = 0.98, 0.5
# A softer picture, thinner choices of samples, all of them.
Look = Literal["soft", "few", "some", "all"]
Looks = tuple[Look, ...]
FROM_FAR: Looks = ("soft", "few", "some", "all")
FROM_NEAR: Looks = ("few", "some", "all")
QUICK: Looks = ("soft", "few")
# Which samples, least smoothing of the frame (px^2), most steps, and the step (px) at which it is done.
_Stage = tuple[Int | None, float, int, float]


def align(
    appearance: Appearance, optics: Optics, frame: KeptPictures, start: Float64, conditions: Conditions, motion: Motion,
    looks: Looks = FROM_FAR, tolerance_px: float = 0.0008, sure: bool = False,
) -> Alignment | None:  # fmt: skip
    """Refine a pose from coarse to fine; None when the region is hardly in the picture.

    Parameters
    ----------
    appearance : what the plane looks like at its reference frame
    frame : the frame, with what was made of it before
    start : (3, 3) float64, first guess, ideal frame px from ideal reference px
    looks : what is looked at, one after the other: a softer picture finds the way from further off, all samples are surest in noise
    tolerance_px : step at which it stops
    sure : whether the first guess is so near that what disagrees there is not the plane
    """
    stages: dict[Look, _Stage] = {
        "soft": (appearance.few, COARSE_VARIANCE, 8, 0.1),
        "few": (appearance.few, USUAL_VARIANCE, 6, 0.01),
        "some": (appearance.some, USUAL_VARIANCE, 6, tolerance_px),
        "all": (None, USUAL_VARIANCE, 1, tolerance_px),
    }
    plan = [stages[look] for look in looks]
    found = _refined(appearance, optics, frame, start, conditions, motion, plan, sure)
    return None if found is None else _conclude(*found)


def fit_at(
    appearance: Appearance, optics: Optics, frame: KeptPictures, start: Float64, conditions: Conditions, motion: Motion,
    least: float = USUAL_VARIANCE,
) -> tuple["Fit", Float64] | None:  # fmt: skip
    """Refine a pose that is nearly right, and hand out the fit's state at the end; `least` smooths the frame, px^2."""
    plan: list[_Stage] = [(appearance.few, least, 4, 0.01)]
    found = _refined(appearance, optics, frame, start, conditions, motion, plan, sure=True, placed=True)
    if found is None:
        return None
    fit, h, last = found
    if last is not None:
        fit.look(h, least)
    fit.reweigh()
    return fit, h


def _refined(
    appearance: Appearance,
    optics: Optics,
    frame: KeptPictures,
    start: Float64,
    conditions: Conditions,
    motion: Motion,
    plan: "list[_Stage]",
    sure: bool = False,
    placed: bool = False,
) -> tuple["Fit", Float64, Float64 | None] | None:
    """Fit, pose, and the last step (freedoms,); None when it was too short to matter."""
    box = box_of(appearance, optics, start, conditions.movement)
    if box is None:
        return None
    pictures = frame.around(box, optics.tone)

    def fit_with(shutter: float) -> Fit:
        return Fit(appearance, optics, pictures, replace(conditions, shutter=shutter, shutters=()), motion, placed)

    fit, h, last = fit_with(conditions.shutter), start, None
    open_to = conditions.shutters
    for stage in plan:
        # In a soft picture one smear looks like another.
        if len(open_to) > 1 and stage[1] < COARSE_VARIANCE:
            fit, open_to = _likeliest([fit_with(s) for s in open_to], h, stage), ()
        last_of_all = stage[0] is None
        if last_of_all and (fit.slip > NOT_NOISE_PX or len(appearance.some) == len(appearance.points)):
            break
        fit.placed = placed or stage[0] is not appearance.few
        found = _approach(fit, h, stage, sure or last_of_all)
        if found is None:
            return None
        h, last = found
    return fit, h, last


def _likeliest(fits: list[Fit], start: Float64, stage: _Stage) -> Fit:
    """The fit whose conditions suit the frame best, as it was before; every one is judged where it leads to.

    At one and the same pose, a smear that is not there can make up for a start that is a little off.
    """
    which, least, most, stop = stage
    ends = [_approach(fit, start, (which, least, min(most, CHOOSING_STEPS), stop)) for fit in fits]
    rivals = []
    for fit, end in zip(fits, ends, strict=True):
        if end is not None:
            fit.look(end[0], least)
            rivals.append((fit.view.soft.smoothing, cost_of(fit), fit, end[0]))
    if not rivals:
        return fits[0]
    shortest, its_start = min(((r[2], r[3]) for r in rivals), key=lambda r: r[0].conditions.shutter)
    rivals.sort(key=lambda r: r[:2])
    _, left, best, h = rivals[0]
    for smoothing, cost, fit, its_h in rivals[1:]:
        # A softer comparison leaves less in any case: what leaves more even so is out, the rest is compared as softly.
        if cost < left:
            best.look(h, smoothing)
            if cost < cost_of(best):
                left, best, h = cost, fit, its_h
    if best is not shortest:
        # Frames that follow take over what is chosen here: where noise decides, it is no smear.
        shortest.look(its_start, best.view.soft.smoothing)
        if cost_of(shortest) < (1 + UNDECIDED) * left:
            best = shortest
    return Fit(best.appearance, best.optics, best.pictures, best.conditions, best.motion)


def _approach(fit: Fit, h: Float64, stage: _Stage, sure: bool = False) -> tuple[Float64, Float64 | None] | None:
    """Pose after some steps, and the last one (freedoms,), None when it was too short to matter; None when hardly any pixel is left."""
    which, least, most, stop = stage
    if not fit.place(h, which):
        return None
    # The first step trusts all samples alike, unless the pose is sure: weights that were found elsewhere would hold it where they fit.
    placed_at, last, fresh = h, np.full(fit.freedoms, np.inf), not sure
    for _ in range(most):
        fit.look(h, least)
        gone = blurred = 0.0
        for _ in range(STEPS_A_LOOK):
            if not fresh:
                fit.reweigh()
            fresh = False
            found = _step(fit)
            if found is None:
                return h, last
            step, step_sigma = found
            try:
                n = fit.normaliser
                h = normalised(np.linalg.inv(n) @ exponential(step[:-1]) @ n @ h)
            except (ValueError, np.linalg.LinAlgError):
                return h, last
            change = float(np.clip(step[-1], -0.35 - 0.3 * abs(fit.blur), 0.35 + 0.3 * abs(fit.blur)))
            change = float(np.clip(fit.blur + change, -25.0, 40.0)) - fit.blur
            fit.blur += change
            fit.advance(np.append(step[:-1], change))
            last, far = step[:-1], float(np.abs(step[:-1]).sum()) / n[0, 0]
            gone, blurred = gone + far, blurred + abs(change)
            short = max(stop, SETTLED * fit.noise * float(np.linalg.norm(step_sigma)) / n[0, 0])
            little = (0.05 + 0.03 * abs(fit.blur)) * (10 if least >= COARSE_VARIANCE else 1)
            if gone > LINEAR_PX or blurred > 2 * little or (far < short and abs(change) < little):
                break
        # What was predicted along straight lines is as good as a look where the way was so short that bends do not show.
        if far < short and CURVED * gone**2 < short and blurred < little:
            return h, None
        if least < COARSE_VARIANCE and _drift(fit.appearance, placed_at, h) > 1.0:
            placed_at = h
            if not fit.place(h, which):
                return None
    return h, last


def _drift(appearance: Appearance, a: Float64, b: Float64) -> float:
    return float(np.abs(apply_homography(a, appearance.centres) - apply_homography(b, appearance.centres)).max())


def _step(fit: Fit) -> tuple[Float64, Float64] | None:
    """Gauss-Newton step of pose and blur, and the pose's standard deviation per unit of noise; None when it runs away."""
    step, sigma = _solved(*fit.equations())
    return None if step is None else (step, sigma)


@numba.njit(cache=True, nogil=True)
def _solved(hessians, scores):  # type: ignore[no-untyped-def]
    """Step of all tiles together and the pose's standard deviations; None when it runs away."""
    k = scores.shape[1]
    hessian, score = np.zeros((k, k)), np.zeros(k)
    for tile in range(scores.shape[0]):
        hessian += hessians[tile]
        score += scores[tile]
    scale = np.sqrt(np.maximum(np.diag(hessian), 1e-12))
    scales = np.outer(scale, scale)
    even = hessian / scales + 1e-9 * np.eye(k)
    if not (np.isfinite(even).all() and np.isfinite(score).all()):
        return None, None
    inverse = np.linalg.inv(even) / scales
    step = inverse @ score
    if not np.isfinite(step).all() or np.abs(step[:-1]).max() >= 0.5:
        return None, None
    return step, np.sqrt(np.maximum(np.diag(inverse)[:-1], 0.0))


def _conclude(fit: Fit, h: Float64, last_step: Float64 | None) -> Alignment:
    if last_step is not None:
        fit.look(h, USUAL_VARIANCE)
    fit.reweigh()
    hessians, scores = fit.equations(bent_jacobian(fit))
    bend, k = bend_of(fit, hessians.sum(axis=0), scores), fit.freedoms
    own = hessians[:, : k + 1, : k + 1]
    covariance = sandwich(own.sum(axis=0), scores[:, : k + 1], own)[:k, :k]
    seen = seen_box(fit)
    settled = last_step is None or _within(last_step, covariance, seen)
    if last_step is not None and not settled:
        step = UNSETTLED * np.nan_to_num(last_step, posinf=1.0)
        covariance = covariance + np.outer(step, step)
    return Alignment(
        h, covariance, fit.normaliser, residual_px(fit), float(fit.weights.sum()) / max(1, fit.total), good_share(fit), fit.blur,
        fit.conditions.shutter, cost_of(fit), grain_of(fit), _only_noise(fit), fit.tiles.agreement, settled,
        *bend, seen, picture_of(fit), None if fit.optics.camera_covariance is None else pose_by_camera(fit, h),
    )  # fmt: skip


def _only_noise(fit: Fit) -> bool:
    """Whether all looks as it should, and slips no further than noise alone may seem to."""
    steep = fit.view.slope[fit.steep()]
    if not len(steep):
        return False
    noise_px = fit.noise / max(float(np.median(steep)), 1e-4)
    return good_share(fit) > ALL_GOOD and fit.slip < max(NOT_NOISE_PX, BY_CHANCE * noise_px)


def _within(step: Float64, covariance: Float64, seen: Float64) -> bool:
    """Whether a step stays well within the doubt wherever the plane is seen: it goes to and fro as weights change, which is settled too."""
    if not np.all(np.isfinite(step)):
        return False
    (left, top), (right, bottom) = seen
    jac = point_jacobian(np.array([[left, top], [right, top], [right, bottom], [left, bottom]]), len(step))
    variance = np.einsum("nik,kl,nil->n", jac, covariance, jac)
    return bool(np.all(np.sum((jac @ step) ** 2, axis=1) < WITHIN**2 * variance))
