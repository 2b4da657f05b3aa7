"""Transfer curves between code values and linear light.

The curves inside numba kernels are polynomials, because table look-ups and powers are slower there. They are
fitted once at import against the exact formula; tests hold their error under 1/16 of a ten-bit code value.

References
----------
IEC 61966-2-1:1999 (sRGB).
"""

import numba
import numpy as np

from verdigris.core.types import Float32, Float64


def srgb_to_linear(code: Float64) -> Float64:
    """Exact sRGB decoding of code values 0..1 to linear light."""
    c = np.asarray(code, dtype=np.float64)
    return np.where(c <= 0.04045, c / 12.92, ((np.maximum(c, 0.04045) + 0.055) / 1.055) ** 2.4)


def linear_to_srgb(light: Float64) -> Float64:
    """Exact sRGB encoding of linear light to code values; light above 1 stays above 1."""
    v = np.asarray(light, dtype=np.float64)
    return np.where(v <= 0.0031308, v * 12.92, 1.055 * np.maximum(v, 0.0031308) ** (1 / 2.4) - 0.055)


def _fit_decode(degree: int = 8) -> Float64:
    x = 0.04 + 0.98 * (0.5 - 0.5 * np.cos(np.linspace(0, np.pi, 4001)))
    return np.asarray(np.polynomial.polynomial.polyfit(x, srgb_to_linear(x), degree), dtype=np.float64)


def _fit_encode(degree: int = 8) -> Float64:
    # In the fourth root of the light the curve is nearly a power of 5/3, which a polynomial follows well.
    t = 0.23 + 0.80 * (0.5 - 0.5 * np.cos(np.linspace(0, np.pi, 4001)))
    return np.asarray(np.polynomial.polynomial.polyfit(t, linear_to_srgb(t**4), degree), dtype=np.float64)


DECODE = tuple(float(c) for c in _fit_decode())
ENCODE = tuple(float(c) for c in _fit_encode())
_D0, _D1, _D2, _D3, _D4, _D5, _D6, _D7, _D8 = DECODE
_E0, _E1, _E2, _E3, _E4, _E5, _E6, _E7, _E8 = ENCODE


@numba.njit(cache=True, nogil=True, fastmath=True, inline="always")
def decode(c):  # type: ignore[no-untyped-def]
    """SRGB code value to linear light inside a kernel; negative values and highlights stay usable."""
    x = min(c, 1.02)
    p = _D0 + x * (_D1 + x * (_D2 + x * (_D3 + x * (_D4 + x * (_D5 + x * (_D6 + x * (_D7 + x * _D8)))))))
    p = p + (c - x) * 2.3
    return p if c > 0.04045 else c * (1.0 / 12.92)


@numba.njit(cache=True, nogil=True, fastmath=True, inline="always")
def encode(v):  # type: ignore[no-untyped-def]
    """Linear light to sRGB code value inside a kernel."""
    x = min(max(v, 0.0031308), 1.04)
    t = np.sqrt(np.sqrt(x))
    p = _E0 + t * (_E1 + t * (_E2 + t * (_E3 + t * (_E4 + t * (_E5 + t * (_E6 + t * (_E7 + t * _E8)))))))
    p = p + (max(v, 1.04) - 1.04) * 0.43
    return p if v > 0.0031308 else v * 12.92


@numba.njit(cache=True, nogil=True, fastmath=True)
def _decode_all(flat, out):  # type: ignore[no-untyped-def]
    for i in range(flat.shape[0]):
        out[i] = decode(flat[i])


@numba.njit(cache=True, nogil=True, fastmath=True)
def _encode_all(flat, out):  # type: ignore[no-untyped-def]
    for i in range(flat.shape[0]):
        out[i] = encode(flat[i])


def decode_array(code: Float32) -> Float32:
    """Any-shape float32 sRGB code values to linear light."""
    flat = np.ascontiguousarray(code, dtype=np.float32).reshape(-1)
    out = np.empty_like(flat)
    _decode_all(flat, out)
    return out.reshape(code.shape)


def encode_array(light: Float32) -> Float32:
    """Any-shape float32 linear light to sRGB code values."""
    flat = np.ascontiguousarray(light, dtype=np.float32).reshape(-1)
    out = np.empty_like(flat)
    _encode_all(flat, out)
    return out.reshape(light.shape)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _premultiply(codes, alpha, has_alpha, out):  # type: ignore[no-untyped-def]
    for y in range(codes.shape[0]):
        for x in range(codes.shape[1]):
            a = alpha[y, x] if has_alpha else np.float32(1.0)
            out[y, x, 0] = decode(codes[y, x, 0]) * a
            out[y, x, 1] = decode(codes[y, x, 1]) * a
            out[y, x, 2] = decode(codes[y, x, 2]) * a
            out[y, x, 3] = a


def premultiplied_light(codes: Float32, alpha: Float32 | None) -> Float32:
    """(H, W, 3) float32 sRGB code values and coverage to (H, W, 4) float32 linear light, premultiplied."""
    out = np.empty((*codes.shape[:2], 4), np.float32)
    none = np.ones((1, 1), np.float32)
    _premultiply(np.ascontiguousarray(codes), none if alpha is None else alpha, alpha is not None, out)
    return out
