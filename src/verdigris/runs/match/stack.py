"""A surface laid square-on at many frames, with what hides it left out."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from verdigris.core.composite.layer import Box, outline_box
from verdigris.core.composite.warp import Warp, outline_from_surface, warp_of
from verdigris.core.match.plane import Square, laid_square, places, square_for
from verdigris.core.types import Bool, Float32, Float64
from verdigris.media.frames import Frame
from verdigris.media.reader import Reader
from verdigris.runs.errors import RunError
from verdigris.runs.render.handover import side_by_side
from verdigris.runs.render.mattes import Mattes
from verdigris.runs.scene.camera import camera_of
from verdigris.runs.scene.in_front import Tracks, corners_around, coverage_in_front
from verdigris.runs.scene.mattes import plan_matte
from verdigris.shot.model.document import Shot
from verdigris.shot.model.surface import Surface

# Px of the longer side of a surface laid square-on.
LONGEST = 400
# Around the surface, this is looked at too, plate px.
RING_PX = 40
# Variances of softness nearer than this are as good as equal, px^2.
LEAST_SOFTER = 0.1


@dataclass(frozen=True)
class Laid:
    """A surface at one frame.

    Attributes
    ----------
    light : (h, w, 3) float32, linear
    seen : (h, w) bool, in the picture and with nothing in front
    """

    frame: int
    light: Float32
    seen: Bool


class SurfaceStack:
    """Lays a surface square-on, frame by frame."""

    def __init__(self, plate: Reader, shot: Shot, surface: Surface, tracks: Tracks, mattes: Mattes, longest: int = LONGEST) -> None:
        quad = surface.quad()
        if quad is None:
            raise RunError("no_corners", f"Place the four corners of {surface.name} first.")
        self.plate, self.shot, self.surface, self.tracks, self._mattes = plate, shot, surface, tracks, mattes
        self.quad: Float64 = quad
        self.size = (plate.facts.width, plate.facts.height)
        self.square: Square = square_for(quad, longest)
        self._track = tracks.get(surface.id, {})
        self.camera = camera_of(shot, self.size, self._track)
        self.frames = [n for n in range(plate.facts.frame_count) if self.warp(n) is not None]
        if not self.frames:
            raise RunError("not_tracked", f"{surface.name} is not followed yet. Follow it first.")
        used = [p for p in shot.placements if p.surface == surface.id]
        # Frames are compared as soft as the softest of them, else every printed edge looks like a change of light.
        defocus = {n: r.softness.defocus_px2 for n, r in self._track.items() if r.softness is not None}
        self._softer = {n: max(defocus.values()) - v for n, v in defocus.items()}
        self._kept = sorted({m for p in used for m in p.kept_in_front})

    @property
    def focus_changes(self) -> bool:
        """Whether some frames are clearly softer than others."""
        return max(self._softer.values(), default=0.0) > LEAST_SOFTER

    def warp(self, frame: int) -> Warp | None:
        """Where the surface is at a frame; None where it is lost."""
        corners = corners_around(self.surface, self._track, frame, self.camera)
        if not corners and frame == self.surface.reference_frame:
            corners = {0: self.quad}
        try:
            return warp_of(self.camera, self.quad, corners) if corners else None
        except ValueError:
            return None

    def laid(self, wanted: Sequence[int], stop: Callable[[], bool] = lambda: False) -> Iterator[Laid]:
        """The surface at frames, in their order."""
        yield from side_by_side(self.pictures(wanted, stop), lambda item: self.lay(*item))

    def pictures(self, wanted: Sequence[int], stop: Callable[[], bool] = lambda: False) -> Iterator[tuple[int, Frame]]:
        """Frames of the plate, read in one go where they follow each other."""
        if not wanted:
            return
        asked = set(wanted)
        for n, picture in zip(range(min(asked), max(asked) + 1), self.plate.frames(min(asked), max(asked) + 1), strict=True):
            if stop():
                return
            if n in asked:
                yield n, picture

    def lay(self, n: int, picture: Frame) -> Laid:
        """The surface of one frame."""
        warp = self.warp(n)
        box = None if warp is None else outline_box(warp.outlines.reshape(-1, 2), 1.0, *self.size)
        h, w = self.square.height, self.square.width
        if warp is None or box is None:
            return Laid(n, np.zeros((h, w, 3), np.float32), np.zeros((h, w), np.bool_))
        light = picture.light_of(picture.values(box))
        if self._softer.get(n, 0.0) > LEAST_SOFTER:
            light = np.asarray(cv2.GaussianBlur(light, (0, 0), float(np.sqrt(self._softer[n]))), np.float32)
        at = places(warp, self.square)
        laid, inside = laid_square(light, (box[0], box[1]), at, self.square.scale)
        front = self.in_front(n, picture, box)
        if front is not None:
            hidden, _ = laid_square(np.repeat(front[..., None], 3, axis=2), (box[0], box[1]), at, self.square.scale)
            inside &= hidden[..., 0] < 0.02
        return Laid(n, laid, inside)

    def in_front(self, n: int, picture: Frame, box: Box) -> Float32 | None:
        """Coverage of what is nearer, of outlines and mattes, over a box; None where nothing is."""
        outlines = coverage_in_front(self.shot, self.surface, self.tracks, n, *self.size, 1.0)
        found = None if outlines is None else outlines[box[1] : box[3], box[0] : box[2]]
        for k in self._kept:
            cover = self._mattes.draw(plan_matte(self.shot, self.shot.matte(k), self.tracks, n, self.size), picture).within(box)
            found = cover if found is None else np.maximum(found, cover)
        return None if found is None else np.asarray(found, np.float32)

    def polygon_on_square(self, polygon: Float64, frame: int) -> Bool | None:
        """Px of the square that a polygon of a frame, plate px, holds; None where the surface is lost there."""
        warp = self.warp(frame)
        if warp is None:
            return None
        at = places(warp, self.square)
        mask = np.zeros((self.size[1], self.size[0]), np.uint8)
        cv2.fillPoly(mask, [np.round(polygon * 16 - 8).astype(np.int32)], 1, shift=4)
        seen = cv2.remap(mask, at[..., 0] - np.float32(0.5), at[..., 1] - np.float32(0.5), cv2.INTER_NEAREST, borderValue=0)
        return np.asarray(seen > 0, np.bool_)

    def ring(self, n: int, picture: Frame) -> tuple[Box, Bool] | None:
        """The box around the surface at a frame, and what in it is on or near the surface with nothing in front."""
        warp = self.warp(n)
        box = None if warp is None else outline_box(warp.outlines.reshape(-1, 2), RING_PX / 4, *self.size)
        if warp is None or box is None:
            return None
        h, w = box[3] - box[1], box[2] - box[0]
        outline = outline_from_surface(rim(), warp) - [box[0], box[1]]
        near = np.zeros((h, w), np.uint8)
        at = [np.round(outline * 8 - 4).astype(np.int32)]
        cv2.fillPoly(near, at, 1, shift=3)
        cv2.polylines(near, at, True, 1, 2 * RING_PX, shift=3)
        front = self.in_front(n, picture, box)
        return box, np.asarray((near > 0) if front is None else (near > 0) & (front < 0.01), np.bool_)


def rim() -> Float64:
    """Points along the edge of the unit square, (N, 2), from its top-left corner round."""
    s = np.linspace(0, 1, 17)[:-1]
    z, o = np.zeros_like(s), np.ones_like(s)
    return np.concatenate([np.stack(p, axis=1) for p in ((s, z), (o, s), (1 - s, o), (z, 1 - s))])


def spread(frames: Sequence[int], most: int) -> list[int]:
    """At most so many of some frames, evenly."""
    if len(frames) <= most:
        return list(frames)
    return [frames[round(i * (len(frames) - 1) / (most - 1))] for i in range(most)]
