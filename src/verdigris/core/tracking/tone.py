"""Between code values and light, for blurring as the camera blurs: sRGB, bent towards even steps by one number.

Cameras lift shadows and roll off highlights, each in its own way. What matters to a blurred edge is how far up the
dark side of it the middle of the light lies; one number per shot says that well enough, and the track itself shows
it. Light = (1 - bend) sRGB(code) + bend code.

References
----------
IEC 61966-2-1:1999 (sRGB). Mann and Mann, Quantigraphic imaging, ICIP 2001 (response curves from the pictures themselves).
"""

from functools import lru_cache

import numba
import numpy as np

from verdigris.core.light.transfer import decode_array, srgb_to_linear
from verdigris.core.types import Float32

ENTRIES = 2048
# The table's axis is the square root of light, up to a little beyond white.
MOST_ROOT = 1.06


def to_light(code: Float32, bend: float) -> Float32:
    """Light of code values 0..1, any shape, float32."""
    light = decode_array(code)
    return light if bend == 0 else np.asarray((1 - bend) * light + bend * code, np.float32)


@lru_cache(maxsize=16)
def encode_table(bend: float) -> Float32:
    """Code values at ENTRIES even steps of the square root of light."""
    code = np.linspace(0.0, 1.12, 20001)
    light = (1 - bend) * srgb_to_linear(code) + bend * code
    root = np.linspace(0.0, MOST_ROOT, ENTRIES)
    return np.asarray(np.interp(root, np.sqrt(light), code), np.float32)


def to_code(light: Float32, table: Float32) -> Float32:
    """Code values of light, any shape, float32."""
    flat = np.ascontiguousarray(light, np.float32).reshape(-1)
    out = np.empty_like(flat)
    _encode(flat, table, out)
    return out.reshape(light.shape)


@numba.njit(cache=True, nogil=True, fastmath=True, inline="always")
def encode_one(light, table):  # type: ignore[no-untyped-def]
    """Code value and its derivative by light, inside a kernel."""
    root = np.sqrt(max(light, np.float32(1e-6)))
    scale = np.float32((ENTRIES - 1) / MOST_ROOT)
    at = min(root * scale, np.float32(ENTRIES - 1.01))
    i = int(at)
    low, high = table[i], table[i + 1]
    return low + (at - i) * (high - low), (high - low) * scale / (2 * root)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _encode(flat, table, out):  # type: ignore[no-untyped-def]
    for i in range(flat.shape[0]):
        out[i] = encode_one(flat[i], table)[0]
