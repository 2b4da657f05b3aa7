"""The frame's own pixels at which a pose is tried: chosen nearest to where the reference's samples fall."""

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numba
import numpy as np

from verdigris.core.camera.optics import Movement, Optics, project_one
from verdigris.core.geometry.bounds import bounds
from verdigris.core.geometry.lens import undistort_near
from verdigris.core.tracking.alignment.neighbourhood import Neighbourhoods
from verdigris.core.tracking.reference.appearance import Appearance
from verdigris.core.types import Bool, Float32, Float64, Int

# Room around a region for the smoothing of its pictures, px.
MARGIN_PX = 24
# Pixels nearer to the edge of the picture are left out.
RIM_PX = 2


@dataclass
class Samples:
    """Frame pixels compared at one pose, tile by tile.

    Attributes
    ----------
    pixels : (N, 2) int64, x and y
    ideal : (N, 2) float64, where their centres are, ideal frame px
    times : (N,) float64, frames, when their rows are read
    tiles : (N,) int64, ascending
    depth : (N,) float32, distance from the rim of the region, reference px
    starts : (tiles + 1,) where each tile begins
    """

    pixels: Int
    ideal: Float64
    times: Float64
    tiles: Int
    depth: Float32
    starts: Int

    @cached_property
    def neighbourhoods(self) -> Neighbourhoods:
        """Which of them lie together."""
        return Neighbourhoods.of(self.pixels)


def box_of(appearance: Appearance, optics: Optics, h: Float64, move: Movement) -> tuple[int, int, int, int] | None:
    """Box of frame pixels (x0, y0, x1, y1) around the region under a pose, with room for smoothing; None when outside."""
    at = optics.project(appearance.outline, h, move)
    # Column by column, as in `bounds`.
    at = at[(np.abs(at[:, 0]) < 9e4) & (np.abs(at[:, 1]) < 9e4)]
    if len(at) < 20:
        return None
    low, high = bounds(at)
    x0, y0 = np.maximum(np.floor(low).astype(int) - MARGIN_PX, 0)
    x1, y1 = np.minimum(np.ceil(high).astype(int) + MARGIN_PX, [optics.width, optics.height])
    return (int(x0), int(y0), int(x1), int(y1)) if x1 - x0 > 8 and y1 - y0 > 8 else None


def place(appearance: Appearance, optics: Optics, h: Float64, move: Movement, hidden: Bool | None, which: Int | None) -> Samples:
    """The frame's pixels nearest to where samples fall, each once; those covered or outside are left out.

    Parameters
    ----------
    h, move : pose and movement
    hidden : (H, W) bool, what something nearer covers, or None
    which : indices of the samples; all when not given
    """
    which = np.arange(len(appearance.points)) if which is None else which
    out = _Room.for_samples(len(which), len(appearance.centres))
    view = _View(move.ahead(h), optics.readout, not move.is_still, optics.lens is not None, optics.terms)
    taken = np.zeros((optics.height, optics.width), np.bool_)
    if hidden is not None:
        taken |= hidden
    n = _place(appearance.points, appearance.tiles, appearance.depth, which, view, taken, out)
    return Samples(out.pixels[:n], out.ideal[:n], out.times[:n], out.tiles[:n], out.depth[:n], out.starts)


class _View(NamedTuple):
    """How points are seen: the pose's terms, how rows are read while it moves, and the lens."""

    ahead: tuple[Float64, Float64, Float64]
    readout: float
    moves: bool
    bends: bool
    lens: Float64


class _Room(NamedTuple):
    """Where samples go, as in `Samples`."""

    pixels: Int
    ideal: Float64
    times: Float64
    tiles: Int
    depth: Float32
    starts: Int

    @classmethod
    def for_samples(cls, count: int, tiles: int) -> "_Room":
        """Room for so many at most."""
        return cls(
            np.empty((count, 2), np.int64), np.empty((count, 2)), np.empty(count), np.empty(count, np.int64),
            np.empty(count, np.float32), np.empty(tiles + 1, np.int64),
        )  # fmt: skip


@numba.njit(cache=True, nogil=True, fastmath=True)
def _place(points, all_tiles, all_depth, which, view, taken, out):  # type: ignore[no-untyped-def]
    """Fill the samples; returns how many there are. Where the plane is seen smaller, several points fall on one pixel: the first has it."""
    height, width = taken.shape
    h0, h1, h2 = view.ahead
    rows_later = view.readout if view.moves else 0.0
    n, tile = 0, 0
    out.starts[0] = 0
    for j in range(which.shape[0]):
        i = which[j]
        sx, sy, u, v = project_one(points[i, 0], points[i, 1], h0, h1, h2, rows_later, float(height), view.lens)
        x, y = int(sx), int(sy)
        if x < RIM_PX or y < RIM_PX or x >= width - RIM_PX or y >= height - RIM_PX or taken[y, x]:
            continue
        taken[y, x] = True
        out.pixels[n, 0], out.pixels[n, 1] = x, y
        cx, cy = x + 0.5, y + 0.5
        out.ideal[n, 0], out.ideal[n, 1] = cx, cy
        if view.bends:
            out.ideal[n, 0], out.ideal[n, 1] = undistort_near(cx, cy, u + cx - sx, v + cy - sy, view.lens)
        out.times[n] = view.readout * (cy / height - 0.5)
        while tile < all_tiles[i]:
            tile += 1
            out.starts[tile] = n
        out.tiles[n], out.depth[n] = all_tiles[i], all_depth[i]
        n += 1
    out.starts[tile + 1 :] = n
    return n
