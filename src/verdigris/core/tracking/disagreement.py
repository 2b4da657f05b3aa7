"""Where in the region the picture does not move with the plane: running content, reflections, things in front, parallax.

Every followed frame says of every tile how far it moved with the plane. Over a range, tiles that disagree are gathered into
patches, each outlined as a polygon at the reference frame: proposals for exclude shapes where they disagree most of the time,
for occluders where they disagree for a while.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np

from verdigris.core.tracking.appearance import Appearance
from verdigris.core.tracking.frame_result import FrameResult
from verdigris.core.types import Float32, Float64

Kind = Literal["content", "passing"]
DISAGREES = 0.4
MOST_OF_THE_TIME = 0.5
MAP_PX = 8


@dataclass(frozen=True)
class Disagreement:
    """A patch of the region that does not move with the plane.

    Attributes
    ----------
    kind : `content` disagrees most of the time, `passing` for a while only
    outline : (N, 2) float64, ideal reference px
    frames : first and last frame at which it disagrees
    share_of_region : 0..1
    helps : by how much its disagreement drags on the fit: mean lost weight of its tiles over the range, 0..1
    """

    kind: Kind
    outline: Float64
    frames: tuple[int, int]
    share_of_region: float
    helps: float


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
    share = against.sum(axis=0) / np.maximum(known.sum(axis=0), 1)
    patches = []
    for kind, which in (("content", share >= MOST_OF_THE_TIME), ("passing", (share >= 0.1) & (share < MOST_OF_THE_TIME))):
        for tiles in _patches(appearance, which):
            active = np.flatnonzero(against[:, tiles].any(axis=1))
            outline = _outline(appearance, tiles)
            if outline is None or len(active) == 0:
                continue
            lost = float(np.mean(1 - np.nan_to_num(agreement[:, tiles], nan=1.0)))
            patches.append(
                Disagreement(kind, outline, (frames[active[0]], frames[active[-1]]), len(tiles) / agreement.shape[1], lost)  # type: ignore[arg-type]
            )
    return sorted(patches, key=lambda p: -p.helps * p.share_of_region)


def _grid(appearance: Appearance) -> tuple[Float64, Float64]:
    """Corner and pitch of a coarse map over the samples."""
    return appearance.points.min(axis=0) - MAP_PX, np.array([MAP_PX, MAP_PX], float)


def _mask(appearance: Appearance, which: Float64) -> tuple[Float32, Float64, Float64]:
    """Coarse map (uint8) of the samples whose tile is marked."""
    origin, pitch = _grid(appearance)
    at = ((appearance.points[which[appearance.tiles]] - origin) / pitch).astype(int)
    size = ((appearance.points.max(axis=0) - origin) / pitch).astype(int) + 3
    mask = np.zeros((size[1], size[0]), np.uint8)
    mask[at[:, 1], at[:, 0]] = 255
    reach = max(3, int(np.sqrt(size[0] * size[1] / max(len(appearance.centres), 1)) / 2) | 1)
    return cv2.morphologyEx(mask, cv2.MORPH_CLOSE, np.ones((reach, reach), np.uint8)), origin, pitch


def _patches(appearance: Appearance, which: Float64) -> list[Float64]:
    """Groups of neighbouring tiles."""
    if not np.any(which):
        return []
    mask, origin, pitch = _mask(appearance, which)
    _, labels = cv2.connectedComponents(mask)
    at = ((appearance.centres - origin) / pitch).astype(int)
    groups: dict[int, list[int]] = {}
    for tile in np.flatnonzero(which):
        label = int(labels[at[tile, 1], at[tile, 0]])
        groups.setdefault(label, []).append(int(tile))
    return [np.array(g) for label, g in groups.items() if label]


def _outline(appearance: Appearance, tiles: Float64) -> Float64 | None:
    which = np.zeros(len(appearance.centres), bool)
    which[tiles] = True
    mask, origin, pitch = _mask(appearance, which)
    contours, _ = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    if not contours:
        return None
    largest = max(contours, key=cv2.contourArea)
    simple = cv2.approxPolyDP(largest, 1.2, True).reshape(-1, 2)
    return np.asarray((simple + 0.5) * pitch + origin) if len(simple) >= 3 else None
