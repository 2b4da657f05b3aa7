"""Which pixels of a frame may be compared with a surface's region, from its shapes and what stands in front."""

from collections.abc import Mapping

import cv2
import numpy as np

from verdigris.core.geometry.shapes import polygon_coverage, smooth_outline
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.types import Bool, Float64
from verdigris.runs.scene.in_front import Tracks, coverage_in_front, riding_points
from verdigris.shot.model.document import Shot
from verdigris.shot.model.region import RegionShape
from verdigris.shot.model.surface import Surface


def shape_at(shape: RegionShape, frame: int, poses: Mapping[int, Float64]) -> Float64:
    """Outline of a region's shape at a frame, (N, 2) plate px; `poses` are the plane's, frame from reference."""
    keys = [(k.frame, k.array(), k.ease == "eased") for k in shape.keys]
    points = riding_points(frame, keys, poses if shape.rides == "plane" else {})
    return smooth_outline(points) if shape.outline == "smooth" else points


def shape_coverage(shape: RegionShape, frame: int, poses: Mapping[int, Float64], width: int, height: int, scale: float = 1.0) -> Bool:
    """Pixels that a region's shape leaves to be compared (include) or takes out (exclude), its soft edge on the safe side."""
    inside = polygon_coverage(scale * shape_at(shape, frame, poses), width, height)
    reach = round(shape.feather_px * scale)
    if reach > 0:
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
        inside = np.asarray((cv2.erode if shape.role == "include" else cv2.dilate)(inside, disc), np.float32)
    return np.asarray(inside > (0.999 if shape.role == "include" else 0.001), np.bool_)


def region_at_reference(shot: Shot, surface: Surface, tracks: Tracks, width: int, height: int, scale: float = 1.0) -> Bool:
    """Pixels of the region at the reference frame that nothing covers, (H, W) bool; `scale` px of the mask to a plate pixel.

    Without an include shape, the surface's own corners are the region.
    """
    at, own = surface.reference_frame, {surface.reference_frame: np.eye(3)}
    shapes = surface.region.all_shapes(at)
    front = coverage_in_front(shot, surface, tracks, at, width, height, scale)
    quad = surface.quad()
    include = [s for s in shapes if s.role == "include"]
    plain = [scale * quad] if not include and quad is not None else []
    mask = region_mask(plain, [], front, width, height)
    if include:
        inside = np.logical_or.reduce([shape_coverage(s, at, own, width, height, scale) for s in include])
        mask = inside if front is None else inside & (front < 0.01)
    for shape in shapes:
        if shape.role == "exclude":
            mask = mask & ~shape_coverage(shape, at, own, width, height, scale)
    return mask


def unusable_at(
    shot: Shot, surface: Surface, tracks: Tracks, results: Mapping[int, FrameResult], frame: int, width: int, height: int,
    scale: float = 1.0,
) -> Bool | None:  # fmt: skip
    """Pixels of a frame that may not be compared: covered by something nearer, or outside keyed shapes; None when all may.

    `scale` is px of the mask to a plate pixel.
    """
    front = coverage_in_front(shot, surface, tracks, frame, width, height, scale)
    outside = outside_keyed_shapes(surface, results, frame, width, height, scale)
    if front is None or outside is None:
        return outside if front is None else front > 0.01
    return outside | (front > 0.01)


def outside_keyed_shapes(
    surface: Surface, results: Mapping[int, FrameResult], frame: int, width: int, height: int, scale: float = 1.0
) -> Bool | None:
    """Pixels of a frame that shapes with keys of their own leave out; None when there are no such shapes."""
    # A shape with a single key that rides the plane says no more than the region at the reference frame does.
    shapes = surface.region.all_shapes(surface.reference_frame)
    telling = [s for s in shapes if len(s.keys) > 1 or s.rides == "picture"]
    if not telling:
        return None
    poses = {n: r.homography for n, r in results.items() if r.homography is not None}
    if frame not in poses and poses:
        # The frame is not followed yet: its neighbour's pose will do, the mask's rim is left out anyway.
        poses[frame] = poses[min(poses, key=lambda n: abs(n - frame))]
    mask = np.zeros((height, width), bool)
    for shape in telling:
        if shape.role == "exclude":
            mask |= shape_coverage(shape, frame, poses, width, height, scale)
    if any(s.role == "include" for s in telling):
        include = [s for s in shapes if s.role == "include"]
        mask |= ~np.logical_or.reduce([shape_coverage(s, frame, poses, width, height, scale) for s in include])
    return mask
