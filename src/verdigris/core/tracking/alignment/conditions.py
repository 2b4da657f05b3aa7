"""What a frame is like, as far as it is known before it is compared."""

from dataclasses import dataclass

from verdigris.core.camera.bow import Bow
from verdigris.core.camera.optics import Movement
from verdigris.core.tracking.alignment.grain import USUAL_GRAIN, Grain
from verdigris.core.types import Bool, Float64


@dataclass(frozen=True)
class Conditions:
    """What a frame is like, as far as it is known before it is compared.

    Attributes
    ----------
    movement, reference_movement : how the plane moves at the frame and at the reference
    blur : variance by which the frame is softer than the reference, plate px^2
    shutter : variance of the exposure in time, frames^2
    shutters : values to choose from, where it is not known
    hidden : (H, W) bool, what something nearer covers, or None
    trust : (tiles,) 0..1, how far each tile has moved with the plane in other frames, or None
    bow : how the surface is bowed, or None when it is flat
    grain : noise as far as other frames show it
    """

    movement: Movement
    reference_movement: Movement
    blur: float = 0.0
    shutter: float = 0.0
    shutters: tuple[float, ...] = ()
    hidden: Bool | None = None
    trust: Float64 | None = None
    bow: Bow | None = None
    grain: Grain = USUAL_GRAIN
