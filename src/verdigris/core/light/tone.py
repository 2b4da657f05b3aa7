"""Between code values and light, for blurring as the camera blurs: sRGB, bent by two numbers.

Cameras lift shadows and roll off highlights, each in its own way. What matters to a blurred edge is how far up the
dark side of it the middle of the light lies; two numbers per shot say that well enough, and the track itself shows
them. They change how much light a step of code value is worth, as the first two polynomials that do, in the logarithm:
logarithmic curves, powers, those of television, and S-shaped ones come out to within .003 of code value.

References
----------
IEC 61966-2-1:1999 (sRGB). Mann and Mann, Quantigraphic imaging, ICIP 2001 (response curves from the pictures themselves).
Grossberg and Nayar, Modeling the space of camera response functions, IEEE TPAMI 26(10), 2004 (few numbers say most of a curve).
"""

from functools import lru_cache
from typing import NamedTuple

import numba
import numpy as np

from verdigris.core.light.transfer import decode_array, srgb_to_linear
from verdigris.core.types import Float32, Float64

ENTRIES = 2048
# The table's axis is the square root of light, up to a little beyond white.
MOST_ROOT = 1.06
# Code values for which light is known: sharpened pictures overshoot.
LEAST_CODE, MOST_CODE = -0.1, 1.12
CODES = 4096


class Tone(NamedTuple):
    """How a tone curve departs from sRGB.

    Attributes
    ----------
    tilt : how much more light a step is worth at white than at black; a logarithmic curve has much of it
    ends : how much more light a step is worth at both ends than in the middle; S-shaped curves have some
    """

    tilt: float = 0.0
    ends: float = 0.0


SRGB = Tone()


def light_of(code: Float64, tone: Tone) -> Float64:
    """Light of rising code values (N,) from at most 0 to at least 1; black is 0, white 1."""
    x = np.clip(2 * code - 1, -1.0, 1.0)
    worth = np.exp(tone.tilt * x + tone.ends * (1.5 * x**2 - 0.5))
    srgb = srgb_to_linear(code)
    light = np.concatenate([[0.0], np.cumsum(np.diff(srgb) * (worth[1:] + worth[:-1]) / 2)])
    black, white = np.interp([0.0, 1.0], code, light)
    return np.asarray((light - black) / (white - black))


def to_light(code: Float32, tone: Tone) -> Float32:
    """Light of code values 0..1, any shape, float32."""
    if tone == SRGB:
        return decode_array(code)
    flat = np.ascontiguousarray(code, np.float32).reshape(-1)
    out = np.empty_like(flat)
    _decode(flat, _light_table(tone), out)
    return out.reshape(code.shape)


@lru_cache(maxsize=16)
def _light_table(tone: Tone) -> Float32:
    """Light at CODES even steps of code value."""
    return light_of(np.linspace(LEAST_CODE, MOST_CODE, CODES), tone).astype(np.float32)


@lru_cache(maxsize=16)
def encode_table(tone: Tone) -> Float32:
    """Code values at ENTRIES even steps of the square root of light."""
    code = np.linspace(0.0, MOST_CODE, 20001)
    return np.asarray(np.interp(np.linspace(0.0, MOST_ROOT, ENTRIES), np.sqrt(light_of(code, tone)), code), np.float32)


def to_code(light: Float32, table: Float32) -> Float32:
    """Code values of light, any shape, float32."""
    flat = np.ascontiguousarray(light, np.float32).reshape(-1)
    out = np.empty_like(flat)
    _encode(flat, table, out)
    return out.reshape(light.shape)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _decode(flat, table, out):  # type: ignore[no-untyped-def]
    """Linear interpolation at even steps: every fit wants it of its frame, and a general one takes twenty times as long."""
    scale, last = np.float32((CODES - 1) / (MOST_CODE - LEAST_CODE)), np.float32(CODES - 1.01)
    for i in range(flat.shape[0]):
        at = min(max((flat[i] - np.float32(LEAST_CODE)) * scale, np.float32(0.0)), last)
        # All in 32 bits, so that several go at once.
        k = np.uint32(at)
        low = table[k]
        out[i] = low + (at - np.float32(k)) * (table[k + np.uint32(1)] - low)


@numba.njit(cache=True, nogil=True, fastmath=True, inline="always")
def encode_one(light, table):  # type: ignore[no-untyped-def]
    """Code value and its derivative by light, inside a kernel."""
    root = np.sqrt(max(light, np.float32(1e-6)))
    scale = np.float32((ENTRIES - 1) / MOST_ROOT)
    at = min(root * scale, np.float32(ENTRIES - 1.01))
    i = np.uint32(at)
    low = table[i]
    step = table[i + np.uint32(1)] - low
    return low + (at - np.float32(i)) * step, step * (np.float32(0.5) * scale) / root


@numba.njit(cache=True, nogil=True, fastmath=True)
def _encode(flat, table, out):  # type: ignore[no-untyped-def]
    for i in range(flat.shape[0]):
        out[i] = encode_one(flat[i], table)[0]
