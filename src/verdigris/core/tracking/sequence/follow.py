"""Follow one plane frame by frame: predict, refine, judge. A frame it is not sure of is lost, with a reason."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import cv2
import numpy as np

from verdigris.core.tracking.alignment.align import FROM_FAR, FROM_NEAR, QUICK, Looks, align
from verdigris.core.tracking.alignment.conditions import Conditions
from verdigris.core.tracking.alignment.frame_pictures import KeptPictures
from verdigris.core.tracking.alignment.grain import Grain, common_grain
from verdigris.core.tracking.alignment.point_evidence import look_at_points, weigh_points
from verdigris.core.tracking.sequence.conclude import HARDLY_GOOD, conclude
from verdigris.core.tracking.sequence.frame_result import Evidence, FrameResult, lost, trust_of, worst_of
from verdigris.core.tracking.sequence.initial_poses import Start, speed_at
from verdigris.core.tracking.sequence.neighbours import cost_nearby, differs, pose_between, stands_out
from verdigris.core.tracking.sequence.places import UNSURE_PERIODS, Places
from verdigris.core.tracking.sequence.plane import AnalysisPicture, Plane
from verdigris.core.types import Bool, Float64

# Exposures an open shutter may have, as variance in time; which it is shows as soon as something moves.
SHUTTERS = (0.0, 0.25**2 / 12, 0.37**2 / 12, 0.5**2 / 12, 0.7**2 / 12, 1.0 / 12)
# A frame that leaves no more than this many times what those around it leave is where it belongs.
USUAL_COST = 1.15
# Another place has to leave so much of what the first does at most.
BETTER = 0.97
# One that leaves this many times as much, as if its picture had slipped by this much, has gone with something else, px.
ODD_COST, ODD_SLIP_PX = 5.0, 0.5
# Frames around a frame whose bends are looked at together with its own.
NEAR_BENDS = tuple(k for k in range(-6, 7) if k)


class PlaneFollower(Plane):
    """Follows a plane from frame to frame."""

    def step(
        self, frame: int, before: AnalysisPicture, now: AnalysisPicture, history: list[FrameResult], hidden: Bool | None,
        thorough: bool = True,
    ) -> FrameResult:  # fmt: skip
        """Find the plane in the next frame.

        Parameters
        ----------
        frame : index of `now`
        before, now : neighbouring frames in the direction of travel
        history : results so far in this direction, the reference first
        hidden : (H, W) bool of pixels that something nearer covers in `now`, or None
        thorough : whether to look at all samples; where the frame is settled later, a quick look leads near enough
        """
        found = self._stepped(frame, before, now, history, widened(hidden), thorough)
        return replace(found, first_look=not thorough)

    def _stepped(
        self, frame: int, before: AnalysisPicture, now: AnalysisPicture, history: list[FrameResult], hidden: Bool | None, thorough: bool
    ) -> FrameResult:
        past = [(r.frame, e) for r in history[-12:] if (e := self.evidence_of(r)) is not None]
        judged, apart = None, None
        pictures = KeptPictures(now.values)
        # After a lost frame only finding again can help.
        for start in self.guesses.of(frame, before.bytes, now.bytes, past) if history[-1].status != "lost" else ():
            judged = self._refine(frame, pictures, start, past, hidden, thorough)
            if judged.status == "followed":
                judged = self._at_its_place(judged, now, pictures, past, hidden, thorough)
                if judged.status == "followed":
                    return judged
                apart = apart or judged
        found = self.guesses.find(frame, now.bytes, past)
        if found is not None:
            again = self._refine(frame, pictures, found, past, hidden, thorough)
            if again.status == "followed":
                again = self._at_its_place(again, now, pictures, past, hidden, thorough)
                apart = apart or again
            if again.status == "followed":
                return again
        # What was found but is not to be believed says more than what was not found at all.
        return apart or judged or lost(frame, 0.0, "Nothing in this frame looks like the region at the reference frame.")

    def settle(
        self, frame: int, now: AnalysisPicture, results: Mapping[int, FrameResult], hidden: Bool | None, trust: Float64 | None = None,
        thorough: bool = True,
    ) -> FrameResult:  # fmt: skip
        """Look at a frame again, now that its neighbours on both sides are known.

        Parameters
        ----------
        results : results of the whole run, by frame
        trust : how far each tile of the region moves with the plane over the run, see `trust_of`
        thorough : whether to look at all samples; a quick look goes before, and leads near
        """
        known = results[frame]
        if frame == self.reference_frame:
            return known
        hidden, usual = widened(hidden), cost_nearby(self, frame, results)
        asked = _Again(frame, now, KeptPictures(now.values), results, hidden, trust, thorough)
        best: FrameResult | None = None
        for start in self._starts(asked):
            tried = self._settled_from(start, asked)
            if best is None or best.evidence is None or (tried.evidence is not None and tried.evidence.cost < BETTER * best.evidence.cost):
                best = tried
            # Where it fits as its neighbours do, nobody looks for another place.
            if best.evidence is not None and best.evidence.cost <= USUAL_COST * usual:
                break
        best = known if best is None else self._in_pattern(_unless_odd(best, usual), asked)
        # Margin and all: frames that went astray together through each other are sure of everything but that.
        if known.through is not None and worst_of(best) > worst_of(known):
            best = known
        return replace(best, first_look=not thorough)

    def _starts(self, asked: "_Again") -> list["_From"]:
        """Where a frame may be: where it was found, and between its neighbours."""
        known, own = asked.known, self.evidence_of(asked.known)
        between = pose_between(self, asked.frame, asked.results)
        starts = [] if own is None else [_From(own.pose, rough=known.through is not None)]
        doubtful = own is None or known.through is not None or stands_out(self, asked.frame, asked.results)
        if between is not None and (doubtful or differs(self, known, between)):
            starts.append(_From(between, rough=True))
        return starts

    def _settled_from(self, start: "_From", asked: "_Again") -> FrameResult:
        """A frame looked at again from one place."""
        frame, own = asked.frame, self.evidence_of(asked.known)
        around = {**asked.results, frame: replace(asked.known, corners=self.corners, evidence=Evidence(start.pose))}
        shutter = self.optics.shutter if self.optics.shutter is not None else (own.shutter if own else None) or 0.0
        movement = self.movement_at(frame, around)
        conditions = Conditions(
            movement, self.reference_movement, own.blur if own else 0.0, shutter, (), asked.hidden, asked.trust, self.bow, asked.grain
        )  # fmt: skip
        led = self.guesses.by_reference(asked.now.bytes, start.pose, movement) if start.rough else None
        led = led or Start(start.pose, sure=not start.rough)
        looks: Looks = ("few",) if led.near else ("soft", "few") if start.rough else ()
        looks = (*looks, "some", "all") if asked.thorough else looks or ("few",)
        a = align(self.appearance, self.optics, asked.pictures, led.pose, conditions, self.motion, looks, sure=led.sure)
        # Where nothing but noise is left, points only add theirs.
        if asked.thorough and a is not None and not a.only_noise:
            seen = look_at_points(self.appearance, self.optics, asked.pictures, a.h, a.blur, conditions, self.guesses.features)
            a = weigh_points(a, seen, self.motion, self.plane_corners, asked.trust)
        return conclude(self, frame, a, conditions, asked.bends_nearby)

    def _in_pattern(self, found: FrameResult, asked: "_Again") -> FrameResult:
        """A result, unless it changed its place in a pattern that repeats; what was lost must be told from all other places."""
        own = self.evidence_of(asked.known)
        if found.evidence is None or not self.repetition.repeats:
            return found
        if own is None:
            return self._at_its_place(found, asked.now, asked.pictures, [], asked.hidden, asked.thorough)
        return asked.known if self._places.periods_between(own.pose, found.evidence.pose) > UNSURE_PERIODS else found

    def _at_its_place(
        self, found: FrameResult, now: AnalysisPicture, pictures: KeptPictures, past: list[tuple[int, Evidence]], hidden: Bool | None,
        thorough: bool,
    ) -> FrameResult:  # fmt: skip
        """A result, at the place of the pattern that fits best, and lost where the surface's edges do not go with it."""

        def refined(pose: Float64) -> FrameResult:
            return self._refine(found.frame, pictures, Start(pose), past, hidden, thorough)

        return self._places.settled(found, now.bytes, past, hidden, refined)

    @property
    def _places(self) -> Places:
        return Places(self.repetition, self.rim, self.plane_corners)

    def _refine(
        self, frame: int, pictures: KeptPictures, start: Start, past: list[tuple[int, Evidence]], hidden: Bool | None, thorough: bool
    ) -> FrameResult:
        conditions = self._expected(frame, start.pose, past, hidden)
        looks = FROM_NEAR if start.near else FROM_FAR
        if not thorough:
            looks = tuple(look for look in looks if look in QUICK)
        a = align(self.appearance, self.optics, pictures, start.pose, conditions, self.motion, looks, sure=start.sure)
        return conclude(self, frame, a, conditions)

    def _expected(self, frame: int, start: Float64, past: list[tuple[int, Evidence]], hidden: Bool | None) -> Conditions:
        """What the frame will be like, from those before it."""
        speed = speed_at(self.optics, frame, start, past)
        known = [e.shutter for _, e in past if e.shutter is not None]
        shutter = self.optics.shutter if self.optics.shutter is not None else float(np.median(known)) if known else 0.0
        settled = self.optics.shutter is not None or len(known) >= 3 or not self.smears(speed)
        choice = () if settled else tuple(sorted({*SHUTTERS, shutter}))
        return Conditions(
            speed, self.reference_movement, past[-1][1].blur if past else 0.0, shutter, choice, hidden,
            trust_of(e.tiles for _, e in past), self.bow, common_grain(e.grain for _, e in past),
        )  # fmt: skip


@dataclass(frozen=True)
class _From:
    """A pose to look from; `rough` where the way to the plane may still be long."""

    pose: Float64
    rough: bool


@dataclass(frozen=True)
class _Again:
    """A frame that is looked at again, with the run around it; see `PlaneFollower.settle`."""

    frame: int
    now: AnalysisPicture
    pictures: KeptPictures
    results: Mapping[int, FrameResult]
    hidden: Bool | None
    trust: Float64 | None
    thorough: bool

    @property
    def known(self) -> FrameResult:
        """What was found of it before."""
        return self.results[self.frame]

    @cached_property
    def bends_nearby(self) -> list[Float64]:
        """Bends of the frames around it, which are looked at together with its own."""
        near = (self.results[self.frame + k].evidence for k in NEAR_BENDS if self.frame + k in self.results)
        return [e.bend for e in near if e is not None and e.bend is not None]

    @cached_property
    def grain(self) -> Grain:
        """Noise, as far as it and the frames around it show."""
        told = (self.results[self.frame + k].evidence for k in (0, *NEAR_BENDS) if self.frame + k in self.results)
        return common_grain(e.grain for e in told if e is not None)


def _unless_odd(found: FrameResult, usual: float) -> FrameResult:
    """A result, lost where its picture disagrees much more than those around it do.

    The less of it looks as it should, the less it takes.
    """
    if found.evidence is None or usual <= 0:
        return found
    times, good = found.evidence.cost / usual, min(1.0, found.evidence.good / HARDLY_GOOD) ** 3
    if (found.residual_px or 0.0) <= ODD_SLIP_PX * good or times <= max(ODD_COST * found.evidence.good, USUAL_COST):
        return found
    return lost(found.frame, found.share_used, f"The picture disagrees {times:.1f} times as much as around here: something else is seen.")


def widened(hidden: Bool | None) -> Bool | None:
    """Smoothing mixes what is in front into the pixels next to it: leave those out too."""
    return None if hidden is None else cv2.dilate(hidden.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
