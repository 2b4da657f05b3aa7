"""How a picture goes with what is below it.

References
----------
W3C, Compositing and Blending Level 1, 2015: the blends and their formulas, on display codes as defined there. Multiplying and
adding are what ink and light do, and are done in light.
"""

from typing import Literal

import numpy as np

from verdigris.core.light.transfer import decode_array, encode_array
from verdigris.core.types import Float32

Blend = Literal["over", "multiply", "screen", "add", "overlay", "soft_light"]
Space = Literal["linear", "display"]
DEFINED_IN: dict[Blend, Space] = {
    "over": "linear", "multiply": "linear", "add": "linear", "screen": "display", "overlay": "display", "soft_light": "display",
}  # fmt: skip


def blended(blend: Blend, below: Float32, above: Float32, space: Space | None = None) -> Float32:
    """Colour of one picture blended with another, both opaque.

    Parameters
    ----------
    below, above : (h, w, 3) float32 linear light
    space : whether light or sRGB codes are blended; without it, as the blend is defined

    Returns
    -------
    (h, w, 3) float32 linear light
    """
    if blend == "over":
        return above
    if (space or DEFINED_IN[blend]) == "linear":
        return _mixed(blend, below, above)
    codes = _mixed(blend, encode_array(np.maximum(below, 0)), encode_array(np.maximum(above, 0)))
    return decode_array(np.maximum(codes, 0))


def _mixed(blend: Blend, b: Float32, a: Float32) -> Float32:
    one, two = np.float32(1), np.float32(2)
    if blend == "multiply":
        return b * a
    if blend == "add":
        return b + a
    if blend == "screen":
        return b + a - b * a
    if blend == "overlay":
        return np.where(b <= 0.5, two * b * a, one - two * (one - b) * (one - a))
    root = np.where(b <= 0.25, ((16 * b - 12) * b + 4) * b, np.sqrt(np.maximum(b, 0))).astype(np.float32)
    return np.where(a <= 0.5, b - (one - two * a) * b * (one - b), b + (two * a - one) * (root - b))
