"""The frame's own pixels at which a pose is tried: chosen nearest to where the reference's samples fall."""

from dataclasses import dataclass
from functools import cached_property

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
    pixels, ideal = np.empty((len(which), 2), np.int64), np.empty((len(which), 2))
    times, tiles, depth = np.empty(len(which)), np.empty(len(which), np.int64), np.empty(len(which), np.float32)
    starts = np.empty(len(appearance.centres) + 1, np.int64)
    hidden = np.zeros((0, 0), np.bool_) if hidden is None else hidden
    taken = np.zeros((optics.height, optics.width), np.bool_)
    n = _place(
        appearance.points, appearance.tiles, appearance.depth, which, *move.ahead(h), optics.readout, not move.is_still,
        optics.lens is not None, optics.terms, hidden, taken, pixels, ideal, times, tiles, depth, starts,
    )  # fmt: skip
    return Samples(pixels[:n], ideal[:n], times[:n], tiles[:n], depth[:n], starts)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _place(  # type: ignore[no-untyped-def]
    points, all_tiles, all_depth, which, h0, h1, h2, readout, moves, bends, lens, hidden, taken, pixels, ideal, times, tiles, depth, starts
):
    """Fill the samples; returns how many there are. Where the plane is seen smaller, several points fall on one pixel: the first has it."""
    height, width = taken.shape
    rows_later = readout if moves else 0.0
    n, tile = 0, 0
    starts[0] = 0
    for j in range(which.shape[0]):
        i = which[j]
        sx, sy, u, v = project_one(points[i, 0], points[i, 1], h0, h1, h2, rows_later, float(height), lens)
        x, y = int(sx), int(sy)
        if x < 2 or y < 2 or x >= width - 2 or y >= height - 2 or taken[y, x] or (hidden.size > 0 and hidden[y, x]):
            continue
        taken[y, x] = True
        pixels[n, 0], pixels[n, 1] = x, y
        cx, cy = x + 0.5, y + 0.5
        ideal[n, 0], ideal[n, 1] = cx, cy
        if bends:
            ideal[n, 0], ideal[n, 1] = undistort_near(cx, cy, u + cx - sx, v + cy - sy, lens)
        times[n] = readout * (cy / height - 0.5)
        while tile < all_tiles[i]:
            tile += 1
            starts[tile] = n
        tiles[n], depth[n] = all_tiles[i], all_depth[i]
        n += 1
    starts[tile + 1 :] = n
    return n
