"""Plate, artwork and result compared: what a spot has of each, and scopes of the surface beside what is around it."""

from dataclasses import dataclass, replace

import cv2
import numpy as np

from verdigris.core.composite.layer import outline_box
from verdigris.core.composite.warp import MIDDLE
from verdigris.core.inspection.scopes import Kind, scope
from verdigris.core.light.encoding import to_light
from verdigris.core.types import Bool, Float32, Float64, Uint8
from verdigris.runs.errors import RunError
from verdigris.runs.scene.frame_plan import FramePlan
from verdigris.runs.scene.in_front import outline_of
from verdigris.runs.views.preview import Preview

# The ring around a surface, as a share of its size; least px of it. Grey between the two scopes.
RING, LEAST_RING, GAP = 0.18, 8, 4
# Px of a side of a spot: its mean is told. Times by which differences are enlarged.
SPOT, TIMES = 5, 4.0


@dataclass(frozen=True)
class SpotRead:
    """A spot of one frame: mean display codes 0..1 and linear light of plate, plainly pinned artwork and result, (3,) each."""

    codes: dict[str, Float64]
    light: dict[str, Float64]


def plain_of(plan: FramePlan) -> FramePlan:
    """The plan with artwork pinned and nothing else: no match, no movement, nothing in front, no grade."""
    bare = [
        (i, replace(one, match=None, exposure=MIDDLE, in_front=(), kept_in_front=(), shown_only_in=(), opacity=1.0))
        for i, one in plan.layers
        if one.shadow is None
    ]
    return replace(plan, layers=tuple(bare), grade=None)


def read_spot(preview: Preview, frame: int, x: float, y: float) -> SpotRead:
    """What is at a place, plate px; RunError `not_ready` beyond the picture."""
    plan = preview.plan(frame)
    seen = {"plate": preview.plate_codes(frame), "artwork": preview.codes(plain_of(plan)), "result": preview.codes(plan)}
    h, w = seen["plate"].shape[:2]
    column, row = int(x * preview.scale), int(y * preview.scale)
    if not (0 <= column < w and 0 <= row < h):
        raise RunError("not_ready", "This place lies outside the picture.")
    half = SPOT // 2
    part = np.s_[max(0, row - half) : row + half + 1, max(0, column - half) : column + half + 1]
    codes = {k: v[part].reshape(-1, 3).mean(axis=0).astype(np.float64) for k, v in seen.items()}
    light = {k: to_light(v[part], "srgb").reshape(-1, 3).mean(axis=0).astype(np.float64) for k, v in seen.items()}
    return SpotRead(codes, light)


def difference(preview: Preview, frame: int) -> Uint8:
    """Result minus plate, enlarged, around middle grey, (h, w, 3) uint8."""
    apart = preview.codes(preview.plan(frame)) - preview.plate_codes(frame)
    return np.asarray(np.clip((0.5 + TIMES * apart) * 255 + 0.5, 0, 255), np.uint8)


def scopes(preview: Preview, surface_id: str, kind: Kind, frame: int) -> Uint8:
    """A scope of the surface as it comes out, and one of the plate around it, side by side; RunError `not_ready` where it is lost."""
    shot, size = preview.shot, preview.plate_size
    outline = outline_of(shot, shot.surface(surface_id), preview.tracks, frame, size)
    if outline is None:
        raise RunError("not_ready", "The surface is not followed at this frame.")
    plate, result = preview.plate_codes(frame), preview.codes(preview.plan(frame))
    h, w = plate.shape[:2]
    at = outline * preview.scale
    on = _filled(at, w, h)
    reach = max(LEAST_RING, round(RING * float(np.sqrt(max(on.sum(), 1)))))
    around = np.asarray(cv2.dilate(on.astype(np.uint8), np.ones((2 * reach + 1,) * 2, np.uint8)) > 0, np.bool_) & ~on
    box = outline_box(at, reach, w, h)
    if box is None or not on.any() or not around.any():
        raise RunError("not_ready", "The surface lies outside the picture at this frame.")
    left, right = (_scope(kind, picture, where, box) for picture, where in ((result, on), (plate, around)))
    gap = np.full((left.shape[0], GAP, 3), 38, np.uint8)
    return np.concatenate([left, gap, right], axis=1)


def _scope(kind: Kind, picture: Float32, where: Bool, box: tuple[int, int, int, int]) -> Uint8:
    rows, columns = np.nonzero(where)
    place = (columns - box[0] + 0.5) / max(1, box[2] - box[0])
    return scope(kind, picture[rows, columns], place.astype(np.float32))


def _filled(outline: Float64, width: int, height: int) -> Bool:
    filled = np.zeros((height, width), np.uint8)
    cv2.fillPoly(filled, [np.round(outline * 8 - 4).astype(np.int32)], 1, shift=3)
    return np.asarray(filled > 0, np.bool_)
