"""What the samples around a sample say: something in front covers whole patches, noise and compression do not.

A covered sample may look right by chance, and the soft edge of what covers it nearly does. Its neighbours tell it.

References
----------
Canny, A computational approach to edge detection, PAMI 8(6), 1986 (what is weak counts beside what is strong).
Black and Anandan, The robust estimation of multiple motions, CVIU 63(1), 1996 (outliers of a movement lie together).
"""

from dataclasses import dataclass

import numba
import numpy as np

from verdigris.core.geometry.bounds import bounds
from verdigris.core.types import Bool, Float32, Int

# Neighbourhoods are three cells wide; a cell holds about one sample, and is no smaller than this, px.
LEAST_CELL_PX = 3
# What one residual counts at most, in squared standard deviations: where the biweight has nothing left for it.
MOST_SQUARE = np.float32(20)
# A neighbourhood shows something else for sure from this mean square on, even if slips were so many times what they usually are.
SURE, MANY_SLIPS = np.float32(8), np.float32(3)
# From this share of the region on, something is in front of it.
IN_FRONT = 0.02
# How many cells around what is sure are looked at, and how many times as much as usual they may disagree.
REACH = 3
ODD = np.float32(1.5)
# As many neighbourhoods tell what is usual, at least.
LEAST_TOLD = 50


@dataclass(frozen=True)
class Neighbourhoods:
    """Cells of the picture with what samples they hold.

    Attributes
    ----------
    cells : (N,) int64, the cell of each sample
    shape : rows and columns of cells, with an empty one all around
    """

    cells: Int
    shape: tuple[int, int]

    @classmethod
    def of(cls, pixels: Int) -> "Neighbourhoods":
        """Of samples at frame pixels (N, 2)."""
        if len(pixels) == 0:
            return cls(np.empty(0, np.int64), (2, 2))
        low, high = (corner.astype(np.int64) for corner in bounds(pixels))
        side = max(LEAST_CELL_PX, round(float(np.sqrt(np.prod((high + 1 - low).astype(float)) / len(pixels)))))
        columns, rows = ((high + 1 - low) // side + 3).tolist()
        cells = np.empty(len(pixels), np.int64)
        _into_cells(pixels, low, side, columns, rows, cells)
        return cls(cells, (rows, columns))


@numba.njit(cache=True, nogil=True)
def _into_cells(pixels, low, side, columns, rows, cells):  # type: ignore[no-untyped-def]
    """Fill the cell of every pixel; cells are `side` px wide from `low` on."""
    # Dividing once a column and row is much quicker than once a sample.
    along = np.arange((max(columns, rows) - 2) * side) // side + 1
    for i in range(pixels.shape[0]):
        cells[i] = along[pixels[i, 1] - low[1]] * columns + along[pixels[i, 0] - low[0]]


def agreement_around(around: Neighbourhoods, ratio: Float32, steep: Float32, seen: Bool) -> Float32:
    """How far the neighbourhood of every sample moves with the plane, (N,) float32, 0..1.

    Parameters
    ----------
    ratio : (N,) residuals in standard deviations, as they are expected
    steep : (N,) what a usual slip makes there, in standard deviations of the noise
    seen : (N,) samples that count
    """
    return np.asarray(_agreement(around.cells, *around.shape, ratio, steep, seen), np.float32)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _agreement(cells, rows, columns, ratio, steep, seen):  # type: ignore[no-untyped-def]
    """The same, compiled."""
    flat, one = np.zeros((rows * columns, 3), np.float32), np.float32(1)
    for i in range(cells.shape[0]):
        if seen[i]:
            own = flat[cells[i]]
            square, slip = ratio[i] * ratio[i], steep[i] * steep[i]
            own[0] += min(square, MOST_SQUARE)
            # What might be a slip, only larger than usual, is nothing to be sure of.
            own[1] += min(square * (one + slip) / (one + MANY_SLIPS * MANY_SLIPS * slip), MOST_SQUARE)
            own[2] += one
    # A neighbourhood that is sure has a cell that is: where these are few, nothing is in front.
    occupied, strong = 0, 0
    for i in range(flat.shape[0]):
        occupied += flat[i, 2] > 0
        strong += flat[i, 1] > SURE * flat[i, 2]
    agreement = np.ones(cells.shape[0], np.float32)
    if 9 * strong < IN_FRONT * occupied:
        return agreement
    grid = flat.reshape(rows, columns, 3)
    mean, beside = np.zeros((rows, columns), np.float32), np.zeros((rows, columns), np.bool_)
    sure, held = 0, 0
    for y in range(1, rows - 1):
        for x in range(1, columns - 1):
            near, sure_near, n = np.float32(0), np.float32(0), np.float32(0)
            for v in range(y - 1, y + 2):
                for u in range(x - 1, x + 2):
                    near, sure_near, n = near + grid[v, u, 0], sure_near + grid[v, u, 1], n + grid[v, u, 2]
            if n == 0:
                continue
            held += 1
            mean[y, x] = near / n
            # A few samples are sure of nothing.
            if sure_near > SURE * max(n, np.float32(4)):
                sure += 1
                beside[max(0, y - REACH) : y + REACH + 1, max(0, x - REACH) : x + REACH + 1] = True
    if sure < IN_FRONT * held:
        return agreement
    means, besides = mean.reshape(-1), beside.reshape(-1)
    told, m = np.empty(cells.shape[0], np.float32), 0
    for i in range(cells.shape[0]):
        if seen[i] and not besides[cells[i]]:
            told[m] = means[cells[i]]
            m += 1
    if m < LEAST_TOLD:
        return agreement
    usual = np.partition(told[:m], m // 2)[m // 2]
    for i in range(cells.shape[0]):
        if besides[cells[i]] and means[cells[i]] > ODD * usual:
            agreement[i] = (ODD * usual / means[cells[i]]) ** 2
    return agreement
