"""One layer: a picture on a surface, as a frame needs it."""

from dataclasses import dataclass

import numpy as np

from verdigris.core.composite.texture import Texture
from verdigris.core.composite.warp import Warp
from verdigris.core.types import Float64

Box = tuple[int, int, int, int]


@dataclass(frozen=True)
class Layer:
    """What lies on a surface, and where that is seen.

    Attributes
    ----------
    texture : the picture
    warp : where the surface is
    art_from_surface : (3, 3) float64, unit square to px of the picture
    overshoot_px : how far the edge is moved outwards, plate px
    black_bars : fill the surface around a picture that does not reach its edges with black instead of leaving the old surface
    """

    texture: Texture
    warp: Warp
    art_from_surface: Float64
    overshoot_px: float = 0.0
    black_bars: bool = True

    @property
    def has_bars(self) -> bool:
        """Whether the picture does not reach the surface's edges everywhere."""
        corner = (self.art_from_surface @ np.array([[0, 1], [0, 1], [1, 1.0]])).T
        width, height = self.texture.size
        return bool(corner.min() < -1e-6 or corner[1, 0] > width + 1e-6 or corner[1, 1] > height + 1e-6)

    @property
    def seen_scale(self) -> tuple[float, float]:
        """Largest plate px per px of the picture along its two axes, over the surface's edges."""
        side = np.linalg.norm(np.roll(self.warp.corners, -1, axis=1) - self.warp.corners, axis=2).max(axis=0)
        return (
            float(max(side[0], side[2]) / abs(self.art_from_surface[0, 0])),
            float(max(side[1], side[3]) / abs(self.art_from_surface[1, 1])),
        )


def layer_box(layer: Layer, width: int, height: int) -> Box | None:
    """The pixels a layer may touch: x0, y0, x1, y1, end exclusive, on even borders; None when off the picture."""
    return outline_box(layer.warp.outlines.reshape(-1, 2), layer.overshoot_px, width, height)


def outline_box(outline: Float64, overshoot_px: float, width: int, height: int) -> Box | None:
    """The box on even borders, x0, y0, x1, y1, around an outline (N, 2) plate px that is grown by so much; None when off the picture."""
    # Where edges meet at a sharp corner, growing them moves the corner by more.
    grown = 4 * overshoot_px + 1.5
    x0, y0 = np.floor(outline.min(axis=0) - grown).astype(int) // 2 * 2
    x1, y1 = -(-np.ceil(outline.max(axis=0) + grown).astype(int) // 2) * 2
    box = (max(0, int(x0)), max(0, int(y0)), min(width, int(x1)), min(height, int(y1)))
    return box if box[2] > box[0] and box[3] > box[1] else None
