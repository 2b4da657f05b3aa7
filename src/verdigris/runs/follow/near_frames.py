"""The frames around a reference frame kept decoded, so that following begins at once: a film has to be decoded up to there."""

import itertools
import json
import os
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, replace
from pathlib import Path
from types import TracebackType

import numpy as np

from verdigris.core.light.yuv import YuvCoding
from verdigris.core.types import AnyArray
from verdigris.media.facts import MediaFacts
from verdigris.media.frames import Frame, YuvFrame
from verdigris.media.reader import Reader

# How far from the reference frame frames are kept, and how many files of a plate at most.
NEAR = 2
MOST_KEPT = 20


class NearFrames:
    """A plate's reader that has the frames around one frame at hand.

    What was not kept yet is kept when it is read. Stills are files of their own already and are not kept again.

    Parameters
    ----------
    facts : of the plate
    plate : opens the plate; asked when a frame is wanted that is not kept
    folder : where they are kept, one folder to a plate
    middle : the reference frame
    """

    def __init__(self, facts: MediaFacts, plate: Callable[[], Reader], folder: Path, middle: int) -> None:
        self.facts = facts
        self._plate, self._folder, self._middle = plate, folder, middle
        self._opened: Reader | None = None

    def __enter__(self) -> "NearFrames":
        return self

    def __exit__(self, t: type[BaseException] | None, e: BaseException | None, tb: TracebackType | None) -> None:
        if self._opened is not None:
            self._opened.close()

    def _reader(self) -> Reader:
        self._opened = self._opened or self._plate()
        return self._opened

    def frame(self, n: int) -> Frame:
        """Frame n, counted from 0."""
        if abs(n - self._middle) > NEAR:
            return self._reader().frame(n)
        return self._kept(n) or self._keep(n, self._reader().frame(n))

    def frames(self, start: int, stop: int, step: int = 1) -> Iterator[Frame]:
        """Frames from `start` up to, not including, `stop`; `step` is 1 or -1."""
        known = list(itertools.takewhile(lambda n: self._has(n), range(start, stop, step)))
        rest = range(start + step * len(known), stop, step)
        with ThreadPoolExecutor(1) as ahead:
            coming = None
            for n in known:
                kept = self._kept(n) or self._reader().frame(n)
                if n == known[-1] and rest:
                    # While the last one is worked on, the plate is decoded up to what comes next. No sooner: that would
                    # hold up the first.
                    coming = ahead.submit(self._begin, rest, step)
                yield kept
            if rest:
                first, more = coming.result() if coming else self._begin(rest, step)
                for n, frame in zip(rest, itertools.chain([first], more), strict=True):
                    yield self._keep(n, frame)

    def _begin(self, rest: range, step: int) -> tuple[Frame, Iterator[Frame]]:
        frames = self._reader().frames(rest.start, rest.stop, step)
        return next(frames), frames

    def make_ready(self) -> None:
        """Keep every frame around the middle."""
        first, last = max(0, self._middle - NEAR), min(self.facts.frame_count - 1, self._middle + NEAR)
        for _ in self.frames(first, last + 1):
            pass

    def _path(self, n: int) -> Path:
        return self._folder / f"{n:06d}.npz"

    def _has(self, n: int) -> bool:
        return abs(n - self._middle) <= NEAR and self._path(n).exists()

    def _kept(self, n: int) -> Frame | None:
        if not self._has(n):
            return None
        try:
            file = np.load(self._path(n), allow_pickle=False)
        except FileNotFoundError:
            # Another worker has just made room.
            return None
        with file as kept:
            planes = (kept["y"], kept["u"], kept["v"])
            coding, facts = YuvCoding(**json.loads(str(kept["coding"]))), self.facts
            if coding.matrix != "rgb":
                # Samples are kept; what they mean may have been said anew since.
                coding = replace(coding, matrix=facts.matrix or coding.matrix, full_range=facts.full_range)
            return YuvFrame(planes, coding, kept.get("alpha"), facts.transfer, facts.primaries)

    def _keep(self, n: int, frame: Frame) -> Frame:
        if abs(n - self._middle) > NEAR or not isinstance(frame, YuvFrame):
            return frame
        self._folder.mkdir(parents=True, exist_ok=True)
        arrays: dict[str, AnyArray] = dict(zip("yuv", frame.planes, strict=True))
        if frame.alpha is not None:
            arrays["alpha"] = frame.alpha
        # Two workers may keep the same frame: each writes a file of its own.
        unfinished = self._path(n).with_suffix(f".{os.getpid()}.unfinished")
        with unfinished.open("wb") as f:
            np.savez(f, coding=np.array(json.dumps(asdict(frame.coding))), **arrays)  # type: ignore[arg-type]
        unfinished.replace(self._path(n))
        there = {p: p.stat().st_mtime for p in self._folder.glob("*.npz") if p.exists()}
        for old in sorted(there, key=lambda p: there[p])[:-MOST_KEPT]:
            old.unlink(missing_ok=True)
        return frame
