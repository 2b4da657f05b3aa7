"""Which pixels of a frame may be compared with a surface's region, from its shapes and what stands in front."""

from collections.abc import Mapping

import numpy as np

from verdigris.core.geometry.shapes import polygon_coverage, smooth_outline
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.follow import FrameResult
from verdigris.core.types import Bool, Float64
from verdigris.runs.fronts import Tracks, coverage_in_front, riding_points
from verdigris.shot.document import RegionShape, Shot, Surface


def shape_at(shape: RegionShape, frame: int, poses: Mapping[int, Float64]) -> Float64:
    """Outline of a region's shape at a frame, (N, 2) plate px; `poses` are the plane's, frame from reference."""
    keys = [(k.frame, k.array(), k.ease == "eased") for k in shape.keys]
    points = riding_points(frame, keys, poses if shape.rides == "plane" else {})
    return smooth_outline(points) if shape.outline == "smooth" else points


def region_at_reference(shot: Shot, surface: Surface, tracks: Tracks, width: int, height: int) -> Bool:
    """Pixels of the region at the reference frame that nothing covers, (H, W) bool.

    Without an include shape, the surface's own corners are the region.
    """
    at, own = surface.reference_frame, {surface.reference_frame: np.eye(3)}
    include = [np.array(p, dtype=np.float64) for p in surface.region.include]
    include += [shape_at(s, at, own) for s in surface.region.shapes if s.role == "include"]
    quad = surface.quad()
    if not include and quad is not None:
        include = [quad]
    exclude = [np.array(p, dtype=np.float64) for p in surface.region.exclude]
    exclude += [shape_at(s, at, own) for s in surface.region.shapes if s.role == "exclude"]
    front = coverage_in_front(shot, surface, tracks, at, width, height)
    return region_mask(include, exclude, front, width, height)


def unusable_at(
    shot: Shot, surface: Surface, tracks: Tracks, results: Mapping[int, FrameResult], frame: int, width: int, height: int
) -> Bool | None:
    """Pixels of a frame that may not be compared: covered by something nearer, or outside keyed shapes; None when all may."""
    front = coverage_in_front(shot, surface, tracks, frame, width, height)
    mask = None if front is None else front > 0.01
    # A shape with a single key that rides the plane says no more than the region at the reference frame does.
    telling = [s for s in surface.region.shapes if len(s.keys) > 1 or s.rides == "picture"]
    if not telling:
        return mask
    poses = {n: r.homography for n, r in results.items() if r.homography is not None}
    if frame not in poses and poses:
        # The frame is not followed yet: its neighbour's pose will do, the mask's rim is left out anyway.
        poses[frame] = poses[min(poses, key=lambda n: abs(n - frame))]
    mask = np.zeros((height, width), bool) if mask is None else mask
    for shape in telling:
        inside = polygon_coverage(shape_at(shape, frame, poses), width, height)
        if shape.role == "exclude":
            mask |= inside > 0.001
        elif len(surface.region.include) == 0 and sum(s.role == "include" for s in surface.region.shapes) == 1:
            mask |= inside < 0.999
    return mask
