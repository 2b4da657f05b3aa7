"""Films: exact frames by decoded index, in either direction."""

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Any

import av
import numpy as np
from av.video.frame import VideoFrame

from verdigris.core.light.encoding import PRIMARIES_OF, TRANSFER_OF
from verdigris.core.light.yuv import YuvCoding
from verdigris.core.types import AnyArray
from verdigris.media.errors import MediaError
from verdigris.media.facts import Limits, MediaFacts, SoundFacts
from verdigris.media.frames import Frame, RgbFrame, YuvFrame

_SUBSAMPLING = {"420": (1, 1), "422": (1, 0), "444": (0, 0)}
_MATRIX = {1: "bt709", 5: "bt601", 6: "bt601", 9: "bt2020", 10: "bt2020"}
DEPTHS = ("", "9", "10", "12", "14", "16")
FULL = 2
SAME_PLANES = {"nv12": "yuv420p", "p010le": "yuv420p10le"}
BACKWARD_RUN = 24


def film_format(path: Path) -> str | None:
    """The demuxer for a file by its first bytes; None when it is not a film that is read here.

    Naming the demuxer keeps playlists and the like, which may point anywhere, from ever being opened.
    """
    with path.open("rb") as f:
        head = f.read(16)
    if head[4:8] in (b"ftyp", b"moov", b"mdat", b"wide", b"free", b"skip"):
        return "mov"
    if head[:4] == b"\x1a\x45\xdf\xa3":
        return "matroska"
    return None


class FilmReader:
    """Reads frames of a film exactly.

    Parameters
    ----------
    path : the file
    limits : what is refused before it is decoded
    name : what people call it, for sentences; default is the file's own name

    Raises
    ------
    MediaError
        `unsupported`, `damaged` or `too_large`.
    """

    def __init__(self, path: Path, limits: Limits | None = None, name: str | None = None) -> None:
        limits = limits or Limits()
        self.path, self.name = path, name or path.name
        container_format = film_format(path)
        if container_format is None:
            raise MediaError("unsupported", f"{self.name} is not a film that is read here; MP4, MOV and MKV are.")
        if path.stat().st_size > limits.bytes:
            raise MediaError("too_large", f"{self.name} is larger than {limits.bytes // 2**30} GB.")
        try:
            self._container = av.open(str(path), format=container_format)
            self._stream = next((s for s in self._container.streams.video), None)
        except (av.FFmpegError, OSError, ValueError) as error:
            raise MediaError("damaged", f"{self.name} cannot be opened: it is cut short or damaged.") from error
        if self._stream is None:
            raise MediaError("unsupported", f"{self.name} holds no picture.")
        # A stream whose codec nobody knows has no context, one that is damaged no format.
        if self._stream.codec_context is None or self._stream.codec_context.format is None:
            raise MediaError("damaged", f"{self.name} holds a picture that no decoder here knows: it is damaged, or of a rare kind.")
        self._stream.thread_type = "AUTO"
        width, height = self._stream.codec_context.width, self._stream.codec_context.height
        if width < 2 or height < 2:
            raise MediaError("damaged", f"{self.name} gives no picture size.")
        if width * height > limits.pixels or max(width, height) > limits.side_px:
            raise MediaError("too_large", f"{self.name} is {width} x {height} pixels; that is more than is read here.")
        self._times = self._scan(limits)
        self._announced = self._count_announced()
        if self._announced > len(self._times):
            self._times = self._sound_times()
        self._iterator: Iterator[Any] | None = None
        self._next = -1
        self.facts = self._read_facts()

    def __enter__(self) -> "FilmReader":
        return self

    def __exit__(self, t: type[BaseException] | None, e: BaseException | None, tb: TracebackType | None) -> None:
        self.close()

    def close(self) -> None:
        """Close the file."""
        self._container.close()

    def _scan(self, limits: Limits) -> list[int]:
        """Presentation times of all pictures, from the packets, without decoding."""
        assert self._stream is not None
        times: list[int] = []
        try:
            for packet in self._container.demux(self._stream):
                # A file that was cut ends with part of a picture.
                if packet.pts is not None and not packet.is_discard and not packet.is_corrupt:
                    times.append(packet.pts)
                if len(times) > limits.frames:
                    raise MediaError("too_large", f"{self.name} has more than {limits.frames} frames.")
        except av.FFmpegError as error:
            raise MediaError("damaged", f"{self.name} cannot be read to its end: it is cut short or damaged.") from error
        if not times:
            raise MediaError("damaged", f"{self.name} holds no pictures.")
        times = sorted(set(times))
        assert self._stream.time_base is not None
        if float((times[-1] - times[0]) * self._stream.time_base) > limits.seconds:
            raise MediaError("too_large", f"{self.name} is longer than {limits.seconds // 3600} hours.")
        return times

    def _read_facts(self) -> MediaFacts:
        stream: Any = self._stream
        context = stream.codec_context
        rate = stream.average_rate or stream.guessed_rate
        notes = [*self._said_of_its_end(), *self._said_of_its_spacing(rate)]
        sound = next(iter(self._container.streams.audio), None)
        fmt = context.format
        name = SAME_PLANES.get(fmt.name, fmt.name)
        return MediaFacts(
            kind="film", width=context.width, height=context.height, frame_count=len(self._times),
            rate=_short(Fraction(rate)) if rate else None,
            pixel_aspect=_short(Fraction(stream.sample_aspect_ratio or context.sample_aspect_ratio or 1)),
            codec=context.name, pixel_format=name, bit_depth=max((c.bits for c in fmt.components), default=8),
            notes=tuple(notes),
            **colour_facts(
                name, context.height, int(context.colorspace), int(context.color_range), int(context.color_trc),
                int(context.color_primaries),
            ),
            sound=None if sound is None else SoundFacts(
                codec=sound.codec_context.name, channels=sound.codec_context.channels,
                sample_rate=sound.codec_context.sample_rate,
            ),
        )  # fmt: skip

    def _count_announced(self) -> int:
        """How many frames the file says it has; as many as there are where it does not say."""
        stream: Any = self._stream
        rate, there, announced = stream.average_rate or stream.guessed_rate, len(self._times), int(stream.frames or 0)
        if not announced and rate and self._container.duration:
            # Matroska tells no count, but how long it was to be; its times are rounded, so a frame either way says nothing.
            longer = int(self._container.duration * rate / av.time_base) - there
            announced = there + longer if longer > 1 else there
        return max(announced, there)

    def _sound_times(self) -> list[int]:
        """Of a file that was cut: times of the pictures up to the first that is missing or cannot be decoded.

        Pictures are stored in the order they are decoded in: near the cut, later ones may be there and earlier ones not.
        """
        times: list[int] = []
        usual = float(np.median(np.diff(self._times))) if len(self._times) > 1 else 1.0
        try:
            self._container.seek(self._times[0], stream=self._stream, backward=True)
            pictures: Iterator[Any] = iter(self._container.decode(self._stream))
            for picture in pictures:
                if picture.is_corrupt or picture.pts is None or (times and picture.pts - times[-1] > 1.5 * usual):
                    break
                times.append(picture.pts)
        except av.FFmpegError:
            # Here it was cut: what came before counts.
            pass
        if not times:
            raise MediaError("damaged", f"{self.name} was cut short before its first picture was whole.")
        return times

    def _said_of_its_end(self) -> list[str]:
        there, announced = len(self._times), self._announced
        if announced <= there:
            return []
        return [f"The file was cut short: it announces {announced} frames and holds {there}. The {there} that are there were taken."]

    def _said_of_its_spacing(self, rate: Fraction | None) -> list[str]:
        stream: Any = self._stream
        if len(self._times) < 3 or not rate or not stream.time_base:
            return []
        gaps = np.diff(self._times)
        if gaps.max() - gaps.min() <= 2 or gaps.max() <= 1.25 * gaps.min():
            return []
        least, most = (1000 * float(g * stream.time_base) for g in (gaps.min(), gaps.max()))
        return [
            f"Its rate varies: frames are {least:.0f} to {most:.0f} ms apart. They were taken one by one, in order, "
            f"as {float(rate):.5g} a second; sound may drift against them."
        ]

    def frame(self, n: int) -> Frame:
        """Frame n, counted from 0."""
        return next(iter(self.frames(n, n + 1)))

    def frames(self, start: int, stop: int, step: int = 1) -> Iterator[Frame]:
        """Frames from `start` up to, not including, `stop`; `step` is 1 or -1."""
        count = self.facts.frame_count
        if step == -1:
            high = start
            while high > stop:
                low = max(stop + 1, high - BACKWARD_RUN + 1)
                yield from reversed(list(self.frames(low, high + 1)))
                high = low - 1
            return
        if start < 0 or stop > count:
            raise MediaError("no_such_frame", f"{self.name} has {count} frames; frame {stop - 1} is beyond its end.")
        for n in range(start, stop):
            yield self._read(n)

    def _read(self, n: int) -> Frame:
        want = self._times[n]
        try:
            # Going on is cheaper than seeking while the wanted frame is near.
            if self._iterator is None or not self._next <= n <= self._next + 12:
                self._container.seek(want, stream=self._stream, backward=True)
                self._iterator = iter(self._container.decode(self._stream))
            pictures: Iterator[Any] = self._iterator
            for picture in pictures:
                if picture.pts is not None and picture.pts >= want:
                    self._next = n + 1
                    return convert_frame(picture, self.facts)
        except av.FFmpegError as error:
            self._iterator = None
            raise MediaError("damaged", f"{self.name}: frame {n} cannot be decoded; the file is damaged there.") from error
        self._iterator = None
        raise MediaError("damaged", f"{self.name} ends before frame {n}: it is cut short.")

    def count_by_decoding(self) -> Iterator[int]:
        """Decode every frame, yielding how many there are so far; see `verified_frames`."""
        for n, _ in enumerate(self._verified(), start=1):
            yield n

    def verified_frames(self) -> Iterator[Frame]:
        """Every frame in order, each of them held to be sound; what is found out on the way is added to the facts' notes.

        Raises
        ------
        MediaError
            `damaged` for a picture that is damaged, missing or of another size, with its number.
        """
        for picture in self._verified():
            yield convert_frame(picture, self.facts)

    def _verified(self) -> Iterator[VideoFrame]:
        self._iterator = None
        count, interlaced = 0, 0
        try:
            self._container.seek(self._times[0], stream=self._stream, backward=True)
            pictures: Iterator[Any] = iter(self._container.decode(self._stream))
            for picture in pictures:
                if count < self.facts.frame_count:
                    self._check_sound(picture, count)
                count += 1
                if count <= self.facts.frame_count:
                    interlaced += bool(picture.interlaced_frame)
                    yield picture
                elif self._announced > self.facts.frame_count:
                    break
        except av.FFmpegError as error:
            raise MediaError("damaged", f"{self.name}: frame {count} cannot be decoded; the file is damaged there.") from error
        if count < self.facts.frame_count or (count > self.facts.frame_count and self._announced == self.facts.frame_count):
            raise MediaError(
                "damaged",
                f"{self.name} announces {self.facts.frame_count} frames and {count} can be decoded: it is cut short or damaged.",
            )
        if interlaced:
            note = (
                "It is interlaced: odd and even lines of a picture were taken one after the other. Frames were taken whole, as they are; "
                "what moves shows a comb. A film with the fields taken apart would be followed better."
            )
            self.facts = self.facts.model_copy(update={"notes": (*self.facts.notes, note)})

    def _check_sound(self, picture: VideoFrame, n: int) -> None:
        facts = self.facts
        if picture.is_corrupt:
            raise MediaError("damaged", f"{self.name}: frame {n} is damaged.")
        if (picture.width, picture.height) != (facts.width, facts.height):
            size = f"{picture.width} x {picture.height}"
            raise MediaError(
                "damaged", f"{self.name}: frame {n} is {size}, the film {facts.width} x {facts.height}; all frames need one size."
            )


def _short(ratio: Fraction) -> Fraction:
    """A ratio whose numbers have at most six digits; files may hold anything."""
    near = ratio.limit_denominator(999_999)
    return near if 0 < near < 1_000_000 and near.numerator < 1_000_000 else Fraction(round(min(max(near, Fraction(1)), Fraction(999_999))))


def _planes_of(name: str) -> tuple[YuvCoding | None, bool]:
    """Planes of a pixel format, as far as its name tells; None for others. And whether it has alpha."""
    base = name.removesuffix("le")
    alpha = base.startswith(("yuva", "gbrap")) or base in ("rgba", "bgra", "argb", "abgr", "rgba64", "bgra64", "ya8", "ya16")
    if name.endswith("be"):
        return None, alpha
    if base.startswith("gbr"):
        _, _, depth = base.partition("p" if "ap" not in base else "ap")
        return (YuvCoding("rgb", True, int(depth or 8), 0, 0), alpha) if depth in DEPTHS else (None, alpha)
    for prefix in ("yuva", "yuvj", "yuv"):
        if base.startswith(prefix):
            layout, _, depth = base.removeprefix(prefix).partition("p")
            if layout in _SUBSAMPLING and depth in DEPTHS:
                return YuvCoding("bt709", prefix == "yuvj", int(depth or 8), *_SUBSAMPLING[layout]), alpha
    return None, alpha


def colour_facts(name: str, height: int, matrix: int, full_range: int, transfer: int, primaries: int) -> dict[str, Any]:
    """What a film says of its colour, in the numbers of ITU-T H.273, as facts; what it leaves open is what is usual."""
    planes, alpha = _planes_of(name)
    told = []
    if planes is None or planes.matrix == "rgb":
        found: dict[str, Any] = {"matrix": None if planes is None else "rgb", "full_range": True}
    else:
        # Untagged: high definition has BT.709, below it BT.601.
        found = {
            "matrix": _MATRIX.get(matrix, "bt709" if height >= 720 else "bt601"),
            "full_range": planes.full_range or full_range == FULL,
            "chroma_siting": "centre" if planes.full_range and name.startswith("yuvj") else "topleft" if matrix in (9, 10) else "left",
        }
        told += ["matrix"] * (matrix in _MATRIX) + ["range"] * (full_range in (1, FULL) or planes.full_range)
        if not (planes.shift_x or planes.shift_y):
            found["chroma_siting"] = None
    told += ["transfer"] * (transfer in TRANSFER_OF) + ["primaries"] * (primaries in PRIMARIES_OF)
    found["transfer"] = TRANSFER_OF.get(transfer, "srgb")
    found["primaries"] = PRIMARIES_OF.get(primaries, "bt2020" if found["matrix"] == "bt2020" else "bt709")
    return {**found, "told": tuple(sorted(told)), "has_alpha": alpha}


def convert_frame(picture: VideoFrame, facts: MediaFacts) -> Frame:
    """Planes of a decoded picture, copied, with the colour its facts say; formats without planes become R, G, B."""
    if picture.format.name in SAME_PLANES:
        # The same samples in another order.
        picture = picture.reformat(format=SAME_PLANES[picture.format.name])
    coding, alpha = _planes_of(picture.format.name)
    colour = {"transfer": facts.transfer, "primaries": facts.primaries}
    if coding is not None:
        if coding.matrix != "rgb":
            coding = replace(coding, matrix=facts.matrix or "bt709", full_range=facts.full_range, siting=facts.chroma_siting or "left")
        planes = tuple(_plane(picture, i, coding.depth) for i in range(3))
        return YuvFrame((planes[0], planes[1], planes[2]), coding, _plane(picture, 3, coding.depth) if alpha else None, **colour)  # type: ignore[arg-type]
    deep = max(c.bits for c in picture.format.components) > 8
    wanted = ("rgba64le" if alpha else "rgb48le") if deep else ("rgba" if alpha else "rgb24")
    pixels = picture.reformat(format=wanted).to_ndarray()
    if alpha:
        top = np.float32(65535 if deep else 255)
        straight = pixels[..., 3].astype(np.float32) / top
        return RgbFrame(np.ascontiguousarray(pixels[..., :3]), straight, **colour)  # type: ignore[arg-type]
    return RgbFrame(pixels, **colour)  # type: ignore[arg-type]


def _plane(picture: VideoFrame, index: int, depth: int) -> AnyArray:
    plane: Any = picture.planes[index]
    dtype = np.uint8 if depth == 8 else np.uint16
    rows = np.frombuffer(plane, dtype).reshape(plane.height, plane.line_size // np.dtype(dtype).itemsize)
    return rows[:, : plane.width].copy()
