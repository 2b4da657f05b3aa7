"""Artwork of every kind as pictures in light: files, and what is made here."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Protocol

import cv2
import numpy as np

from verdigris.core.composite.made import chart_picture, text_picture
from verdigris.core.composite.texture import art_from_surface
from verdigris.core.light.encoding import Primaries, in_primaries
from verdigris.core.light.transfer import srgb_to_linear
from verdigris.core.types import Float32
from verdigris.media.facts import MediaFacts
from verdigris.media.frames import LUMA, Frame, RgbFrame, premultiplied_linear
from verdigris.media.stills import SequenceReader
from verdigris.runs.errors import RunError
from verdigris.shot.model.artwork import (
    Artwork,
    ChartArtwork,
    ColourArtwork,
    FileArtwork,
    OrderArtwork,
    OrderItem,
    Rgb,
    SlotArtwork,
    TextArtwork,
)
from verdigris.shot.model.media import MediaRef


class FrameReader(Protocol):
    """What files are read from: the media themselves, or their proxies."""

    facts: MediaFacts

    def frame(self, n: int) -> Frame:
        """Frame n, counted from 0."""
        ...

    def close(self) -> None:
        """Let go of the file."""
        ...


class Source(Protocol):
    """Artwork as pictures.

    Attributes
    ----------
    width, height : px
    pixel_aspect : width of a pixel for its height
    count : frames; 1 stands still
    rate : frames per second, where it has one
    """

    pixel_aspect: float
    count: int
    rate: Fraction | None

    @property
    def width(self) -> int:
        """Width, px."""
        ...

    @property
    def height(self) -> int:
        """Height, px."""
        ...

    def light(self, frame: int) -> Float32:
        """A frame as (H, W, 4) float32 linear light, premultiplied."""
        ...

    def close(self) -> None:
        """Let go of what it is read from."""
        ...


class FileSource:
    """A still, film or numbered stills; its transparency may come from a file of its own."""

    def __init__(self, reader: FrameReader, artwork: FileArtwork, primaries: Primaries, matte: FrameReader | None = None) -> None:
        self._reader, self._artwork, self._primaries, self._matte = reader, artwork, primaries, matte
        facts = reader.facts
        self.width, self.height, self.pixel_aspect = facts.width, facts.height, float(facts.pixel_aspect)
        self.count, self.rate = facts.frame_count, None if facts.kind == "still" else facts.rate
        if matte is not None:
            fill = (facts.width / facts.height, matte.facts.width / matte.facts.height)
            if abs(fill[0] / fill[1] - 1) > 0.01:
                m = matte.facts
                raise RunError(
                    "wrong_size",
                    f"The matte has {m.width} x {m.height} px and other proportions than its artwork, {facts.width} x {facts.height}.",
                )
            self.count = max(self.count, matte.facts.frame_count)

    def light(self, frame: int) -> Float32:
        """A frame; the shorter of fill and matte holds its last one."""
        picture = self._reader.frame(min(frame, self._reader.facts.frame_count - 1))
        alpha = self._artwork.alpha
        if isinstance(picture, RgbFrame) and picture.alpha is not None and alpha in ("straight", "premultiplied"):
            picture = RgbFrame(picture.pixels, picture.alpha, alpha == "premultiplied", picture.transfer, picture.primaries)
        light = premultiplied_linear(picture, self._primaries)
        if alpha == "none" or self._matte is not None:
            light = _opaque(light)
        if self._matte is not None:
            matte = self._matte.frame(min(frame, self._matte.facts.frame_count - 1))
            cover = np.clip(matte.codes() @ LUMA, 0, 1).astype(np.float32)
            if cover.shape != light.shape[:2]:
                cover = cv2.resize(cover, (light.shape[1], light.shape[0]), interpolation=cv2.INTER_LINEAR)
            light = light * cover[..., None]
        return np.ascontiguousarray(light, np.float32)

    def close(self) -> None:
        """Close its files."""
        self._reader.close()
        if self._matte is not None:
            self._matte.close()


def _opaque(light: Float32) -> Float32:
    straight = light / np.maximum(light[..., 3:], 1e-6)
    straight[..., 3] = 1.0
    return np.asarray(straight, np.float32)


@dataclass
class MadeSource:
    """A picture that is made here once."""

    picture: Float32
    pixel_aspect: float = 1.0
    count: int = 1
    rate: Fraction | None = None

    @property
    def width(self) -> int:
        """Width, px."""
        return int(self.picture.shape[1])

    @property
    def height(self) -> int:
        """Height, px."""
        return int(self.picture.shape[0])

    def light(self, frame: int) -> Float32:
        """The picture, at whichever frame."""
        return self.picture

    def close(self) -> None:
        """Nothing to let go of."""


class OrderSource:
    """Items one after the other on a picture of their own size."""

    def __init__(self, order: OrderArtwork, parts: Sequence[Source], rate: Fraction | None, reduce: float = 1.0) -> None:
        self._order, self._parts = order, parts
        self.width, self.height = max(2, round(order.width * reduce)), max(2, round(order.height * reduce))
        self.pixel_aspect, self.rate = order.pixel_aspect, rate
        self.count = sum(i.frames for i in order.items)

    def light(self, frame: int) -> Float32:
        """A frame of it; over a dissolve two items are mixed in light."""
        start = 0
        for i, item in enumerate(self._order.items):
            if frame < start + item.frames or i == len(self._order.items) - 1:
                into = frame - start
                here = self._item(i, into)
                if i == 0 or into >= item.dissolve:
                    return here
                t = np.float32((into + 1) / (item.dissolve + 1))
                before = self._item(i - 1, self._order.items[i - 1].frames + into)
                return np.asarray(before + t * (here - before), np.float32)
            start += item.frames
        raise AssertionError("a running order has items")

    def _item(self, i: int, into: int) -> Float32:
        item, source = self._order.items[i], self._parts[i]
        speed = float(source.rate / self.rate) if source.rate and self.rate else 1.0
        at = min(int(item.first + into * speed + 1e-6), source.count - 1)
        aspect = self.width * self.pixel_aspect / self.height
        to_art = art_from_surface(item.fit, source.width, source.height, source.pixel_aspect, aspect)
        return _drawn(source.light(at), to_art @ np.diag([1 / self.width, 1 / self.height, 1.0]), self.width, self.height)

    def close(self) -> None:
        """Close the items."""
        for part in self._parts:
            part.close()


def _drawn(picture: Float32, picture_from_canvas: np.ndarray, width: int, height: int) -> Float32:  # type: ignore[type-arg]
    """A picture laid on a canvas, brought to its size there first; black and opaque around it."""
    scale = np.linalg.norm(picture_from_canvas[:2, :2], axis=0)
    small = (max(1, round(picture.shape[1] / scale[0])), max(1, round(picture.shape[0] / scale[1])))
    smaller = small[0] * small[1] < picture.shape[0] * picture.shape[1]
    reduced = cv2.resize(picture, small, interpolation=cv2.INTER_AREA if smaller else cv2.INTER_LINEAR)
    m = np.diag([reduced.shape[1] / picture.shape[1], reduced.shape[0] / picture.shape[0], 1.0]) @ picture_from_canvas
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    m = np.linalg.inv(half) @ m @ half
    out = cv2.warpAffine(
        reduced,
        m[:2],
        (width, height),
        flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_CONSTANT,
        borderValue=(0, 0, 0, 1),
    )
    return np.asarray(out, np.float32)


def light_of(rgb: Rgb, primaries: Primaries) -> tuple[float, float, float]:
    """Linear light of an sRGB colour, 0-255, in some primaries."""
    light = srgb_to_linear(np.array(rgb) / 255.0).astype(np.float32).reshape(1, 1, 3)
    r, g, b = (float(v) for v in in_primaries(light, "bt709", primaries).reshape(3))
    return r, g, b


def open_source(
    artwork: Artwork,
    open_file: Callable[[MediaRef], FrameReader],
    aspect: float,
    plate: MediaFacts,
    longest: int = 2048,
    seen_px: int = 2048,
) -> Source:
    """Open artwork.

    Parameters
    ----------
    open_file : opens a file, or its proxies
    aspect : true width : height of the area it is made for
    plate : facts of the plate: its rate and primaries
    longest : px of the longer side of what is made here
    seen_px : px of the longer side of a drawing: the size at which it is seen
    """
    primaries = plate.primaries
    if isinstance(artwork, SlotArtwork):
        raise RunError(
            "slot_empty", "A placement names a slot and no artwork. Slots belong to a project: import the shot into it, or name a file."
        )
    if isinstance(artwork, FileArtwork):
        reader = open_file(artwork)
        if isinstance(reader, SequenceReader):
            reader.draw_at(seen_px)
        return FileSource(reader, artwork, primaries, open_file(artwork.matte) if artwork.matte else None)
    if isinstance(artwork, ColourArtwork):
        return MadeSource(np.full((2, 2, 4), (*light_of(artwork.rgb, primaries), 1.0), np.float32))
    if isinstance(artwork, OrderArtwork):
        parts = [_open_item(item, open_file, artwork, plate, longest) for item in artwork.items]
        return OrderSource(artwork, parts, plate.rate, min(1.0, longest / max(artwork.width, artwork.height)))
    size = (longest, max(16, round(longest / aspect))) if aspect >= 1 else (max(16, round(longest * aspect)), longest)
    if isinstance(artwork, ChartArtwork):
        picture = chart_picture(*size, artwork.squares)
    else:
        assert isinstance(artwork, TextArtwork)
        line = None if artwork.outline_rgb is None else light_of(artwork.outline_rgb, "bt709")
        ground = None if artwork.ground is None else light_of(artwork.ground, "bt709")
        picture = text_picture(
            artwork.text, size, light_of(artwork.rgb, "bt709"), artwork.weight == "bold", artwork.align, artwork.margin,
            line, artwork.outline, ground,
        )  # fmt: skip
    return MadeSource(in_primaries(picture, "bt709", primaries))


def _open_item(
    item: OrderItem, open_file: Callable[[MediaRef], FrameReader], order: OrderArtwork, plate: MediaFacts, longest: int
) -> Source:
    return open_source(item.artwork, open_file, order.width * order.pixel_aspect / order.height, plate, longest)
