"""Where in the region the picture does not move with the plane: running content, reflections, things in front, parallax.

Every followed frame says of every tile how far it moved with the plane. Tiles that disagree most of the time are gathered into
patches, each outlined at the reference frame: proposals for exclude shapes. What disagrees for a while only is gathered over
places and frames: something that passes, outlined at several frames, a proposal for an occluder with keys.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from scipy import ndimage

from verdigris.core.geometry.bounds import bounds
from verdigris.core.tracking.reference.appearance import Appearance
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.types import Bool, Float32, Float64, Int

Kind = Literal["content", "passing"]
DISAGREES = 0.4
# So often content disagrees; beside content, so often is enough: it stands still at times, or looks as it did.
MOST_OF_THE_TIME, NOW_AND_THEN = 0.5, 0.2
MAP_PX = 8
# What passes is there for so many frames that were looked at, and covers so much of the region, as a share, while it is.
LEAST_FRAMES, LEAST_COVER = 2, 0.02
# Of all the disagreement where it goes, as much is its own: what disagrees before and after as well is content.
LEAST_OWN = 0.5
# Frames at which it is outlined at most, and points of each outline.
MOST_KEYS, KEY_POINTS = 9, 12


@dataclass(frozen=True)
class OutlineKey:
    """Where something is at a frame; points (N, 2) float64, ideal reference px, the same number and order at every frame."""

    frame: int
    points: Float64


@dataclass(frozen=True)
class Disagreement:
    """A patch of the region that does not move with the plane.

    Attributes
    ----------
    kind : `content` disagrees most of the time, `passing` for a while only
    outline : (N, 2) float64, ideal reference px, all it touches
    frames : first and last frame at which it disagrees, or may, as far as frames were looked at
    share_of_region : 0..1, while it is there
    helps : by how much its disagreement drags on the fit: mean lost weight of its tiles while it is there, 0..1
    keys : where it is at some frames, in order
    """

    kind: Kind
    outline: Float64
    frames: tuple[int, int]
    share_of_region: float
    helps: float
    keys: tuple[OutlineKey, ...]


def disagreement_map(results: Mapping[int, FrameResult], first: int, last: int) -> tuple[list[int], Float32] | None:
    """Frames, and (frames, tiles) float32 of how far each tile moves with the plane (NaN where unseen); None without evidence."""
    frames = [n for n, r in sorted(results.items()) if first <= n <= last and r.evidence is not None and r.evidence.tiles is not None]
    if not frames:
        return None
    return frames, np.array([results[n].evidence.tiles for n in frames], np.float32)  # type: ignore[union-attr]


def find_disagreements(appearance: Appearance, results: Mapping[int, FrameResult], first: int, last: int) -> list[Disagreement]:
    """Patches that disagree, worst first; empty when everything moves with the plane."""
    found = disagreement_map(results, first, last)
    if found is None or len(found[0]) < 3:
        return []
    frames, agreement = found
    known = np.isfinite(agreement)
    against = known & (np.nan_to_num(agreement, nan=1.0) < DISAGREES)
    weight_lost = 1 - np.nan_to_num(agreement, nan=1.0)
    always = against.sum(axis=0) / np.maximum(known.sum(axis=0), 1) >= MOST_OF_THE_TIME
    passing = _passers(appearance, against & ~always)
    lasting = against & ~np.any(passing, axis=0) if passing else against
    patches = []
    for tiles in _patches(appearance, lasting.sum(axis=0) / np.maximum(known.sum(axis=0), 1) >= NOW_AND_THEN, always):
        active = np.flatnonzero(against[:, tiles].any(axis=1))
        outline = _outline(appearance, tiles)
        if outline is not None and len(active):
            span = (frames[active[0]], frames[active[-1]])
            share = len(tiles) / agreement.shape[1]
            patches.append(
                Disagreement("content", outline, span, share, float(weight_lost[:, tiles].mean()), (OutlineKey(span[0], outline),))
            )
    for there in passing:
        when = np.flatnonzero(there.any(axis=1))
        outline = _outline(appearance, np.flatnonzero(there.any(axis=0)))
        if outline is not None:
            share = float(there[when].sum(axis=1).mean()) / agreement.shape[1]
            # Between frames that were looked at it may have been there already, or still.
            before, after = when[0] - 1, when[-1] + 1
            span = (frames[before] + 1 if before >= 0 else frames[0], frames[after] - 1 if after < len(frames) else frames[-1])
            patches.append(
                Disagreement("passing", outline, span, share, float(weight_lost[there].mean()), _keys(appearance, there, frames))
            )
    return sorted(patches, key=lambda p: -p.helps * p.share_of_region)


def _passers(appearance: Appearance, against: Bool) -> list[Bool]:
    """What goes on from frame to frame, each (frames, tiles) bool; specks are left out.

    Two that meet stay two until they do, so that what lies between them is not taken for a part of them.
    """
    across, near = appearance.across, np.ones((3, 3), bool)
    threads: list[Bool] = []
    going: list[int] = []
    for i, now in enumerate(against.reshape(-1, across, across)):
        labels, count = ndimage.label(now, near)
        parts = [labels == k + 1 for k in range(count)]
        # Whichever pairs share most belong together; each part goes on with one of those before it, each of those with one part.
        reached = [ndimage.binary_dilation(threads[t][i - 1].reshape(across, across), near) for t in going]
        shared = sorted(
            ((int((r & p).sum()), t, k) for t, r in zip(going, reached, strict=True) for k, p in enumerate(parts)), reverse=True
        )
        follows: dict[int, int] = {}
        for most, t, k in shared:
            if most and k not in follows and t not in follows.values():
                follows[k] = t
        going = []
        for k, part in enumerate(parts):
            if k not in follows:
                follows[k] = len(threads)
                threads.append(np.zeros(against.shape, bool))
            threads[follows[k]][i] = part.reshape(-1)
            going.append(follows[k])

    def shows(there: Bool) -> bool:
        each = there.sum(axis=1)
        own = there.sum() / against[:, there.any(axis=0)].sum()
        return bool(np.count_nonzero(each) >= LEAST_FRAMES and each[each > 0].mean() >= LEAST_COVER * against.shape[1] and own >= LEAST_OWN)

    return [there for there in threads if shows(there)]


def _keys(appearance: Appearance, there: Bool, frames: list[int]) -> tuple[OutlineKey, ...]:
    """Outlines of something that passes, (frames, tiles) bool, at some of the frames."""
    when = np.flatnonzero(there.any(axis=1))
    some = when[np.unique(np.linspace(0, len(when) - 1, min(len(when), MOST_KEYS)).round().astype(int))]
    return tuple(OutlineKey(frames[i], _around(appearance, np.flatnonzero(there[i]))) for i in some)


def _around(appearance: Appearance, tiles: Int) -> Float64:
    """Outline of some tiles, (KEY_POINTS, 2): how far they reach from their middle in even directions, clockwise from the right."""
    points = appearance.points[np.isin(appearance.tiles, tiles)]
    middle, turns = points.mean(axis=0), 2 * np.pi * np.arange(KEY_POINTS) / KEY_POINTS
    directions = np.stack([np.cos(turns), np.sin(turns)], axis=1)
    hull = cv2.convexHull((points - middle).astype(np.float32)).reshape(-1, 2).astype(np.float64)
    a, b = hull, np.roll(hull, -1, axis=0)
    normals = np.stack([(b - a)[:, 1], -(b - a)[:, 0]], axis=1)
    reach = np.sum(normals * a, axis=1)
    # Along a direction a convex outline ends where it first leaves through an edge's line.
    rate = directions @ normals.T
    with np.errstate(divide="ignore", invalid="ignore"):
        out = np.where(rate * np.sign(reach) > 1e-9, reach / rate, np.inf).min(axis=1)
    return np.asarray(middle + directions * (out + 0.5 * MAP_PX)[:, None])


def _patches(appearance: Appearance, which: Bool, surely: Bool) -> list[Int]:
    """Groups of neighbouring tiles in each of which at least one is sure.

    References
    ----------
    Canny, A computational approach to edge detection, PAMI 8(6), 1986 (two thresholds).
    """
    labels = ndimage.label((which | surely).reshape(-1, appearance.across))[0].reshape(-1)
    return [np.flatnonzero(labels == k) for k in np.unique(labels[surely])]


def _outline(appearance: Appearance, tiles: Int) -> Float64 | None:
    """Outline of what some tiles look at, (N, 2) ideal reference px; None when that is hardly anything."""
    low, high = bounds(appearance.points)
    origin = low - MAP_PX
    wide, tall = ((high - low) / MAP_PX).astype(int) + 3
    mask = np.zeros((tall, wide), np.uint8)
    for tile in tiles:
        # Samples lie where there is something to be seen: between them a tile is its own as well.
        at = ((appearance.points[appearance.tiles == tile] - origin) / MAP_PX).astype(np.int32)
        if len(at):
            cv2.fillConvexPoly(mask, cv2.convexHull(at), (255,))
    reach = max(3, int(max(wide, tall) / appearance.across / 2) | 1)
    mask = cv2.morphologyEx(mask, cv2.MORPH_CLOSE, np.ones((reach, reach), np.uint8))
    contours, _ = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    if not contours:
        return None
    largest = max(contours, key=cv2.contourArea)
    simple = cv2.approxPolyDP(largest, 1.2, True).reshape(-1, 2)
    return np.asarray((simple + 0.5) * MAP_PX + origin) if len(simple) >= 3 else None
