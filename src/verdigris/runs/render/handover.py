"""Handing over: films in parts that are joined without encoding again, or numbered stills."""

from collections import deque
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import TypeVar

import numpy as np

from verdigris.core.light.transfer import encode_array
from verdigris.core.types import Float32
from verdigris.media.facts import MediaFacts
from verdigris.media.frames import Frame, RgbFrame, frame_alpha, linear_light, premultiplied_linear, to_integers
from verdigris.media.stills import write_exr_half, write_matte, write_still
from verdigris.media.whole import whole_file
from verdigris.media.writer import FilmWriter, join_parts
from verdigris.shot.model.delivery import Delivery

PART_FRAMES = 240
QUEUE_FRAMES = 6

T = TypeVar("T")
S = TypeVar("S")


class Stopped(Exception):
    """The run was asked to stop; what is done is kept."""


def film_parts(count: int, size: int = PART_FRAMES) -> list[tuple[int, int]]:
    """Frame ranges, end exclusive, of at most `size` frames that a film of `count` frames is rendered in."""
    return [(start, min(start + size, count)) for start in range(0, count, size)]


def side_by_side(frames: Iterator[T], work: Callable[[T], S], threads: int = 2) -> Iterator[S]:
    """Map frames in order on a few threads, a bounded number ahead; the kernels run outside Python's lock."""
    waiting: deque[Future[S]] = deque()
    with ThreadPoolExecutor(threads) as pool:
        try:
            for frame in frames:
                waiting.append(pool.submit(work, frame))
                if len(waiting) >= QUEUE_FRAMES:
                    yield waiting.popleft().result()
            while waiting:
                yield waiting.popleft().result()
        finally:
            for future in waiting:
                future.cancel()


def render_part(out: Path, facts: MediaFacts, delivery: Delivery, frames: Iterator[Frame], on_frame: Callable[[], None]) -> None:
    """Encode one part of a film; the file appears under its name only when it is whole."""
    with whole_file(out) as unfinished, FilmWriter(unfinished, facts, delivery.crf, delivery.preset) as writer:
        for frame in frames:
            writer.write(frame)
            on_frame()


def join_film(parts: Sequence[tuple[int, Path]], out: Path, rate: Fraction, plate: Path) -> None:
    """Join the parts of a film, each with its first frame, and pass the plate's sound through; whole or not at all."""
    sound = plate if plate.is_file() and plate.suffix.lower() in (".mp4", ".mov", ".mkv", ".m4v") else None
    with whole_file(out) as unfinished:
        join_parts([p for _, p in parts], [start for start, _ in parts], unfinished, rate, sound)


def still_name(stem: str, number: int, form: str) -> str:
    """Name of a still: the number people quote, at least four digits."""
    return f"{stem}.{number:04d}.{form}"


@dataclass(frozen=True)
class MatteStill:
    """A matte (H, W) float32 of one frame, and its bits as PNG."""

    cover: Float32
    depth: int


@dataclass(frozen=True)
class WithMattes:
    """A frame of result, and mattes (H, W) float32 by name that go with it as layers."""

    frame: Frame
    mattes: Mapping[str, Float32]


Still = Frame | MatteStill | WithMattes


def write_result_still(path: Path, still: Still, form: str) -> None:
    """Write one still, PNG (8 or 16 bit as the plate has it) or EXR half linear, with its transparency; whole or not at all."""
    if isinstance(still, MatteStill):
        with whole_file(path) as unfinished:
            write_matte(unfinished, still.cover, form, still.depth)
        return
    frame, mattes = (still.frame, still.mattes) if isinstance(still, WithMattes) else (still, {})
    with whole_file(path) as unfinished:
        if form == "exr":
            seen = premultiplied_linear(frame, frame.primaries) if frame.alpha is not None else linear_light(frame)
            write_exr_half(unfinished, seen, frame.primaries, mattes)
            return
        codes, alpha = frame.rgb_integers(), frame_alpha(frame)
        transfer = frame.transfer
        if isinstance(frame, RgbFrame) and frame.is_linear:
            # PNG holds no linear light worth having: what is linear goes out as sRGB, 16 bit.
            straight = frame.pixels if alpha is None or not frame.associated else frame.pixels / np.maximum(alpha, 1e-6)[..., None]
            codes, transfer = to_integers(encode_array(np.asarray(np.maximum(straight, 0), np.float32)), True), "srgb"
        if alpha is not None:
            codes = np.dstack([codes, to_integers(alpha, codes.dtype == np.uint16)])
        write_still(unfinished, codes, transfer, frame.primaries)
