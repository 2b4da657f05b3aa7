"""What is in front of a surface, at its edge: the surface's own light taken out of mixed pixels.

Where an outline or a shape covers a share m of a pixel, the plate shows C = m F + (1 - m) O, with F what is in front and O the old
surface. Both are known from pixels near by that are one or the other alone, more or less exactly; the likeliest F given C is

    F = F' + m v_F (C - m F' - (1 - m) O') / (m^2 v_F + (1 - m)^2 v_O + n)

with F', O' the means, v_F, v_O the variances around there, and n the noise. A surface that is even is taken out wholly; of one that
varies as much as what is in front, no more than is known of it.

References
----------
Chuang, Curless, Salesin and Szeliski, A Bayesian approach to digital matting, CVPR 2001, for a share that is given.
Knutsson and Westin, Normalized and differential convolution, CVPR 1993 (means of what is known only in places).
"""

import cv2
import numpy as np

from verdigris.core.composite.layer import Box
from verdigris.core.types import Bool, Float32

# Shares from which on a pixel counts as one or the other alone.
NEARLY_NONE, NEARLY_ALL = 0.002, 0.998
# Standard deviations of the neighbourhoods that are asked, px, the nearest that has enough of it.
NEIGHBOURHOODS_PX = (2.0, 6.0, 18.0)
# So much of a neighbourhood has to be known.
ENOUGH = 0.02
# Variance of light that is never taken to be less: noise and codes.
LEAST_VARIANCE = 2e-5
# Room around what is mixed, px: twice the furthest of them.
ROOM_PX = 36


def front_edge(light: Float32, front: Float32, surface: Float32) -> tuple[Box, Float32] | None:
    """What the light of what is in front is to change by where it is mixed with an old surface.

    Parameters
    ----------
    light : (h, w, 3) float32, linear light of the plate
    front : (h, w) float32 0..1, share of what is in front
    surface : (h, w) float32 0..1, coverage of the old surface

    Returns
    -------
    Box of the pixels that may change, px of `light`, and (h, w, 3) float32 there, m (F - C); None where nothing is mixed
    """
    mixed = (front > NEARLY_NONE) & (front < NEARLY_ALL) & (surface > NEARLY_ALL)
    box = _around(mixed, ROOM_PX)
    if box is None:
        return None
    part = np.s_[box[1] : box[3], box[0] : box[2]]
    light, front, surface, mixed = light[part], front[part], surface[part], mixed[part]
    old = cv2.erode(((front < NEARLY_NONE) & (surface > NEARLY_ALL)).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    behind, behind_varies, behind_known = _around_there(light, old)
    own, own_varies, own_known = _around_there(light, front > NEARLY_ALL)
    m = front[..., None]
    gain = m * own_varies / (m**2 * own_varies + (1 - m) ** 2 * behind_varies + LEAST_VARIANCE)
    likeliest = own + gain * (light - m * own - (1 - m) * behind)
    told = (mixed & behind_known & own_known)[..., None]
    change = np.where(told, m * (np.maximum(likeliest, np.minimum(light, 0.0)) - light), np.float32(0))
    return box, np.asarray(change, np.float32)


def _around(where: Bool, room: int) -> Box | None:
    """The box around some pixels, with room; None where there are none."""
    rows, cols = np.flatnonzero(where.any(axis=1)), np.flatnonzero(where.any(axis=0))
    if len(rows) == 0:
        return None
    h, w = where.shape
    return (
        max(0, int(cols[0]) - room), max(0, int(rows[0]) - room), min(w, int(cols[-1]) + 1 + room), min(h, int(rows[-1]) + 1 + room),
    )  # fmt: skip


def _around_there(light: Float32, known: Bool) -> tuple[Float32, Float32, Bool]:
    """Mean and variance (h, w, 3) of the known pixels around each, and whether there are any, (h, w)."""
    weight = known.astype(np.float32)
    sums = np.concatenate([light * weight[..., None], light**2 * weight[..., None], weight[..., None]], axis=2)
    mean, square, there = np.zeros_like(light), np.zeros_like(light), np.zeros(known.shape, np.bool_)
    for deviation in NEIGHBOURHOODS_PX:
        near = np.dstack([cv2.GaussianBlur(sums[..., k : k + 4], (0, 0), deviation) for k in (0, 4)])
        fresh = ~there & (near[..., 6] > ENOUGH)
        share = np.maximum(near[..., 6:7], ENOUGH)
        mean, square = (np.where(fresh[..., None], near[..., k : k + 3] / share, was) for k, was in ((0, mean), (3, square)))
        there |= fresh
    return mean, np.maximum(square - mean**2, LEAST_VARIANCE).astype(np.float32), there
