"""What the frames around one say of it."""

from collections.abc import Mapping

import numpy as np
import scipy.linalg

from verdigris.core.camera.optics import STILL
from verdigris.core.geometry.homography import normalised
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.tracking.sequence.plane import Plane
from verdigris.core.types import Float64

# One that leaves this many times as much is worth another look.
STANDS_OUT = 1.7
COMPARED_FRAMES = 5
# How far to look for neighbours of a frame that was lost.
NEAR_FRAMES = 4


def stands_out(plane: Plane, frame: int, results: Mapping[int, FrameResult]) -> bool:
    """Whether a frame leaves much more than those around it do."""
    evidence, usual = results[frame].evidence, cost_nearby(plane, frame, results)
    return evidence is not None and usual > 0 and evidence.cost > STANDS_OUT * usual


def cost_nearby(plane: Plane, frame: int, results: Mapping[int, FrameResult]) -> float:
    """What is usually left in the frames around one, code values; 0 where nothing is known."""
    near = (results.get(frame + k) for k in range(-COMPARED_FRAMES, COMPARED_FRAMES + 1) if k and frame + k != plane.reference_frame)
    costs = [r.evidence.cost for r in near if r is not None and r.evidence is not None and r.evidence.cost > 0]
    return float(np.median(costs)) if len(costs) >= 3 else 0.0


def pose_between(plane: Plane, frame: int, results: Mapping[int, FrameResult]) -> Float64 | None:
    """Where the plane would be from its nearest neighbours on both sides, moving evenly; None when they are far.

    Neighbours that were compared with another frame than the reference have no say: they may have gone astray together.
    """
    sides = []
    for step in (-1, 1):
        for k in range(1, NEAR_FRAMES + 1):
            near = results.get(frame + step * k)
            evidence = plane.evidence_of(near) if near is not None and near.through is None else None
            if evidence is not None:
                sides.append((step * k, evidence.pose))
                break
    if not sides:
        return None
    if len(sides) == 1:
        return sides[0][1] if abs(sides[0][0]) <= 2 else None
    (a, first), (b, second) = sides
    whole = plane.optics.log(np.asarray(np.linalg.solve(first, second), np.float64))
    return normalised(first @ scipy.linalg.expm(whole * (-a / (b - a))))


def differs(plane: Plane, known: FrameResult, pose: Float64) -> bool:
    """Whether a result lies far from where its neighbours expect it."""
    if known.corners is None or known.sigma_px is None:
        return True
    expected = plane.optics.project(plane.plane_corners, pose, STILL)
    away = np.linalg.norm(expected - known.corners, axis=1)
    return bool(np.any(away > np.maximum(3.0, 4 * known.sigma_px)))
