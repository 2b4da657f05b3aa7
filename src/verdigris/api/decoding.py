"""Full-quality frames: decoded in a separate process with limits, never in the web process."""

import asyncio
import resource
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from functools import lru_cache
from multiprocessing import get_context
from pathlib import Path
from typing import Literal, TypeVar

import numpy as np

from verdigris.core.geometry.edge_crossing import find_edge_crossing
from verdigris.media.decoding_time import decoding_time
from verdigris.media.errors import MediaError
from verdigris.media.facts import ColourChoice
from verdigris.media.frames import Frame, rgb8
from verdigris.media.reader import Reader, open_media
from verdigris.process import die_with_parent
from verdigris.runs.views.proxies import encode_jpeg
from verdigris.settings import Settings

T = TypeVar("T")
# One process that decodes single frames, another one that looks through many for advice, with the seconds one answer may take.
Purpose = Literal["frames", "advice"]
# Advice looks at as many frames as one shot has, and at each of them for a fraction of what decoding one may take.
ADVICE_FRAMES = 40
_pools: dict[Purpose, ProcessPoolExecutor] = {}


def decoding_pool(purpose: Purpose = "frames") -> ProcessPoolExecutor:
    """The pool of one process for a purpose, begun at first use."""
    if purpose not in _pools:
        _pools[purpose] = ProcessPoolExecutor(1, mp_context=get_context("spawn"), initializer=_limit)
    return _pools[purpose]


def _limit() -> None:
    memory = Settings().decoder_memory
    resource.setrlimit(resource.RLIMIT_DATA, (memory, memory))
    # When the web process ends in whatever way, this one ends with it.
    die_with_parent()


def close_decoding_pool() -> None:
    """End the processes that were ever started."""
    for pool in _pools.values():
        pool.shutdown(wait=False, cancel_futures=True)
    _pools.clear()


@lru_cache(maxsize=2)
def _reader(path: Path) -> Reader:
    return open_media(path)


@lru_cache(maxsize=4)
def _frame(path: Path, frame: int) -> Frame:
    return _reader(path).frame(frame)


def _decode(path: Path, frame: int, colour: ColourChoice | None) -> bytes:
    picture = _frame(path, frame) if colour is None else _coloured_reader(path, colour).frame(frame)
    return encode_jpeg(rgb8(picture), 93)


@lru_cache(maxsize=2)
def _coloured_reader(path: Path, colour: ColourChoice) -> Reader:
    return open_media(path, colour=colour)


def _in_time(seconds: float, work: Callable[..., T], args: tuple[object, ...]) -> T:
    with decoding_time(seconds):
        return work(*args)


def _seconds_for(purpose: Purpose) -> float:
    return Settings().decode_seconds * (1 if purpose == "frames" else ADVICE_FRAMES)


async def in_its_process(purpose: Purpose, work: Callable[..., T], *args: object) -> T:
    """Run something in the process for a purpose; once more in a fresh one, should it have been killed.

    Submitted from the event loop's thread: the process lives no longer than the thread that started it.

    Raises
    ------
    MediaError
        `damaged` when it took longer than is allowed: its process was ended.
    """
    loop = asyncio.get_running_loop()
    seconds = _seconds_for(purpose)
    for again in (True, False):
        pool, began = decoding_pool(purpose), loop.time()
        try:
            return await loop.run_in_executor(pool, _in_time, seconds, work, args)
        except BrokenProcessPool as error:
            if _pools.get(purpose) is pool:
                del _pools[purpose]
            if loop.time() - began >= seconds:
                raise MediaError(
                    "damaged", f"This took longer than {seconds:.0f} s and was ended. The file may be damaged there."
                ) from error
            if not again:
                raise MediaError("damaged", "The process that decodes this ended twice over it. The file may be damaged there.") from error
    raise AssertionError("either answered or raised")


def find_crossing(path: Path, frame: int, near: tuple[float, float], reach: float) -> tuple[float, float, float] | None:
    """Where edges cross near a point, and how surely: x, y, sigma, plate px; for the process of single frames."""
    found = find_edge_crossing(_frame(path, frame).luma(), np.array(near), reach)
    return None if found is None else (float(found.at[0]), float(found.at[1]), found.sigma_px)


async def full_frame(path: Path, frame: int, colour: ColourChoice | None = None) -> bytes:
    """One frame as JPEG for an sRGB screen."""
    return await in_its_process("frames", _decode, path, frame, colour)
