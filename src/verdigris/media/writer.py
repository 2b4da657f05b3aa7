"""Writing films in the plate's own pixel format and colour, in parts that are joined without encoding again."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Any, Literal, get_args

import av
import numpy as np
from av.video.frame import VideoFrame

from verdigris.core.light.encoding import PRIMARIES_NUMBER, TRANSFER_NUMBER
from verdigris.media.errors import MediaError
from verdigris.media.facts import MediaFacts
from verdigris.media.film import film_format
from verdigris.media.frames import Frame, YuvFrame, frame_alpha

X264_FORMATS = ("yuv420p", "yuv422p", "yuv444p", "yuv420p10le", "yuv422p10le", "yuv444p10le")
X265_FORMATS = ("yuv420p12le", "yuv422p12le", "yuv444p12le", "gbrp", "gbrp10le", "gbrp12le")
MATRIX_NUMBER = {"rgb": 0, "bt709": 1, "bt601": 6, "bt2020": 9}
UNSAID = 2
Container = Literal["mp4", "mkv"]
CONTAINERS: tuple[Container, ...] = get_args(Container)


@dataclass(frozen=True)
class FilmCoding:
    """How a film is written: encoder, pixel format, and in a sentence what of the plate it cannot hold."""

    encoder: Literal["libx264", "libx265", "ffv1"]
    pixel_format: str
    lost: str = ""


def film_coding(facts: MediaFacts, container: Container) -> FilmCoding:
    """How a plate's pictures go into a film: MP4 with H.264, or H.265 where that holds more of them; MKV with FFV1, without loss."""
    own = facts.pixel_format.replace("yuvj", "yuv")
    planar = own.startswith(("yuv", "gbr"))
    if container == "mkv":
        if not planar:
            deep = facts.bit_depth > 8
            return FilmCoding("ffv1", ("rgba64le" if facts.has_alpha else "rgb48le") if deep else ("bgra" if facts.has_alpha else "bgr0"))
        # Eight bits of G, B and R have no format of their own there; packed they are the same numbers.
        return FilmCoding("ffv1", {"gbrp": "bgr0", "gbrap": "bgra"}.get(own, own))
    clear = own.replace("yuva", "yuv").replace("gbrap", "gbrp")
    gone = "Transparency is left out: MP4 does not hold it. MKV does." if facts.has_alpha else ""
    if clear in X264_FORMATS:
        return FilmCoding("libx264", clear, gone)
    if clear in X265_FORMATS:
        return FilmCoding("libx265", clear, gone)
    if not planar:
        deep = facts.bit_depth > 8
        said = "Its 16 bits become 12." if deep else ""
        return FilmCoding("libx265", "gbrp12le" if deep else "gbrp", " ".join(filter(None, (said, gone))))
    layout = "gbrp" if clear.startswith("gbr") else clear.partition("p")[0] + "p"
    said = f"Its {facts.bit_depth} bits become 12: MP4 holds no more. MKV holds all of them."
    return FilmCoding("libx265", f"{layout}12le", " ".join(filter(None, (said, gone))))


ENCODERS = {"libx264": "H.264", "libx265": "H.265", "ffv1": "FFV1, without loss"}


class FilmWriter:
    """Encodes frames as H.264 or H.265 (.mp4), or without loss as FFV1 (.mkv).

    Parameters
    ----------
    path : file to write (.mp4 or .mkv)
    facts : size, rate, pixel shape and colour encoding to keep; what they do not say of the colour is not said in the film
    crf : constant rate factor, 0..51; of no meaning for FFV1
    preset : of the encoder
    """

    def __init__(self, path: Path, facts: MediaFacts, crf: float = 16, preset: str = "medium") -> None:
        if facts.rate is None:
            raise MediaError("rate_needed", "The rate of the film is not known. Say how many frames a second it has.")
        coding = film_coding(facts, "mkv" if path.suffix == ".mkv" else "mp4")
        if coding.encoder != "ffv1" and (facts.width % 2 or facts.height % 2):
            raise MediaError(
                "cannot_write", f"MP4 needs an even size; the plate is {facts.width} x {facts.height}. Hand over MKV or stills."
            )
        self._container = av.open(str(path), "w")
        stream: Any = self._container.add_stream(coding.encoder, rate=facts.rate)
        stream.width, stream.height = facts.width, facts.height
        self._format = coding.pixel_format
        context = stream.codec_context
        context.pix_fmt = self._format
        context.sample_aspect_ratio = facts.pixel_aspect
        context.time_base = 1 / facts.rate
        context.options = _options(coding.encoder, crf, preset)
        if coding.encoder == "libx265":
            context.codec_tag = "hvc1"
        rgb = not self._format.startswith("yuv")
        # Pictures of R, G and B that become Y'CbCr need a matrix whatever the file they came from says.
        self._matrix = "rgb" if rgb else facts.matrix if facts.matrix and facts.matrix != "rgb" else "bt709"
        self._full = rgb or (facts.full_range and facts.matrix is not None)
        told = set(facts.told)
        context.colorspace = MATRIX_NUMBER[self._matrix] if rgb or facts.matrix is None or "matrix" in told else UNSAID
        context.color_range = (2 if self._full else 1) if rgb or facts.matrix is None or "range" in told else 0
        context.color_trc = TRANSFER_NUMBER.get(facts.transfer, UNSAID) if "transfer" in told else UNSAID
        context.color_primaries = PRIMARIES_NUMBER.get(facts.primaries, UNSAID) if "primaries" in told else UNSAID
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


def _options(encoder: str, crf: float, preset: str) -> dict[str, str]:
    if encoder == "ffv1":
        # Version 3 with sums over slices: damage shows, and several cores work at once.
        return {"level": "3", "slices": "4", "slicecrc": "1", "g": "1"}
    plain = {"crf": str(crf), "preset": preset}
    return {**plain, "x265-params": "log-level=none"} if encoder == "libx265" else plain


def _to_picture(frame: Frame, pixel_format: str, matrix: str, full: bool) -> VideoFrame:
    if isinstance(frame, YuvFrame) and _format_name(frame, "a" in pixel_format[:5]) == pixel_format:
        picture = VideoFrame(frame.width, frame.height, pixel_format)
        planes: Sequence[Any] = picture.planes
        own = frame.planes if len(planes) == 3 or frame.alpha is None else (*frame.planes, frame.alpha)
        for plane, data in zip(planes, own, strict=True):
            target = np.frombuffer(plane, data.dtype).reshape(plane.height, plane.line_size // data.dtype.itemsize)
            target[:, : plane.width] = data
        return picture
    if not pixel_format.startswith("yuv"):
        return _rgb_picture(frame, pixel_format)
    source = VideoFrame.from_ndarray(
        np.ascontiguousarray(frame.rgb_integers()), format="rgb48le" if frame.rgb_integers().dtype == np.uint16 else "rgb24"
    )
    return source.reformat(
        format=pixel_format, dst_colorspace={"bt601": 5, "bt709": 1, "bt2020": 9}[matrix], dst_color_range=2 if full else 1
    )


def _rgb_picture(frame: Frame, pixel_format: str) -> VideoFrame:
    """R, G, B and alpha as they are, in packed or planar order; none of FFmpeg's scaling, which is not exact."""
    codes, alpha = frame.rgb_integers(), frame_alpha(frame)
    deep = codes.dtype == np.uint16
    if pixel_format.startswith("gbr"):
        depth = int(pixel_format.removesuffix("le").partition("p")[2] or 8)
        shifted = codes if not deep else (codes.astype(np.uint32) * ((1 << depth) - 1) + 32767) // 65535
        planes = [np.ascontiguousarray(shifted[..., i].astype(np.uint16 if depth > 8 else np.uint8)) for i in (1, 2, 0)]
        picture = VideoFrame(frame.width, frame.height, pixel_format)
        own: Sequence[Any] = picture.planes
        for plane, data in zip(own, planes, strict=True):
            target = np.frombuffer(plane, data.dtype).reshape(plane.height, plane.line_size // data.dtype.itemsize)
            target[:, : plane.width] = data
        return picture
    top = 65535 if deep else 255
    cover = np.full(codes.shape[:2], top, codes.dtype) if alpha is None else np.round(alpha * top).astype(codes.dtype)
    if pixel_format == "rgb48le":
        return VideoFrame.from_ndarray(np.ascontiguousarray(codes), format="rgb48le")
    if pixel_format == "rgba64le":
        return VideoFrame.from_ndarray(np.ascontiguousarray(np.dstack([codes, cover])), format="rgba64le")
    packed = VideoFrame.from_ndarray(np.ascontiguousarray(np.dstack([codes[..., ::-1], cover])), format="bgra")
    return packed if pixel_format == "bgra" else packed.reformat(format=pixel_format)


def _format_name(frame: YuvFrame, with_alpha: bool) -> str:
    coding, deep = frame.coding, "" if frame.coding.depth == 8 else f"{frame.coding.depth}le"
    alpha = "a" if with_alpha and frame.alpha is not None else ""
    if coding.matrix == "rgb":
        return f"gbr{alpha}p{deep}"
    layout = {(1, 1): "420", (1, 0): "422", (0, 0): "444"}[(coding.shift_x, coding.shift_y)]
    return f"yuv{alpha}{layout}p{deep}"


def join_parts(parts: Sequence[Path], starts: Sequence[int], out: Path, rate: Fraction, sound_from: Path | None) -> None:
    """Join films of consecutive frame ranges without encoding again, with the plate's sound passed through.

    Parameters
    ----------
    parts : films written with the same settings
    starts : frame index within the result at which each part begins
    sound_from : plate whose sound is copied packet by packet, or None
    """
    with av.open(str(out), "w", options={"movflags": "+faststart"} if out.suffix == ".mp4" else {}) as target:
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
