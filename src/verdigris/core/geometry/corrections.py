"""Hand corrections on top of a take: exact on their frame, spreading to neighbours within a reach."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from verdigris.core.types import Float64


@dataclass(frozen=True)
class CornerCorrection:
    """A corner moved by hand on one frame: offset in plate px against what the take says."""

    frame: int
    corner: int
    dx_px: float
    dy_px: float


def _ease(t: float) -> float:
    return t * t * (3 - 2 * t)


def correction_offsets(frame: int, corrections: Sequence[CornerCorrection], reach_frames: int) -> Float64:
    """Offset of the four corners at a frame, (4, 2) float64, plate px.

    Between two corrected frames of a corner the offset eases from one to the other; outside, it eases
    to nothing over `reach_frames`.
    """
    offsets = np.zeros((4, 2))
    for corner in range(4):
        keys = sorted((c for c in corrections if c.corner == corner), key=lambda c: c.frame)
        before = [c for c in keys if c.frame <= frame]
        after = [c for c in keys if c.frame > frame]
        if before and (before[-1].frame == frame or not after):
            near, gap = before[-1], frame - before[-1].frame
            offsets[corner] = _faded(near, gap, reach_frames)
        elif before and after:
            a, b = before[-1], after[0]
            t = _ease((frame - a.frame) / (b.frame - a.frame))
            offsets[corner] = (1 - t) * np.array([a.dx_px, a.dy_px]) + t * np.array([b.dx_px, b.dy_px])
        elif after:
            offsets[corner] = _faded(after[0], after[0].frame - frame, reach_frames)
    return offsets


def _faded(c: CornerCorrection, gap: int, reach: int) -> Float64:
    weight = 1.0 if gap == 0 else _ease(max(0.0, 1.0 - gap / reach)) if reach > 0 else 0.0
    return weight * np.array([c.dx_px, c.dy_px])
