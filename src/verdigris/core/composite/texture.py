"""Artwork on its surface: fit, fill or stretch, and reduced by area before it is sampled."""

from dataclasses import dataclass, field
from typing import Literal

import cv2
import numpy as np

from verdigris.core.types import Float32, Float64

Fit = Literal["fit", "fill", "stretch"]


@dataclass(frozen=True)
class Layout:
    """How artwork lies in its area, beside how it fits: moved by shares of the area, scaled and turned about its own middle."""

    move: tuple[float, float] = (0.0, 0.0)
    scale: tuple[float, float] = (1.0, 1.0)
    turn_deg: float = 0.0


def art_from_surface(
    fit: Fit, art_width: float, art_height: float, art_pixel_aspect: float, aspect: float, layout: Layout | None = None
) -> Float64:
    """Affine map from the area's unit square to artwork px, (3, 3) float64.

    Parameters
    ----------
    fit : `fit` shows all of the artwork, `fill` covers all of the surface, `stretch` ignores proportions
    art_width, art_height : artwork size, px
    art_pixel_aspect : width : height of an artwork pixel
    aspect : true width : height of the area
    layout : what is changed from there
    """
    art_aspect = art_width * art_pixel_aspect / art_height
    sx = sy = 1.0
    if fit != "stretch":
        wide = art_aspect > aspect
        # Shares of the artwork that the surface spans; above 1 leaves bars, below 1 crops.
        if (fit == "fill") == wide:
            sx = aspect / art_aspect
        else:
            sy = art_aspect / aspect
    lie = layout or Layout()
    cos, sin = np.cos(np.radians(lie.turn_deg)), np.sin(np.radians(lie.turn_deg))
    # From the middle of the area, in its true proportions; turned back, scaled back, to shares of the artwork, to px.
    centred = np.array([[aspect, 0, -aspect * (0.5 + lie.move[0])], [0, 1, -(0.5 + lie.move[1])], [0, 0, 1.0]])
    turned = np.array([[cos, sin, 0], [-sin, cos, 0], [0, 0, 1.0]])
    shared = np.array([[sx / (aspect * lie.scale[0]), 0, 0.5], [0, sy / lie.scale[1], 0.5], [0, 0, 1.0]])
    return np.asarray(np.diag([art_width, art_height, 1.0]) @ shared @ turned @ centred)


@dataclass
class Texture:
    """One picture of artwork with its reduced copies.

    Attributes
    ----------
    pixels : (H, W, 4) float32, linear light, premultiplied
    """

    pixels: Float32
    _reduced: dict[tuple[int, int], Float32] = field(default_factory=dict)

    @property
    def size(self) -> tuple[int, int]:
        """Width and height, px."""
        return self.pixels.shape[1], self.pixels.shape[0]

    def for_scale(self, sx: float, sy: float) -> Float32:
        """A copy reduced by area to about 1.25 x the size at which it will be seen.

        Parameters
        ----------
        sx, sy : plate px per artwork px along the artwork's axes

        Notes
        -----
        Sizes are taken in steps of 2^(1/4), so that a moving surface does not ask for a new copy each frame.
        """
        w, h = self.size
        step = 2.0 ** (np.ceil(4 * np.log2([min(1.0, 1.25 * sx), min(1.0, 1.25 * sy)])) / 4)
        size = (max(1, min(w, round(w * step[0]))), max(1, min(h, round(h * step[1]))))
        if size == (w, h):
            return self.pixels
        if size not in self._reduced:
            if len(self._reduced) > 6:
                self._reduced.clear()
            self._reduced[size] = np.asarray(cv2.resize(self.pixels, size, interpolation=cv2.INTER_AREA), np.float32)
        return self._reduced[size]
