"""What is nearer than a surface at a frame, as polygons: it takes its area from what is farther."""

from collections.abc import Mapping

import numpy as np

from verdigris.core.geometry.corrections import correction_offsets
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.quad import find_quad_problem
from verdigris.core.geometry.shapes import polygon_at
from verdigris.core.matte.occlusion import occlusion
from verdigris.core.tracking.follow import FrameResult
from verdigris.core.types import Float32, Float64
from verdigris.shot.document import Occluder, Shot, Surface

Tracks = Mapping[str, Mapping[int, FrameResult]]


def outline_at(occluder: Occluder, frame: int) -> Float64 | None:
    """Outline of an occluder at a frame, (N, 2) plate px; None when it is not there."""
    if not occluder.there_at(frame):
        return None
    return polygon_at(frame, [k.frame for k in occluder.keys], [np.array(k.points, dtype=np.float64) for k in occluder.keys])


def corners_at(surface: Surface, track: Mapping[int, FrameResult], frame: int) -> Float64 | None:
    """Corners of a surface at a frame with its corrections, (4, 2) plate px; None when lost or unknown."""
    quad, result = surface.quad(), track.get(frame)
    if quad is None or result is None or result.homography is None:
        return None
    at = apply_homography(result.homography, quad)
    at = at + correction_offsets(frame, surface.corner_corrections(), surface.reach_frames)
    return None if find_quad_problem(at, 1.0) else at


def in_front_of(shot: Shot, surface: Surface, tracks: Tracks, frame: int, scale: float = 1.0) -> tuple[list[Float64], list[float]]:
    """Polygons nearer than a surface and their soft edges, both in plate px times `scale`."""
    polygons: list[Float64] = []
    feathers: list[float] = []
    for occluder in shot.occluders:
        if occluder.depth < surface.depth and (outline := outline_at(occluder, frame)) is not None:
            polygons.append(outline * scale)
            feathers.append(occluder.feather_px * scale)
    for other in shot.surfaces:
        nearer = other.id != surface.id and other.depth < surface.depth
        if nearer and (at := corners_at(other, tracks.get(other.id, {}), frame)) is not None:
            polygons.append(at * scale)
            feathers.append(0.0)
    return polygons, feathers


def coverage_in_front(
    shot: Shot, surface: Surface, tracks: Tracks, frame: int, width: int, height: int, scale: float = 1.0
) -> Float32 | None:
    """Coverage (height, width) of everything nearer than a surface, or None."""
    polygons, feathers = in_front_of(shot, surface, tracks, frame, scale)
    return occlusion(polygons, feathers, width, height)
