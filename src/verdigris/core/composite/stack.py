"""Layers over each other, far to near: what meets is read once, composed in light, and written once."""

from collections.abc import Sequence

import numpy as np

from verdigris.core.composite.layer import Box, Layer
from verdigris.core.composite.unmix import put_layer
from verdigris.core.types import Bool, Float32


def put_layers(light: Float32, around: Box, layers: Sequence[tuple[Layer, Box, Float32 | None]]) -> tuple[Float32, Bool]:
    """Put layers into a region, in the order given.

    Parameters
    ----------
    light : (h, w, 3) float32, linear light of the region
    around : where the region lies, plate px
    layers : each with its box inside the region and the coverage (h, w) of what is nearer in that box, or None

    Returns
    -------
    (h, w, 3) float32 linear light, and (h, w) bool of touched pixels
    """
    light, touched = light.copy(), np.zeros(light.shape[:2], np.bool_)
    for layer, (x0, y0, x1, y1), nearer in layers:
        part = np.s_[y0 - around[1] : y1 - around[1], x0 - around[0] : x1 - around[0]]
        light[part], hit = put_layer(layer, np.ascontiguousarray(light[part]), (x0, y0, x1, y1), nearer)
        touched[part] |= hit
    return light, touched


def apart(boxes: Sequence[Box]) -> list[tuple[list[int], Box]]:
    """Groups of boxes that meet, by index, in the order given, each with the box around it; groups do not meet."""
    groups: list[tuple[list[int], Box]] = []
    for i, one in enumerate(boxes):
        members, box = [i], one
        while meeting := [g for g in groups if _meet(g[1], box)]:
            for g in meeting:
                groups.remove(g)
                members += g[0]
                box = (min(box[0], g[1][0]), min(box[1], g[1][1]), max(box[2], g[1][2]), max(box[3], g[1][3]))
        groups.append((sorted(members), box))
    return groups


def _meet(a: Box, b: Box) -> bool:
    return a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]
