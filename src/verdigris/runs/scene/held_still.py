"""The plate held still on a surface, and the way back: what is painted on still frames rides with the surface again."""

from collections.abc import Mapping

import cv2
import numpy as np

from verdigris.core.geometry.held_still import Canvas, Held, canvas_for, frame_to_still
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.quad import find_quad_problem
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.types import Float32, Float64
from verdigris.media.frames import Frame, RgbFrame, linear_light
from verdigris.runs.errors import RunError
from verdigris.runs.scene.in_front import Tracks, corners_at
from verdigris.shot.model.surface import Surface

HALF = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])


class HeldStill:
    """Every frame's place on one canvas.

    Parameters
    ----------
    size : width and height of the plate, px
    """

    def __init__(self, surface: Surface, tracks: Tracks, how: Held, size: tuple[int, int]) -> None:
        self._surface, self._how, self.size = surface, how, size
        self._track: Mapping[int, FrameResult] = tracks.get(surface.id, {})
        self.canvas: Canvas = canvas_for([b for n in self._track if (b := self._back(n)) is not None], *size)

    def _back(self, frame: int) -> Float64 | None:
        quad = self._surface.quad()
        now = quad if frame == self._surface.reference_frame and frame not in self._track else corners_at(self._surface, self._track, frame)
        return None if quad is None or now is None else frame_to_still(quad, now, self._how)

    def canvas_from_plate(self, frame: int) -> Float64:
        """Plate px of a frame -> canvas px, (3, 3).

        Raises
        ------
        RunError
            `not_tracked` when the surface is lost at this frame.
        """
        back = self._back(frame)
        if back is None:
            raise RunError("not_tracked", f"{self._surface.name} is lost at this frame: there is nothing to hold it by.")
        return np.asarray(self.canvas.from_still @ back, np.float64)

    def canvas_in_plate(self, frame: int) -> Float64 | None:
        """The canvas's corners in plate px of a frame, (4, 2): where what is painted on it goes; None where it cannot."""
        if self._back(frame) is None:
            return None
        to_plate: Float64 = np.asarray(np.linalg.inv(self.canvas_from_plate(frame)), np.float64)
        rim = self.canvas.rim
        w = np.concatenate([rim, np.ones((4, 1))], axis=1) @ to_plate[2]
        if np.any(w * np.sign(w[0]) <= 1e-9):
            return None
        at = apply_homography(to_plate, rim)
        return None if find_quad_problem(at) else at

    def picture(self, frame: int, plate: Frame) -> RgbFrame:
        """A frame on the canvas: linear light, premultiplied, nothing where the plate shows nothing."""
        light = linear_light(plate)
        cover = np.ones(light.shape[:2], np.float32)
        still = self._drawn(np.ascontiguousarray(np.dstack([light, cover]), np.float32), self.canvas_from_plate(frame))
        alpha = np.clip(still[..., 3], 0, 1)
        return RgbFrame(
            np.ascontiguousarray(np.maximum(still[..., :3], 0)), np.ascontiguousarray(alpha), associated=True, primaries=plate.primaries
        )

    def _drawn(self, rgba: Float32, to_canvas: Float64) -> Float32:
        """Cubic in linear light; the rim fades over its own pixel."""
        size, matrix = (self.canvas.width, self.canvas.height), HALF @ to_canvas @ np.linalg.inv(HALF)
        drawn = cv2.warpPerspective(rgba, matrix, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_CONSTANT, borderValue=(0, 0, 0, 0))
        return np.asarray(drawn, np.float32)

    def picture_or_empty(self, frame: int, plate: Frame) -> RgbFrame:
        """A frame on the canvas, or an empty canvas where the surface is lost."""
        return self.empty() if self._back(frame) is None else self.picture(frame, plate)

    def empty(self) -> RgbFrame:
        """A canvas on which nothing is seen: what a lost frame is handed over as."""
        shape = (self.canvas.height, self.canvas.width)
        return RgbFrame(np.zeros((*shape, 3), np.float32), np.zeros(shape, np.float32), associated=True)

    def matrices(self, count: int) -> dict[int, Float64 | None]:
        """Plate px -> canvas px of every frame; None where the surface is lost."""
        return {n: None if self._back(n) is None else self.canvas_from_plate(n) for n in range(count)}
