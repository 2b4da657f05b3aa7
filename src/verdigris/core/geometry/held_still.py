"""A plate held still on a surface: every frame laid onto the reference frame's coordinates, on a canvas with room for all."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.motion import Motion, fit_motion
from verdigris.core.types import Float64

Held = Literal["position", "turn", "size", "full"]
HELD: tuple[Held, ...] = get_args(Held)
_MOTION: dict[str, Motion] = {"position": "translation", "turn": "rigid", "size": "similarity", "full": "perspective"}
# Beyond this many picture sizes, what is held still is cut: a plane seen from the side would need any room.
MOST_ROOM = 3.0


def frame_to_still(reference: Float64, corners: Float64, how: Held) -> Float64 | None:
    """Plate px of a frame -> plate px at the reference frame, (3, 3) float64; None where it collapses.

    Parameters
    ----------
    reference, corners : (4, 2) float64, corners at the reference frame and at this one, plate px
    how : how far the frame is moved: by position alone, with turn, with size, or fully in perspective
    """
    h = fit_motion(reference, corners, _MOTION[how])
    return None if h is None else np.asarray(np.linalg.inv(h), np.float64)


@dataclass(frozen=True)
class Canvas:
    """Where held frames are drawn.

    Attributes
    ----------
    left, top : plate px at the reference frame that lie at the canvas's top-left corner, whole numbers
    width, height : px, as large as the plate's at the reference frame; even numbers
    """

    left: int
    top: int
    width: int
    height: int

    @property
    def from_still(self) -> Float64:
        """Plate px at the reference frame -> canvas px, (3, 3)."""
        return np.array([[1.0, 0, -self.left], [0, 1, -self.top], [0, 0, 1]])

    @property
    def rim(self) -> Float64:
        """Its corners in canvas px, (4, 2), corner order."""
        return np.array([[0.0, 0], [self.width, 0], [self.width, self.height], [0, self.height]])


def canvas_for(backs: Iterable[Float64], width: int, height: int) -> Canvas:
    """A canvas that shows all of every frame, as far as that is finite.

    Parameters
    ----------
    backs : for every frame, plate px -> plate px at the reference frame
    width, height : of the plate, px
    """
    rim = np.array([[0.0, 0], [width, 0], [width, height], [0, height]])
    size = np.array([width, height], float)
    low, high = np.zeros(2), size.copy()
    for back in backs:
        # Frames whose rim reaches the horizon would need any room.
        if np.any(np.concatenate([rim, np.ones((4, 1))], axis=1) @ back[2] <= 1e-6):
            continue
        at = np.clip(apply_homography(back, rim), size / 2 - MOST_ROOM / 2 * size, size / 2 + MOST_ROOM / 2 * size)
        low, high = np.minimum(low, at.min(axis=0)), np.maximum(high, at.max(axis=0))
    left, top = (int(v) for v in np.floor(low))
    across, down = (-(-int(v) // 2) * 2 for v in np.ceil(high) - [left, top])
    return Canvas(left, top, across, down)
