"""Where a surface is seen in a frame: its corners, and everything between them, through lens, rows and a bow.

A lens and rows read one after the other bend straight edges. What is bent is told apart from what is straight: a coarse grid says
how far each plate px lies from where a pinhole with all rows at once, at the middle of the exposure, would show it ("straight px").
There the surface is a plane, its edges are lines, and one homography takes it to artwork.

References
----------
Brown, Close-range camera calibration, 1971 (lens). Meingast, Geyer and Sastry, Geometric models of rolling-shutter cameras,
OMNIVIS 2005 (rows). Both are evaluated exactly at the grid's nodes; between them it is bilinear, which at GRID_PX leaves less
than .01 px of any lens a camera has.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from verdigris.core.camera.bow import USUAL_FOCAL, Bow
from verdigris.core.camera.optics import STILL, Movement, Optics, move_to_plane
from verdigris.core.geometry.homography import unit_square_to
from verdigris.core.types import Float32, Float64

GRID_PX = 4
# How far around the surface the grid reaches, px: edges are moved outwards, and so is what they are mixed with.
BEYOND_PX = 64
# Points along each edge of an outline.
EDGE_POINTS = 16
# A movement is told from this many frames each way; so often it is told anew from poses it has corrected.
NEIGHBOURS, ROUNDS = 2, 3
MIDDLE = ((0.0, 1.0),)
# Samples of a movement lie at most so far apart, plate px, up to a number.
SAMPLE_PX, MOST_SAMPLES = 1.5, 64


@dataclass(frozen=True)
class Bend:
    """How far plate px lie from straight px.

    Attributes
    ----------
    away : (samples, rows, cols, 2) float32, straight px minus plate px at the nodes of a grid
    left, top : plate px of its first node; nodes are GRID_PX apart
    """

    away: Float32
    left: float
    top: float


@dataclass(frozen=True)
class Warp:
    """A surface in one frame, at one or several moments of its exposure.

    Attributes
    ----------
    straight_from_surface : (samples, 3, 3) float64, unit square to straight px
    weights : (samples,) float64, sum 1
    outlines : (samples, N, 2) float64, plate px, the edges as they are seen
    bend : what lens, rows and bow do; None where nothing is bent, and straight px are plate px
    """

    straight_from_surface: Float64
    weights: Float64
    outlines: Float64
    bend: Bend | None = None

    @property
    def corners(self) -> Float64:
        """(samples, 4, 2) corners in straight px."""
        square = np.array([[0.0, 0, 1], [1, 0, 1], [1, 1, 1], [0, 1, 1]])
        at = square @ np.swapaxes(self.straight_from_surface, 1, 2)
        return np.asarray(at[..., :2] / at[..., 2:])

    @property
    def travel_px(self) -> float:
        """How far the outline moves between the first and the last sample at most, plate px."""
        return float(np.linalg.norm(self.outlines[-1] - self.outlines[0], axis=1).max())


def warp_of(
    camera: Optics, reference: Float64, corners: Mapping[int, Float64], exposure: Sequence[tuple[float, float]] = MIDDLE,
    area: Float64 | None = None,
) -> Warp:  # fmt: skip
    """The surface in a frame as a camera sees it; its corners lie where they are given.

    Parameters
    ----------
    camera : of the picture the corners are in
    reference : (4, 2) float64, corners at the reference frame, plate px
    corners : (4, 2) float64 each, plate px, at offsets in frames; 0 must be among them, others tell the movement
    exposure : moments, in frames from the frame's own, each with its weight; weights sum to 1
    area : (4, 2) float64, another quad on the same plane at the reference frame, plate px, that is meant instead of the surface itself

    Raises
    ------
    ValueError
        When three corners lie on a line.
    """
    quad = np.asarray(camera.ideal(reference), float)
    bow = _bow_of(camera, quad)
    needed = camera.readout != 0 or len(exposure) > 1
    pose, move = _pose_and_movement(camera, quad, {k: c for k, c in corners.items() if needed or k == 0})
    m0, m1, m2 = move.ahead(pose)
    moments = [m0 + t * m1 + t * t * m2 for t, _ in exposure]
    if area is not None:
        quad = np.asarray(camera.ideal(area), float)
    square = unit_square_to(quad)
    outlines = np.array([_outline(camera, quad, p, move, bow) for p in moments])
    weights = np.array([w for _, w in exposure])
    if (camera.lens is None or camera.lens.is_ideal) and bow is None and (camera.readout == 0 or move.is_still):
        return Warp(np.array([p @ square for p in moments]), weights, outlines)
    bend = _bend(camera, pose, moments, move, bow, outlines.reshape(-1, 2))
    return Warp(np.repeat((pose @ square)[None], len(moments), axis=0), weights, outlines, bend)


def outline_from_surface(unit: Float64, warp: Warp) -> Float64:
    """Points of a surface's unit square (N, 2) as they are seen at the middle of the exposure, plate px."""
    middle = len(warp.weights) // 2
    at = np.concatenate([unit, np.ones((len(unit), 1))], axis=1) @ warp.straight_from_surface[middle].T
    straight = at[:, :2] / at[:, 2:]
    if warp.bend is None:
        return np.asarray(straight)
    away, seen = warp.bend.away[middle], straight.copy()
    for _ in range(3):
        # Straight px are plate px and the grid's offset there; the grid is smooth, so a few steps are enough.
        g = np.clip((seen - [warp.bend.left, warp.bend.top]) / GRID_PX, 0, [away.shape[1] - 1.001, away.shape[0] - 1.001])
        i, f = g.astype(int), (g - g.astype(int))[:, :, None]
        x, y, fx, fy = i[:, 0], i[:, 1], f[:, 0], f[:, 1]
        low, high = away[y, x] * (1 - fx) + away[y, x + 1] * fx, away[y + 1, x] * (1 - fx) + away[y + 1, x + 1] * fx
        seen = straight - (low * (1 - fy) + high * fy)
    return np.asarray(seen)


def outline_of(camera: Optics, reference: Float64, corners: Mapping[int, Float64]) -> Float64:
    """A surface's edges as they are seen, (N, 2) plate px, from the top-left corner clockwise; parameters and errors as `warp_of`."""
    quad = np.asarray(camera.ideal(reference), float)
    pose, move = _pose_and_movement(camera, quad, {k: c for k, c in corners.items() if camera.readout != 0 or k == 0})
    return _outline(camera, quad, pose, move, _bow_of(camera, quad))


def _bow_of(camera: Optics, quad: Float64) -> Bow | None:
    return Bow.of(quad, (camera.width, camera.height), camera.bow, camera.focal or USUAL_FOCAL) if any(camera.bow) else None


def exposure_of(open_for: float, travel_px: float) -> tuple[tuple[float, float], ...]:
    """Evenly spread moments of an exposure and their weights.

    Parameters
    ----------
    open_for : how long the shutter is open, frames
    travel_px : how far the surface moves in a frame's time at most, plate px

    Notes
    -----
    As many as the blur is long: more would not be seen, fewer would show as copies. The middle of even intervals (midpoint rule).
    """
    count = int(np.clip(np.ceil(open_for * travel_px / SAMPLE_PX), 1, MOST_SAMPLES))
    at = ((np.arange(count) + 0.5) / count - 0.5) * open_for
    return tuple((float(t), 1.0 / count) for t in at)


def scaled_camera(camera: Optics, scale: float) -> Optics:
    """The camera of the same picture with `scale` px for each of its px."""
    if scale == 1.0:
        return camera
    lens = camera.lens
    if lens is not None:
        lens = replace(lens, centre=(lens.centre[0] * scale, lens.centre[1] * scale), half_diagonal=lens.half_diagonal * scale)
    return replace(camera, width=round(camera.width * scale), height=round(camera.height * scale), lens=lens)


def _pose_and_movement(camera: Optics, quad: Float64, corners: Mapping[int, Float64]) -> tuple[Float64, Movement]:
    """The plane's pose at the middle row's time, with which its corners are seen where they are, and how it moves around it."""
    poses = _poses_of(camera, quad, corners, dict.fromkeys(corners, STILL))
    if camera.readout == 0 or len(poses) < 2:
        return poses[0], camera.movement(poses)
    # Corners are seen at the times of their rows; the movement that takes them there is told by the poses themselves.
    for _ in range(ROUNDS):
        poses = _poses_of(camera, quad, corners, {k: _movement_at(camera, poses, k) for k in poses})
    move = _movement_at(camera, poses, 0)
    return _poses_of(camera, quad, {0: corners[0]}, {0: move})[0], move


def _movement_at(camera: Optics, poses: Mapping[int, Float64], k: int) -> Movement:
    return camera.movement({j - k: p for j, p in poses.items() if abs(j - k) <= NEIGHBOURS})


def _poses_of(camera: Optics, quad: Float64, corners: Mapping[int, Float64], moves: Mapping[int, Movement]) -> dict[int, Float64]:
    """Poses that show corners where they are, under given movements; ValueError when there is none at offset 0."""
    found = {k: camera.pose_of_corners(quad, corners[k], move) for k, move in moves.items()}
    poses = {k: p for k, p in found.items() if p is not None}
    if 0 not in poses:
        raise ValueError("three of the four corners lie on a line")
    return poses


def _outline(camera: Optics, quad: Float64, pose: Float64, move: Movement, bow: Bow | None) -> Float64:
    """The edges as they are seen, (4 * EDGE_POINTS, 2) plate px, from the top-left corner clockwise."""
    s = np.arange(EDGE_POINTS)[:, None] / EDGE_POINTS
    along = [(1 - s) * quad[i] + s * quad[(i + 1) % 4] for i in range(4)]
    points = np.concatenate(along)
    if bow is None:
        return camera.project(points, pose, move)
    times = camera.row_time(camera.project(points, pose, move)[:, 1])[:, None]
    p = np.concatenate([points, np.ones((len(points), 1))], axis=1)
    m0, m1, m2 = move.ahead(pose)
    at = p @ m0.T + times * (p @ m1.T) + times**2 * (p @ m2.T)
    ideal = at[:, :2] / at[:, 2:]
    return camera.seen(ideal + bow.offset(ideal, pose))


def _bend(camera: Optics, pose: Float64, moments: Sequence[Float64], move: Movement, bow: Bow | None, outline: Float64) -> Bend:
    """The grid over what the surface covers, and a rim of BEYOND_PX around it."""
    ideal_all, first = _ideal_nodes(replace(camera, shutter=None, bow=(0.0, 0.0), focal=None, camera_covariance=None))
    rows, cols = ideal_all.shape[:2]
    # At least one cell, also of a surface that lies outside the picture.
    low, high = (np.clip((v - first) / GRID_PX, 0, [cols - 2, rows - 2]).astype(int) for v in _reach(outline))
    (x0, y0), (x1, y1) = low, high + 2
    ideal = ideal_all[y0:y1, x0:x1].reshape(-1, 2)
    left, top = float(first + GRID_PX * x0), float(first + GRID_PX * y0)
    y, x = np.mgrid[0 : y1 - y0, 0 : x1 - x0]
    seen = np.stack([left + GRID_PX * x, top + GRID_PX * y], axis=2).reshape(-1, 2).astype(float)
    away = np.empty((len(moments), y1 - y0, x1 - x0, 2), np.float32)
    for i, moment in enumerate(moments):
        flat = ideal if bow is None else ideal - bow.offset(ideal, moment)
        readout = 0.0 if move.is_still else camera.readout
        straight = move_to_plane(flat, seen[:, 1], [pose @ m for m in move.back(moment)], readout, float(camera.height))
        away[i] = (straight - seen).reshape(away.shape[1:])
    return Bend(away, left, top)


def _reach(outline: Float64) -> tuple[Float64, Float64]:
    """The box around an outline and its rim, plate px: its smallest and its largest x and y."""
    return outline.min(axis=0) - BEYOND_PX, outline.max(axis=0) + BEYOND_PX


@lru_cache(maxsize=8)
def _ideal_nodes(camera: Optics) -> tuple[Float64, int]:
    """Ideal points of the grid's nodes over the whole picture and a rim around it, (rows, cols, 2); plate px of the first node."""
    first = -2 * GRID_PX
    cols, rows = (size // GRID_PX + 6 for size in (camera.width, camera.height))
    y, x = np.mgrid[0:rows, 0:cols].astype(float)
    nodes = np.stack([first + GRID_PX * x, first + GRID_PX * y], axis=2)
    return np.asarray(camera.ideal(nodes.reshape(-1, 2))).reshape(rows, cols, 2), first
