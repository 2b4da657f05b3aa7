"""What movement is left in a surface that is held still, measured in the picture and not in the track.

References
----------
Lucas and Kanade, An iterative image registration technique, IJCAI 1981 (shift by least squares, coarse to fine).
Liang and Zeger, Longitudinal data analysis using generalized linear models, Biometrika 73(1), 1986 (how sure a shift is where what
is left of neighbouring pixels hangs together).
"""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from verdigris.core.geometry.homography import apply_homography, homography_from_quads
from verdigris.core.geometry.resample import resample
from verdigris.core.types import Bool, Float32, Float64

# Side of the patches at the corners, px of the held picture.
PATCH = 72
_GRID = np.stack(np.meshgrid(np.arange(PATCH), np.arange(PATCH)), axis=-1).reshape(-1, 2) + 0.5 - PATCH / 2
# Share of a patch that must belong to the region, and its contrast in code values: a blank one says nothing.
LEAST_WEIGHT = 0.12
LEAST_CONTRAST = 0.004
# A coarse look finds the way to the fine one.
BLURS = (2.0, 0.6)
RIM = 4
# A patch that agrees less with the reference than this is covered.
LEAST_AGREEMENT = 0.6
# Where noise alone would show as much, what is left beside something in front says nothing, px.
MOST_NOISE_PX = 0.25
# What is left hangs together within blocks of this side, px.
BLOCK = 9


@dataclass(frozen=True)
class Jitter:
    """Remaining movement at the corners of a surface held still.

    Attributes
    ----------
    frame : frame index
    shift_px : (4, 2) float64, plate px at the reference frame; NaN where a corner cannot be compared
    noise_px : (4,) float64, what noise alone would show of it, root mean square, px; NaN likewise
    """

    frame: int
    shift_px: Float64
    noise_px: Float64

    @property
    def worst_px(self) -> float:
        """Largest shift of the corners that can be compared, px; NaN when none can."""
        lengths = np.linalg.norm(self.shift_px, axis=1)
        return float(np.nanmax(lengths)) if np.any(np.isfinite(lengths)) else float("nan")


def corner_patches(values: Float32, corners: Float64, reference: Float64) -> list[Float32]:
    """Patches (PATCH, PATCH) float32 around each corner of a frame, as they would be seen at the reference frame.

    Parameters
    ----------
    values : (H, W) float32
    corners : (4, 2) px where the track says they are in this frame, corner order
    reference : (4, 2) px at the reference frame

    Returns
    -------
    with -1 where the picture has nothing
    """
    h = homography_from_quads(reference, corners)
    at = [apply_homography(h, corner + _GRID).reshape(PATCH, PATCH, 2) for corner in reference]
    return [resample(values, a, outside=-1.0) for a in at]


def patch_shift(patch: Float32, reference: Float32, weight: Float32) -> tuple[Float64, float]:
    """How far a patch is moved against the reference's, (2,) px, and what noise alone would show; NaN where they do not show the same.

    Parameters
    ----------
    weight : (PATCH, PATCH) float32, 0 where something is seen that does not move with the surface
    """
    nothing = np.full(2, np.nan), np.nan
    window = cv2.createHanningWindow((PATCH, PATCH), cv2.CV_32F) * weight * (reference > -0.5) * (patch > -0.5)
    if window.sum() < LEAST_WEIGHT * PATCH**2 / 4:
        return nothing
    shift, agreement, noise_px = np.zeros(2), 0.0, np.nan
    for blur in BLURS:
        shift, agreement, noise_px = _refine(
            cv2.GaussianBlur(patch, (0, 0), blur), cv2.GaussianBlur(reference, (0, 0), blur), window, shift
        )
        if np.hypot(*shift) > PATCH / 6:
            return nothing
    return (np.asarray(shift, np.float64), noise_px) if agreement > LEAST_AGREEMENT and noise_px < MOST_NOISE_PX else nothing


def _refine(patch: Float32, reference: Float32, window: Float32, shift: Float64) -> tuple[Float64, float, float]:
    """Gauss-Newton on the shift, gain and offset free: light changes, the surface does not. With the correlation reached, and noise."""
    gx = 0.5 * (np.roll(reference, -1, 1) - np.roll(reference, 1, 1)) * window
    gy = 0.5 * (np.roll(reference, -1, 0) - np.roll(reference, 1, 0)) * window
    jacobian = np.stack([gx.ravel(), gy.ravel(), -(window * reference).ravel(), -window.ravel()], axis=1).astype(np.float64)
    moved, step, seen = patch, np.zeros(4), np.zeros(PATCH**2, np.float64)
    for _ in range(12):
        moved = resample(patch, (_GRID + PATCH / 2 + shift).reshape(PATCH, PATCH, 2))
        seen = np.asarray(-(window * moved).ravel(), np.float64)
        step = np.asarray(np.linalg.lstsq(jacobian, seen, rcond=None)[0], np.float64)
        shift = shift + step[:2]
        if np.hypot(*step[:2]) < 1e-3 or np.hypot(*shift) > PATCH / 4:
            break
    total = float(window.sum())
    a, b = (x - float((window * x).sum()) / total for x in (moved, reference))
    spread = float((window * a * a).sum() * (window * b * b).sum())
    if spread < (LEAST_CONTRAST**2 * total) ** 2:
        return shift, 0.0, np.nan
    blocks = (PATCH // BLOCK, BLOCK, PATCH // BLOCK, BLOCK, 4)
    pulls = ((seen - jacobian @ step)[:, None] * jacobian).reshape(blocks).sum(axis=(1, 3)).reshape(-1, 4)
    inverse = np.linalg.pinv(jacobian.T @ jacobian)
    noise = inverse @ (pulls.T @ pulls) @ inverse
    return shift, float((window * a * b).sum() / np.sqrt(spread)), float(np.sqrt(noise[0, 0] + noise[1, 1]))


def measure_jitter(
    frame_luma: Callable[[int], Float32], corners: dict[int, Float64], reference_frame: int, region: Bool,
    hidden: Callable[[int], Bool | None] = lambda _: None,
    stop: Callable[[], bool] = lambda: False,
) -> list[Jitter]:  # fmt: skip
    """Remaining movement of every frame against the reference frame, in order of frames.

    Parameters
    ----------
    frame_luma : frame -> (H, W) float32
    corners : frame -> (4, 2) px as used, with the reference frame among them
    hidden : frame -> (H, W) bool, pixels that something nearer covers there, or None
    region : (H, W) bool, what moves with the surface at the reference frame; content that runs beside it is not compared
    """
    own = corners[reference_frame]
    still = corner_patches(frame_luma(reference_frame), own, own)
    # What runs beside the region spreads into its rim through blur.
    inner = cv2.erode(region.astype(np.float32), np.ones((2 * RIM + 1, 2 * RIM + 1)), borderValue=0)
    weights = [np.maximum(w, 0) for w in corner_patches(np.asarray(inner, np.float32), own, own)]
    answer: list[Jitter] = []
    for n in sorted(corners):
        if stop():
            break
        patches, covered, seen = corner_patches(frame_luma(n), corners[n], own), hidden(n), weights
        if covered is not None:
            free = corner_patches(1 - cv2.dilate(covered.astype(np.float32), np.ones((2 * RIM + 1, 2 * RIM + 1))), corners[n], own)
            seen = [np.asarray(w * np.clip(f, 0, 1), np.float32) for w, f in zip(weights, free, strict=True)]
        shifts, noise = zip(*(patch_shift(*one) for one in zip(patches, still, seen, strict=True)), strict=True)
        answer.append(Jitter(n, np.stack(shifts), np.array(noise)))
    return answer
