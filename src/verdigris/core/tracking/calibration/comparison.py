"""The same frames compared through one camera and through another: which leaves less."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cache
from typing import NamedTuple

import numpy as np

from verdigris.core.camera.optics import flow
from verdigris.core.tracking.alignment.align import fit_at
from verdigris.core.tracking.alignment.fit import Fit
from verdigris.core.tracking.alignment.judgement import cost_of, gain_over
from verdigris.core.tracking.alignment.synthesis import softness
from verdigris.core.tracking.calibration.equations import Asked, Equations, conditions_at, near_before
from verdigris.core.tracking.reference.appearance import USUAL_VARIANCE
from verdigris.core.tracking.sequence.follow import SHUTTERS, PlaneFollower
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.tracking.sequence.plane import SMEARING_PX
from verdigris.core.types import Float64

LEAST_GAIN = 0.004
# So many of the quickest frames tell of the shutter.
QUICKEST = 4
# No frame counts for more, as a share of its residual.
MOST_OF_ONE_FRAME = 0.5


class Gain(NamedTuple):
    """By how much frames fit better, as a mean share of their residual, and the standard error of that."""

    share: float
    error: float

    @property
    def least(self) -> float:
        """What a gain has to be for it to be more than chance."""
        return max(LEAST_GAIN, 2 * self.error)


@dataclass(frozen=True)
class Comparison:
    """Frames that tell of the camera, to be compared through others than the one at hand.

    Attributes
    ----------
    base : the plane through the camera at hand
    stated : the run as its poses
    results : the run as it was followed
    pictures : the frames that are compared
    stop : asked between frames
    """

    base: PlaneFollower
    stated: Mapping[int, FrameResult]
    results: Mapping[int, FrameResult]
    pictures: Mapping[int, Asked]
    stop: Callable[[], bool]
    # Fits of the base, of a frame at some smoothing, for the next camera that is held against it.
    _fits: dict[tuple[int, float], tuple[Fit, Float64] | None] = field(default_factory=dict)

    def through(self, base: PlaneFollower) -> "Comparison":
        """The same frames and poses, with another camera at hand."""
        return Comparison(base, self.stated, self.results, self.pictures, self.stop)

    def gain(self, found: PlaneFollower, solved: Equations | None = None) -> Gain:
        """What another camera gains over the frames; these were `solved` nearby.

        A softer comparison leaves less in any case: both sides are compared at the same softness, on the same pixels.
        """
        seen = found.restated(self.results)
        gains = [gain for n in self.pictures if not self.stop() and (gain := self._gain_at(n, found, seen, solved)) is not None]
        if len(gains) < 2:
            return Gain(0.0, 1.0)
        return Gain(float(np.mean(gains)), float(np.std(gains) / np.sqrt(len(gains) - 1)))

    def _gain_at(self, n: int, found: PlaneFollower, seen: Mapping[int, FrameResult], solved: Equations | None) -> float | None:
        """What one frame gains; None where it cannot be told."""
        base, asked = self.base, self.pictures[n]
        ours, theirs = found.evidence_of(seen[n]), base.evidence_of(self.stated[n])
        if ours is None or theirs is None:
            return None
        c, d = conditions_at(base, n, self.stated, asked), conditions_at(found, n, seen, asked)
        least = max(
            softness(f.appearance, e.pose, x.movement, x.reference_movement, e.blur, x.shutter, USUAL_VARIANCE).smoothing
            for f, e, x in ((base, theirs, c), (found, ours, d))
        )
        if (n, least) not in self._fits:
            self._fits[n, least] = fit_at(base.appearance, base.optics, asked.pictures, theirs.pose, c, base.motion, least)
        before = self._fits[n, least]
        pose, d = near_before(found, solved, n, ours.pose, d)
        after = fit_at(found.appearance, found.optics, asked.pictures, pose, d, found.motion, least)
        if before is None or after is None:
            return None
        after[0].adopt(before[0], after[1], least)
        gain = gain_over(after[0], before[0])
        return None if gain is None else float(np.clip(gain, -MOST_OF_ONE_FRAME, MOST_OF_ONE_FRAME))

    def likeliest_shutter(self) -> float:
        """Whichever usual shutter fits best as the poses are, frames^2: from there steps find the rest."""
        base, stated = self.base, self.stated
        candidates = tuple(sorted({*SHUTTERS, base.optics.shutter or 0.0}))
        moving = {
            n: float(np.median(np.sum(flow(base.appearance.centres, base.movement_at(n, stated)) ** 2, axis=1))) for n in self.pictures
        }
        quickest = [n for n in sorted(moving, key=lambda n: -moving[n]) if moving[n] > SMEARING_PX**2][:QUICKEST]

        @cache
        def cost(i: int) -> float:
            return sum((self._cost_at(n, candidates[i], candidates) / len(quickest) for n in quickest), 0.0)

        own = here = candidates.index(base.optics.shutter or 0.0)
        # Too short or too long a smear fits the worse the further off it is: from the one at hand, step by step.
        while (best := min((i for i in (here, here - 1, here + 1) if 0 <= i < len(candidates)), key=cost)) != here:
            here = best
        return candidates[here] if cost(here) < cost(own) - LEAST_GAIN else candidates[own]

    def _cost_at(self, n: int, shutter: float, candidates: tuple[float, ...]) -> float:
        """Logarithm of what a frame leaves with a shutter, as soft as the softest of the candidates."""
        base, asked = self.base, self.pictures[n]
        evidence = base.evidence_of(self.stated[n])
        if evidence is None:
            return 0.0
        c = conditions_at(base, n, self.stated, asked)
        least = max(
            softness(base.appearance, evidence.pose, c.movement, base.reference_movement, evidence.blur, s, USUAL_VARIANCE).smoothing
            for s in candidates
        )
        found = fit_at(base.appearance, base.optics, asked.pictures, evidence.pose, replace(c, shutter=shutter), base.motion, least)
        return 0.0 if found is None else float(np.log(max(cost_of(found[0]), 1e-6)))
