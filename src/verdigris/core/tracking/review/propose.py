"""Which motion is enough: every model fitted to the same evidence, the simplest one that explains it is named.

A freer model always fits better. Whether it explains more is seen on tiles it was not fitted to: the region's tiles are
dealt into folds, each model is fitted without a fold and judged on it. A freer model has to be clearly better there.

References
----------
Stone, Cross-validatory choice and assessment of statistical predictions, JRSS B 36(2), 1974. The one-standard-error
rule: Breiman et al., Classification and regression trees, 1984.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.motion import MOTIONS, Motion, estimate_motion, fit_motion
from verdigris.core.types import Bool, Float64

FOLDS = 5
# A difference (px) that nobody can see is no reason for a freer model.
UNSEEN_PX = 0.03


@dataclass(frozen=True)
class MotionFigures:
    """How one model does, px: residual of the fit itself, error on tiles left out, and that error's standard error."""

    motion: Motion
    residual_px: float
    left_out_px: float
    left_out_sigma_px: float


@dataclass(frozen=True)
class Proposal:
    """The simplest sufficient model, the figures of all, simplest first, and why, in a sentence."""

    motion: Motion
    figures: tuple[MotionFigures, ...]
    reason: str


def propose(reference: Float64, frames: Sequence[tuple[Bool, Float64]]) -> Proposal | None:
    """Compare the models on point pairs of a run; None with too little evidence.

    Parameters
    ----------
    reference : (N, 2) float64, places on the plane at the reference frame, px
    frames : per frame (N,) bool of the places that are seen there, and (N, 2) float64 where, px
    """
    figures = []
    for motion in MOTIONS:
        residuals, left_out = [], []
        for seen, there in frames:
            which = np.flatnonzero(seen)
            if len(which) < 12:
                continue
            src, dst = reference[which], there[which]
            whole, agree = estimate_motion(src, dst, "perspective", inlier_px=3.0)
            if whole is None:
                continue
            src, dst = src[agree], dst[agree]
            h = fit_motion(src, dst, motion)
            if h is None or len(src) < 12:
                continue
            residuals.append(np.mean(np.linalg.norm(apply_homography(h, src) - dst, axis=1) ** 2))
            fold = _folds(src)
            errors = []
            for k in range(FOLDS):
                part = fit_motion(src[fold != k], dst[fold != k], motion)
                if part is not None and np.any(fold == k):
                    errors.append(np.linalg.norm(apply_homography(part, src[fold == k]) - dst[fold == k], axis=1) ** 2)
            if errors:
                left_out.append(float(np.mean(np.concatenate(errors))))
        if len(left_out) < 2:
            return None
        by_frame = np.sqrt(left_out)
        figures.append(
            MotionFigures(
                motion,
                float(np.sqrt(np.mean(residuals))),
                float(np.sqrt(np.mean(left_out))),
                float(np.std(by_frame) / np.sqrt(len(by_frame))),
            )
        )
    best = min(figures, key=lambda f: f.left_out_px)
    enough = next(f for f in figures if f.left_out_px <= best.left_out_px + max(UNSEEN_PX, best.left_out_sigma_px))
    return Proposal(enough.motion, tuple(figures), _reason(enough, figures))


def _folds(points: Float64) -> Float64:
    """Fold of each point: neighbours fall into the same one, so that a fold is a place and not a scatter."""
    low, span = points.min(axis=0), np.maximum(np.ptp(points, axis=0), 1e-6)
    cell = np.minimum(((points - low) / span * 4).astype(int), 3)
    return np.asarray((cell[:, 0] + 2 * cell[:, 1]) % FOLDS)


def _reason(enough: MotionFigures, figures: Sequence[MotionFigures]) -> str:
    at = [f.motion for f in figures].index(enough.motion)
    text = f"{enough.motion.capitalize()} leaves {enough.left_out_px:.2f} px on parts it was not fitted to"
    if at > 0:
        text += f"; {figures[at - 1].motion} leaves {figures[at - 1].left_out_px:.2f} px"
    if at + 1 < len(figures):
        text += f", and {figures[-1].motion} does no better than {min(f.left_out_px for f in figures[at + 1 :]):.2f} px"
    return text + "."
