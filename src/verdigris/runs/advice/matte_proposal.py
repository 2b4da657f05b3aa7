"""A matte for what passes in front, from what does not move with the plane and from colours inside and outside of it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from verdigris.core.geometry.homography import apply_homography, unit_square_to
from verdigris.core.matte.telling_apart import Apart, tell_apart
from verdigris.core.tracking.review.disagreement import Disagreement
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.types import Bool, Float32, Float64
from verdigris.media.frames import Frame
from verdigris.media.reader import Reader
from verdigris.runs.advice.followed import advise_exclusions
from verdigris.runs.scene.in_front import Tracks, corners_at
from verdigris.shot.model.document import Shot
from verdigris.shot.model.surface import Surface

# Outlines come in tiles: the shape is wider by this, px, and as soft, where a colour makes the edge; alone it has an edge of its own.
WIDER_PX, SOFT_PX, EDGE_PX = 14.0, 4.0, 2.0
# Frames that colours are looked at; px of them; how far apart codes are where something else is seen than at the reference frame.
LOOKED_AT, MOST_PX, APART = 6, 20_000, 0.09
# Cells of the surface that are looked through for bare screen, each way, and how much of a cell is taken.
CELLS, TAKEN = 4, 0.7
SHAPE_ONLY = 0.4


@dataclass(frozen=True)
class MatteProposal:
    """A matte that could be taken over.

    Attributes
    ----------
    parts : as a document has them
    sureness : 0..1, share of pixels that its colour tells rightly; lower where only an outline is known
    said : what it is made of, and what to look at
    frames : first and last frame at which something is there
    """

    parts: tuple[dict[str, Any], ...]
    sureness: float
    said: str
    frames: tuple[int, int]


def propose_matte(reader: Reader, shot: Shot, surface: Surface, tracks: Tracks, results: Mapping[int, FrameResult]) -> MatteProposal | None:
    """A matte for what passes in front of a surface; None where nothing was found that does.

    Raises
    ------
    RunError
        `no_evidence` when too few frames are followed.
    """
    found = advise_exclusions(reader, shot, surface, tracks, results, 0, reader.facts.frame_count - 1)
    passing = [d for d in found if d.kind == "passing" and d.keys]
    if not passing:
        return None
    frames = (min(d.frames[0] for d in passing), max(d.frames[1] for d in passing))
    apart = _told(reader, surface, results, passing)
    colour = None if apart is None or not apart.is_sure else _colour_part(apart, surface, results, passing)
    wider = {"grow_px": WIDER_PX, "soft_px": SOFT_PX} if colour else {"soft_px": EDGE_PX}
    shapes = [
        {
            "kind": "shape", "combine": "add", "rides": surface.id, "span": list(d.frames), **wider,
            "keys": [{"frame": k.frame, "points": k.points.round(1).tolist()} for k in d.keys],
        }
        for d in passing
    ]  # fmt: skip
    where = "An outline of what does not move with the surface"
    if colour is None or apart is None:
        said = f"{where}. Its colour does not tell it from the surface: look at the edge, and draw it closer."
        return MatteProposal(tuple(shapes), SHAPE_ONLY, said, frames)
    sign = "brighter or darker" if apart.by == "luma" else "of another hue" if apart.by == "key" else f"brighter or darker in {apart.by}"
    said = f"{where}, and in it what is {sign} than the surface: {100 * (1 - apart.wrong):.0f} % of pixels are told rightly by it."
    return MatteProposal((*shapes, colour), round(1 - apart.wrong, 3), said, frames)


def _told(reader: Reader, surface: Surface, results: Mapping[int, FrameResult], passing: Sequence[Disagreement]) -> Apart | None:
    """What tells what is in front from the surface, from single frames against the reference frame laid over them."""
    reference = reader.frame(surface.reference_frame)
    front: list[Float32] = []
    bare: list[Float32] = []
    keys = [(k.frame, k.points) for d in passing for k in d.keys if k.frame != surface.reference_frame]
    for n, points in keys[:: max(1, -(-len(keys) // LOOKED_AT))]:
        h, corners = results[n].homography, corners_at(surface, results, n)
        if h is None or corners is None:
            continue
        picture = reader.frame(n)
        light, codes, before = _light(picture), picture.codes(), reference.codes()
        size = (picture.width, picture.height)
        laid = cv2.warpPerspective(before, h, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        other = cv2.GaussianBlur(np.abs(codes - laid).max(axis=2), (0, 0), 1.5) > APART
        on, within = _filled(corners, size), _filled(points, size)
        near = cv2.dilate(within.astype(np.uint8), np.ones((25, 25), np.uint8)) > 0
        front.append(light[within & on & other])
        bare.append(light[on & ~near])
    if sum(map(len, front)) < 60 or sum(map(len, bare)) < 60:
        return None
    return tell_apart(_some(np.concatenate(front)), _some(np.concatenate(bare)))


def _colour_part(
    apart: Apart, surface: Surface, results: Mapping[int, FrameResult], passing: Sequence[Disagreement]
) -> dict[str, Any] | None:
    """The part of a matte that a colour makes; None where no bare screen is left to sample."""
    if apart.by != "key":
        return {
            "kind": "brightness",
            "combine": "intersect",
            "channel": apart.by,
            "low": [round(v, 3) for v in apart.low],
            "invert": apart.darker,
        }
    frame = next((d.frames[0] - 1 for d in passing if d.frames[0] > 0), surface.reference_frame)
    corners = corners_at(surface, results, frame)
    if corners is None:
        frame, corners = surface.reference_frame, surface.quad()
    if corners is None:
        return None
    square = unit_square_to(corners)
    size = 1 / CELLS
    cells = [np.array([i + 0.5, j + 0.5]) * size for j in range(CELLS) for i in range(CELLS)]
    half = size * TAKEN / 2 * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
    outlines = [k.points for d in passing for k in d.keys if k.frame == frame]
    # Bare screen: as far as can be from whatever is there, and from the edge.
    middles = apply_homography(square, np.array(cells))
    away = [min((_away(o, m) for o in outlines), default=1e9) for m in middles]
    inner = [-float(np.abs(c - 0.5).max()) for c in cells]
    best = max(range(len(cells)), key=lambda i: (min(away[i], 80.0), inner[i]))
    polygon = apply_homography(square, cells[best] + half)
    return {"kind": "key", "combine": "intersect", "samples": [{"frame": frame, "polygon": polygon.round(1).tolist()}], "despill": 1.0}


def _away(outline: Float64, place: Float64) -> float:
    """How far a place lies outside an outline, px; below 0 inside."""
    return -float(cv2.pointPolygonTest(outline.astype(np.float32), (float(place[0]), float(place[1])), True))


def _light(picture: Frame) -> Float32:
    return picture.light_of(picture.values((0, 0, picture.width, picture.height)))


def _filled(points: Float64, size: tuple[int, int]) -> Bool:
    filled = np.zeros((size[1], size[0]), np.uint8)
    cv2.fillPoly(filled, [np.round(points * 8 - 4).astype(np.int32)], 1, shift=3)
    return np.asarray(filled > 0, np.bool_)


def _some(light: Float32) -> Float32:
    return light[:: max(1, len(light) // MOST_PX)]
