"""Full-quality frames: decoded in a separate process with limits, never in the web process."""

import asyncio
import ctypes
import resource
import signal
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from functools import lru_cache
from multiprocessing import get_context
from pathlib import Path
from typing import Literal, TypeVar

import numpy as np

from verdigris.core.geometry.edge_crossing import find_edge_crossing
from verdigris.media.frames import Frame, rgb8
from verdigris.media.reader import Reader, open_media
from verdigris.runs.proxies import encode_jpeg
from verdigris.settings import Settings

T = TypeVar("T")
Purpose = Literal["frames", "advice"]
_purposes: set[Purpose] = set()


@lru_cache(maxsize=2)
def decoding_pool(purpose: Purpose = "frames") -> ProcessPoolExecutor:
    """One process that decodes single frames, another one that looks through many for advice."""
    _purposes.add(purpose)
    return ProcessPoolExecutor(1, mp_context=get_context("spawn"), initializer=_limit)


def _limit() -> None:
    memory = Settings().decoder_memory
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    # When the web process ends in whatever way, this one ends with it (prctl, PR_SET_PDEATHSIG).
    ctypes.CDLL(None).prctl(1, signal.SIGKILL)


def close_decoding_pool() -> None:
    """End the processes that were ever started."""
    for purpose in _purposes:
        decoding_pool(purpose).shutdown(wait=False, cancel_futures=True)


@lru_cache(maxsize=2)
def _reader(path: Path) -> Reader:
    return open_media(path)


@lru_cache(maxsize=4)
def _frame(path: Path, frame: int) -> Frame:
    return _reader(path).frame(frame)


def _decode(path: Path, frame: int) -> bytes:
    return encode_jpeg(rgb8(_frame(path, frame)), 93)


async def in_its_process(purpose: Purpose, work: Callable[..., T], *args: object) -> T:
    """Run something in the process for a purpose; once more in a fresh one, should it have been killed.

    Submitted from the event loop's thread: the process lives no longer than the thread that started it.
    """
    loop = asyncio.get_running_loop()
    try:
        return await loop.run_in_executor(decoding_pool(purpose), work, *args)
    except BrokenProcessPool:
        decoding_pool.cache_clear()
        return await loop.run_in_executor(decoding_pool(purpose), work, *args)


def find_crossing(path: Path, frame: int, near: tuple[float, float], reach: float) -> tuple[float, float, float] | None:
    """Where edges cross near a point, and how surely: x, y, sigma, plate px; for the process of single frames."""
    found = find_edge_crossing(_frame(path, frame).luma(), np.array(near), reach)
    return None if found is None else (float(found.at[0]), float(found.at[1]), found.sigma_px)


async def full_frame(path: Path, frame: int) -> bytes:
    """One frame as JPEG."""
    return await in_its_process("frames", _decode, path, frame)
