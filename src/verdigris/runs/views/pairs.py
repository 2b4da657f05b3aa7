"""The same places of plate and result over time, one above the other: where they differ, the seam shows."""

from dataclasses import dataclass

import cv2
import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.inspection.colour_difference import ciede2000
from verdigris.core.light.encoding import to_light
from verdigris.core.types import Float32, Float64, Uint8
from verdigris.runs.scene.in_front import Tracks
from verdigris.runs.views.preview import Preview
from verdigris.shot.model.document import Shot
from verdigris.shot.model.surface import Surface

# Places of a surface, px of a side of a crop, px that a difference is told from, and the grey where there is nothing.
PLACES, CROP, SPOT, EMPTY = 4, 64, 9, 38


@dataclass(frozen=True)
class Pair:
    """Plate and result at the places of a surface in one frame.

    Attributes
    ----------
    picture : (CROP, CROP x PLACES, 3) uint8, in each crop the plate above and the result below, touching
    differences : CIEDE2000 between the two at each place; None where it is not seen
    """

    picture: Uint8
    differences: tuple[float | None, ...]


def places_of(shot: Shot, surface: Surface) -> list[tuple[int, Float64]]:
    """Frames and plate px of a surface's places: the spots that were picked, and the middles of its edges beside them."""
    match = next((m for m in shot.match if m.surface == surface.id), None)
    spots = [] if match is None else [(s.frame, np.mean(np.array(s.polygon, np.float64), axis=0)) for s in match.spots]
    quad = surface.quad()
    edges = [] if quad is None else [(surface.reference_frame, (quad[i] + quad[(i + 1) % 4]) / 2) for i in range(4)]
    return [*spots, *edges][:PLACES]


def pair_at(preview: Preview, surface_id: str, frame: int) -> Pair:
    """Plate and result at a frame; empty where the surface is lost."""
    shot = preview.shot
    surface = shot.surface(surface_id)
    out = np.full((CROP, CROP * PLACES, 3), EMPTY, np.uint8)
    pose = _pose(surface, preview.tracks, frame)
    if pose is None:
        return Pair(out, (None,) * PLACES)
    plate, result = preview.plate_codes(frame), preview.codes(preview.plan(frame))
    told: list[float | None] = []
    for i, (told_at, point) in enumerate(places_of(shot, surface)):
        home = _pose(surface, preview.tracks, told_at)
        if home is None:
            told.append(None)
            continue
        at = apply_homography(pose @ np.linalg.inv(home), point[None])[0] * preview.scale
        upper, lower = (_crop(codes, at, CROP // 2) for codes in (plate, result))
        out[:, i * CROP : (i + 1) * CROP] = np.concatenate([upper, lower])
        told.append(_difference(plate, result, at))
    return Pair(out, (*told, *[None] * (PLACES - len(told))))


def _pose(surface: Surface, tracks: Tracks, frame: int) -> Float64 | None:
    if frame == surface.reference_frame:
        return np.eye(3)
    found = tracks.get(surface.id, {}).get(frame)
    return None if found is None else found.homography


def _crop(codes: Float32, at: Float64, height: int) -> Uint8:
    cut = cv2.getRectSubPix(codes, (CROP, height), (float(at[0]) - 0.5, float(at[1]) - 0.5))
    return np.asarray(np.clip(cut * 255 + 0.5, 0, 255), np.uint8)


def _difference(plate: Float32, result: Float32, at: Float64) -> float | None:
    h, w = plate.shape[:2]
    x, y, half = int(at[0]), int(at[1]), SPOT // 2
    if not (0 <= x < w and 0 <= y < h):
        return None
    part = np.s_[max(0, y - half) : y + half + 1, max(0, x - half) : x + half + 1]
    a, b = (to_light(np.ascontiguousarray(c[part]), "srgb").reshape(-1, 3).mean(axis=0, keepdims=True) for c in (plate, result))
    return round(float(ciede2000(np.asarray(a, np.float32), np.asarray(b, np.float32))[0]), 2)
