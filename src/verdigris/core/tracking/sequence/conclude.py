"""From an alignment to the result of a frame: corners, their doubt, and a reason where it is not to be believed."""

from collections.abc import Sequence

import numpy as np

from verdigris.core.camera.optics import Movement, flow
from verdigris.core.geometry.homography import apply_homography, homography_from_quads
from verdigris.core.tracking.alignment.acceptance import reason_against
from verdigris.core.tracking.alignment.conditions import Conditions
from verdigris.core.tracking.alignment.result import Alignment
from verdigris.core.tracking.alignment.uncertainty import bend_at, corner_margins, corner_sigmas
from verdigris.core.tracking.calibration.camera_covariance import corners_by_camera
from verdigris.core.tracking.sequence.frame_result import Evidence, FrameResult, Softness, lost
from verdigris.core.tracking.sequence.plane import SIGMA_FLOOR_PX, Plane
from verdigris.core.types import Float64

# Below this share of the texture seen as it should be, doubt grows.
HARDLY_GOOD = 0.6
# Share of an exposure by which its middle may be misjudged: shutters open and close as they like.
LATE = 0.003


def conclude(plane: Plane, frame: int, a: Alignment | None, conditions: Conditions, near: Sequence[Float64] = ()) -> FrameResult:
    """The result of a frame: where its corners are, how sure that is, and whether it is to be believed; `near` are bends around it."""
    if a is None:
        return lost(frame, 0.0, "The region is out of the picture here, or wholly covered.")
    corners = plane.optics.project(plane.plane_corners, a.h, conditions.movement)
    ideal = apply_homography(a.h, plane.plane_corners)
    bend = bend_at(a, ideal)
    margin = corner_margins(bend, near)
    late = LATE * np.sqrt(12 * a.shutter) * np.linalg.norm(flow(plane.plane_corners, conditions.movement), axis=1)
    own = np.hypot(corner_sigmas(a, ideal), _camera_sigmas(plane, a, conditions.movement))
    # The less of it looks as it should, the more of what it was fitted to may be something else.
    times = max(1.0, HARDLY_GOOD / max(a.good_share, 1e-3)) ** 2
    sigma = times * np.sqrt(own**2 + margin**2 + late**2 + SIGMA_FLOOR_PX**2)
    problem = reason_against(a, corners, times * own, (plane.optics.width, plane.optics.height))
    if problem:
        return lost(frame, a.share_used, problem)
    h = a.h if plane.optics.is_plain else homography_from_quads(plane.corners, corners)
    evidence = Evidence(
        a.h, conditions.movement, a.blur, a.shutter if plane.smears(conditions.movement) else None, a.tiles, a.cost, a.grain, a.good_share,
        bend,
    )  # fmt: skip
    return FrameResult(
        frame, "followed", h, corners, sigma, a.residual_px, a.share_used, "", evidence, float(margin.max()),
        softness=_softness(plane, a, conditions.movement), camera=plane.optics,
    )  # fmt: skip


def _softness(plane: Plane, a: Alignment, movement: Movement) -> Softness:
    shutter = plane.optics.shutter if plane.optics.shutter is not None else a.shutter if plane.smears(movement) else None
    # An evenly open shutter of length s has the variance s^2 / 12.
    speed = float(np.linalg.norm(flow(plane.plane_corners.mean(axis=0, keepdims=True), movement)))
    smear = None if shutter is None else float(np.sqrt(12 * max(shutter, 0.0)) * speed)
    noise = None if a.grain is None or not a.grain.variance > 0 else float(np.sqrt(a.grain.variance))
    return Softness(float(np.nan_to_num(a.blur)), smear if smear is not None and np.isfinite(smear) else None, noise)


def _camera_sigmas(plane: Plane, a: Alignment, movement: Movement) -> Float64:
    """How far each corner may be off for what is not known of the camera, px, (4,)."""
    if a.by_camera is None or plane.optics.camera_covariance is None:
        return np.zeros(4)
    moved = corners_by_camera(plane.optics, plane.corners, a.h, movement, plane.reference_movement, a.normaliser, a.by_camera)
    return np.asarray(np.sqrt(np.einsum("nik,kl,nil->n", moved, plane.optics.camera_covariance, moved)))
