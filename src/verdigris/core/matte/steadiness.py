"""Whether a matte's edge stays with what it cuts out: its flicker, its jumps, and crops along it.

References
----------
Kroeger, Timofte, Dai and Van Gool, Fast optical flow using dense inverse search, ECCV 2016 (movement of the picture).
"""

from dataclasses import dataclass

import cv2
import numpy as np

from verdigris.core.types import AnyArray, Bool, Float32, Float64, Uint8

# Coverage between these is edge; px around it count as well.
EDGE, AROUND = (0.02, 0.98), 2
# From this share of what is in front that comes or goes at once, the matte jumps; less of it than so many px tells nothing.
JUMP, LEAST_AREA = 0.03, 200
STATIONS = 4


@dataclass(frozen=True)
class Moment:
    """A matte and its picture at one frame: coverage (h, w) float32 and luma (h, w) uint8, over the same px at all frames."""

    cover: Float32
    luma: Uint8


@dataclass(frozen=True)
class Steadiness:
    """How steady a matte is at a frame.

    Attributes
    ----------
    flicker : mean change of coverage along the edge that is not the picture's own movement, 0..1; None where there is no edge
    change : share of what is in front that comes or goes against the frame before, away from edges; None where that is not known
    """

    flicker: float | None
    change: float | None

    @property
    def jumps(self) -> bool:
        """Whether so much of it comes or goes at once that somebody should look."""
        return self.change is not None and self.change > JUMP


def steadiness(before: Moment | None, here: Moment, after: Moment | None, where: Bool | None = None) -> Steadiness:
    """How steady a matte is between its neighbours, which are moved to where the picture of this frame is.

    Parameters
    ----------
    where : (h, w) bool, px that count: within its surface, and not where a matte fades out around it; None takes all
    """
    edge = _edge(here.cover) if where is None else _edge(here.cover) & where
    moved = [_moved(here, other) for other in (before, after) if other is not None]
    flicker = None
    if moved and edge.any():
        flicker = float(np.abs(here.cover - np.mean(moved, axis=0))[edge].mean())
    change = None
    if before is not None:
        inside = np.ones(here.cover.shape, np.bool_) if where is None else where
        both = max(float(here.cover[inside].sum()), float(before.cover[inside].sum()))
        # Edges are never quite where they are moved to: what counts lies away from them.
        away = np.abs(here.cover - moved[0])[inside & ~_edge(here.cover) & ~_edge(moved[0])]
        change = float(away.sum()) / both if both > LEAST_AREA else None
    return Steadiness(flicker, change)


def _edge(cover: Float32) -> Bool:
    mixed = ((cover > EDGE[0]) & (cover < EDGE[1])).astype(np.uint8)
    whole = cv2.morphologyEx((cover > 0.5).astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8))
    return np.asarray(cv2.dilate(np.maximum(mixed, whole), np.ones((2 * AROUND + 1,) * 2, np.uint8)) > 0, np.bool_)


def _moved(here: Moment, other: Moment) -> Float32:
    """The other frame's coverage where its picture is seen now."""
    h, w = here.luma.shape
    small = [cv2.resize(luma, (max(12, w // 2), max(12, h // 2)), interpolation=cv2.INTER_AREA) for luma in (here.luma, other.luma)]
    flow = cv2.DISOpticalFlow_create(cv2.DISOPTICAL_FLOW_PRESET_FAST).calc(small[0], small[1], None)
    flow = cv2.resize(flow, (w, h), interpolation=cv2.INTER_LINEAR) * np.array([w / small[0].shape[1], h / small[0].shape[0]], np.float32)
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    return np.asarray(cv2.remap(other.cover, x + flow[..., 0], y + flow[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))


def stations(cover: Float32, start: Float64, where: Bool | None = None) -> list[tuple[Float64, Float64]]:
    """Places along a matte's longest outline, evenly spread.

    Parameters
    ----------
    where : as for `steadiness`
    start : (2,) px, the outline is gone round from its point that is nearest to this

    Returns
    -------
    up to STATIONS pairs: place (2,) px, and the direction (2,) from behind to in front
    """
    contours, _ = cv2.findContours((cover > 0.5).astype(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    inner = [_inside(c[:, 0], cover.shape, where) for c in contours]
    line = max(inner, key=len, default=np.zeros((0, 2)))
    if len(line) < 4 * STATIONS:
        return []
    first = int(np.argmin(np.linalg.norm(line + 0.5 - start, axis=1)))
    soft = cv2.GaussianBlur(cover, (0, 0), 2.0)
    gx, gy = (cv2.Sobel(soft, cv2.CV_32F, dx, 1 - dx) for dx in (1, 0))
    found = []
    for k in range(STATIONS):
        x, y = line[(first + round((k + 0.5) / STATIONS * len(line))) % len(line)]
        normal = np.array([gx[int(y), int(x)], gy[int(y), int(x)]], np.float64)
        length = float(np.linalg.norm(normal))
        found.append((np.array([x + 0.5, y + 0.5]), normal / length if length > 1e-6 else np.array([1.0, 0.0])))
    return found


def _inside(line: AnyArray, shape: tuple[int, ...], where: Bool | None) -> Float64:
    """Without what runs along the picture's border, where nothing is cut, and without what does not count."""
    h, w = shape
    keep = (line[:, 0] > 1) & (line[:, 1] > 1) & (line[:, 0] < w - 2) & (line[:, 1] < h - 2)
    if where is not None:
        keep &= where[line[:, 1], line[:, 0]]
    return np.asarray(line[keep], np.float64)


def edge_crop(values: Uint8, place: Float64, normal: Float64, side: int, times: float) -> Uint8:
    """A square of a picture turned so that what is in front lies on the right, (side, side, ...) uint8.

    Parameters
    ----------
    place, normal : as `stations` gives them
    times : px of the crop per px of the picture
    """
    along = np.array([-normal[1], normal[0]])
    turn = np.stack([normal, along], axis=1) / times
    centre = place - 0.5 - turn @ np.full(2, (side - 1) / 2)
    back = np.hstack([turn, centre[:, None]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(cv2.warpAffine(values, back, (side, side), flags=flags, borderMode=cv2.BORDER_REPLICATE), np.uint8)
