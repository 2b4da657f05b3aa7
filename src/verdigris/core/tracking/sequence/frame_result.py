"""What is known of a plane at one frame, for the artist and for the frames around it."""

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np

from verdigris.core.camera.optics import STILL, Movement, Optics
from verdigris.core.tracking.alignment.grain import Grain
from verdigris.core.types import Float32, Float64

Status = Literal["followed", "carried", "by_hand", "lost"]


@dataclass(frozen=True)
class Evidence:
    """What the next frames, and a second look, can use of a frame that was followed.

    Attributes
    ----------
    pose : (3, 3) float64, ideal frame px from ideal reference px, at the middle row's time
    movement : how the plane was taken to move when it was compared
    blur : variance by which the frame is softer than the reference, plate px^2
    shutter : variance of the exposure in time, frames^2; None where nothing moved enough to show it
    tiles : (tiles,) float32, 0..1, how far each tile of the region moves with the plane; NaN where it does not show
    cost : what is left where the picture is steep, code values
    grain : the noise, if nothing else was left where the picture is flat; None when not known
    good : 0..1, share of the region's texture that was seen as it should be
    bend : (2, 4) float64, how far the corners would move on a surface that bends, see `bend_at`, px^2; None when not known
    template : (4, 2) float64, corners that the frame it was compared with had then, plate px; None where it was the reference
    """

    pose: Float64
    movement: Movement = STILL
    blur: float = 0.0
    shutter: float | None = None
    tiles: Float32 | None = None
    cost: float = 0.0
    grain: Grain | None = None
    good: float = 0.0
    bend: Float64 | None = None
    template: Float64 | None = None


@dataclass(frozen=True)
class Softness:
    """How soft and noisy the surface is seen at a frame; kept with it.

    Attributes
    ----------
    defocus_px2 : variance by which the frame is softer than the reference, plate px^2; below 0 where it is sharper
    smear_px : length of the movement's blur in the middle of the surface, plate px; None where the shutter is not known
    noise : standard deviation of a pixel's noise, code values 0..1; None when not told
    """

    defocus_px2: float
    smear_px: float | None = None
    noise: float | None = None


@dataclass(frozen=True)
class FrameResult:
    """Where the plane is at one frame.

    Attributes
    ----------
    frame : index from 0
    status : `followed`, or `lost` with a reason
    homography : (3, 3) float64, takes the reference frame's corners to this frame's, plate px; None when lost
    corners : (4, 2) float64, where they are seen, plate px; None when lost
    sigma_px : (4,) float64, radial standard deviation per corner; None when lost
    residual_px : disagreement of the picture with the reference, plate px; None when lost
    share_used : 0..1 of the region
    reason : why it is lost, or empty
    evidence : for the run itself; not kept
    margin_px : how far the worst corner would move if surface and lens were allowed to bend, plate px; None when lost
    through : the frame it was compared with instead of the reference, see `templates`; None where it was the reference
    softness : how soft and noisy it is seen; None when not known
    first_look : whether closer looks may still move it
    camera : lens, read-out, shutter, tone and bow it was followed under; None when not known
    """

    frame: int
    status: Status
    homography: Float64 | None
    corners: Float64 | None
    sigma_px: Float64 | None
    residual_px: float | None
    share_used: float
    reason: str = ""
    evidence: Evidence | None = None
    margin_px: float | None = None
    through: int | None = None
    softness: Softness | None = None
    first_look: bool = False
    camera: Optics | None = field(default=None, compare=False, repr=False)


def trust_of(tiles: Iterable[Float32 | None]) -> Float64 | None:
    """How far each tile of a region moves with the plane over some frames, (tiles,) 0.02..1; None from fewer than three.

    Parameters
    ----------
    tiles : for every frame (tiles,) 0..1, how far each moves with the plane there, NaN where it does not show; or None
    """
    seen = [t for t in tiles if t is not None]
    if len(seen) < 3:
        return None
    stack = np.array(seen)
    known = np.isfinite(stack)
    mean = np.where(known, stack, 0.0).sum(axis=0) / np.maximum(known.sum(axis=0), 1)
    # A tile that hardly ever showed is neither trusted nor distrusted.
    mean = np.where(known.sum(axis=0) >= 3, mean, 0.7)
    return np.asarray(np.clip((mean - 0.2) / max(0.5, float(np.quantile(mean, 0.9)) - 0.2), 0.02, 1.0), float)


def doubt_of(result: FrameResult) -> float:
    """Doubt of the worst corner without the margin, px: how badly the picture holds it. Infinite when lost.

    What a lens, rows or a bent surface leave over is in the margin; a template would not know better.
    """
    if result.sigma_px is None:
        return float("inf")
    return float(np.sqrt(max(float(result.sigma_px.max()) ** 2 - (result.margin_px or 0.0) ** 2, 0.0)))


def worst_of(result: FrameResult | None) -> float:
    """Doubt of the worst corner, px; infinite when lost."""
    return float("inf") if result is None or result.sigma_px is None else float(result.sigma_px.max())


def lost(frame: int, share: float, reason: str) -> FrameResult:
    """A frame that is not reported as found, and why."""
    return FrameResult(frame, "lost", None, None, None, None, share, reason)


def under_one_camera(results: Mapping[int, FrameResult]) -> dict[int, FrameResult]:
    """Results of a run with the one camera that most of them were last looked at under."""
    cameras = Counter(r.camera for r in results.values() if r.camera is not None)
    if not cameras:
        return dict(results)
    camera = cameras.most_common(1)[0][0]
    return {n: replace(r, camera=camera) for n, r in results.items()}
