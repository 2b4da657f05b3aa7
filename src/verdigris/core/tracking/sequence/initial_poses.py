"""First guesses of where a plane is in a frame: from points, from even movement, from the whole picture."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from verdigris.core.camera.optics import STILL, Movement, Optics
from verdigris.core.geometry.homography import homography_from_quads, normalised
from verdigris.core.geometry.motion import Motion, estimate_motion
from verdigris.core.tracking.reference.features import Finder, choose_features, follow_features, moved, warped
from verdigris.core.tracking.sequence.frame_result import Evidence
from verdigris.core.types import Bool, Float64, Uint8

# Points that agree this well leave nothing to a coarse look.
NEAR_POINTS = 40
NEAR_PX = 0.35
# Points that were seen at the reference lead if so many of them agree, and such a share of those that were followed.
LEADING_POINTS, LEADING_SHARE = 20, 0.2
# So many that agree so well leave no doubt about what else is seen.
SURE_POINTS, SURE_PX = 24, 0.8

# Frames that were followed before one, and what is known of them, oldest first.
Past = Sequence[tuple[int, Evidence]]


@dataclass(frozen=True)
class Start:
    """Where to begin.

    Attributes
    ----------
    pose : (3, 3) float64, ideal frame px from ideal reference px
    near : whether a coarse look would find nothing new
    sure : whether what disagrees there is not the plane
    """

    pose: Float64
    near: bool = False
    sure: bool = False


@dataclass(frozen=True)
class ReferenceView:
    """What is seen at the reference frame.

    Attributes
    ----------
    picture : (H, W) uint8
    region : (H, W) bool, pixels that move with the plane
    corners, plane_corners : (4, 2) float64, plate px, and ideal reference px
    movement : how the plane moves there
    """

    picture: Uint8
    region: Bool
    corners: Float64
    plane_corners: Float64
    movement: Movement


class Guesses:
    """Guesses where a plane is, as the reference frame shows it through some optics.

    Parameters
    ----------
    finder : finds it again in a whole picture
    """

    def __init__(self, reference: ReferenceView, optics: Optics, motion: Motion, finder: Finder) -> None:
        self._reference, self._optics, self._motion, self._finder = reference, optics, motion, finder

    @cached_property
    def features(self) -> Float64:
        """Well-textured points of the plane, (N, 2) ideal reference px."""
        features = choose_features(self._reference.picture, self._reference.region)
        return self._optics.plane(features, np.eye(3), self._reference.movement) if len(features) else features

    def of(self, frame: int, before: Uint8, now: Uint8, past: Past) -> list[Start]:
        """Best first, for a frame next to one that was followed; pictures (H, W) uint8."""
        if not past:
            return []
        last, steady = past[-1][1].pose, past[-1][1].pose
        if len(past) > 1 and abs(past[-1][0] - past[-2][0]) == 1:
            steady = normalised(last @ np.linalg.inv(past[-2][1].pose) @ last)
        at, guess = self._optics.seen(moved(self.features, last)), self._optics.seen(moved(self.features, steady))
        found, good = follow_features(before, now, at, guess)
        there = self._optics.ideal(found[good])
        by_points, inliers = estimate_motion(self.features[good], there, self._motion)
        poses = [steady, last]
        if by_points is not None and inliers.sum() >= 0.25 * max(1, good.sum()):
            poses = [by_points, steady, last]
            off = np.linalg.norm(moved(self.features[good][inliers], by_points) - there[inliers], axis=1)
            if inliers.sum() >= NEAR_POINTS and inliers.sum() >= 0.7 * len(at) and float(np.sqrt(np.mean(off**2))) < NEAR_PX:
                return [Start(by_points, near=True), *map(Start, poses)]
        asked = (self.by_reference(now, pose, speed_at(self._optics, frame, pose, past)) for pose in poses[:2])
        leading = next((found for found in asked if found is not None), None)
        return [*([] if leading is None else [replace(leading, sure=True)]), *map(Start, poses)]

    def by_reference(self, now: Uint8, guess: Float64, movement: Movement) -> Start | None:
        """From points of the reference frame, warped to where the plane may be; None when too few agree.

        From frame to frame, points may follow whatever passes in front for as long as it passes; at the reference frame it was elsewhere.
        """
        try:
            h = homography_from_quads(self._reference.corners, self._optics.project(self._reference.plane_corners, guess, movement))
        except ValueError:
            return None
        at = moved(self._optics.project(self.features, np.eye(3), self._reference.movement), h)
        found, good = follow_features(warped(self._reference.picture, h), now, at, at)
        plane = self.features[good]
        expected = self._optics.ideal(self._optics.project(plane, guess, movement))
        there = moved(plane, guess) + self._optics.ideal(found[good]) - expected
        pose, inliers = estimate_motion(plane, there, self._motion)
        if pose is None or inliers.sum() < max(LEADING_POINTS, LEADING_SHARE * good.sum()):
            return None
        off = np.linalg.norm(moved(plane[inliers], pose) - there[inliers], axis=1)
        sure = bool(inliers.sum() >= SURE_POINTS and np.sqrt(np.mean(off**2)) < SURE_PX)
        return Start(pose, near=sure, sure=sure)

    def find(self, frame: int, now: Uint8, past: Past) -> Start | None:
        """Anywhere in the picture, from descriptors; None when nothing looks like it."""
        found = self._finder.find(now)
        if found is None:
            return None
        return self.by_reference(now, found, speed_at(self._optics, frame, found, past)) or Start(found)


def speed_at(optics: Optics, frame: int, pose: Float64, past: Past) -> Movement:
    """How the plane moves at a frame where it has some pose, from those before it."""
    poses = {0: pose, **{n - frame: e.pose for n, e in past[-2:] if abs(n - frame) <= 2}}
    return optics.movement(poses) if len(poses) > 1 and min(abs(k) for k in poses if k) == 1 else STILL
