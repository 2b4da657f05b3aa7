"""Colour encodings: what code values and their three primaries mean, as light.

Light is relative to diffuse white: 1 is a white sheet, more is a highlight. Of display light it is what a screen at its reference
level gives: 203 cd/m2 for PQ, 75 % of signal for HLG.

References
----------
ITU-T H.273 (names and numbers of all of these); IEC 61966-2-1 (sRGB), 61966-2-5 (opRGB); ITU-R BT.709-6, BT.2020-2, BT.2100-2 (PQ,
HLG) and BT.2408-7 (reference white); SMPTE ST 2065-1 and Academy S-2016-001 (ACES primaries, ACEScct). SMPTE RP 177 (primaries to
matrices). The curves themselves come from OpenColorIO, without its faster approximations; kernels read them from tables.
"""

from functools import lru_cache
from typing import Literal, get_args

import numba
import numpy as np
import PyOpenColorIO as ocio  # noqa: N813 (its own documentation calls it so)

from verdigris.core.light.transfer import decode_array, encode_array, premultiplied_light
from verdigris.core.types import Float32, Float64

Transfer = Literal["srgb", "bt709", "gamma22", "gamma24", "gamma28", "linear", "pq", "hlg", "log100", "log316", "acescct"]
Primaries = Literal["bt709", "bt470bg", "bt601", "bt2020", "p3", "oprgb", "aces", "acescg"]
TRANSFERS: tuple[Transfer, ...] = get_args(Transfer)
PRIMARIES: tuple[Primaries, ...] = get_args(Primaries)

# H.273: what films say, in numbers. Several numbers may mean the same curve.
TRANSFER_OF: dict[int, Transfer] = {
    1: "bt709", 6: "bt709", 14: "bt709", 15: "bt709", 4: "gamma22", 5: "gamma28", 8: "linear", 9: "log100", 10: "log316",
    13: "srgb", 16: "pq", 18: "hlg",
}  # fmt: skip
TRANSFER_NUMBER: dict[Transfer, int] = {
    "bt709": 1, "gamma22": 4, "gamma28": 5, "linear": 8, "log100": 9, "log316": 10, "srgb": 13, "pq": 16, "hlg": 18,
}  # fmt: skip
PRIMARIES_OF: dict[int, Primaries] = {1: "bt709", 5: "bt470bg", 6: "bt601", 7: "bt601", 9: "bt2020", 12: "p3"}
PRIMARIES_NUMBER: dict[Primaries, int] = {"bt709": 1, "bt470bg": 5, "bt601": 6, "bt2020": 9, "p3": 12}

D65, D60 = (0.3127, 0.3290), (0.32168, 0.33767)
# Chromaticities of red, green and blue, and of white.
CHROMATICITIES: dict[Primaries, tuple[tuple[float, float], ...]] = {
    "bt709": ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06), D65),
    "bt470bg": ((0.64, 0.33), (0.29, 0.60), (0.15, 0.06), D65),
    "bt601": ((0.630, 0.340), (0.310, 0.595), (0.155, 0.070), D65),
    "bt2020": ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046), D65),
    "p3": ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060), D65),
    "oprgb": ((0.64, 0.33), (0.21, 0.71), (0.15, 0.06), D65),
    "aces": ((0.7347, 0.2653), (0.0, 1.0), (0.0001, -0.0770), D60),
    "acescg": ((0.713, 0.293), (0.165, 0.830), (0.128, 0.044), D60),
}
# Cone responses (Bradford), for primaries with another white.
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])

# White of ICC's connection space.
D50 = np.array([0.9642, 1.0, 0.8249])

# Tables reach a little beyond black and white, as sharpened and resampled pictures do.
LEAST_CODE, MOST_CODE, ENTRIES = -0.1, 1.15, 16384
# What the library's curves call 1, in light: 100 cd/m2 for PQ, and HLG at 3 for its largest signal.
_WHITE = {"pq": 2.03, "hlg": 0.7948876}
_POWER = {"gamma22": 2.2, "gamma24": 2.4, "gamma28": 2.8}
_BUILTIN = {"pq": "CURVE - ST-2084_to_LINEAR", "hlg": "CURVE - HLG-OETF-INVERSE", "acescct": "CURVE - ACEScct-LOG_to_LINEAR"}
_LOG = {"log100": 2.0, "log316": 2.5}


def to_light(code: Float32, transfer: Transfer) -> Float32:
    """Light of code values, any shape, float32; what lies outside 0..1 is as good as any."""
    if transfer == "linear":
        return np.array(code, np.float32)
    if transfer == "srgb":
        return decode_array(code)
    return _through(code, _decoding(transfer), LEAST_CODE, MOST_CODE, rooted=False)


def to_code(light: Float32, transfer: Transfer) -> Float32:
    """Code values of light, any shape, float32; the inverse of `to_light`."""
    if transfer == "linear":
        return np.array(light, np.float32)
    if transfer == "srgb":
        return encode_array(light)
    return _through(light, *_encoding(transfer), rooted=True)


def _through(values: Float32, table: Float32, least: float, most: float, rooted: bool) -> Float32:
    """Values of any shape through a table between two ends; `rooted` when it goes by their fourth root."""
    flat = np.ascontiguousarray(values, np.float32).reshape(-1)
    out = np.empty_like(flat)
    _read(flat, table, np.float32(least), np.float32((ENTRIES - 1) / (most - least)), rooted, out)
    return out.reshape(values.shape)


def exact_light(code: Float64, transfer: Transfer, back: bool = False) -> Float64:
    """Light of code values (N,), or with `back` code values of light, without tables."""
    if transfer in _LOG:
        steps = _LOG[transfer]
        if back:
            return np.asarray(np.where(code < 10.0**-steps, 0.0, 1 + np.log10(np.maximum(code, 10.0**-steps)) / steps))
        return np.asarray(np.where(code <= 0, 0.0, 10.0 ** ((np.maximum(code, 0) - 1) * steps)))
    white = _WHITE.get(transfer, 1.0)
    direction = ocio.TRANSFORM_DIR_INVERSE if back else ocio.TRANSFORM_DIR_FORWARD
    processor = ocio.Config.CreateRaw().getProcessor(_curve(transfer), direction)
    exact = processor.getOptimizedCPUProcessor(ocio.BIT_DEPTH_F32, ocio.BIT_DEPTH_F32, ocio.OPTIMIZATION_NONE)
    grey = np.ascontiguousarray(np.repeat((code * white if back else code)[:, None], 3, axis=1), np.float32)
    exact.applyRGB(grey)
    return np.asarray(grey[:, 0] if back else grey[:, 0] / white, np.float64)


def _curve(transfer: Transfer) -> "ocio.Transform":
    if transfer in _POWER:
        power = ocio.ExponentTransform([_POWER[transfer]] * 3 + [1.0])
        power.setNegativeStyle(ocio.NEGATIVE_MIRROR)
        return power
    if transfer in _BUILTIN:
        return ocio.BuiltinTransform(_BUILTIN[transfer])
    gamma, offset = {"bt709": (1 / 0.45, 0.099), "srgb": (2.4, 0.055)}[transfer]
    return ocio.ExponentWithLinearTransform(gamma=[gamma] * 3 + [1.0], offset=[offset] * 3 + [0.0])


@lru_cache(maxsize=16)
def _decoding(transfer: Transfer) -> Float32:
    """Light at ENTRIES even steps of code value."""
    return exact_light(np.linspace(LEAST_CODE, MOST_CODE, ENTRIES), transfer).astype(np.float32)


@lru_cache(maxsize=16)
def _encoding(transfer: Transfer) -> tuple[Float32, float, float]:
    """Code values at ENTRIES even steps of the fourth root of light, in which curves are nearly straight; its ends."""
    ends = exact_light(np.array([LEAST_CODE, MOST_CODE]), transfer)
    least, most = (float(np.sign(v) * abs(v) ** 0.25) for v in ends)
    root = np.linspace(least, most, ENTRIES)
    return exact_light(np.sign(root) * root**4, transfer, back=True).astype(np.float32), least, most


@numba.njit(cache=True, nogil=True, fastmath=True, inline="always")
def _looked_up(v, table, least, scale):  # type: ignore[no-untyped-def]
    """Linear between a table's entries, all in 32 bits, so that several go at once."""
    at = min(max((v - least) * scale, np.float32(0.0)), np.float32(table.shape[0] - 1.01))
    k = np.uint32(at)
    low = table[k]
    return low + (at - np.float32(k)) * (table[k + np.uint32(1)] - low)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _read(flat, table, least, scale, rooted, out):  # type: ignore[no-untyped-def]
    for i in range(flat.shape[0]):
        v = flat[i]
        if rooted:
            root = np.sqrt(np.sqrt(abs(v)))
            v = root if v >= 0 else -root
        out[i] = _looked_up(v, table, least, scale)


def premultiplied(code: Float32, alpha: Float32 | None, transfer: Transfer) -> Float32:
    """Light (H, W, 4) float32, premultiplied, of code values (H, W, 3) and straight coverage (H, W), or None for all of it."""
    if transfer == "srgb":
        return premultiplied_light(code, alpha)
    out = np.empty((*code.shape[:2], 4), np.float32)
    cover = np.ones((1, 1), np.float32) if alpha is None else alpha
    if transfer == "linear":
        out[..., :3], out[..., 3] = code * (1.0 if alpha is None else alpha[..., None]), 1.0 if alpha is None else alpha
        return out
    scale = np.float32((ENTRIES - 1) / (MOST_CODE - LEAST_CODE))
    _read_premultiplied(np.ascontiguousarray(code), cover, alpha is not None, _decoding(transfer), np.float32(LEAST_CODE), scale, out)
    return out


@numba.njit(cache=True, nogil=True, fastmath=True)
def _read_premultiplied(code, alpha, has_alpha, table, least, scale, out):  # type: ignore[no-untyped-def]
    for r in range(code.shape[0]):
        for c in range(code.shape[1]):
            a = alpha[r, c] if has_alpha else np.float32(1.0)
            for i in range(3):
                out[r, c, i] = a * _looked_up(code[r, c, i], table, least, scale)
            out[r, c, 3] = a


@lru_cache(maxsize=64)
def primaries_matrix(source: Primaries, target: Primaries) -> Float64:
    """From light of one set of primaries to light of another, (3, 3) float64; white stays white."""
    if source == target:
        return np.eye(3)
    (to_xyz, white), (to_other, other) = (_xyz(p) for p in (source, target))
    cones = np.diag((BRADFORD @ other) / (BRADFORD @ white))
    return np.asarray(np.linalg.inv(to_other) @ np.linalg.inv(BRADFORD) @ cones @ BRADFORD @ to_xyz)


def in_primaries(light: Float32, source: Primaries, target: Primaries) -> Float32:
    """Light (..., 3 or more) in other primaries; a fourth channel stays as it is."""
    if source == target:
        return light
    out = light.copy()
    out[..., :3] = light[..., :3] @ primaries_matrix(source, target).T.astype(np.float32)
    return out


def xyz_for_d50(primaries: Primaries) -> Float64:
    """Columns of red, green and blue in CIE XYZ as ICC profiles state them, adapted to D50, (3, 3) float64."""
    to_xyz, white = _xyz(primaries)
    cones = np.diag((BRADFORD @ D50) / (BRADFORD @ white))
    return np.asarray(np.linalg.inv(BRADFORD) @ cones @ BRADFORD @ to_xyz)


def _xyz(primaries: Primaries) -> tuple[Float64, Float64]:
    """Matrix to CIE XYZ, and white in it, of brightness 1."""
    *colours, white = (np.array([x, y, 1 - x - y]) / y for x, y in CHROMATICITIES[primaries])
    columns = np.array(colours).T
    return columns * np.linalg.solve(columns, white), white


def nearest_primaries(chromaticities: Float64) -> Primaries | None:
    """The set whose chromaticities, (4, 2) red, green, blue and white, these are; None when they are no known ones."""
    away = {p: float(np.abs(np.array(CHROMATICITIES[p]) - chromaticities).max()) for p in PRIMARIES}
    best = min(away, key=lambda p: away[p])
    return best if away[best] < 0.002 else None


# Light from here on is rolled off where it is shown on a screen that gives no more than white.
SHOULDER = 0.8


def for_screen(light: Float32, primaries: Primaries, wide: bool) -> Float32:
    """Code values that show light on an sRGB screen; with `wide`, highlights are rolled off instead of cut."""
    shown = in_primaries(light, primaries, "bt709")
    if wide:
        room = 1 - SHOULDER
        over = np.maximum(shown - SHOULDER, 0)
        shown = np.where(over > 0, SHOULDER + room * (1 - np.exp(-over / (4 * room))), shown)
    return encode_array(np.clip(shown, 0, 1).astype(np.float32))


def light_on_screen(light: Float32, primaries: Primaries, wide: bool) -> Float32:
    """The light that an sRGB screen's light stands for: `for_screen` the other way, as far as nothing was cut."""
    if wide:
        room = 1 - SHOULDER
        over = np.clip((light - SHOULDER) / room, 0, 0.999)
        light = np.where(over > 0, SHOULDER - 4 * room * np.log1p(-over), light).astype(np.float32)
    return in_primaries(light, "bt709", primaries)


def is_wide(transfer: Transfer) -> bool:
    """Whether code values reach far beyond diffuse white."""
    return transfer in ("pq", "hlg", "log100", "log316", "acescct", "linear")
