"""Handing over: films in parts that are joined without encoding again, or numbered stills."""

import queue
import threading
from collections.abc import Callable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path

from verdigris.media.facts import MediaFacts
from verdigris.media.frames import Frame, RgbFrame, linear_light
from verdigris.media.stills import write_exr_half, write_still
from verdigris.media.writer import FilmWriter, join_parts
from verdigris.shot.document import Delivery

PART_FRAMES = 60
QUEUE_FRAMES = 4



class Stopped(Exception):
    """The run was asked to stop; what is done is kept."""


def film_parts(count: int) -> list[tuple[int, int]]:
    """Frame ranges, end exclusive, that a film of `count` frames is rendered in."""
    return [(start, min(start + PART_FRAMES, count)) for start in range(0, count, PART_FRAMES)]


def ahead(frames: Iterator[Frame], depth: int = QUEUE_FRAMES) -> Iterator[Frame]:
    """Run an iterator in a thread, a bounded number of frames ahead."""
    ready: queue.Queue[Frame | BaseException | None] = queue.Queue(depth)
    done = threading.Event()

    def work() -> None:
        try:
            for frame in frames:
                while not done.is_set():
                    try:
                        ready.put(frame, timeout=0.2)
                        break
                    except queue.Full:
                        continue
                if done.is_set():
                    return
            ready.put(None)
        except BaseException as error:  # handed to the consumer, which raises it
            ready.put(error)

    thread = threading.Thread(target=work, daemon=True)
    thread.start()
    try:
        while (item := ready.get()) is not None:
            if isinstance(item, BaseException):
                raise item
            yield item
    finally:
        done.set()


def render_part(
    out: Path, facts: MediaFacts, delivery: Delivery, frames: Iterator[Frame], on_frame: Callable[[], None]
) -> None:
    """Encode one part of a film; the file appears under its name only when it is whole."""
    unfinished = out.with_name(out.stem + ".unfinished.mp4")
    with FilmWriter(unfinished, facts, delivery.crf, delivery.preset) as writer:
        for frame in ahead(frames):
            writer.write(frame)
            on_frame()
    unfinished.replace(out)


def join_film(parts: Sequence[Path], out: Path, rate: Fraction, count: int, plate: Path) -> None:
    """Join the parts of a film and pass the plate's sound through; whole or not at all."""
    unfinished = out.with_name(out.stem + ".unfinished" + out.suffix)
    sound = plate if plate.is_file() and plate.suffix.lower() in (".mp4", ".mov", ".mkv", ".m4v") else None
    join_parts(parts, [start for start, _ in film_parts(count)], unfinished, rate, sound)
    unfinished.replace(out)


def still_name(stem: str, number: int, form: str) -> str:
    """Name of a still: the number people quote, at least four digits."""
    return f"{stem}.{number:04d}.{form}"


def write_result_still(path: Path, frame: Frame, form: str) -> None:
    """Write one still, PNG (8 or 16 bit as the plate has it) or EXR half linear; whole or not at all."""
    unfinished = path.with_name(path.name + ".unfinished")
    if form == "png":
        write_still(unfinished, frame.rgb_integers())
    else:
        light = linear_light(frame)
        if isinstance(frame, RgbFrame) and frame.alpha is not None and not frame.associated:
            light = light * frame.alpha[..., None]
        write_exr_half(unfinished, light)
    unfinished.replace(path)
