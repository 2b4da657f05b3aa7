"""What is nearer than a surface at a frame, as polygons: it takes its area from what is farther."""

from collections.abc import Mapping, Sequence
from functools import partial

import numpy as np

from verdigris.core.camera.optics import Optics
from verdigris.core.composite.warp import outline_of as bent_outline
from verdigris.core.geometry.corrections import correction_offsets
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.quad import find_quad_problem
from verdigris.core.geometry.shapes import keyed_points, smooth_outline
from verdigris.core.matte.occlusion import occlusion
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.types import Float32, Float64
from verdigris.runs.scene.camera import Size, camera_of
from verdigris.runs.scene.exposure import Tracks, exposed, shutter_of
from verdigris.shot.model.document import Shot
from verdigris.shot.model.outline import Occluder
from verdigris.shot.model.surface import Surface

# Frames each way whose corners tell how a frame's rows move: two for the movement, and two more for theirs.
AROUND = 4


def outline_at(occluder: Occluder, frame: int, tracks: Tracks | None = None) -> Float64 | None:
    """Outline of an occluder at a frame, (N, 2) plate px; None when it is not there.

    One that rides a surface moves with it between its keys; where that surface is lost, it stays where its keys say.
    """
    if not occluder.there_at(frame):
        return None
    keys = [(k.frame, np.array(k.points, dtype=np.float64), False) for k in occluder.keys]
    poses = {
        n: r.homography for n, r in ((tracks or {}).get(occluder.rides, {}) if occluder.rides else {}).items() if r.homography is not None
    }
    points = riding_points(frame, keys, poses)
    return smooth_outline(points) if occluder.outline == "smooth" else points


def exposed_outline(occluder: Occluder, frame: int, tracks: Tracks, shutter: float | None) -> Float64 | None:
    """An occluder's outline while the shutter is open, see `exposed`; without a shutter, at the frame."""
    open_for = 0.0 if shutter is None else shutter if occluder.shutter is None else occluder.shutter
    keyed = (occluder.keys[0].frame, occluder.keys[-1].frame)
    ridden = {n: r.homography for n, r in tracks.get(occluder.rides, {}).items()} if occluder.rides else None

    def at(n: int) -> Float64 | None:
        return outline_at(occluder, n, tracks) if n == frame or told_at(keyed, n, ridden) else None

    return exposed(at, frame, open_for)


def told_at(keyed: tuple[int, int], frame: int, ridden: Mapping[int, Float64 | None] | None) -> bool:
    """Whether a shape's movement is told at a frame: by its keys, beyond which it is only held, or by the plane that it rides."""
    return keyed[0] <= frame <= keyed[1] if ridden is None else ridden.get(frame) is not None


def riding_points(frame: int, keys: Sequence[tuple[int, Float64, bool]], poses: Mapping[int, Float64]) -> Float64:
    """Keyed points that move with a plane between their keys, (N, 2) plate px; keys and frames without a pose stay as they are."""
    if frame not in poses:
        return keyed_points(frame, keys)
    known = [(n, apply_homography(np.asarray(np.linalg.inv(poses[n]), np.float64), p), eased) for n, p, eased in keys if n in poses]
    if not known or any(np.all(np.isnan([p[i, 0] for _, p, _ in known])) for i in range(len(known[0][1]))):
        return keyed_points(frame, keys)
    return apply_homography(poses[frame], keyed_points(frame, known))


def corners_at(surface: Surface, track: Mapping[int, FrameResult], frame: int) -> Float64 | None:
    """Corners of a surface at a frame with its corrections, (4, 2) plate px; None when lost or unknown."""
    quad, result = surface.quad(), track.get(frame)
    if quad is None or result is None or result.homography is None:
        return None
    at = apply_homography(result.homography, quad)
    at = at + correction_offsets(frame, surface.corner_corrections(), surface.reach_frames)
    return None if find_quad_problem(at, 1.0) else at


def corners_around(
    surface: Surface, track: Mapping[int, FrameResult], frame: int, camera: Optics, moving: bool = False
) -> dict[int, Float64]:
    """Corners at a frame, offset 0, and around it where rows or a blur (`moving`) make its movement matter; empty when lost there."""
    offsets = range(-AROUND, AROUND + 1) if camera.readout or moving else (0,)
    found = {k: at for k in offsets if (at := corners_at(surface, track, frame + k)) is not None}
    return found if 0 in found else {}


def outline_of(shot: Shot, surface: Surface, tracks: Tracks, frame: int, size: Size) -> Float64 | None:
    """A surface's edges as they are seen at a frame, (N, 2) plate px, from the top-left corner clockwise; None when lost."""
    track, quad = tracks.get(surface.id, {}), surface.quad()
    camera = camera_of(shot, size, track)
    corners = corners_around(surface, track, frame, camera)
    if quad is None or not corners:
        return None
    if camera.is_plain and not any(camera.bow):
        return corners[0]
    try:
        return bent_outline(camera, quad, corners)
    except ValueError:
        return corners[0]


def _outline_at(shot: Shot, surface: Surface, tracks: Tracks, size: Size, frame: int) -> Float64 | None:
    return outline_of(shot, surface, tracks, frame, size)


def in_front_of(
    shot: Shot, surface: Surface, tracks: Tracks, frame: int, size: Size, scale: float = 1.0, blurred: bool = False
) -> tuple[list[Float64], list[float]]:
    """Polygons nearer than a surface and their soft edges, both in plate px times `scale`; `size` is the plate's, px.

    `blurred` gives those that move at several moments of the exposure, (M, N, 2).
    """
    shutter = shutter_of(shot, tracks) if blurred else 0.0
    polygons: list[Float64] = []
    feathers: list[float] = []
    for occluder in shot.occluders:
        nearer = occluder.depth < surface.depth
        if nearer and (outline := exposed_outline(occluder, frame, tracks, shutter if blurred else None)) is not None:
            polygons.append(outline * scale)
            feathers.append(occluder.feather_px * scale)
    for other in shot.surfaces:
        nearer = other.id != surface.id and other.depth < surface.depth
        if nearer and (at := exposed(partial(_outline_at, shot, other, tracks, size), frame, shutter)) is not None:
            polygons.append(at * scale)
            feathers.append(0.0)
    return polygons, feathers


def coverage_in_front(
    shot: Shot, surface: Surface, tracks: Tracks, frame: int, width: int, height: int, scale: float = 1.0
) -> Float32 | None:
    """Coverage (height, width) of everything nearer than a surface, or None."""
    polygons, feathers = in_front_of(shot, surface, tracks, frame, (round(width / scale), round(height / scale)), scale)
    return occlusion(polygons, feathers, width, height)
