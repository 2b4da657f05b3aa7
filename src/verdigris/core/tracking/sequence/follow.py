"""Follow one plane frame by frame: predict, refine, judge. A frame it is not sure of is lost, with a reason."""

from collections.abc import Mapping, Sequence
from copy import copy
from dataclasses import dataclass, replace
from functools import cached_property

import cv2
import numba
import numpy as np
import scipy.linalg

from verdigris.core.camera.bow import USUAL_FOCAL, Bow
from verdigris.core.camera.optics import STILL, Movement, Optics, flow
from verdigris.core.geometry.homography import apply_homography, homography_from_quads, normalised
from verdigris.core.geometry.motion import Motion
from verdigris.core.geometry.quad import find_quad_problem
from verdigris.core.light.tone import Tone
from verdigris.core.tracking.alignment.acceptance import reason_against
from verdigris.core.tracking.alignment.align import FROM_FAR, FROM_NEAR, QUICK, Looks, align
from verdigris.core.tracking.alignment.fit import Conditions
from verdigris.core.tracking.alignment.frame_pictures import KeptPictures
from verdigris.core.tracking.alignment.grain import common_grain
from verdigris.core.tracking.alignment.point_evidence import look_at_points, weigh_points
from verdigris.core.tracking.alignment.result import Alignment
from verdigris.core.tracking.alignment.uncertainty import bend_at, corner_margins, corner_sigmas
from verdigris.core.tracking.calibration.camera_covariance import corners_by_camera
from verdigris.core.tracking.reference.appearance import Appearance, build_appearance, in_other_tone, under_other_optics
from verdigris.core.tracking.reference.features import Finder
from verdigris.core.tracking.reference.repetition import Repetition
from verdigris.core.tracking.reference.rim import Rim
from verdigris.core.tracking.sequence.frame_result import Evidence, FrameResult, Softness, lost, trust_of, worst_of
from verdigris.core.tracking.sequence.initial_poses import Guesses, ReferenceView, Start, speed_at
from verdigris.core.tracking.sequence.places import UNSURE_PERIODS, Places
from verdigris.core.types import Bool, Float32, Float64, Uint8

# Below this share of the texture seen as it should be, doubt grows.
HARDLY_GOOD = 0.6
# What interpolation, compression and the choice of pixels leave, whatever the residuals say.
SIGMA_FLOOR_PX = 0.004
# Share of an exposure by which its middle may be misjudged: shutters open and close as they like.
LATE = 0.003
# Exposures an open shutter may have, as variance in time; which it is shows as soon as something moves.
SHUTTERS = (0.0, 0.25**2 / 12, 0.37**2 / 12, 0.5**2 / 12, 0.7**2 / 12, 1.0 / 12)
# Movement, px a frame, below which the shutter cannot be seen.
SMEARING_PX = 3.0
# A frame that leaves no more than this many times what those around it leave is where it belongs.
USUAL_COST = 1.15
# One that leaves this many times as much is worth another look.
STANDS_OUT = 1.7
COMPARED_FRAMES = 5
# One that leaves this many times as much, as if its picture had slipped by this much, has gone with something else, px.
ODD_COST, ODD_SLIP_PX = 5.0, 0.5
# Frames around a frame whose bends are looked at together with its own.
NEAR_BENDS = tuple(k for k in range(-6, 7) if k)
# How far to look for neighbours of a frame that was lost.
NEAR_FRAMES = 4


@dataclass(frozen=True)
class FollowProblem:
    """Why a plane cannot be followed at all: a code and a sentence."""

    code: str
    reason: str


@dataclass(frozen=True)
class AnalysisPicture:
    """One frame as the tracker looks at it: code values 0..1 and their 8-bit copy."""

    values: Float32
    bytes: Uint8

    @classmethod
    def of(cls, luma: Float32) -> "AnalysisPicture":
        """From (H, W) float32 code values 0..1."""
        return cls(luma, _bytes(np.ascontiguousarray(luma)))


@numba.njit(cache=True, nogil=True)
def _bytes(luma):  # type: ignore[no-untyped-def]
    """Code values as bytes; a picture in between takes several times as long."""
    flat, out = luma.reshape(-1), np.empty(luma.shape, np.uint8)
    to = out.reshape(-1)
    for i in range(flat.shape[0]):
        to[i] = np.uint8(min(max(flat[i] * np.float32(255) + np.float32(0.5), np.float32(0)), np.float32(255)))
    return out


class PlaneFollower:
    """Follows one plane from its reference frame; holds the reference, no state of the sequence.

    Parameters
    ----------
    picture : the reference frame
    region : (H, W) bool, pixels that move with the plane and that nothing covers at the reference frame
    corners : (4, 2) float64, plate px at the reference frame
    optics : lens, read-out and shutter; plain when not given
    reference_movement : movement of the plane at the reference frame, when it is known
    """

    def __init__(
        self, picture: AnalysisPicture, region: Bool, corners: Float64, motion: Motion, reference_frame: int,
        optics: Optics | None = None, reference_movement: Movement = STILL,
    ) -> None:  # fmt: skip
        height, width = picture.values.shape
        self.reference_frame = reference_frame
        self.corners = np.asarray(corners, dtype=np.float64)
        self.motion: Motion = motion
        self.optics = optics or Optics(width, height)
        self.reference_movement = reference_movement
        self.problem = _region_problem(region, self.corners)
        self._picture, self.region = picture, region
        self._appearance: Appearance | None = None
        self._finder = Finder(picture.bytes, region, motion)
        self._bent: dict[Tone, Appearance] = {}
        if self.problem is None:
            self.plane_corners = self.optics.plane(self.corners, np.eye(3), reference_movement)
            self._appearance = build_appearance(picture.values, region, self.optics, reference_movement)
            if self._appearance is None or self._appearance.strength < 0.0015:
                self.problem = FollowProblem(
                    "no_texture",
                    "The region has too little texture to be followed. Widen it to something with detail on the same plane.",
                )

    def under(self, optics: Optics, reference_movement: Movement) -> "PlaneFollower":
        """The same plane, seen through other optics."""
        other = copy(self)
        other.optics, other.reference_movement, other._bent = optics, reference_movement, {}
        other.__dict__.pop("guesses", None)
        other.plane_corners = optics.plane(self.corners, np.eye(3), reference_movement)
        # With no lens and no rows read later, the reference picture stays as it is, but for the middle of its smear.
        if self._appearance is not None and not (
            optics.tone == self.optics.tone and optics.is_plain and self.optics.is_plain and not optics.shutter and not self.optics.shutter
        ):
            other._appearance = under_other_optics(self._appearance, self._picture.values, optics, reference_movement)
        return other

    @property
    def appearance(self) -> Appearance:
        """The reference picture.

        Raises
        ------
        ValueError
            When the plane cannot be followed.
        """
        if self._appearance is None:
            raise ValueError("this plane cannot be followed; see `problem`")
        return self._appearance

    def bent(self, tone: Tone) -> Appearance:
        """The reference picture under another tone curve."""
        if tone not in self._bent:
            self._bent[tone] = in_other_tone(self.appearance, tone)
        return self._bent[tone]

    @property
    def bow(self) -> Bow | None:
        """The surface's bow; None when it is taken to be flat."""
        return self.bowed(self.optics.bow) if any(self.optics.bow) else None

    def bowed(self, depth: tuple[float, float]) -> Bow:
        """The surface with some bow."""
        return Bow.of(self.plane_corners, (self.optics.width, self.optics.height), depth, self.optics.focal or USUAL_FOCAL)

    @cached_property
    def guesses(self) -> Guesses:
        """First guesses of where the plane is in other frames."""
        seen = ReferenceView(self._picture.bytes, self.region, self.corners, self.plane_corners, self.reference_movement)
        return Guesses(seen, self.optics, self.motion, self._finder)

    @cached_property
    def repetition(self) -> Repetition:
        """How the plane's pattern repeats, if it does."""
        return Repetition(self._picture.bytes, self.region)

    @cached_property
    def rim(self) -> Rim:
        """The edges of the surface."""
        return Rim(self._picture.bytes, self.corners)

    def by_its_rim(self) -> "PlaneFollower":
        """The same surface, followed by its edges alone; see `problem` for whether they can be."""
        near = self.rim.region(self.region.shape, self.corners, self.region)
        other = PlaneFollower(self._picture, near, self.corners, self.motion, self.reference_frame, self.optics, self.reference_movement)
        return other

    def reference_result(self) -> FrameResult:
        """The reference frame itself: exact by definition."""
        return FrameResult(
            self.reference_frame, "followed", np.eye(3), self.corners.copy(), np.full(4, SIGMA_FLOOR_PX), 0.0, 1.0, "", Evidence(np.eye(3)),
            softness=Softness(0.0), camera=self.optics,
        )  # fmt: skip

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
        past = [(r.frame, e) for r in history[-12:] if (e := self.evidence_of(r)) is not None]
        hidden = widened(hidden)
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
        own, between = self.evidence_of(known), self._between(frame, results)
        starts = [own.pose] if own is not None else []
        doubtful = own is None or known.through is not None or self.stands_out(frame, results)
        if between is not None and (doubtful or self._differs(known, between)):
            starts.append(between)
        hidden = widened(hidden)
        near = [
            e.bend for k in NEAR_BENDS if frame + k in results and (e := results[frame + k].evidence) is not None and e.bend is not None
        ]
        told = (results[frame + k].evidence for k in (0, *NEAR_BENDS) if frame + k in results)
        grain = common_grain(e.grain for e in told if e is not None)
        best: FrameResult | None = None
        pictures = KeptPictures(now.values)
        for start in starts:
            around = {**results, frame: replace(known, corners=self.corners, evidence=Evidence(start))}
            shutter = self.optics.shutter if self.optics.shutter is not None else (own.shutter if own else None) or 0.0
            blur = own.blur if own else 0.0
            movement = self.movement_at(frame, around)
            conditions = Conditions(movement, self.reference_movement, blur, shutter, (), hidden, trust, self.bow, grain)
            rough = own is None or start is between or known.through is not None
            led = self.guesses.by_reference(now.bytes, start, movement) if rough else None
            led = led or Start(start, sure=not rough)
            looks: Looks = ("few",) if led.near else ("soft", "few") if rough else ()
            looks = (*looks, "some", "all") if thorough else looks or ("few",)
            a = align(self.appearance, self.optics, pictures, led.pose, conditions, self.motion, looks, sure=led.sure)
            # Where nothing but noise is left, points only add theirs.
            if thorough and a is not None and not a.only_noise:
                seen = look_at_points(self.appearance, self.optics, pictures, a.h, a.blur, conditions, self.guesses.features)
                a = weigh_points(a, seen, self.motion, self.plane_corners, trust)
            tried = self._conclude(frame, a, conditions, near)
            if best is None or best.evidence is None or (tried.evidence is not None and tried.evidence.cost < 0.97 * best.evidence.cost):
                best = tried
            # Where it fits as its neighbours do, nobody looks for another place.
            if best.evidence is not None and best.evidence.cost <= USUAL_COST * self._cost_nearby(frame, results):
                break
        usual = self._cost_nearby(frame, results)
        if best is not None and best.evidence is not None and usual > 0:
            times, good = best.evidence.cost / usual, min(1.0, best.evidence.good / HARDLY_GOOD) ** 3
            # The less of it looks as it should, the less it takes.
            if (best.residual_px or 0.0) > ODD_SLIP_PX * good and times > max(ODD_COST * best.evidence.good, USUAL_COST):
                reason = f"The picture disagrees {times:.1f} times as much as around here: something else is seen."
                best = lost(frame, best.share_used, reason)
        if best is not None and best.evidence is not None and self.repetition.repeats:
            # Looked at again, a frame may not change its place in a pattern that repeats; what was lost must be told from all others.
            if own is not None and self._places.periods_between(own.pose, best.evidence.pose) > UNSURE_PERIODS:
                best = known
            elif own is None:
                best = self._at_its_place(best, now, pictures, [], hidden, thorough)
        # Margin and all: frames that went astray together through each other are sure of everything but that.
        if known.through is not None and worst_of(best) > worst_of(known):
            return known
        return best or known

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

    def stands_out(self, frame: int, results: Mapping[int, FrameResult]) -> bool:
        """Whether a frame leaves much more than those around it do."""
        evidence, usual = results[frame].evidence, self._cost_nearby(frame, results)
        return evidence is not None and usual > 0 and evidence.cost > STANDS_OUT * usual

    def _cost_nearby(self, frame: int, results: Mapping[int, FrameResult]) -> float:
        """What is usually left in the frames around one, code values; 0 where nothing is known."""
        near = (results.get(frame + k) for k in range(-COMPARED_FRAMES, COMPARED_FRAMES + 1) if k and frame + k != self.reference_frame)
        costs = [r.evidence.cost for r in near if r is not None and r.evidence is not None and r.evidence.cost > 0]
        return float(np.median(costs)) if len(costs) >= 3 else 0.0

    def _between(self, frame: int, results: Mapping[int, FrameResult]) -> Float64 | None:
        """Where the plane would be from its nearest neighbours on both sides, moving evenly; None when they are far.

        Neighbours that were compared with another frame than the reference have no say: they may have gone astray together.
        """
        sides = []
        for step in (-1, 1):
            for k in range(1, NEAR_FRAMES + 1):
                near = results.get(frame + step * k)
                evidence = self.evidence_of(near) if near is not None and near.through is None else None
                if evidence is not None:
                    sides.append((step * k, evidence.pose))
                    break
        if not sides:
            return None
        if len(sides) == 1:
            return sides[0][1] if abs(sides[0][0]) <= 2 else None
        (a, first), (b, second) = sides
        whole = self.optics.log(np.asarray(np.linalg.solve(first, second), np.float64))
        return normalised(first @ scipy.linalg.expm(whole * (-a / (b - a))))

    def _differs(self, known: FrameResult, pose: Float64) -> bool:
        """Whether a result lies far from where its neighbours expect it."""
        if known.corners is None or known.sigma_px is None:
            return True
        expected = self.optics.project(self.plane_corners, pose, STILL)
        away = np.linalg.norm(expected - known.corners, axis=1)
        return bool(np.any(away > np.maximum(3.0, 4 * known.sigma_px)))

    def movement_at(self, frame: int, results: Mapping[int, FrameResult]) -> Movement:
        """How the plane moves at a frame, from its neighbours."""
        poses = {}
        for k in (0, -1, 1, -2, 2):
            evidence = self.evidence_of(results[frame + k]) if frame + k in results else None
            if evidence is not None:
                poses[k] = evidence.pose
        return self.optics.movement(poses) if 0 in poses else STILL

    def evidence_of(self, result: FrameResult) -> Evidence | None:
        """A result's evidence; worked out again from the corners where a run was taken up."""
        if result.corners is None:
            return None
        return result.evidence or self._restate(result, STILL)

    def restated(self, results: Mapping[int, FrameResult]) -> dict[int, FrameResult]:
        """Results of other optics as this follower's poses: the corners stay where they are seen."""
        first = {n: replace(r, evidence=self._restate(r, STILL)) for n, r in results.items()}
        if self.optics.readout == 0:
            return first
        return {n: replace(r, evidence=self._restate(r, self.movement_at(n, first))) for n, r in results.items()}

    def _restate(self, result: FrameResult, move: Movement) -> Evidence | None:
        """Evidence whose pose shows the corners where the result says."""
        pose = None if result.corners is None else self.pose_at(result.corners, move)
        return None if pose is None else replace(result.evidence or Evidence(pose), pose=pose, bend=None)

    def pose_at(self, corners: Float64, move: Movement) -> Float64 | None:
        """The pose that shows the corners at (4, 2), plate px; None when there is none."""
        return self.optics.pose_of_corners(self.plane_corners, corners, move)

    def _refine(
        self, frame: int, pictures: KeptPictures, start: Start, past: list[tuple[int, Evidence]], hidden: Bool | None, thorough: bool
    ) -> FrameResult:
        conditions = self._expected(frame, start.pose, past, hidden)
        looks = FROM_NEAR if start.near else FROM_FAR
        if not thorough:
            looks = tuple(look for look in looks if look in QUICK)
        a = align(self.appearance, self.optics, pictures, start.pose, conditions, self.motion, looks, sure=start.sure)
        return self._conclude(frame, a, conditions)

    def _expected(self, frame: int, start: Float64, past: list[tuple[int, Evidence]], hidden: Bool | None) -> Conditions:
        """What the frame will be like, from those before it."""
        speed = speed_at(self.optics, frame, start, past)
        known = [e.shutter for _, e in past if e.shutter is not None]
        shutter = self.optics.shutter if self.optics.shutter is not None else float(np.median(known)) if known else 0.0
        settled = self.optics.shutter is not None or len(known) >= 3 or not self.smears(speed)
        choice = () if settled else tuple(sorted({*SHUTTERS, shutter}))
        return Conditions(
            speed,
            self.reference_movement,
            past[-1][1].blur if past else 0.0,
            shutter,
            choice,
            hidden,
            trust_of(e.tiles for _, e in past),
            self.bow,
            common_grain(e.grain for _, e in past),
        )

    def smears(self, movement: Movement) -> bool:
        """Whether a movement is quick enough to show what the shutter does."""
        return float(np.median(np.sum(flow(self.appearance.centres, movement) ** 2, axis=1))) > SMEARING_PX**2

    def _conclude(self, frame: int, a: Alignment | None, conditions: Conditions, near: Sequence[Float64] = ()) -> FrameResult:
        if a is None:
            return lost(frame, 0.0, "The region is out of the picture here, or wholly covered.")
        corners = self.optics.project(self.plane_corners, a.h, conditions.movement)
        ideal = apply_homography(a.h, self.plane_corners)
        bend = bend_at(a, ideal)
        margin = corner_margins(bend, near)
        late = LATE * np.sqrt(12 * a.shutter) * np.linalg.norm(flow(self.plane_corners, conditions.movement), axis=1)
        own = np.hypot(corner_sigmas(a, ideal), self._camera_sigmas(a, conditions.movement))
        # The less of it looks as it should, the more of what it was fitted to may be something else.
        times = max(1.0, HARDLY_GOOD / max(a.good_share, 1e-3)) ** 2
        sigma = times * np.sqrt(own**2 + margin**2 + late**2 + SIGMA_FLOOR_PX**2)
        problem = reason_against(a, corners, times * own, (self.optics.width, self.optics.height))
        if problem:
            return lost(frame, a.share_used, problem)
        h = a.h if self.optics.is_plain else homography_from_quads(self.corners, corners)
        return FrameResult(
            frame,
            "followed",
            h,
            corners,
            sigma,
            a.residual_px,
            a.share_used,
            "",
            Evidence(
                a.h,
                conditions.movement,
                a.blur,
                a.shutter if self.smears(conditions.movement) else None,
                a.tiles,
                a.cost,
                a.grain,
                a.good_share,
                bend,
            ),
            float(margin.max()),
            softness=self._softness(a, conditions.movement),
            camera=self.optics,
        )

    def _softness(self, a: Alignment, movement: Movement) -> Softness:
        shutter = self.optics.shutter if self.optics.shutter is not None else a.shutter if self.smears(movement) else None
        # An evenly open shutter of length s has the variance s^2 / 12.
        speed = float(np.linalg.norm(flow(self.plane_corners.mean(axis=0, keepdims=True), movement)))
        smear = None if shutter is None else float(np.sqrt(12 * max(shutter, 0.0)) * speed)
        noise = None if a.grain is None or not a.grain.variance > 0 else float(np.sqrt(a.grain.variance))
        return Softness(float(np.nan_to_num(a.blur)), smear if smear is not None and np.isfinite(smear) else None, noise)

    def _camera_sigmas(self, a: Alignment, movement: Movement) -> Float64:
        """How far each corner may be off for what is not known of the camera, px, (4,)."""
        if a.by_camera is None or self.optics.camera_covariance is None:
            return np.zeros(4)
        moved = corners_by_camera(self.optics, self.corners, a.h, movement, self.reference_movement, a.normaliser, a.by_camera)
        return np.asarray(np.sqrt(np.einsum("nik,kl,nil->n", moved, self.optics.camera_covariance, moved)))


def widened(hidden: Bool | None) -> Bool | None:
    """Smoothing mixes what is in front into the pixels next to it: leave those out too."""
    return None if hidden is None else cv2.dilate(hidden.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0


def _region_problem(region: Bool, corners: Float64) -> FollowProblem | None:
    problem = find_quad_problem(corners)
    if problem is not None:
        return FollowProblem("corners", problem.reason)
    count = int(region.sum())
    if count == 0:
        return FollowProblem(
            "region_empty", "Nothing of the region is in the picture at the reference frame, or all of it is cut out or covered."
        )
    if count < 400:
        return FollowProblem("region_small", f"The region has {count} pixels at the reference frame; at least 400 are needed.")
    return None
