"""The bare screen: what colour it has, and how unevenly it is lit.

A screen of one colour is seen brighter here and darker there. Samples say its colour; what in a frame has that colour, at whatever
brightness, is bare; a low polynomial through the logarithm of its light is the screen everywhere, also under what is in front.
"""

from dataclasses import dataclass

import numba
import numpy as np

from verdigris.core.types import Bool, Float32, Float64

# Chromaticities so far apart, times the spread of the samples, are no bare screen; and at least so far.
CHROMA_SPREADS, CHROMA_LEAST = 6.0, 0.03
BARE_SHARE = 0.92
# A polynomial of this many degrees needs bare screen on so great a share of the area.
DEGREES = ((3, 0.35), (2, 0.12), (1, 0.03), (0, 0.0))
LEAST_BARE = 60
STEP_PIXELS = 10_000
# The polynomial is raised at every so many px; between, it is straight within a thousandth.
NODES_PX = 4


@dataclass(frozen=True)
class Screen:
    """A screen's colour as sampled.

    Attributes
    ----------
    colour : linear light
    spread : standard deviation of its chromaticity
    noise : standard deviation of its light, relative to its brightness, from pixel to pixel
    """

    colour: tuple[float, float, float]
    spread: float
    noise: float


def screen_of(light: Float32) -> Screen:
    """The screen of sampled pixels (N, 3) linear light; ValueError without any, or when they are black."""
    if len(light) == 0:
        raise ValueError("the sample holds no pixel")
    colour = np.median(light, axis=0).astype(float)
    if colour.sum() < 1e-4:
        raise ValueError("the sample is black: a key needs a colour")
    chroma = _chroma(light)
    away = np.linalg.norm(chroma - np.median(chroma, axis=0), axis=1)
    level = light.sum(axis=1) / colour.sum()
    noise = 1.4826 * float(np.median(np.abs(level - np.median(level))))
    return Screen((float(colour[0]), float(colour[1]), float(colour[2])), float(1.4826 * np.median(away)), noise)


def mixed_screen(a: Screen, b: Screen, t: float) -> Screen:
    """The screen between two samples, t from 0 to 1."""
    x, y, z = ((1 - t) * p + t * q for p, q in zip(a.colour, b.colour, strict=True))
    return Screen((x, y, z), (1 - t) * a.spread + t * b.spread, (1 - t) * a.noise + t * b.noise)


def screen_field(light: Float32, inside: Bool, screen: Screen, even: bool = True) -> Float32:
    """The bare screen's light everywhere in a region.

    Parameters
    ----------
    light : (h, w, 3) float32 linear light
    inside : (h, w) bool, where the screen may be seen
    screen : as sampled
    even : whether uneven light is told from the region; else the sampled colour holds everywhere, at the brightness most of it has

    Returns
    -------
    (h, w, 3) float32 linear light
    """
    h, w = inside.shape
    colour = np.array(screen.colour)
    step = max(1, int(np.sqrt(h * w / STEP_PIXELS)))
    part, seen = light[::step, ::step], inside[::step, ::step]
    limit = max(CHROMA_LEAST, CHROMA_SPREADS * screen.spread)
    near = np.linalg.norm(_chroma(part) - _chroma(colour[None])[0], axis=-1) < limit
    level = part.sum(axis=-1) / colour.sum()
    bare = seen & near & (level > 0.25) & (level < 4.0)
    whole = max(1, int(seen.sum()))
    if bare.sum() < min(LEAST_BARE, 0.02 * whole + 4):
        return np.broadcast_to(colour.astype(np.float32), (h, w, 3)).copy()
    y, x = np.mgrid[0:h:step, 0:w:step]
    at = np.stack([2 * (x + 0.5) / w - 1, 2 * (y + 0.5) / h - 1], axis=-1)
    degree = next(d for d, share in DEGREES if bare.sum() >= share * whole) if even else 0
    terms = _terms(at[bare], degree)
    logs = np.log(np.maximum(part[bare], 1e-5 * colour.max()).astype(np.float64))
    fitted = _robust_fit(terms, logs)
    return _field_of(fitted, degree, h, w)


def _field_of(fitted: Float64, degree: int, h: int, w: int) -> Float32:
    """Light of the polynomial at every px, (h, w, 3): raised at every few, straight between them."""
    powers = np.arange(degree + 1)
    down, across = ((2 * (np.arange(0, n + NODES_PX, NODES_PX) + 0.5) / n - 1)[:, None] ** powers for n in (h, w))
    nodes = np.empty((len(down), 3, len(across)), np.float32)
    for c in range(3):
        table = np.zeros((degree + 1, degree + 1))
        table[tuple(np.array(_exponents(degree)).T)] = fitted[:, c]
        nodes[:, c] = down @ table.T @ across.T
    out = np.empty((h, w, 3), np.float32)
    _between_nodes(np.exp(nodes, out=nodes), out)
    return out


@numba.njit(cache=True, nogil=True, fastmath=True)
def _between_nodes(nodes, out):  # type: ignore[no-untyped-def]
    h, w = out.shape[:2]
    over = np.float32(1.0 / NODES_PX)
    row = np.empty(nodes.shape[1:], np.float32)
    for r in range(h):
        above = r // NODES_PX
        t = np.float32(r - above * NODES_PX) * over
        for k in range(3):
            for c in range(nodes.shape[2]):
                row[k, c] = nodes[above, k, c] + t * (nodes[above + 1, k, c] - nodes[above, k, c])
        for c in range(w):
            at = c // NODES_PX
            t = np.float32(c - at * NODES_PX) * over
            for k in range(3):
                out[r, c, k] = row[k, at] + t * (row[k, at + 1] - row[k, at])


def _exponents(degree: int) -> list[tuple[int, int]]:
    return [(i, j) for i in range(degree + 1) for j in range(degree + 1 - i)]


def _terms(at: Float64, degree: int) -> Float64:
    x, y = np.vander(at[:, 0], degree + 1, increasing=True), np.vander(at[:, 1], degree + 1, increasing=True)
    return np.stack([x[:, i] * y[:, j] for i, j in _exponents(degree)], axis=1)


def _robust_fit(terms: Float64, logs: Float64, rounds: int = 4) -> Float64:
    """Least squares with what lies off left out: marks, mixed pixels, shadows of what is near."""
    keep = np.ones(len(terms), bool)
    fitted: Float64 = np.zeros((terms.shape[1], 3))
    off = np.empty(len(terms))
    for _ in range(rounds):
        # Normal equations: few terms between -1 and 1, so what they lose against an orthogonal fit is far below a code.
        square, right = _normal_equations(terms, logs, keep)
        fitted = np.asarray(np.linalg.lstsq(square, right, rcond=None)[0], np.float64)
        _greatest_off(terms, logs, fitted, off)
        limit = max(2.5 * 1.4826 * float(np.median(off[keep])), 0.01)
        new = off < limit
        if new.sum() < max(terms.shape[1] + 2, 0.2 * len(terms)) or np.array_equal(new, keep):
            break
        keep = new
    return fitted


@numba.njit(cache=True, nogil=True, fastmath=True)
def _normal_equations(terms, logs, keep):  # type: ignore[no-untyped-def]
    count, many = terms.shape
    square, right = np.zeros((many, many)), np.zeros((many, 3))
    for n in range(count):
        if keep[n]:
            for i in range(many):
                for j in range(i + 1):
                    square[i, j] += terms[n, i] * terms[n, j]
                for k in range(3):
                    right[i, k] += terms[n, i] * logs[n, k]
    for i in range(many):
        for j in range(i):
            square[j, i] = square[i, j]
    return square, right


@numba.njit(cache=True, nogil=True, fastmath=True)
def _greatest_off(terms, logs, fitted, out):  # type: ignore[no-untyped-def]
    for n in range(out.size):
        most = 0.0
        for k in range(3):
            told = 0.0
            for i in range(terms.shape[1]):
                told += terms[n, i] * fitted[i, k]
            most = max(most, abs(logs[n, k] - told))
        out[n] = most


def _chroma(light: Float32 | Float64) -> Float64:
    total = np.maximum(light.sum(axis=-1, keepdims=True), 1e-6)
    return np.asarray(light / total, np.float64)


def primary_of(colour: tuple[float, float, float]) -> tuple[int, bool]:
    """How a screen's colour differs from grey: by one channel that stands out above the others, or one that lies below them (False)."""
    order = np.argsort(colour)
    low, middle, high = (colour[i] for i in order)
    above = high - middle >= middle - low
    return (int(order[2]) if above else int(order[0])), bool(above)


@numba.njit(cache=True, nogil=True, fastmath=True)
def screen_share(light, field, channel, above, out):  # type: ignore[no-untyped-def]
    """The greatest share of screen at every pixel that leaves no more of the screen's hue than grey has (colour difference)."""
    i, j = (channel + 1) % 3, (channel + 2) % 3
    sign = np.float32(1.0 if above else -1.0)
    least = np.float32(1e-6)
    for r in range(light.shape[0]):
        for c in range(light.shape[1]):
            k, bk = light[r, c, channel], field[r, c, channel]
            a, whole_a = sign * (k - light[r, c, i]), max(sign * (bk - field[r, c, i]), least)
            b, whole_b = sign * (k - light[r, c, j]), max(sign * (bk - field[r, c, j]), least)
            out[r, c] = a / whole_a if a * whole_b < b * whole_a else b / whole_b
