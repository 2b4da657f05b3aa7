"""Follow one plane frame by frame: predict, refine, judge. A frame it is not sure of is lost, with a reason."""

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np

from verdigris.core.geometry.homography import apply_homography, normalised
from verdigris.core.geometry.quad import find_quad_problem
from verdigris.core.tracking.align import Alignment, agreement, align, corner_sigmas
from verdigris.core.tracking.features import Finder, choose_features, follow_features, moved
from verdigris.core.tracking.motion import Motion, estimate_motion
from verdigris.core.tracking.template import Template, build_template, half_size, smoothed
from verdigris.core.types import Bool, Float32, Float64, Uint8

Status = Literal["followed", "carried", "by_hand", "lost"]

# What interpolation, compression and the choice of pixels leave, whatever the residuals say.
SIGMA_FLOOR_PX = 0.03
# The template is a frame like any other: its own noise counts as much as that of the frame compared with it.
TEMPLATE_SHARE = np.sqrt(2.0)
LEAST_SHARE = 0.06
LEAST_AGREEMENT = 0.55
MOST_SIGMA_PX = 4.0


@dataclass(frozen=True)
class FollowProblem:
    """Why a plane cannot be followed at all: a code and a sentence."""

    code: str
    reason: str


@dataclass(frozen=True)
class FrameResult:
    """Where the plane is at one frame.

    Attributes
    ----------
    frame : index from 0
    status : `followed`, or `lost` with a reason
    homography : (3, 3) float64, frame_from_reference, plate px; None when lost
    corners : (4, 2) float64, plate px; None when lost
    sigma_px : (4,) float64, radial standard deviation per corner; None when lost
    residual_px : disagreement of the picture with the template, plate px; None when lost
    share_used : 0..1 of the region
    reason : why it is lost, or empty
    """

    frame: int
    status: Status
    homography: Float64 | None
    corners: Float64 | None
    sigma_px: Float64 | None
    residual_px: float | None
    share_used: float
    reason: str = ""


@dataclass(frozen=True)
class AnalysisPicture:
    """One frame as the tracker looks at it: code values 0..1 and their 8-bit copy."""

    values: Float32
    bytes: Uint8

    @classmethod
    def of(cls, luma: Float32) -> "AnalysisPicture":
        """From (H, W) float32 code values 0..1."""
        return cls(luma, np.clip(luma * 255.0 + 0.5, 0, 255).astype(np.uint8))


class PlaneFollower:
    """Follows one plane from its reference frame; holds the template, no state of the sequence.

    Parameters
    ----------
    picture : the reference frame
    region : (H, W) bool, pixels that move with the plane and that nothing covers at the reference frame
    corners : (4, 2) float64, plate px at the reference frame
    """

    def __init__(self, picture: AnalysisPicture, region: Bool, corners: Float64, motion: Motion, reference_frame: int) -> None:
        self.reference_frame = reference_frame
        self.corners = np.asarray(corners, dtype=np.float64)
        self.motion: Motion = motion
        self.problem = _region_problem(region, self.corners)
        self._picture, self._region = picture, region
        self._template: Template | None = None
        self._finder: Finder | None = None
        if self.problem is None:
            self._template = build_template(picture.values, region, motion)
            self._features = choose_features(picture.bytes, region)
            if self._template is None or float(np.mean(self._template.levels[-1].gradient)) < 0.002:
                self.problem = FollowProblem(
                    "no_texture",
                    "The region has too little texture to be followed. Widen it to something with detail on the same plane.",
                )

    def reference_result(self) -> FrameResult:
        """The reference frame itself: exact by definition."""
        return FrameResult(self.reference_frame, "followed", np.eye(3), self.corners.copy(), np.full(4, SIGMA_FLOOR_PX), 0.0, 1.0)

    def step(
        self, frame: int, before: AnalysisPicture, now: AnalysisPicture, history: list[FrameResult], hidden: Bool | None
    ) -> FrameResult:
        """Find the plane in the next frame.

        Parameters
        ----------
        frame : index of `now`
        before, now : neighbouring frames in the direction of travel
        history : results so far in this direction, the reference first
        hidden : (H, W) bool of pixels that something nearer covers in `now`, or None
        """
        if self._template is None:
            raise ValueError("this plane cannot be followed; see `problem`")
        levels = (smoothed(half_size(now.values)), smoothed(now.values))
        if hidden is not None:
            # Smoothing mixes what is in front into the pixels next to it.
            hidden = cv2.dilate(hidden.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
        starts = self._starts(before, now, history)
        judged: FrameResult | None = None
        for start in starts:
            judged = self._refine(frame, levels, start, hidden, now)
            if judged.status == "followed":
                return judged
        if history[-1].status == "lost" or judged is None or judged.status == "lost":
            found = self._find(now)
            if found is not None:
                again = self._refine(frame, levels, found, hidden, now)
                if again.status == "followed":
                    return again
        return judged or _lost(frame, 0.0, "Nothing in this frame looks like the region at the reference frame.")

    def _find(self, now: AnalysisPicture) -> Float64 | None:
        if self._finder is None:
            self._finder = Finder(self._picture.bytes, self._region, self.motion)
        return self._finder.find(now.bytes)

    def _starts(self, before: AnalysisPicture, now: AnalysisPicture, history: list[FrameResult]) -> list[Float64]:
        """First guesses, best first; empty after a lost frame, when only finding again can help."""
        last = history[-1].homography
        if last is None:
            return []
        steady = last
        if len(history) > 1 and (earlier := history[-2].homography) is not None:
            steady = normalised(last @ np.linalg.inv(earlier) @ last)
        found, good = follow_features(before.bytes, now.bytes, moved(self._features, last), moved(self._features, steady))
        by_points, inliers = estimate_motion(self._features[good], found[good], self.motion)
        if by_points is not None and inliers.sum() >= 0.25 * max(1, good.sum()):
            return [by_points, steady]
        assert self._template is not None
        coarse = smoothed(half_size(now.values))
        everywhere = np.ones(len(self._template.levels[0].points), bool)
        scored = [(agreement(self._template, (coarse,), h, everywhere), i, h) for i, h in enumerate((steady, last))]
        return [h for _, _, h in sorted(scored, key=lambda s: (-s[0], s[1]))]

    def _refine(self, frame: int, levels: tuple[Float32, ...], start: Float64, hidden: Bool | None, now: AnalysisPicture) -> FrameResult:
        assert self._template is not None
        usable = tuple(_usable(level.points, start, hidden) for level in self._template.levels)
        result = align(self._template, levels, start, usable)
        corners = apply_homography(result.frame_from_reference, self.corners)
        sigma = np.hypot(TEMPLATE_SHARE * corner_sigmas(self._template, result, self.corners), SIGMA_FLOOR_PX)
        problem = self._judge(result, corners, sigma, now.values.shape)
        if problem:
            return _lost(frame, result.share_used, problem)
        return FrameResult(frame, "followed", result.frame_from_reference, corners, sigma, result.residual_px, result.share_used)

    def _judge(self, a: Alignment, corners: Float64, sigma: Float64, shape: tuple[int, ...]) -> str:
        """Reason for not believing an alignment; empty when it holds."""
        if find_quad_problem(corners) is not None or np.abs(corners).max() > 20 * max(shape):
            return "The corners would cross or collapse: the picture does not hold them."
        if a.share_used < LEAST_SHARE:
            return f"Only {100 * a.share_used:.0f} % of the region can be compared here; the rest is covered or out of the picture."
        if a.agreement < LEAST_AGREEMENT:
            return f"The picture agrees with the reference by {100 * a.agreement:.0f} % only; {100 * LEAST_AGREEMENT:.0f} % is needed."
        if float(sigma.max()) > MOST_SIGMA_PX:
            return f"A corner is unsure by {sigma.max():.1f} px; more than {MOST_SIGMA_PX:g} px is not reported as found."
        if not a.converged and float(sigma.max()) > 1.0:
            return "The position did not settle."
        return ""


def _usable(points: Float64, h: Float64, hidden: Bool | None) -> Bool:
    if hidden is None:
        return np.ones(len(points), bool)
    at = np.nan_to_num(apply_homography(h, points), nan=-1.0, posinf=-1.0, neginf=-1.0)
    x, y = np.floor(np.clip(at, -1e6, 1e6)).astype(int).T
    inside = (x >= 0) & (y >= 0) & (x < hidden.shape[1]) & (y < hidden.shape[0])
    usable = np.ones(len(points), bool)
    usable[inside] = ~hidden[y[inside], x[inside]]
    return usable


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


def _lost(frame: int, share: float, reason: str) -> FrameResult:
    return FrameResult(frame, "lost", None, None, None, None, share, reason)
