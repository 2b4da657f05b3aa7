"""A frame in linear light, as soft as a comparison wants it."""

import cv2
import numpy as np

from verdigris.core.tracking.tone import Tone, encode_table, to_light
from verdigris.core.types import Float32


class FramePictures:
    """Smoothed versions of one frame around a box, made when asked for."""

    def __init__(self, values: Float32, box: tuple[int, int, int, int], tone: Tone) -> None:
        x0, y0, x1, y1 = box
        self.origin = (x0, y0)
        self._values = np.ascontiguousarray(values[y0:y1, x0:x1])
        self._light, self.table = to_light(self._values, tone), encode_table(tone)
        self._made: dict[float, Float32] = {}

    def smoothed(self, variance: float) -> Float32:
        """Linear light after smoothing; `table` has its code values, which are wanted at few of the pixels."""
        key = round(variance, 3)
        if key not in self._made:
            if len(self._made) > 3:
                self._made.clear()
            soft = cv2.GaussianBlur(self._light, (0, 0), float(np.sqrt(variance)), borderType=cv2.BORDER_REFLECT_101)
            self._made[key] = np.asarray(soft, np.float32)
        return self._made[key]

    def bent(self, tone: Tone) -> "FramePictures":
        """The same frame under another tone curve."""
        height, width = self._values.shape
        other = FramePictures(self._values, (0, 0, width, height), tone)
        other.origin = self.origin
        return other
