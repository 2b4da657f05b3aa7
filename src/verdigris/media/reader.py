"""One door to films, sequences and stills."""

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Protocol, TypeVar

from verdigris.media.errors import MediaError
from verdigris.media.facts import ColourChoice, Limits, MediaFacts
from verdigris.media.film import FilmReader, film_format
from verdigris.media.frames import Frame
from verdigris.media.lut import LUT_ENDINGS
from verdigris.media.stills import DRAWING_ENDINGS, STILL_ENDINGS, SequenceReader

Reader = FilmReader | SequenceReader


class FrameSource(Protocol):
    """What frames are read from, one after the other."""

    @property
    def facts(self) -> MediaFacts:
        """Facts of the media."""
        ...

    def frame(self, n: int) -> Frame:
        """Frame n, counted from 0."""
        ...

    def frames(self, start: int, stop: int, step: int = 1) -> Iterator[Frame]:
        """Frames from `start` up to, not including, `stop`; `step` is 1 or -1."""
        ...


def open_media(
    path: Path, rate: Fraction | None = None, limits: Limits | None = None, name: str | None = None, colour: ColourChoice | None = None
) -> Reader:
    """Open a film file, a folder of numbered stills, or one still.

    Parameters
    ----------
    rate : frames per second for stills, which carry none
    name : what people call it, for sentences; default is the file's own name
    colour : what somebody says of its colour, over what the file says

    Raises
    ------
    MediaError
        `not_found`, `unsupported`, `damaged`, `too_large`, `sequence_gap`, `sequence_mixed`.
    """
    if not path.exists():
        raise MediaError("not_found", f"There is no file or folder {path}.")
    if path.is_dir() or path.suffix.lower() in (*STILL_ENDINGS, *DRAWING_ENDINGS):
        return _coloured(SequenceReader(path, rate, limits, name), colour)
    if path.suffix.lower() in LUT_ENDINGS:
        raise MediaError("unsupported", f"{name or path.name} is a table of colours, not a picture. It belongs into a grade.")
    if film_format(path) is None:
        raise MediaError(
            "unsupported", f"{name or path.name} is not read here. Films are MP4, MOV and MKV; stills are PNG, JPEG, TIFF, OpenEXR and SVG."
        )
    return _coloured(FilmReader(path, limits, name), colour)


R = TypeVar("R", FilmReader, SequenceReader)


def _coloured(reader: R, colour: ColourChoice | None) -> R:
    reader.facts = reader.facts.in_colour(colour)
    return reader


def verify_media(reader: Reader) -> Iterator[int]:
    """Decode everything once, yielding the number of frames so far; raises MediaError where it is damaged."""
    yield from reader.count_by_decoding()


def probe(path: Path, rate: Fraction | None = None, limits: Limits | None = None) -> MediaFacts:
    """Facts of a file, its frames counted by decoding."""
    with open_media(path, rate, limits) as reader:
        for _ in verify_media(reader):
            pass
        return reader.facts
