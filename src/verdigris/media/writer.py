"""Writing films in the plate's own pixel format, in parts that are joined without encoding again."""

from collections.abc import Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Any

import av
import numpy as np
from av.video.frame import VideoFrame

from verdigris.media.errors import MediaError
from verdigris.media.facts import MediaFacts
from verdigris.media.film import film_format
from verdigris.media.frames import Frame, YuvFrame

X264_FORMATS = {"yuv420p", "yuvj420p", "yuv422p", "yuv444p", "yuv420p10le", "yuv422p10le", "yuv444p10le"}
_COLOUR = {"bt601": (6, 6, 6), "bt709": (1, 1, 1), "bt2020": (9, 14, 9)}


class FilmWriter:
    """Encodes frames as H.264.

    Parameters
    ----------
    path : file to write (.mp4 or .mkv)
    facts : size, rate, pixel shape and colour encoding to keep
    crf : x264 constant rate factor, 0..51
    preset : x264 preset
    """

    def __init__(self, path: Path, facts: MediaFacts, crf: float = 16, preset: str = "medium") -> None:
        if facts.rate is None:
            raise MediaError("rate_needed", "The rate of the film is not known. Say how many frames a second it has.")
        if facts.width % 2 or facts.height % 2:
            raise MediaError("cannot_write", f"H.264 needs an even size; the plate is {facts.width} x {facts.height}. Hand over stills.")
        self._container = av.open(str(path), "w")
        stream: Any = self._container.add_stream("libx264", rate=facts.rate)
        stream.width, stream.height = facts.width, facts.height
        self._format = facts.pixel_format if facts.pixel_format in X264_FORMATS else "yuv420p"
        context = stream.codec_context
        context.pix_fmt = self._format
        context.sample_aspect_ratio = facts.pixel_aspect
        context.time_base = 1 / facts.rate
        context.options = {"crf": str(crf), "preset": preset}
        self._matrix = facts.matrix or "bt709"
        context.color_primaries, context.color_trc, context.colorspace = _COLOUR[self._matrix]
        self._full = facts.full_range and facts.matrix is not None
        context.color_range = 2 if self._full else 1
        self._stream, self._count = stream, 0

    def __enter__(self) -> "FilmWriter":
        return self

    def __exit__(self, t: type[BaseException] | None, e: BaseException | None, tb: TracebackType | None) -> None:
        if t is None:
            for packet in self._stream.encode():
                self._container.mux(packet)
        self._container.close()

    def write(self, frame: Frame) -> None:
        """Encode the next frame."""
        picture = _to_picture(frame, self._format, self._matrix, self._full)
        picture.pts = self._count
        picture.time_base = self._stream.codec_context.time_base
        self._count += 1
        for packet in self._stream.encode(picture):
            self._container.mux(packet)


def _to_picture(frame: Frame, pixel_format: str, matrix: str, full: bool) -> VideoFrame:
    if isinstance(frame, YuvFrame) and _format_name(frame) == pixel_format.replace("yuvj", "yuv"):
        picture = VideoFrame(frame.width, frame.height, pixel_format)
        planes: Sequence[Any] = picture.planes
        for plane, data in zip(planes, frame.planes, strict=True):
            target = np.frombuffer(plane, data.dtype).reshape(plane.height, plane.line_size // data.dtype.itemsize)
            target[:, : plane.width] = data
        return picture
    source = VideoFrame.from_ndarray(
        np.ascontiguousarray(frame.rgb_integers()), format="rgb48le" if frame.rgb_integers().dtype == np.uint16 else "rgb24"
    )
    return source.reformat(
        format=pixel_format, dst_colorspace={"bt601": 5, "bt709": 1, "bt2020": 9}[matrix], dst_color_range=2 if full else 1
    )


def _format_name(frame: YuvFrame) -> str:
    layout = {(1, 1): "420", (1, 0): "422", (0, 0): "444"}[(frame.coding.shift_x, frame.coding.shift_y)]
    return f"yuv{layout}p" + ("" if frame.coding.depth == 8 else f"{frame.coding.depth}le")


def join_parts(parts: Sequence[Path], starts: Sequence[int], out: Path, rate: Fraction, sound_from: Path | None) -> None:
    """Join films of consecutive frame ranges without encoding again, with the plate's sound passed through.

    Parameters
    ----------
    parts : films written with the same settings
    starts : frame index within the result at which each part begins
    sound_from : plate whose sound is copied packet by packet, or None
    """
    with av.open(str(out), "w", options={"movflags": "+faststart"}) as target:
        with av.open(str(parts[0])) as first:
            stream: Any = target.add_stream_from_template(first.streams.video[0])
        stream.time_base = 1 / rate
        sound: Any = None
        sound_stream: Any = None
        sound_packets: Iterator[Any] = iter(())
        if sound_from is not None:
            sound = av.open(str(sound_from), format=film_format(sound_from))
            source_sound = next(iter(sound.streams.audio), None)
            if source_sound is not None:
                sound_stream = target.add_stream_from_template(source_sound)
                sound_packets = (p for p in sound.demux(source_sound) if p.dts is not None)
        pending = next(sound_packets, None)
        for part, start in zip(parts, starts, strict=True):
            with av.open(str(part)) as source:
                for packet in source.demux(source.streams.video[0]):
                    if packet.dts is None or packet.pts is None:
                        continue
                    unit = packet.time_base * rate
                    packet.pts, packet.dts = round(packet.pts * unit) + start, round(packet.dts * unit) + start
                    packet.duration, packet.time_base, packet.stream = 1, 1 / rate, stream
                    while pending is not None and pending.dts * pending.time_base <= packet.dts / rate:
                        pending.stream = sound_stream
                        target.mux(pending)
                        pending = next(sound_packets, None)
                    target.mux(packet)
        while pending is not None:
            pending.stream = sound_stream
            target.mux(pending)
            pending = next(sound_packets, None)
        if sound is not None:
            sound.close()
