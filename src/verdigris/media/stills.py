"""Stills and numbered sequences of stills: PNG, JPEG, TIFF, OpenEXR; drawings (SVG) as stills."""

import re
from collections.abc import Iterator, Mapping
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from types import TracebackType

import cv2
import numpy as np
import OpenEXR
import tifffile

from verdigris.core.light.encoding import CHROMATICITIES, Primaries, Transfer
from verdigris.core.types import AnyArray, Float32
from verdigris.media.drawing import DRAWN_PX, FONT_NOTE, draw, has_letters, is_drawing, read_source
from verdigris.media.errors import MediaError
from verdigris.media.facts import Limits, MediaFacts
from verdigris.media.frames import Frame, RgbFrame
from verdigris.media.still_colour import png_with_colour, still_colour

STILL_ENDINGS = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".exr")
DRAWING_ENDINGS = (".svg",)
_NUMBER = re.compile(r"(\d+)(?=\.[A-Za-z]+$)")


def still_kind(path: Path) -> str | None:
    """`png`, `jpeg`, `tiff`, `exr` or `svg` by the first bytes, None for anything else."""
    with path.open("rb") as f:
        head = f.read(4096)
    if head[:8] == b"\x89PNG\r\n\x1a\n":
        return "png"
    if head[:3] == b"\xff\xd8\xff":
        return "jpeg"
    if head[:4] in (b"II*\0", b"MM\0*"):
        return "tiff"
    if head[:4] == b"\x76\x2f\x31\x01":
        return "exr"
    return "svg" if is_drawing(head) else None


def still_size(path: Path, kind: str) -> tuple[int, int]:
    """Width and height from the header, before anything is decoded."""
    if kind == "png":
        with path.open("rb") as f:
            head = f.read(24)
        return int.from_bytes(head[16:20], "big"), int.from_bytes(head[20:24], "big")
    if kind == "tiff":
        with tifffile.TiffFile(path) as tiff:
            page = tiff.pages[0]
            return int(page.imagewidth), int(page.imagelength)  # type: ignore[union-attr]
    if kind == "exr":
        with OpenEXR.File(str(path), header_only=True) as exr:
            low, high = exr.header()["dataWindow"]
            return int(high[0] - low[0] + 1), int(high[1] - low[1] + 1)
    return _jpeg_size(path)


def _jpeg_size(path: Path) -> tuple[int, int]:
    with path.open("rb") as f:
        f.seek(2)
        while True:
            marker = f.read(2)
            if len(marker) < 2 or marker[0] != 0xFF:
                raise ValueError("no frame header")
            length = int.from_bytes(f.read(2), "big")
            if 0xC0 <= marker[1] <= 0xCF and marker[1] not in (0xC4, 0xC8, 0xCC):
                body = f.read(5)
                return int.from_bytes(body[3:5], "big"), int.from_bytes(body[1:3], "big")
            f.seek(length - 2, 1)


def read_still(path: Path, limits: Limits | None = None, name: str | None = None, drawn_px: int = DRAWN_PX) -> RgbFrame:
    """Decode one still; `name` is what people call it, for sentences; `drawn_px` the longer side of a drawing.

    Raises
    ------
    MediaError
        `not_found`, `unsupported`, `damaged` or `too_large`.
    """
    limits, name = limits or Limits(), name or path.name
    if not path.is_file():
        raise MediaError("not_found", f"There is no file {path}.")
    kind = still_kind(path)
    if kind is None:
        raise MediaError("unsupported", f"{name} is not a still that is read here; PNG, JPEG, TIFF, OpenEXR and SVG are.")
    if kind == "svg":
        pixels = draw(read_source(path, name), drawn_px, name)
        return RgbFrame(np.ascontiguousarray(pixels[..., :3]), pixels[..., 3].astype(np.float32) / np.float32(255))
    try:
        width, height = still_size(path, kind)
        if width * height > limits.pixels or max(width, height) > limits.side_px:
            raise MediaError("too_large", f"{name} is {width} x {height} pixels; that is more than is read here.")
        return _read_exr(path, name) if kind == "exr" else _read_integers(path, kind, name)
    except MediaError:
        raise
    except Exception as error:  # each decoder has its own family of errors
        raise MediaError("damaged", f"{name} cannot be decoded: it is cut short or damaged.") from error


def _read_exr(path: Path, name: str) -> RgbFrame:
    with OpenEXR.File(str(path), separate_channels=True) as exr:
        channels = {name: np.asarray(c.pixels, np.float32) for name, c in exr.channels().items()}
    if not {"R", "G", "B"} <= channels.keys():
        if "Y" not in channels:
            raise MediaError("unsupported", f"{name} has no R, G and B channels.")
        channels = {"R": channels["Y"], "G": channels["Y"], "B": channels["Y"], **channels}
    pixels = np.ascontiguousarray(np.stack([channels[c] for c in "RGB"], axis=2))
    if not np.all(np.isfinite(pixels)):
        pixels = np.nan_to_num(pixels, nan=0.0, posinf=65504.0, neginf=0.0)
    alpha = channels.get("A")
    return RgbFrame(pixels, None if alpha is None else np.clip(alpha, 0, 1), associated=True)


def _read_integers(path: Path, kind: str, name: str) -> RgbFrame:
    if kind == "tiff":
        # The first page alone: what a file says of further pages and series may name other files.
        with tifffile.TiffFile(path) as tiff:
            data = np.asarray(tiff.pages[0].asarray())
    else:
        read = cv2.imdecode(np.fromfile(path, np.uint8), cv2.IMREAD_UNCHANGED)
        if read is None:
            raise ValueError("decoder returned nothing")
        data = read if read.ndim == 2 else read[..., [2, 1, 0, *range(3, read.shape[2])]]
    if data.ndim == 2:
        data = np.repeat(data[..., None], 3, axis=2)
    if data.dtype == np.float32:
        return RgbFrame(np.ascontiguousarray(data[..., :3]), data[..., 3] if data.shape[2] == 4 else None, associated=True)
    if data.ndim != 3 or data.shape[2] not in (3, 4) or data.dtype not in (np.uint8, np.uint16):
        raise MediaError("unsupported", f"{name} has {data.dtype} samples in a layout that is not read here.")
    alpha = data[..., 3].astype(np.float32) / np.float32(np.iinfo(data.dtype).max) if data.shape[2] == 4 else None
    return RgbFrame(np.ascontiguousarray(data[..., :3]), alpha)


def list_sequence(folder: Path) -> tuple[list[Path], int]:
    """Numbered stills of a folder in order, and the first number.

    Raises
    ------
    MediaError
        `unsupported` without numbered stills, `sequence_mixed` for several kinds, `sequence_gap` for missing numbers.
    """
    stills = [p for p in folder.iterdir() if p.suffix.lower() in STILL_ENDINGS and not p.name.startswith(".")]
    numbered = {int(m.group(1)): p for p in stills if (m := _NUMBER.search(p.name))}
    if not numbered:
        raise MediaError("unsupported", f"There are no numbered stills (PNG, JPEG, TIFF, EXR) in {folder.name}.")
    if len(numbered) != len(stills) or len({p.suffix.lower() for p in stills}) > 1:
        raise MediaError("sequence_mixed", f"{folder.name} holds stills of several kinds or with the same number; one sequence a folder.")
    first, last = min(numbered), max(numbered)
    span = last - first + 1
    if span > 10 * len(numbered) + 1000:
        numbers = f"{len(numbered)} stills are numbered from {first} to {last}"
        raise MediaError("sequence_gap", f"{numbers}: most in between are missing. Check their numbers; one sequence a folder.")
    missing = [n for n in range(first, last + 1) if n not in numbered]
    if missing:
        listed = ", ".join(map(str, missing[:6])) + (" ..." if len(missing) > 6 else "")
        raise MediaError("sequence_gap", f"Frames {first} to {last}, but {listed} missing.", missing=missing[:100])
    return [numbered[n] for n in range(first, last + 1)], first


class SequenceReader:
    """Reads a folder of numbered stills, or one still as a sequence of one frame."""

    def __init__(self, path: Path, rate: Fraction | None = None, limits: Limits | None = None, name: str | None = None) -> None:
        self._limits = limits or Limits()
        self.path, self.name = path, name or path.name
        self._files, first = (list_sequence(path)) if path.is_dir() else ([path], 0)
        if len(self._files) > self._limits.frames:
            raise MediaError("too_large", f"{self.name} has more than {self._limits.frames} frames.")
        self._first = first
        one = read_still(self._files[0], self._limits, self._said(0))
        kind = still_kind(self._files[0]) or ""
        colour = still_colour(self._files[0], kind)
        notes = (FONT_NOTE,) if kind == "svg" and has_letters(read_source(self._files[0], self.name)) else ()
        self._drawn_px = DRAWN_PX
        self.facts = MediaFacts(
            kind="sequence" if path.is_dir() else "still", width=one.width, height=one.height,
            frame_count=len(self._files), rate=rate, codec=kind,
            pixel_format=str(one.pixels.dtype) + (" rgba" if one.alpha is not None else " rgb"),
            bit_depth=one.pixels.dtype.itemsize * 8, transfer="linear" if one.is_linear else colour.transfer,
            primaries=colour.primaries, told=colour.told, profile=colour.profile, notes=(colour.note, *notes) if colour.note else notes,
            has_alpha=one.alpha is not None, first_frame=first,
        )  # fmt: skip

    def __enter__(self) -> "SequenceReader":
        return self

    def __exit__(self, t: type[BaseException] | None, e: BaseException | None, tb: TracebackType | None) -> None:
        self.close()

    def close(self) -> None:
        """Nothing stays open."""

    def draw_at(self, longest: int) -> None:
        """Draw what is a drawing with so many px along its longer side from now on; other stills stay as they are."""
        if self.facts.codec == "svg":
            self._drawn_px = longest
            one = read_still(self._files[0], self._limits, self.name, longest)
            self.facts = self.facts.model_copy(update={"width": one.width, "height": one.height})

    def frame(self, n: int) -> Frame:
        """Frame n, counted from 0."""
        if not 0 <= n < len(self._files):
            raise MediaError("no_such_frame", f"{self.name} has {len(self._files)} frames; frame {n} is beyond its end.")
        still = read_still(self._files[n], self._limits, self._said(n), self._drawn_px)
        if (still.width, still.height) != (self.facts.width, self.facts.height):
            raise MediaError(
                "sequence_mixed",
                f"{self._said(n)} is {still.width} x {still.height}, the first still {self.facts.width} x {self.facts.height}.",
            )
        return replace(still, transfer=self.facts.transfer, primaries=self.facts.primaries)

    def frames(self, start: int, stop: int, step: int = 1) -> Iterator[Frame]:
        """Frames from `start` up to, not including, `stop`; `step` is 1 or -1."""
        for n in range(start, stop, step):
            yield self.frame(n)

    def _said(self, n: int) -> str:
        """What people call still n: by its number, since files may have been renamed on their way here."""
        return f"{self.name}, number {n + self._first}," if self.path.is_dir() else self.name

    def verified_frames(self) -> Iterator[Frame]:
        """Every frame in order; MediaError where one is damaged or of another size."""
        return self.frames(0, len(self._files))

    def count_by_decoding(self) -> Iterator[int]:
        """Decode every frame, yielding how many there are so far."""
        for n in range(len(self._files)):
            self.frame(n)
            yield n + 1


def write_still(path: Path, pixels: AnyArray, transfer: Transfer = "srgb", primaries: Primaries = "bt709") -> None:
    """Write R, G, B (H, W, 3), or with straight alpha (H, W, 4), uint8 or uint16, as PNG that says what its codes mean."""
    order = cv2.COLOR_RGB2BGR if pixels.shape[2] == 3 else cv2.COLOR_RGBA2BGRA
    ok, data = cv2.imencode(".png", cv2.cvtColor(np.ascontiguousarray(pixels), order), [cv2.IMWRITE_PNG_COMPRESSION, 3])
    if not ok:
        raise MediaError("cannot_write", f"{path.name} could not be encoded.")
    path.write_bytes(png_with_colour(data.tobytes(), transfer, primaries))


def write_exr_half(path: Path, light: AnyArray, primaries: Primaries = "bt709", layers: Mapping[str, Float32] | None = None) -> None:
    """Write linear light (H, W, 3), or premultiplied with alpha (H, W, 4), float32 as OpenEXR, half float, ZIP.

    `layers` (H, W) float32 go beside it, each in a layer of its name, in the channel Y.
    """
    half = np.clip(light, -65504, 65504).astype(np.float16)
    # Arrays that are not contiguous would be stored wrong without a word.
    channels = {name: np.ascontiguousarray(half[..., i]) for i, name in enumerate("RGBA"[: half.shape[2]])}
    channels |= {f"{name}.Y": np.ascontiguousarray(cover.astype(np.float16)) for name, cover in (layers or {}).items()}
    seen_by = tuple(v for xy in CHROMATICITIES[primaries] for v in xy)
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, "chromaticities": seen_by}
    with OpenEXR.File(header, channels) as exr:
        exr.write(str(path))


def write_matte(path: Path, cover: Float32, form: str, depth: int = 16) -> None:
    """Write a matte (H, W) float32 0..1 as grey PNG of 8 or 16 bits, linear, or as OpenEXR half float in the channel Y."""
    if form == "exr":
        header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        with OpenEXR.File(header, {"Y": np.ascontiguousarray(cover.astype(np.float16))}) as exr:
            exr.write(str(path))
        return
    top = 65535 if depth == 16 else 255
    grey = np.clip(cover * np.float32(top) + np.float32(0.5), 0, top).astype(np.uint16 if depth == 16 else np.uint8)
    ok, data = cv2.imencode(".png", grey, [cv2.IMWRITE_PNG_COMPRESSION, 3])
    if not ok:
        raise MediaError("cannot_write", f"{path.name} could not be encoded.")
    path.write_bytes(data.tobytes())
