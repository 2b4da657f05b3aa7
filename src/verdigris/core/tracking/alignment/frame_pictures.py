"""A frame in linear light, as soft as a comparison wants it."""

import cv2
import numpy as np

from verdigris.core.light.tone import Tone, encode_table, to_light
from verdigris.core.types import Float32

Box = tuple[int, int, int, int]
# Room around a box, px, so that the next one is often within.
ROOM_PX = 12
# Softnesses kept, each as large as the box.
MOST_KEPT = 2


class KeptPictures:
    """One frame, and what was made of it for the last comparison: the next one often looks at the same."""

    def __init__(self, values: Float32) -> None:
        """From (H, W) float32 code values 0..1."""
        self.values = values
        self._last: tuple[Box, Tone, FramePictures] | None = None

    def around(self, box: Box, tone: Tone) -> "FramePictures":
        """Pictures that cover a box (x0, y0, x1, y1), plate px."""
        if self._last is not None:
            (x0, y0, x1, y1), same, pictures = self._last
            if same == tone and x0 <= box[0] and y0 <= box[1] and x1 >= box[2] and y1 >= box[3]:
                return pictures
        height, width = self.values.shape
        room = (max(box[0] - ROOM_PX, 0), max(box[1] - ROOM_PX, 0), min(box[2] + ROOM_PX, width), min(box[3] + ROOM_PX, height))
        pictures = FramePictures(self.values, room, tone)
        self._last = (room, tone, pictures)
        return pictures


class FramePictures:
    """Smoothed versions of one frame around a box, made when asked for."""

    def __init__(self, values: Float32, box: Box, tone: Tone) -> None:
        x0, y0, x1, y1 = box
        self.origin = (x0, y0)
        self._values = np.ascontiguousarray(values[y0:y1, x0:x1])
        self._light, self.table = to_light(self._values, tone), encode_table(tone)
        self._made: dict[float, Float32] = {}

    def smoothed(self, variance: float) -> Float32:
        """Linear light after smoothing; `table` has its code values, which are wanted at few of the pixels."""
        key = round(variance, 3)
        if key not in self._made:
            while len(self._made) >= MOST_KEPT:
                self._made.pop(next(iter(self._made)))
            soft = cv2.GaussianBlur(self._light, (0, 0), float(np.sqrt(variance)), borderType=cv2.BORDER_REFLECT_101)
            self._made[key] = np.asarray(soft, np.float32)
        return self._made[key]

    def bent(self, tone: Tone) -> "FramePictures":
        """The same frame under another tone curve."""
        height, width = self._values.shape
        other = FramePictures(self._values, (0, 0, width, height), tone)
        other.origin = self.origin
        return other
