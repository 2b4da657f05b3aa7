"""Pass after pass over a followed run: the camera is asked for, frames are looked at closely, until they rest.

References
----------
Besag, On the statistical analysis of dirty pictures, J. R. Statist. Soc. B 48(3), 1986 (each frame given its neighbours, in turn).
"""

from collections.abc import Generator, Iterable, Iterator, Mapping
from enum import Enum, auto

import numpy as np

from verdigris.core.camera.optics import Movement, flow
from verdigris.core.tracking.calibration.calibrate import calibrate, choose_frames, trust_of_run, worth_settling
from verdigris.core.tracking.refinement.followed_again import followed_again, with_the_surface
from verdigris.core.tracking.refinement.footage import Footage
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.types import Float64

# How often the run is asked about the camera at most.
MOST_ROUNDS = 5
# A frame rests when what its neighbours have taught about its movement since would move it by less than this share of its doubt.
RESTING = 0.25
# What is called no change at all, px.
REST_PX = 0.03
# By what share of it a movement that was misjudged moves a frame: what rows would move unevenly by in a frame's time, times the
# read-out, as the pose takes part of it; and all of it, as a smear lies around its middle.
UNEVEN, SMEARED = 0.3, 0.04


class Pass(Enum):
    """Which frames a pass looks at, and how closely."""

    # Those that tell of the camera, quickly: more is asked about it then.
    CAMERA = auto()
    # All that have not been looked at through this camera, quickly: the thorough look needs to know how they move.
    QUICK = auto()
    # All, with all samples; then those alone that turned out to move otherwise than was thought.
    THOROUGH = auto()


class ClosePasses:
    """Passes over a run; what follows it, and its results, are there at any time.

    Attributes
    ----------
    follower : the plane, through the camera as far as it is known
    results : the run as far as it has been looked at
    """

    def __init__(self, follower: PlaneFollower, known: Mapping[int, FrameResult], footage: Footage) -> None:
        self.follower, self.results, self._footage = follower, dict(known), footage
        # Frames looked at through a camera that has hardly changed since.
        self._looked: set[int] = set()
        # Frames that are left for a thorough look; None for all.
        self._restless: set[int] | None = None

    def run(self) -> Iterator[FrameResult]:
        """Yield better results until all frames rest, or on a stop."""
        if self._footage.only is None:
            yield from self._kept(with_the_surface(self.follower, self.results, self._footage))
        kind: Pass | None = None
        for i in range(MOST_ROUNDS + 2):
            if kind in (None, Pass.CAMERA):
                kind = yield from self._ask_camera(is_first=kind is None, may_ask_again=i < MOST_ROUNDS - 1)
            else:
                kind = Pass.THOROUGH
                self._straighten_reference()
            if self._footage.stop():
                return
            yield from self._kept(self._look(kind))
            if self._footage.stop():
                return
            if kind is Pass.THOROUGH:
                self._restless = _restless(self.follower, self.results) & {*self._frames}
                if not self._restless:
                    return

    @property
    def _frames(self) -> range:
        only = self._footage.only
        return range(min(self.results), max(self.results) + 1) if only is None else only

    def _kept(self, better: Iterable[FrameResult]) -> Iterator[FrameResult]:
        for result in better:
            self.results[result.frame] = result
            yield result

    def _ask_camera(self, is_first: bool, may_ask_again: bool) -> Generator[FrameResult, None, Pass]:
        """Look through what the run says of its camera; returns the pass to come."""
        footage, so_far = self._footage, dict(self.results)
        found = calibrate(
            self.follower, self.results, footage.picture, lambda n: footage.hidden(n, so_far), footage.lens, footage.readout, footage.stop
        )  # fmt: skip
        if footage.stop():
            return Pass.THOROUGH
        # Where nothing was found that a quick look would see, and all frames have had theirs, the thorough one comes at once.
        calm = is_first and not worth_settling(self.follower, self.results, found)
        self.follower = self.follower.under(found.optics, found.reference_movement)
        self.results, self._restless = self.follower.restated(self.results), None
        if found.moving:
            self._looked.clear()
        if found.moving and may_ask_again and not calm:
            return Pass.CAMERA
        if not self.follower.optics.is_plain:
            # What a plain camera lost may be found through the right one.
            missing = {n for n, r in self.results.items() if r.status == "lost" and footage.is_asked_for(n)}
            yield from self._kept(followed_again(self.follower, self.results, missing, footage))
        return Pass.THOROUGH if calm else Pass.QUICK

    def _straighten_reference(self) -> None:
        """The reference's rows are laid straight by how it moves, and its neighbours tell that better by now."""
        follower = self.follower
        moved = follower.movement_at(follower.reference_frame, self.results)
        if _matters(follower, moved, follower.reference_movement, _usual_doubt(self.results)):
            self.follower = follower.under(follower.optics, moved)
            self.results, self._restless = self.follower.restated(self.results), None

    def _look(self, kind: Pass) -> Iterator[FrameResult]:
        footage, trust = self._footage, trust_of_run(self.follower, self.results)
        again = self._left_for(kind)
        self._looked |= again
        for way in self._ways(again):
            for n, now in zip(way, footage.pictures(way), strict=False):
                if footage.stop():
                    return
                if n in again:
                    yield self.follower.settle(n, now, self.results, footage.hidden(n, self.results), trust, kind is Pass.THOROUGH)

    def _ways(self, again: set[int]) -> Iterator[range]:
        """From the reference outwards, both ways, as far as there is something to look at."""
        start = self.follower.reference_frame
        wanted = [n for n in again if n in self.results and n in self._frames]
        later, earlier = [n for n in wanted if n > start], [n for n in wanted if n < start]
        if later:
            yield range(min(later), max(later) + 1)
        if earlier:
            yield range(max(earlier), min(earlier) - 1, -1)

    def _left_for(self, kind: Pass) -> set[int]:
        """Frames that a pass looks at."""
        if kind is Pass.QUICK:
            return {*self.results} - self._looked
        if kind is Pass.THOROUGH:
            return {*self.results} if self._restless is None else self._restless
        # Frames that tell of the camera, and those that tell how it moves there.
        return {n + k for n in choose_frames(self.follower, self.results) for k in (-2, -1, 0, 1, 2)}


def _restless(follower: PlaneFollower, results: Mapping[int, FrameResult]) -> set[int]:
    """Frames that were compared as moving otherwise than their neighbours say by now, so that it matters."""
    frames = set()
    for n, r in results.items():
        if r.evidence is None or r.sigma_px is None or n == follower.reference_frame:
            continue
        doubt = np.maximum(r.sigma_px, REST_PX)
        if _matters(follower, follower.movement_at(n, results), r.evidence.movement, doubt):
            frames.add(n)
    return frames


def _usual_doubt(results: Mapping[int, FrameResult]) -> float:
    """What corners are usually unsure by, px."""
    known = [float(np.median(r.sigma_px)) for r in results.values() if r.sigma_px is not None]
    return max(REST_PX, float(np.median(known)) if known else 0.0)


def _matters(follower: PlaneFollower, now: Movement, then: Movement, doubt: Float64 | float) -> bool:
    """Whether corners that are unsure by so much, px, change for it when a frame moves otherwise."""
    change = flow(follower.plane_corners, now) - flow(follower.plane_corners, then)
    # What all rows would move alike by, one later than the other, is a shear: the pose has taken that already.
    uneven = np.linalg.norm(change - change.mean(axis=0), axis=1)
    moved = UNEVEN * abs(follower.optics.readout) * uneven + SMEARED * np.linalg.norm(change, axis=1)
    return bool(np.any(moved > RESTING * doubt))
