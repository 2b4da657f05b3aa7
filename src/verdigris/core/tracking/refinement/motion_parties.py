"""Two motions in one region: some frames went with one part of it, some with another. Find out, and go with the rim.

What runs on a screen, or slides by in a window, can be a plane of its own and as good to follow as the surface. Frame by frame
nobody can tell; over the run the tiles fall into two parties, of which each frame agrees with one. The surface is taken to be
the party nearer to the rim of the region, because that is what an artist outlines; the frames that went with the other
are followed again without it.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from verdigris.core.tracking.reference.appearance import Appearance
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.types import Bool, Float64

LEAST_FRAMES = 3
# How differently a tile has to agree with the two groups of frames, and the share of the region a party has.
APART = 0.4
LEAST_PARTY = 0.12
# Where there are two parties, this share of all that frames disagree about is which of them they went with. People who pass,
# rows that are read later, a lens: they disagree about many things.
LEAST_LEAD = 0.6


@dataclass(frozen=True)
class Parties:
    """Two parties of tiles, and who went with which.

    Attributes
    ----------
    surface, other : (tiles,) bool
    astray : frames that went with the other party, in order
    """

    surface: Bool
    other: Bool
    astray: list[int]


def find_parties(appearance: Appearance, results: Mapping[int, FrameResult], reference_frame: int) -> Parties | None:
    """Split a run whose frames disagree about what moves; None when they agree.

    Notes
    -----
    The leading singular vector of agreement (frames x tiles, means taken out) orders frames by the party they went with.
    """
    tiles = {n: t for n, r in sorted(results.items()) if n != reference_frame and r.evidence and (t := r.evidence.tiles) is not None}
    frames = list(tiles)
    if len(frames) < 2 * LEAST_FRAMES:
        return None
    seen = np.stack(list(tiles.values())).astype(np.float64)
    known = np.isfinite(seen)
    telling = known.sum(axis=0) >= 0.5 * len(frames)
    if telling.sum() < 8:
        return None
    mean = np.where(known, seen, 0.0).sum(axis=0) / np.maximum(known.sum(axis=0), 1)
    centred = np.where(known & telling, seen - mean, 0.0)
    directions, weight, _ = np.linalg.svd(centred, full_matrices=False)
    side = directions[:, 0]
    if weight[0] ** 2 < LEAST_LEAD * float(np.sum(weight**2)):
        return None
    first = side > 0.5 * (side.max() + side.min())
    if min(first.sum(), (~first).sum()) < LEAST_FRAMES:
        return None
    split = _mean(seen[first], known[first]) - _mean(seen[~first], known[~first])
    a, b = telling & (split > APART), telling & (split < -APART)
    if min(a.sum(), b.sum()) < LEAST_PARTY * telling.sum():
        return None
    depth = np.bincount(appearance.tiles, appearance.depth, len(appearance.centres)) / np.maximum(
        np.bincount(appearance.tiles, minlength=len(appearance.centres)), 1
    )
    if float(depth[a].mean()) <= float(depth[b].mean()):
        return Parties(a, b, [n for n, f in zip(frames, first, strict=True) if not f])
    return Parties(b, a, [n for n, f in zip(frames, first, strict=True) if f])


def went_astray(parties: Parties, result: FrameResult) -> bool:
    """Whether a frame agrees with the other party rather than with the surface."""
    if result.evidence is None or result.evidence.tiles is None:
        return False
    tiles = result.evidence.tiles[None].astype(np.float64)
    known = np.isfinite(tiles)
    agreement = _mean(tiles, known)
    return bool(agreement[parties.surface].mean() < agreement[parties.other].mean())


def _mean(seen: Float64, known: Bool) -> Float64:
    return np.asarray(np.where(known, seen, 0.0).sum(axis=0) / np.maximum(known.sum(axis=0), 1))
