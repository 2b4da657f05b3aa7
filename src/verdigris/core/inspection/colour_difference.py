"""How different two colours look: CIEDE2000.

References
----------
Sharma, Wu and Dalal, The CIEDE2000 color-difference formula: implementation notes, supplementary test data, and mathematical
observations, Color Research and Application 30(1), 2005. CIELAB: ISO/CIE 11664-4.
"""

import numpy as np

from verdigris.core.types import Float32, Float64


def ciede2000(a: Float32, b: Float32) -> Float64:
    """Colour difference, (N,), of linear light with BT.709 primaries, white D65, (N, 3) each, 0..1."""
    return ciede2000_of_lab(lab_of(np.asarray(a, np.float64)), lab_of(np.asarray(b, np.float64)))


def ciede2000_of_lab(a: Float64, b: Float64) -> Float64:
    """Colour difference, (N,), of CIELAB colours (N, 3)."""
    (l1, a1, b1), (l2, a2, b2) = a.T, b.T
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    mean7 = ((c1 + c2) / 2) ** 7
    g = 0.5 * (1 - np.sqrt(mean7 / (mean7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    dl, dc = l2 - l1, c2 - c1
    dh = (h2 - h1 + 180) % 360 - 180
    dh = np.where(c1 * c2 == 0, 0, dh)
    big_dh = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(dh / 2))
    lm, cm = (l1 + l2) / 2, (c1 + c2) / 2
    hm = np.where(c1 * c2 == 0, h1 + h2, (h1 + dh / 2) % 360)
    t = 1 - 0.17 * np.cos(np.radians(hm - 30)) + 0.24 * np.cos(np.radians(2 * hm))
    t = t + 0.32 * np.cos(np.radians(3 * hm + 6)) - 0.2 * np.cos(np.radians(4 * hm - 63))
    sl = 1 + 0.015 * (lm - 50) ** 2 / np.sqrt(20 + (lm - 50) ** 2)
    sc, sh = 1 + 0.045 * cm, 1 + 0.015 * cm * t
    rt = -2 * np.sqrt(cm**7 / (cm**7 + 25.0**7)) * np.sin(np.radians(60 * np.exp(-(((hm - 275) / 25) ** 2))))
    return np.sqrt((dl / sl) ** 2 + (dc / sc) ** 2 + (big_dh / sh) ** 2 + rt * (dc / sc) * (big_dh / sh))


def lab_of(light: Float64) -> Float64:
    """CIELAB, (N, 3), of linear light as `ciede2000` takes it."""
    to_xyz = np.array([[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]])
    xyz = np.maximum(light, 0) @ to_xyz.T / np.array([0.95047, 1.0, 1.08883])
    f = np.where(xyz > 216 / 24389, np.cbrt(xyz), (24389 / 27 * xyz + 16) / 116)
    return np.stack([116 * f[:, 1] - 16, 500 * (f[:, 0] - f[:, 1]), 200 * (f[:, 1] - f[:, 2])], axis=1)
