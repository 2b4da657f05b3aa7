"""Composed regions kept on disk while a film is encoded, so that a killed render loses the frame in hand only.

An encoder holds dozens of frames that die with it; what was composed is cheap to keep and to put back.
"""

from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from pathlib import Path

import numpy as np

from verdigris.core.types import AnyArray
from verdigris.media.frames import Frame, YuvFrame
from verdigris.media.whole import whole_file
from verdigris.runs.scene.frame_plan import FramePlan


def _planes(frame: Frame) -> list[AnyArray]:
    """Arrays of a frame's colour."""
    return list(frame.planes) if isinstance(frame, YuvFrame) else [frame.pixels]


class KeptFrames:
    """Composed frames on disk, by the key of their plan.

    Parameters
    ----------
    folder : where they are kept
    earlier : where those of an earlier handing over are, if any; what is alike is taken from there
    """

    def __init__(self, folder: Path, earlier: Path | None = None) -> None:
        self._folder, self._earlier = folder, earlier
        folder.mkdir(parents=True, exist_ok=True)

    @property
    def count(self) -> int:
        """How many are kept."""
        return sum(1 for _ in self._folder.glob("??????-*.npz"))

    def frame(self, plan: FramePlan, plate: Frame, draw: Callable[[], Frame]) -> Frame:
        """The frame of a plan: put back where it is kept, else drawn and kept."""
        name = f"{plan.frame:06d}-{plan.key}.npz"
        path = self._folder / name
        if not path.exists() and self._earlier is not None:
            with suppress(FileNotFoundError, FileExistsError):
                path.hardlink_to(self._earlier / name)
        if path.exists():
            return restore_frame(path, plate)
        result = draw()
        keep_frame(path, plate, result)
        return result


def keep_frame(path: Path, plate: Frame, result: Frame) -> None:
    """Keep what differs between plate and result; whole or not at all."""
    kept: dict[str, AnyArray] = {}
    for i, (before, after) in enumerate(zip(_planes(plate), _planes(result), strict=True)):
        if before is after:
            continue
        changed = before != after
        if changed.ndim == 3:
            changed = changed.any(axis=2)
        rows, cols = np.flatnonzero(changed.any(axis=1)), np.flatnonzero(changed.any(axis=0))
        if len(rows):
            y0, y1, x0, x1 = rows[0], rows[-1] + 1, cols[0], cols[-1] + 1
            kept[f"box{i}"], kept[f"part{i}"] = np.array([x0, y0, x1, y1]), after[y0:y1, x0:x1]
    with whole_file(path) as unfinished, unfinished.open("wb") as f:
        np.savez(f, **kept)  # type: ignore[arg-type]


def restore_frame(path: Path, plate: Frame) -> Frame:
    """The result again, from the plate and what was kept."""
    arrays = _planes(plate)
    with np.load(path, allow_pickle=False) as kept:
        for i, before in enumerate(arrays):
            if f"box{i}" in kept:
                x0, y0, x1, y1 = kept[f"box{i}"]
                arrays[i] = before.copy()
                arrays[i][y0:y1, x0:x1] = kept[f"part{i}"]
    if isinstance(plate, YuvFrame):
        return replace(plate, planes=(arrays[0], arrays[1], arrays[2]))
    return replace(plate, pixels=arrays[0])
