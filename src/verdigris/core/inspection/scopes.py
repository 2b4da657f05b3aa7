"""Scopes: how code values of an area are spread, as pictures.

References
----------
ITU-R BT.709-6 (luma and colour differences: what a waveform and a vectorscope plot). ITU-R BT.471 (colour bars, whose places are marked).
"""

from typing import Literal

import numpy as np

from verdigris.core.types import Float32, Float64, Uint8

Kind = Literal["waveform", "vectorscope"]
LUMA = np.array([0.2126, 0.7152, 0.0722])
WIDTH, HEIGHT, SIDE = 160, 128, 128
# Colour differences are plotted up to so much from the middle.
REACH = 0.55
GROUND, LINE, INK = 22, 58, np.array([196, 206, 201])


def scope(kind: Kind, codes: Float32, place: Float32) -> Uint8:
    """A scope of some px.

    Parameters
    ----------
    codes : (N, 3) display codes 0..1
    place : (N,) 0..1, from the left to the right of the area; a waveform is plotted over it

    Returns
    -------
    (HEIGHT, WIDTH, 3) uint8 for a waveform: red, green and blue each in its own light, from 0 below to 1 above; (SIDE, SIDE, 3) uint8
    for a vectorscope: blue difference to the right, red difference upwards
    """
    return _waveform(codes, place) if kind == "waveform" else _vectorscope(codes)


def _waveform(codes: Float32, place: Float32) -> Uint8:
    out = np.full((HEIGHT, WIDTH, 3), GROUND, np.float64)
    for level in (0.25, 0.5, 0.75):
        out[round((1 - level) * (HEIGHT - 1))] = LINE
    for channel in range(3):
        counts, _, _ = np.histogram2d(1 - codes[:, channel], place, bins=(HEIGHT, WIDTH), range=((0, 1), (0, 1)))
        out[..., channel] = np.maximum(out[..., channel], 255 * _seen(counts))
    return np.asarray(out, np.uint8)


def _vectorscope(codes: Float32) -> Uint8:
    out = np.full((SIDE, SIDE, 3), GROUND, np.float64)
    out[SIDE // 2], out[:, SIDE // 2] = LINE, LINE
    # Where fully lit red, green, blue and their mixtures lie at three quarters.
    for r, g, b in ((1, 0, 0), (0, 1, 0), (0, 0, 1), (1, 1, 0), (0, 1, 1), (1, 0, 1)):
        x, y = (int(v) for v in _where(np.array([[0.75 * r, 0.75 * g, 0.75 * b]]))[0])
        out[max(0, y - 2) : y + 3, max(0, x - 2) : x + 3] = 0.5 * LINE + 127 * np.array([r, g, b])
    at = _where(codes)
    counts, _, _ = np.histogram2d(at[:, 1], at[:, 0], bins=(SIDE, SIDE), range=((0, SIDE), (0, SIDE)))
    light = _seen(counts)[..., None]
    return np.asarray(np.maximum(out, INK * light), np.uint8)


def _where(codes: Float32 | Float64) -> Float64:
    """Px of a vectorscope, (N, 2) x, y."""
    luma = codes @ LUMA
    blue, red = (codes[:, 2] - luma) / 1.8556, (codes[:, 0] - luma) / 1.5748
    return np.asarray(np.clip(np.stack([0.5 + blue / (2 * REACH), 0.5 - red / (2 * REACH)], axis=1), 0, 0.999) * SIDE, np.float64)


def _seen(counts: Float64) -> Float64:
    """How bright a count is: few are seen beside many."""
    most = float(np.percentile(counts[counts > 0], 98)) if (counts > 0).any() else 1.0
    return np.asarray(np.clip(np.log1p(counts) / np.log1p(max(most, 1.0)), 0, 1))
