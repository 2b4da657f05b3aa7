"""Frames to look at, worst first, each with a plain reason."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from verdigris.core.geometry.quad import CORNER_GLYPHS
from verdigris.core.types import Float64

DOUBT_PX = 0.5
JUMP_FACTOR = 6.0


@dataclass(frozen=True)
class Evidence:
    """What is known of one frame: corners (4, 2) px and sigma (4,) px, or None when lost."""

    frame: int
    corners: Float64 | None
    sigma_px: Float64 | None
    share_used: float
    reason: str


@dataclass(frozen=True)
class Look:
    """A frame that needs eyes: how bad it is, px, and why."""

    frame: int
    severity_px: float
    reason: str


def frames_to_look_at(evidence: Sequence[Evidence], doubt_px: float = DOUBT_PX) -> list[Look]:
    """Lost frames, frames whose doubt exceeds `doubt_px`, and frames where a corner jumps; worst first."""
    looks: dict[int, Look] = {}
    ordered = sorted(evidence, key=lambda e: e.frame)
    for e in ordered:
        if e.corners is None or e.sigma_px is None:
            looks[e.frame] = Look(e.frame, 99.0, e.reason)
        elif float(e.sigma_px.max()) > doubt_px:
            looks[e.frame] = Look(e.frame, float(e.sigma_px.max()), _doubt_reason(e))
    for frame, jump, corner in _jumps(ordered):
        if frame not in looks or looks[frame].severity_px < jump:
            looks[frame] = Look(frame, jump, f"The {CORNER_GLYPHS[corner]} jumps by {jump:.1f} px against its path.")
    return sorted(looks.values(), key=lambda look: (-look.severity_px, look.frame))


def _doubt_reason(e: Evidence) -> str:
    assert e.sigma_px is not None
    worst = int(e.sigma_px.argmax())
    text = f"The {CORNER_GLYPHS[worst]} is unsure by {e.sigma_px[worst]:.2f} px."
    if e.share_used < 0.5:
        text += f" {100 * e.share_used:.0f} % of the region could be used."
    return text


def _jumps(ordered: Sequence[Evidence]) -> list[tuple[int, float, int]]:
    """Frames whose corner lies off the middle of its neighbours, against what is usual in this take."""
    rows = [
        (b.frame, b.corners - (a.corners + c.corners) / 2)
        for a, b, c in zip(ordered, ordered[1:], ordered[2:], strict=False)
        if a.corners is not None and b.corners is not None and c.corners is not None and c.frame - a.frame == 2
    ]
    if len(rows) < 5:
        return []
    off = np.linalg.norm(np.array([r[1] for r in rows]), axis=2)
    usual = np.median(off, axis=0)
    limit = np.maximum(JUMP_FACTOR * usual, 2.0)
    return [(rows[i][0], float(off[i].max()), int(off[i].argmax())) for i in np.nonzero((off > limit).any(axis=1))[0]]
