"""Equations of what all frames of a run share, in which every frame's own pose is eliminated.

References
----------
Triggs et al., Bundle adjustment - a modern synthesis, 2000 (elimination of per-frame unknowns).
Meingast, Geyer and Sastry, Geometric models of rolling-shutter cameras, OMNIVIS 2005.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from verdigris.core.camera.optics import Optics
from verdigris.core.tracking.alignment.align import fit_at
from verdigris.core.tracking.alignment.conditions import Conditions
from verdigris.core.tracking.alignment.frame_pictures import KeptPictures
from verdigris.core.tracking.alignment.grain import Grain
from verdigris.core.tracking.calibration.term_rows import reduced
from verdigris.core.tracking.calibration.terms import Term, value_of
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import FrameResult, trust_of
from verdigris.core.types import Bool, Float64


@dataclass(frozen=True)
class Asked:
    """A frame that is asked about the camera: its pictures, what is covered, and over the run: trust in each tile, and noise."""

    pictures: KeptPictures
    hidden: Bool | None
    trust: Float64 | None
    grain: Grain


def conditions_at(follower: PlaneFollower, n: int, results: Mapping[int, FrameResult], asked: Asked) -> Conditions:
    """What a frame is like, as far as the run knows."""
    evidence = follower.evidence_of(results[n])
    assert evidence is not None
    return Conditions(
        follower.movement_at(n, results), follower.reference_movement, evidence.blur, follower.optics.shutter or 0.0, (),
        asked.hidden, asked.trust, follower.bow, asked.grain,
    )  # fmt: skip


@dataclass(frozen=True)
class Equations:
    """Normal equations of the shared terms over all chosen frames.

    Attributes
    ----------
    hessian, score : (m, m), (m,) float64
    clusters : (frames, tiles, m) float64, pull of every tile of every frame
    total : sum of the squared residuals, in units of the noise
    trust : (tiles,) how far each tile moves with the plane there
    fitted : corners (4, 2), plate px, and blur of each frame as they were fitted; what is fitted next starts from there
    """

    hessian: Float64
    score: Float64
    clusters: Float64
    total: float
    terms: tuple[Term, ...]
    trust: Float64 | None = None
    fitted: Mapping[int, tuple[Float64, float]] = field(default_factory=dict)

    def only(self, terms: tuple[Term, ...]) -> "Equations":
        """The equations of some of the terms."""
        i = [self.terms.index(t) for t in terms]
        return replace(self, hessian=self.hessian[np.ix_(i, i)], score=self.score[i], clusters=self.clusters[:, :, i], terms=terms)

    def if_only(self, terms: tuple[Term, ...], optics: Optics) -> "Equations":
        """The equations of some of the terms if the others go back to zero: what they are at present is taken out of the score."""
        out = [j for j, t in enumerate(self.terms) if t not in terms]
        now = np.array([value_of(optics, self.terms[j]) for j in out])
        return replace(self, score=self.score + self.hessian[:, out] @ now).only(terms)

    def moved_on(self, by: Mapping[Term, float]) -> "Equations":
        """The equations as they are when terms have changed by so much, as far as they are straight."""
        step = np.array([by.get(t, 0.0) for t in self.terms])
        return replace(self, score=self.score - self.hessian @ step)

    @property
    def promise(self) -> float:
        """Share of the squared residuals that the terms could take away at most."""
        if len(self.score) == 0:
            return 0.0
        scale = np.sqrt(np.maximum(np.diag(self.hessian), 1e-12))
        inverse = np.linalg.pinv(self.hessian / np.outer(scale, scale) + 1e-9 * np.eye(len(scale))) / np.outer(scale, scale)
        return float(self.score @ inverse @ self.score) / max(self.total, 1e-12)


def linearise(
    follower: PlaneFollower, stated: Mapping[int, FrameResult], pictures: Mapping[int, Asked],
    terms: tuple[Term, ...], stop: Callable[[], bool], before: Equations | None = None,
) -> Equations | None:  # fmt: skip
    """Equations of some terms around the present optics; None on a stop, or when no frame can be compared.

    With those `before`, around other optics, frames are fitted from where they were then.
    """
    count = len(terms)
    hessian, score, total = np.zeros((count, count)), np.zeros(count), 0.0
    clusters, agreements, fitted = [], [], {}
    for n, asked in pictures.items():
        evidence = follower.evidence_of(stated[n])
        if stop():
            return None
        if evidence is None:
            continue
        conditions = conditions_at(follower, n, stated, asked)
        pose, conditions = near_before(follower, before, n, evidence.pose, conditions)
        found = fit_at(follower.appearance, follower.optics, asked.pictures, pose, conditions, follower.motion)
        if found is None:
            continue
        fit, h = found
        fitted[n] = follower.optics.project(follower.plane_corners, h, conditions.movement), fit.blur
        agreements.append(fit.tiles.agreement)
        # What a lens does far out is told from what else disagrees there only where the picture is steep.
        if follower.optics.lens is not None:
            fit.leave_out(~fit.steep())
        total += float(np.sum(fit.weights * fit.residuals() ** 2)) / max(fit.noise, 1e-3) ** 2
        of_frame = reduced(fit, follower, h, terms)
        hessian, score = hessian + of_frame[0], score + of_frame[1]
        clusters.append(of_frame[2])
    return Equations(hessian, score, np.stack(clusters), total, terms, trust_of(agreements), fitted) if clusters else None


def near_before(
    follower: PlaneFollower, before: Equations | None, n: int, pose: Float64, conditions: Conditions
) -> tuple[Float64, Conditions]:  # fmt: skip
    """Where to start from, a pose and what the frame is like: where the frame was fitted before, if it was."""
    if before is None or n not in before.fitted:
        return pose, conditions
    corners, blur = before.fitted[n]
    fitted = follower.pose_at(corners, conditions.movement)
    return (pose, conditions) if fitted is None else (fitted, replace(conditions, blur=blur))
