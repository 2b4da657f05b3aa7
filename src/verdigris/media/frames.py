"""One decoded frame in its own pixel format; regions of it as code values."""

from dataclasses import dataclass, replace

import cv2
import numba
import numpy as np

from verdigris.core.light.encoding import Primaries, Transfer, for_screen, in_primaries, is_wide, premultiplied, to_code, to_light
from verdigris.core.light.transfer import encode_array
from verdigris.core.light.yuv import Box, Planes, YuvCoding, region_to_rgb, write_region
from verdigris.core.types import AnyArray, Bool, Float32, Uint8

LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)


@dataclass(frozen=True)
class YuvFrame:
    """Three planes of Y'CbCr as the decoder gave them; never written into."""

    planes: Planes
    coding: YuvCoding
    alpha: AnyArray | None = None
    transfer: Transfer = "srgb"
    primaries: Primaries = "bt709"

    @property
    def width(self) -> int:
        """Width, px."""
        return int(self.planes[0].shape[1])

    @property
    def height(self) -> int:
        """Height, px."""
        return int(self.planes[0].shape[0])

    def luma(self) -> Float32:
        """Luma code values 0..1, (H, W) float32."""
        if self.coding.matrix == "rgb":
            return np.asarray(self.codes() @ LUMA, np.float32)
        offset, span, *_ = self.coding.numbers
        return (self.planes[0].astype(np.float32) - np.float32(offset)) * np.float32(1.0 / span)

    def codes(self, box: Box | None = None) -> Float32:
        """R'G'B' code values of a region, (h, w, 3) float32."""
        return region_to_rgb(self.planes, self.coding, box or (0, 0, self.width, self.height))

    def values(self, box: Box) -> Float32:
        """A region as it is worked on and written back: code values."""
        return self.codes(box)

    def light_of(self, values: Float32) -> Float32:
        """Linear light of such values, (h, w, 3) float32."""
        return to_light(values, self.transfer)

    def values_of(self, light: Float32) -> Float32:
        """Values that show such light."""
        return to_code(light, self.transfer)

    def with_region(self, box: Box, before: Float32, after: Float32, touched: Bool) -> "YuvFrame":
        """A copy in which the touched pixels of a region have new values."""
        y, u, v = (p.copy() for p in self.planes)
        write_region((y, u, v), self.coding, box, before, after, touched)
        return replace(self, planes=(y, u, v))

    def rgb_integers(self) -> AnyArray:
        """(H, W, 3) uint8, or uint16 scaled to 16 bit for deeper planes."""
        return to_integers(self.codes(), self.coding.depth > 8)


@dataclass(frozen=True)
class RgbFrame:
    """Interleaved R, G, B.

    Attributes
    ----------
    pixels : (H, W, 3) uint8 or uint16 code values, or float32 linear light
    alpha : (H, W) float32 0..1, or None
    associated : whether colour is premultiplied with alpha
    transfer, primaries : what code values mean; float32 is linear whatever `transfer` says
    """

    pixels: AnyArray
    alpha: Float32 | None = None
    associated: bool = False
    transfer: Transfer = "srgb"
    primaries: Primaries = "bt709"

    @property
    def width(self) -> int:
        """Width, px."""
        return int(self.pixels.shape[1])

    @property
    def height(self) -> int:
        """Height, px."""
        return int(self.pixels.shape[0])

    @property
    def is_linear(self) -> bool:
        """Whether values are linear light."""
        return bool(self.pixels.dtype == np.float32)

    def codes(self, box: Box | None = None) -> Float32:
        """R'G'B' code values of a region, (h, w, 3) float32."""
        x0, y0, x1, y1 = box or (0, 0, self.width, self.height)
        part = self.pixels[y0:y1, x0:x1]
        if self.is_linear:
            return encode_array(np.maximum(part, 0))
        return np.asarray(part, np.float32) * np.float32(1.0 / np.iinfo(self.pixels.dtype).max)

    def luma(self) -> Float32:
        """Luma code values, (H, W) float32."""
        return np.asarray(self.codes() @ LUMA, np.float32)

    def values(self, box: Box) -> Float32:
        """A region as it is worked on and written back: code values, or light where that is what is stored."""
        x0, y0, x1, y1 = box
        return np.asarray(self.pixels[y0:y1, x0:x1], np.float32) if self.is_linear else self.codes(box)

    def light_of(self, values: Float32) -> Float32:
        """Linear light of such values, (h, w, 3) float32, a copy."""
        return values.copy() if self.is_linear else to_light(values, self.transfer)

    def values_of(self, light: Float32) -> Float32:
        """Values that show such light."""
        return light if self.is_linear else to_code(light, self.transfer)

    def with_region(self, box: Box, before: Float32, after: Float32, touched: Bool) -> "RgbFrame":
        """A copy in which the touched pixels of a region have new values."""
        x0, y0, x1, y1 = box
        pixels = self.pixels.copy()
        if self.is_linear:
            np.copyto(pixels[y0:y1, x0:x1], after, where=touched[..., None])
        else:
            _write_codes(pixels, x0, y0, after, touched, np.float32(np.iinfo(pixels.dtype).max))
        return replace(self, pixels=pixels)

    def rgb_integers(self) -> AnyArray:
        """(H, W, 3) uint8 or uint16 code values."""
        if self.is_linear:
            return to_integers(encode_array(np.maximum(self.pixels, 0)), True)
        return self.pixels


Frame = YuvFrame | RgbFrame


def to_integers(codes: Float32, deep: bool) -> AnyArray:
    """Round code values 0..1 to uint8, or to uint16 when `deep`."""
    top = 65535.0 if deep else 255.0
    return np.clip(codes * np.float32(top) + np.float32(0.5), 0, top).astype(np.uint16 if deep else np.uint8)


@numba.njit(cache=True, nogil=True)
def _write_codes(pixels, x0, y0, codes, touched, top):  # type: ignore[no-untyped-def]
    """Touched pixels of a region rounded to integers, as by `to_integers`."""
    for r in range(touched.shape[0]):
        for c in range(touched.shape[1]):
            if touched[r, c]:
                for k in range(3):
                    pixels[y0 + r, x0 + c, k] = min(max(codes[r, c, k] * top + np.float32(0.5), np.float32(0.0)), top)


def rgb8(frame: Frame, box: Box | None = None) -> Uint8:
    """A region as 8-bit R, G, B for an sRGB screen."""
    if frame.transfer == "srgb" and frame.primaries == "bt709":
        return np.asarray(to_integers(frame.codes(box), False), np.uint8)
    linear = isinstance(frame, RgbFrame) and frame.is_linear
    light = frame.light_of(frame.values(box or (0, 0, frame.width, frame.height)))
    return np.asarray(to_integers(for_screen(light, frame.primaries, linear or is_wide(frame.transfer)), False), np.uint8)


def linear_light(frame: Frame) -> Float32:
    """(H, W, 3) float32 linear light, colour as stored (see `associated`)."""
    if isinstance(frame, RgbFrame) and frame.is_linear:
        return np.asarray(frame.pixels, np.float32)
    return to_light(frame.codes(), frame.transfer)


def premultiplied_linear(frame: Frame, primaries: Primaries = "bt709") -> Float32:
    """(H, W, 4) float32 linear light of some primaries, premultiplied: what artwork is composed from."""
    alpha = frame_alpha(frame)
    associated = isinstance(frame, RgbFrame) and frame.associated
    if not (associated or (isinstance(frame, RgbFrame) and frame.is_linear)):
        return in_primaries(premultiplied(frame.codes(), alpha, frame.transfer), frame.primaries, primaries)
    cover = np.ones((frame.height, frame.width), np.float32) if alpha is None else alpha
    light = linear_light(frame) if associated else linear_light(frame) * cover[..., None]
    whole = np.ascontiguousarray(np.concatenate([light, cover[..., None]], axis=2), dtype=np.float32)
    return in_primaries(whole, frame.primaries, primaries)


def frame_alpha(frame: Frame) -> Float32 | None:
    """Coverage 0..1, (H, W) float32, or None for an opaque frame."""
    if frame.alpha is None or isinstance(frame, RgbFrame):
        return frame.alpha
    return frame.alpha.astype(np.float32) / np.float32((1 << frame.coding.depth) - 1)


def resized_rgb8(frame: Frame, width: int, height: int) -> Uint8:
    """The whole frame as 8-bit R, G, B at another size, reduced by area."""
    full = rgb8(frame)
    if (width, height) == (frame.width, frame.height):
        return full
    return np.asarray(cv2.resize(full, (width, height), interpolation=cv2.INTER_AREA), np.uint8)
