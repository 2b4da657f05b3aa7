"""First looks at frames, kept whole while a run goes on: one that was cut off goes on as if it had not been.

What a frame's row keeps is for people; the frames after it, and the closer looks, also use what it showed of movement, blur,
shutter and noise. It is written to the last digit, so that the same shot gives the same track however often it was interrupted.
"""

from dataclasses import astuple
from pathlib import Path

import numpy as np

from verdigris.core.camera.optics import Movement
from verdigris.core.tracking.alignment.grain import Grain
from verdigris.core.tracking.sequence.frame_result import Evidence, FrameResult, Softness
from verdigris.core.types import AnyArray
from verdigris.media.whole import whole_file

_ARRAYS = ("homography", "corners", "sigma_px")
_SEEN = ("pose", "tiles", "bend", "template")


def keep_first_look(folder: Path, result: FrameResult) -> None:
    """Keep a frame's first look in a folder, under its number; one without evidence is left alone."""
    seen = result.evidence
    if seen is None:
        return
    arrays: dict[str, AnyArray] = {k: v for k in _ARRAYS if (v := getattr(result, k)) is not None}
    arrays |= {f"seen_{k}": v for k in _SEEN if (v := getattr(seen, k)) is not None}
    grain = seen.grain or Grain(np.nan, np.nan)
    missing = np.nan
    soft = [missing] * 3 if result.softness is None else [missing if v is None else v for v in astuple(result.softness)]
    arrays["numbers"] = np.array(
        [
            missing if result.residual_px is None else result.residual_px, result.share_used,
            missing if result.margin_px is None else result.margin_px, missing if result.through is None else result.through,
            seen.blur, missing if seen.shutter is None else seen.shutter, seen.cost, seen.good, seen.grain is not None, *grain,
            *soft,
        ]
    )  # fmt: skip
    arrays["v"], arrays["a"] = seen.movement.v, seen.movement.a
    arrays["told"] = np.array([result.status, result.reason])
    with whole_file(folder / f"{result.frame:06d}.npz") as unfinished, unfinished.open("wb") as f:
        np.savez(f, **arrays)  # type: ignore[arg-type]


def read_first_looks(folder: Path) -> dict[int, FrameResult]:
    """First looks kept in a folder, by frame."""
    return {r.frame: r for path in sorted(folder.glob("??????.npz")) for r in [_read(path)]}


def _read(path: Path) -> FrameResult:
    with np.load(path, allow_pickle=False) as kept:
        arrays = {k: kept[k] for k in kept.files}
    residual, share, margin, through, blur, shutter, cost, good, has_grain, variance, px2, *soft = (float(v) for v in arrays["numbers"])
    seen = Evidence(
        arrays["seen_pose"], Movement(arrays["v"], arrays["a"]), blur, _known(shutter), arrays.get("seen_tiles"), cost,
        Grain(variance, px2) if has_grain else None, good, arrays.get("seen_bend"), arrays.get("seen_template"),
    )  # fmt: skip
    status, reason = (str(v) for v in arrays["told"])
    return FrameResult(
        int(path.stem), status, arrays.get("homography"), arrays.get("corners"), arrays.get("sigma_px"), _known(residual), share,  # type: ignore[arg-type]
        reason, seen, _known(margin), None if np.isnan(through) else int(through),
        None if np.isnan(soft[0]) else Softness(soft[0], _known(soft[1]), _known(soft[2])), first_look=True,
    )  # fmt: skip


def _known(value: float) -> float | None:
    return None if np.isnan(value) else value
