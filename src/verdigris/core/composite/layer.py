"""One layer: a picture on a surface, as a frame needs it."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from verdigris.core.composite.blend import Blend, Space
from verdigris.core.composite.texture import Texture
from verdigris.core.composite.warp import Warp
from verdigris.core.types import Float64

Box = tuple[int, int, int, int]
Beyond = Literal["nothing", "repeat", "mirror"]


@dataclass(frozen=True)
class Layer:
    """What lies on a surface, and where that is seen.

    Attributes
    ----------
    texture : the picture
    warp : where the surface is
    art_from_surface : (3, 3) float64, unit square to px of the picture
    overshoot_px : how far each edge is moved outwards, plate px: top, right, bottom, left; one number for all
    black_bars : fill the surface around a picture that does not reach its edges with black instead of leaving the old surface
    opacity : how much of the picture is seen, 0..1
    beyond : what lies around the picture on its surface: nothing, or the picture again, as it is or mirrored
    blend, blend_in : how it goes with what is below it (`blend`)
    """

    texture: Texture
    warp: Warp
    art_from_surface: Float64
    overshoot_px: float | tuple[float, float, float, float] = 0.0
    black_bars: bool = True
    opacity: float = 1.0
    blend: Blend = "over"
    blend_in: Space | None = None
    beyond: Beyond = "nothing"

    @property
    def grown(self) -> Float64:
        """Overshoot of the four edges, (4,) float64 plate px."""
        return np.broadcast_to(np.asarray(self.overshoot_px, np.float64), (4,)).copy()

    @property
    def has_bars(self) -> bool:
        """Whether the picture does not reach the surface's edges everywhere."""
        at = self.art_from_surface @ np.array([[0, 1, 1, 0], [0, 0, 1, 1], [1, 1, 1, 1.0]])
        u, v = at[0] / at[2], at[1] / at[2]
        width, height = self.texture.size
        return bool(min(u.min(), v.min()) < -1e-6 or u.max() > width + 1e-6 or v.max() > height + 1e-6)

    @property
    def seen_scale(self) -> tuple[float, float]:
        """Largest plate px per px of the picture along its two axes, over the surface's edges."""
        side = np.linalg.norm(np.roll(self.warp.corners, -1, axis=1) - self.warp.corners, axis=2).max(axis=0)
        linear = self.art_from_surface[:2, :2] / self.art_from_surface[2, 2]
        step = np.diag([max(side[0], side[2]), max(side[1], side[3])]) @ np.linalg.inv(linear)
        return float(np.linalg.norm(step[:, 0])), float(np.linalg.norm(step[:, 1]))


def layer_box(layer: Layer, width: int, height: int, reach_px: float = 0.0) -> Box | None:
    """The pixels a layer may touch: x0, y0, x1, y1, end exclusive, on even borders; None when off the picture.

    `reach_px` is how far beyond its edges its look goes.
    """
    return outline_box(layer.warp.outlines.reshape(-1, 2), float(layer.grown.max()) + reach_px / 4, width, height)


def outline_box(outline: Float64, overshoot_px: float, width: int, height: int) -> Box | None:
    """The box on even borders, x0, y0, x1, y1, around an outline (N, 2) plate px that is grown by so much; None when off the picture."""
    # Where edges meet at a sharp corner, growing them moves the corner by more.
    grown = 4 * overshoot_px + 1.5
    x0, y0 = np.floor(outline.min(axis=0) - grown).astype(int) // 2 * 2
    x1, y1 = -(-np.ceil(outline.max(axis=0) + grown).astype(int) // 2) * 2
    box = (max(0, int(x0)), max(0, int(y0)), min(width, int(x1)), min(height, int(y1)))
    return box if box[2] > box[0] and box[3] > box[1] else None
