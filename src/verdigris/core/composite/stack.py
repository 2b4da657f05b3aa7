"""Layers over each other, far to near: what meets is read once, composed in light, and written once."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from verdigris.core.composite.blend import blended
from verdigris.core.composite.front_edge import front_edge
from verdigris.core.composite.layer import Box, Layer
from verdigris.core.composite.look import Look, put_looked
from verdigris.core.composite.texture import Texture
from verdigris.core.composite.unmix import Front, put_layer
from verdigris.core.geometry.shapes import polygon_coverage
from verdigris.core.types import Bool, Float32


@dataclass(frozen=True)
class Laid:
    """A layer where it lies, and what is before it there.

    Attributes
    ----------
    box : the pixels it may touch, plate px
    nearer : (h, w) float32 coverage of what is nearer in that box, or None
    front : (h, w) float32, how much of that stands before the surface, outlines and shapes above all; the rest is only not shown there
    keyed : what stands before the bare surface, in that box, or None
    look : how it is made to sit, or None
    """

    layer: Layer
    box: Box
    nearer: Float32 | None = None
    front: Float32 | None = None
    keyed: Front | None = None
    look: Look | None = None


def put_layers(light: Float32, around: Box, layers: Sequence[Laid]) -> tuple[Float32, Bool]:
    """Put layers into a region, in the order given.

    Parameters
    ----------
    light : (h, w, 3) float32, linear light of the region
    around : where the region lies, plate px
    layers : with boxes inside the region

    Returns
    -------
    (h, w, 3) float32 linear light, and (h, w) bool of touched pixels
    """
    light, touched = light.copy(), np.zeros(light.shape[:2], np.bool_)
    for one in layers:
        x0, y0, x1, y1 = one.box
        part = np.s_[y0 - around[1] : y1 - around[1], x0 - around[0] : x1 - around[0]]
        # What is read below is not to change as it is written over.
        below = light[part].copy()
        if one.look is not None:
            light[part], hit = put_looked(one.layer, below, one.box, one.nearer, one.keyed, one.look)
        else:
            put = put_layer if one.layer.blend == "over" else _put_blended
            light[part], hit = put(one.layer, below, one.box, one.nearer, one.keyed)
        if one.front is not None and one.nearer is not None and one.layer.blend == "over":
            hit = hit & ~touched[part]
            light[part] += _unmixed(one.layer, below, one.box, one.nearer, one.front, hit)
        touched[part] |= hit
    return light, touched


def _unmixed(layer: Layer, below: Float32, box: Box, nearer: Float32, front: Float32, hit: Bool) -> Float32:
    """What takes the old surface's light out of the edge of what is in front, (h, w, 3); as far as the layer is shown there."""
    out = np.zeros_like(below)
    outline = layer.warp.outlines[len(layer.warp.outlines) // 2]
    surface = polygon_coverage(outline - [box[0], box[1]], box[2] - box[0], box[3] - box[1])
    found = front_edge(below, front, surface)
    if found is not None:
        (x0, y0, x1, y1), change = found
        part = np.s_[y0:y1, x0:x1]
        shown = np.minimum((1 - nearer[part]) / np.maximum(1 - front[part], np.float32(1e-4)), np.float32(1))
        out[part] = change * (shown * hit[part])[..., None]
    return out


def _put_blended(layer: Layer, below: Float32, box: Box, nearer: Float32 | None, keyed: Front | None) -> tuple[Float32, Bool]:
    """A layer that is blended with what is below it: nothing is taken out first, the old surface is what it goes with."""
    colour, cover = layer_alone(layer, box)
    seen = cover if nearer is None else cover * (1 - nearer)
    if keyed is not None:
        seen = seen * (1 - keyed.matte)
    hit = seen > 0
    straight = np.asarray(colour / np.maximum(cover, 1e-6)[..., None], np.float32)
    mixed = blended(layer.blend, below, straight, layer.blend_in)
    return np.asarray(below + seen[..., None] * (mixed - below), np.float32), np.asarray(hit, np.bool_)


def layer_alone(layer: Layer, box: Box) -> tuple[Float32, Float32]:
    """A layer by itself: (h, w, 3) premultiplied linear light, and (h, w) float32 coverage."""
    h, w = box[3] - box[1], box[2] - box[0]
    none = np.zeros((h, w, 3), np.float32)
    colour, _ = put_layer(layer, none, box, None)
    alpha = layer.texture.pixels[..., 3]
    if alpha.min() >= 1:
        shape = Texture(np.ones((2, 2, 4), np.float32))
        whole = replace(layer, texture=shape, art_from_surface=_for(shape, layer))
    else:
        whole = replace(layer, texture=Texture(np.repeat(alpha[..., None], 4, axis=2)))
    cover, _ = put_layer(whole, none, box, None)
    return colour, np.ascontiguousarray(cover[..., 0])


def _for(texture: Texture, layer: Layer) -> np.ndarray:  # type: ignore[type-arg]
    """Unit square to px of another picture in place of a layer's."""
    (w, h), (old_w, old_h) = texture.size, layer.texture.size
    return np.asarray(np.diag([w / old_w, h / old_h, 1.0]) @ layer.art_from_surface)


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
