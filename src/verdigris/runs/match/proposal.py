"""What is measured of a surface, as proposals; and what measuring its parts shares."""

import shutil
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from verdigris.core.light.transfer import srgb_to_linear
from verdigris.core.types import Bool, Float32, Float64
from verdigris.media.frames import Frame
from verdigris.media.stills import write_exr_half
from verdigris.runs.match.stack import SurfaceStack, spread
from verdigris.shot.model.match import SurfaceMatch

# Frames that are kept while measuring, and those around the reference.
KEPT, NEAR = 8, 5
Progress = Callable[[int, int], None]
Stopping = Callable[[], bool]


@dataclass(frozen=True)
class Proposal:
    """One thing that was measured.

    Attributes
    ----------
    part : which part of a match it is
    value : the part as a document has it; None where there is nothing to take over
    sure : whether it can be taken over without a look
    plate, artwork : what was found, and what the artwork has of it now, in words and figures
    said : a sentence: what it is, or why it is not sure and what would help
    evidence : figures for a small picture: light over time, softness over time, travel
    """

    part: str
    value: dict[str, Any] | None
    sure: bool
    plate: str
    artwork: str
    said: str
    evidence: tuple[tuple[float, ...], ...] = ()


@dataclass(frozen=True)
class Measured:
    """All proposals for a surface, sure ones first; fields are written beside, one folder each, named in their values."""

    surface: str
    proposals: tuple[Proposal, ...]

    def part(self, name: str) -> Proposal | None:
        """A proposal by its part."""
        return next((p for p in self.proposals if p.part == name), None)


@dataclass
class Found:
    """What the parts share while they are measured.

    `old` is the old picture on the square, (h, w, 3) linear, where it is known; `local_light` whether light is told place by place.
    """

    stack: SurfaceStack
    match: SurfaceMatch
    folder: Path
    noise: float = 0.0
    old: Float32 | None = None
    local_light: bool = False
    clean: Float32 = field(default_factory=lambda: np.zeros((1, 1, 3), np.float32))
    ever: Bool = field(default_factory=lambda: np.zeros((1, 1), np.bool_))
    lights: list[Float32] = field(default_factory=list)
    seens: list[Bool] = field(default_factory=list)
    _near: list[tuple[int, Frame]] = field(default_factory=list)
    _kept: dict[int, Frame] = field(default_factory=dict)

    def keep(self, wanted: Sequence[int], stop: Stopping) -> Iterator[tuple[int, Frame]]:
        """Read frames in their order, and keep a few of them for what is measured later; reading is what takes long."""
        few = set(spread(wanted, KEPT))
        for n, picture in self.stack.pictures(wanted, stop):
            if n in few:
                self._kept[n] = picture
            yield n, picture

    def kept(self, count: int, stop: Stopping) -> Iterator[tuple[int, Frame]]:
        """At most so many of the frames that were kept, evenly."""
        for n in spread(sorted(self._kept), count):
            if stop():
                return
            yield n, self._kept[n]

    def near_reference(self, stop: Stopping) -> Iterator[tuple[int, Frame]]:
        """A few frames around the reference, in their order; read once."""
        if not self._near:
            reference = self.stack.surface.reference_frame
            wanted = sorted(sorted(self.stack.frames, key=lambda n: abs(n - reference))[: 3 * NEAR : 3] or [reference])
            self._near = list(self.stack.pictures(wanted, stop))
        yield from self._near


@dataclass(frozen=True)
class SpotSeen:
    """A spot: its code as linear light, what is seen there on the plate (N, 3), and where that is on the square."""

    code: Float64
    light: Float32
    where: Bool | None


def spots_seen(found: Found) -> list[SpotSeen]:
    """The spots that were picked, as they are seen on the plate."""
    out = []
    stack = found.stack
    for spot in found.match.spots:
        polygon = np.array(spot.polygon, np.float64)
        picture = stack.plate.frame(spot.frame)
        light = light_inside(picture, polygon)
        if len(light) == 0:
            continue
        where = stack.polygon_on_square(polygon, spot.frame)
        out.append(SpotSeen(srgb_to_linear(np.array(spot.code) / 255.0), light, where))
    return out


def light_inside(picture: Frame, polygon: Float64) -> Float32:
    """Linear light of the pixels within a polygon, plate px, (N, 3)."""
    x0, y0 = np.clip(np.floor(polygon.min(axis=0)), 0, [picture.width, picture.height]).astype(int) // 2 * 2
    x1, y1 = np.clip(np.ceil(polygon.max(axis=0)), 0, [picture.width, picture.height]).astype(int)
    x1, y1 = min(picture.width, int(x1) + int(x1) % 2), min(picture.height, int(y1) + int(y1) % 2)
    if x1 <= x0 or y1 <= y0:
        return np.zeros((0, 3), np.float32)
    light = picture.light_of(picture.values((int(x0), int(y0), x1, y1)))
    mask = np.zeros(light.shape[:2], np.uint8)
    cv2.fillPoly(mask, [np.round((polygon - [x0, y0]) * 16 - 8).astype(np.int32)], 1, shift=4)
    return np.asarray(light[mask > 0], np.float32)


def field_name(found: Found, what: str) -> str:
    """What the folder of a surface's field is called."""
    return f"{found.stack.surface.id}.{what}"


class FieldFiles:
    """A folder of pictures over a surface, one for each frame, made anew; gaps take the nearest frame's."""

    def __init__(self, found: Found, what: str) -> None:
        self.name = field_name(found, what)
        self._what, self._folder, self._count = what, found.folder / self.name, found.stack.plate.facts.frame_count
        shutil.rmtree(self._folder, ignore_errors=True)
        self._folder.mkdir(parents=True)
        self._written: list[int] = []

    def _path(self, frame: int) -> Path:
        return self._folder / f"{self._what}.{frame:06d}.exr"

    def write(self, frame: int, light: Float32) -> None:
        """Write a frame's picture, (h, w, 3)."""
        write_exr_half(self._path(frame), light)
        self._written.append(frame)

    def fill(self) -> None:
        """Files are numbered without gaps, also where the surface is lost."""
        for n in sorted(set(range(self._count)) - set(self._written)) if self._written else ():
            shutil.copyfile(self._path(min(self._written, key=lambda k: abs(k - n))), self._path(n))


def rounded(values: Any) -> list[float]:
    """Figures as a document keeps them."""
    return [round(float(v), 5) for v in values]


def three(values: Float64) -> str:
    """Three channels in figures."""
    return " ".join(f"{v:.3f}" for v in values)
