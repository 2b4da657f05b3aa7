"""Whether a plane was found at its own place: not a period off, and not with a picture that runs inside it."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from verdigris.core.geometry.homography import apply_homography, normalised
from verdigris.core.tracking.reference.repetition import Repetition, told_apart
from verdigris.core.tracking.reference.rim import APART, Rim
from verdigris.core.tracking.sequence.frame_result import Evidence, FrameResult, lost
from verdigris.core.types import Bool, Float64, Uint8

# A frame that is this far, in periods, from where it was expected to be is no sure continuation.
UNSURE_PERIODS = 0.25
Past = Sequence[tuple[int, Evidence]]
Refine = Callable[[Float64], FrameResult]


@dataclass(frozen=True)
class Places:
    """How a plane repeats, its edges, and its corners (4, 2) in ideal reference px."""

    repetition: Repetition
    rim: Rim
    corners: Float64

    def settled(self, found: FrameResult, now: Uint8, past: Past, hidden: Bool | None, refine: Refine) -> FrameResult:
        """A result at the place that fits best, lost where the surface's edges do not go with it.

        Where places fit alike, even movement decides, as long as it leaves no other one in question; else it is lost.

        Parameters
        ----------
        now : (H, W) uint8, the frame
        past : frames before and what is known of them, the last one last
        hidden : (H, W) bool of what something nearer covers, or None
        refine : pose -> the result of following from there
        """
        if found.homography is None or found.evidence is None:
            return found
        # A whole period off, the edges seem to stay behind as well: first the place, then the edges.
        best = self._best(found, found.homography, found.evidence.pose, now, past, hidden, refine) if self.repetition.repeats else found
        if best.homography is not None and self.rim.stayed_behind(now, best.homography, hidden):
            return lost(best.frame, best.share_used, APART)
        return best

    def periods_between(self, a: Float64, b: Float64) -> float:
        """How far apart two poses put the plane, in periods of its pattern."""
        there = apply_homography(np.asarray(np.linalg.solve(a, b), np.float64), self.corners)
        return float(np.linalg.norm((there - self.corners).mean(axis=0))) / (self.repetition.period or np.inf)

    def _best(
        self, found: FrameResult, homography: Float64, pose: Float64, now: Uint8, past: Past, hidden: Bool | None, refine: Refine
    ) -> FrameResult:  # fmt: skip
        shifts = self.repetition.rivals(now, homography, hidden)
        if not shifts:
            return found
        best, left, others = found, self.repetition.unexplained(now, homography, hidden), []
        for shift in shifts:
            moved = np.array([[1, 0, shift[0]], [0, 1, shift[1]], [0, 0, 1.0]])
            rival = refine(pose @ moved)
            there = rival.homography if rival.status == "followed" else None
            # A place that cannot be refined, or goes back to where it came from, still counts as it is.
            if there is None or rival.evidence is None or self.periods_between(pose, rival.evidence.pose) < UNSURE_PERIODS:
                others.append(self.repetition.unexplained(now, homography @ moved, hidden))
                continue
            leaves = self.repetition.unexplained(now, there, hidden)
            if sum(leaves) < sum(left):
                best, left, leaves = rival, leaves, left
            others.append(leaves)
        continues = best.evidence is not None and self._continues(best.frame, best.evidence.pose, past)
        if all(told_apart(left, other, jumped=not continues) for other in others):
            return best
        # From one frame alone nobody knows how it moves: a whole period in between would look the same.
        if len(past) > 1 and self._continues(found.frame, pose, past):
            return found
        period = self.repetition.period or 0.0
        return lost(found.frame, found.share_used, f"The pattern repeats every {period:.0f} px, and fits here at several places.")

    def _continues(self, frame: int, pose: Float64, past: Past) -> bool:
        """Whether a pose is where even movement leads, by less than would leave another place of the pattern in question."""
        if not past or abs(past[-1][0] - frame) != 1:
            return False
        last = past[-1][1].pose
        expected = last
        if len(past) > 1 and abs(past[-1][0] - past[-2][0]) == 1:
            expected = normalised(last @ np.linalg.inv(past[-2][1].pose) @ last)
        return self.periods_between(expected, pose) < UNSURE_PERIODS
