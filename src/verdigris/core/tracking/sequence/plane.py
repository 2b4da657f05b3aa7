"""A plane at its reference frame: what it looks like through a camera, and what poses of it mean."""

from collections.abc import Mapping
from copy import copy
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Self

import numba
import numpy as np

from verdigris.core.camera.bow import USUAL_FOCAL, Bow
from verdigris.core.camera.optics import STILL, Movement, Optics, flow
from verdigris.core.geometry.motion import Motion
from verdigris.core.geometry.quad import find_quad_problem
from verdigris.core.light.tone import Tone
from verdigris.core.tracking.reference.appearance import Appearance, build_appearance, in_other_tone, under_other_optics
from verdigris.core.tracking.reference.features import Finder
from verdigris.core.tracking.reference.repetition import Repetition
from verdigris.core.tracking.reference.rim import Rim
from verdigris.core.tracking.sequence.frame_result import Evidence, FrameResult, Softness
from verdigris.core.tracking.sequence.initial_poses import Guesses, ReferenceView
from verdigris.core.types import Bool, Float32, Float64, Uint8

# What interpolation, compression and the choice of pixels leave, whatever the residuals say.
SIGMA_FLOOR_PX = 0.004
# Movement, px a frame, below which the shutter cannot be seen.
SMEARING_PX = 3.0
# Below this contrast, code values, and with fewer pixels, a region cannot be followed.
LEAST_STRENGTH, LEAST_PIXELS = 0.0015, 400


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


class Plane:
    """A plane at its reference frame, seen through a camera; holds no state of the sequence.

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
            if self._appearance is None or self._appearance.strength < LEAST_STRENGTH:
                self.problem = FollowProblem(
                    "no_texture",
                    "The region has too little texture to be followed. Widen it to something with detail on the same plane.",
                )

    def under(self, optics: Optics, reference_movement: Movement) -> Self:
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

    def by_its_rim(self) -> Self:
        """The same surface, followed by its edges alone; see `problem` for whether they can be."""
        near = self.rim.region(self.region.shape, self.corners, self.region)
        return type(self)(self._picture, near, self.corners, self.motion, self.reference_frame, self.optics, self.reference_movement)

    def reference_result(self) -> FrameResult:
        """The reference frame itself: exact by definition."""
        return FrameResult(
            self.reference_frame, "followed", np.eye(3), self.corners.copy(), np.full(4, SIGMA_FLOOR_PX), 0.0, 1.0, "", Evidence(np.eye(3)),
            softness=Softness(0.0), camera=self.optics,
        )  # fmt: skip

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

    def smears(self, movement: Movement) -> bool:
        """Whether a movement is quick enough to show what the shutter does."""
        return float(np.median(np.sum(flow(self.appearance.centres, movement) ** 2, axis=1))) > SMEARING_PX**2


def _region_problem(region: Bool, corners: Float64) -> FollowProblem | None:
    problem = find_quad_problem(corners)
    if problem is not None:
        return FollowProblem("corners", problem.reason)
    count = int(region.sum())
    if count == 0:
        return FollowProblem(
            "region_empty", "Nothing of the region is in the picture at the reference frame, or all of it is cut out or covered."
        )
    if count < LEAST_PIXELS:
        return FollowProblem("region_small", f"The region has {count} pixels at the reference frame; at least {LEAST_PIXELS} are needed.")
    return None
