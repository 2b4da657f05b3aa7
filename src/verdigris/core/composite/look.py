"""A layer that sits: put into light as the plate has it, softened as the plate is, with the plate's grain.

    new    = gain F (ink + (1 - ink) artwork) + offset + reflection
    result = B(c1 new) + (1 - B(c1)) / (1 - B(c0)) (plate - B(c0) old)

with c0 and c1 the coverage of the surface, and of the surface grown by the overshoot; F the light field; B the softness. The old
surface's colour near its edges is carried outwards from inside, since a soft edge mixes it far out. Where the old surface was dark glass
nothing of it is taken out: what it reflects is all there is, and the new picture's light is added.

References
----------
Porter and Duff, Compositing digital images, SIGGRAPH 1984 (premultiplied over). ASC Color Decision List, 1.2 (slope, offset, power).
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import cv2
import numpy as np

from verdigris.core.composite.layer import Box, Layer
from verdigris.core.composite.texture import Texture
from verdigris.core.composite.unmix import Front, put_layer
from verdigris.core.match.grain import Grain, made
from verdigris.core.types import Bool, Float32

Rgb = tuple[float, float, float]
# From so much coverage on, a pixel shows the old surface alone.
INSIDE = 0.995
# A surface that covers less of a pixel is not there; what is less in front is the bare screen's own noise.
FAINT, NOISY = 0.004, 0.04


@dataclass(frozen=True)
class Glow:
    """Light that the new picture throws around it: share of its light, and how far, plate px."""

    strength: float
    radius_px: float


@dataclass(frozen=True)
class Cast:
    """The shadow that what is in front casts on the surface.

    Attributes
    ----------
    offset : plate px
    soft_px : standard deviation of its edge
    strength : share of light taken away
    """

    offset: tuple[float, float]
    soft_px: float
    strength: float


@dataclass(frozen=True)
class Look:
    """How a layer is made to sit. Light is linear, in the plate's primaries.

    Attributes
    ----------
    gain, ink, offset : what artwork's light 0..1 becomes, for each channel
    light : (H, W, 4) texture over the surface's unit square, ratio to `gain`; None where it is the same everywhere
    light_strength : exponent of it
    reflection : (H, W, 4) texture, light that lies over it
    keep_old : the old surface stays below: dark glass with its reflections
    soft_px : standard deviation
    grain, seed : of codes; None makes none
    glow, cast : light around it, shadow on it
    wrap : share of the surroundings' light over its edge, and how far in, plate px
    grade : artwork's straight linear light to the same, before anything else
    codes_of, light_of : between linear light and the plate's code values
    """

    gain: Rgb = (1.0, 1.0, 1.0)
    ink: Rgb = (0.0, 0.0, 0.0)
    offset: Rgb = (0.0, 0.0, 0.0)
    light: Texture | None = None
    light_strength: float = 1.0
    reflection: Texture | None = None
    reflection_strength: float = 1.0
    keep_old: bool = False
    soft_px: float = 0.0
    grain: Grain | None = None
    grain_strength: float = 1.0
    seed: tuple[int, ...] = (0,)
    glow: Glow | None = None
    cast: Cast | None = None
    wrap: tuple[float, float] | None = None
    grade: Callable[[Float32], Float32] | None = None
    codes_of: Callable[[Float32], Float32] | None = None
    light_of: Callable[[Float32], Float32] | None = None

    @property
    def reach_px(self) -> float:
        """How far beyond the surface it changes the picture, plate px."""
        return 3 * self.soft_px + (3 * self.glow.radius_px if self.glow else 0.0)


def put_looked(layer: Layer, plate: Float32, box: Box, in_front: Float32 | None, keyed: Front | None, look: Look) -> tuple[Float32, Bool]:
    """Put a layer into a region with its look; parameters and answer as `put_layer`."""
    none = np.zeros_like(plate)
    whole, flat = _whole(layer), _whole(replace(layer, overshoot_px=0.0))
    c1, c0 = _first(put_layer(whole, none, box, None)[0]), _first(put_layer(flat, none, box, None)[0])
    art = put_layer(replace(layer, opacity=1.0), none, box, None)[0]
    alpha = _alpha(layer, none, box, c1)
    straight = np.asarray(art / np.maximum(alpha, 1e-6)[..., None], np.float32)
    if look.grade is not None:
        straight = look.grade(np.ascontiguousarray(straight))
    new = lit(straight, look, lambda texture: _over(layer, texture, none, box, c1))
    share = np.asarray(alpha / np.maximum(c1, 1e-6) * np.float32(layer.opacity), np.float32)
    front = in_front if in_front is not None else np.zeros_like(c1)
    covered = front if keyed is None else 1 - (1 - front) * (1 - keyed.matte)
    if look.cast is not None:
        new = new * (1 - _cast_shadow(covered, look.cast))[..., None]
    premultiplied = new * c1[..., None]
    if look.soft_px > 0:
        premultiplied, c1s, c0s = (_soft(x, look.soft_px) for x in (premultiplied, c1, c0))
    else:
        c1s, c0s = c1, c0
    if look.keep_old:
        changed = plate + premultiplied
    elif keyed is not None:
        changed = _behind(plate, np.asarray(premultiplied / np.maximum(c1s, 1e-4)[..., None], np.float32), c1s, keyed)
    else:
        changed = premultiplied + _rest(plate, _carried(plate, c0s, front, look.soft_px + 0.25 * _travel(layer)), c0s, c1s)
    if look.wrap is not None:
        amount, reach = look.wrap
        around = _soft(plate * (1 - c0)[..., None], reach)
        changed = changed + np.float32(amount) * around * c1s[..., None]
    seen = np.asarray((1 - front) * (share if look.soft_px <= 0 else _spread(share, c1, look.soft_px)), np.float32)
    out = np.asarray(plate + seen[..., None] * (changed - plate), np.float32)
    bare = c1s if keyed is None else np.where(c1s > FAINT, 1 - keyed.matte, 0)
    added = _grain_of(np.asarray(changed, np.float32), plate, np.asarray(bare * seen, np.float32), look, box)
    out = out if added is None else out + added
    touched = (c1s > 1e-4) & (seen > 0)
    if look.glow is not None:
        light = _soft(premultiplied * seen[..., None], look.glow.radius_px)
        out = out + np.float32(look.glow.strength) * light * (1 - c1s * seen)[..., None]
        touched |= light.max(axis=2) * look.glow.strength > 2e-5
    return np.asarray(np.where(touched[..., None], out, plate), np.float32), np.asarray(touched, np.bool_)


def lit(straight: Float32, look: Look, over: Callable[[Texture], Float32]) -> Float32:
    """Artwork's straight light as the surface shows it; `over` lays a texture over the region."""
    gain, ink, offset = (np.array(v, np.float32) for v in (look.gain, look.ink, look.offset))
    new = gain * (ink + (1 - ink) * straight)
    if look.light is not None and look.light_strength > 0:
        field = np.maximum(over(look.light), 0)
        new = new * (field if look.light_strength == 1 else field ** np.float32(look.light_strength))
    new = new + offset
    if look.reflection is not None and look.reflection_strength > 0:
        new = new + np.float32(look.reflection_strength) * over(look.reflection)
    return np.asarray(new, np.float32)


def _whole(layer: Layer) -> Layer:
    """The layer's surface, all of it, in white."""
    return _with(layer, Texture(np.ones((2, 2, 4), np.float32)))


def _with(layer: Layer, texture: Texture) -> Layer:
    """Another picture over the whole of the layer's surface."""
    w, h = texture.size
    at = np.diag([float(w), float(h), 1.0])
    return replace(layer, texture=texture, art_from_surface=at, opacity=1.0, beyond="nothing", black_bars=False)


def _over(layer: Layer, texture: Texture, none: Float32, box: Box, cover: Float32) -> Float32:
    """A texture as it lies over the region, straight."""
    return np.asarray(put_layer(_with(layer, texture), none, box, None)[0] / np.maximum(cover, 1e-6)[..., None], np.float32)


def _alpha(layer: Layer, none: Float32, box: Box, cover: Float32) -> Float32:
    alpha = layer.texture.pixels[..., 3]
    if layer.has_bars and not layer.black_bars and layer.beyond == "nothing":
        shown = np.repeat(alpha[..., None], 4, axis=2)
    elif alpha.min() >= 1:
        return cover
    else:
        shown = np.repeat(alpha[..., None], 4, axis=2)
    own = _first(put_layer(replace(layer, texture=Texture(np.ascontiguousarray(shown)), opacity=1.0), none, box, None)[0])
    if layer.has_bars and layer.black_bars and layer.beyond == "nothing":
        # Black bars are there, though they are black.
        ones = Texture(np.ones_like(layer.texture.pixels))
        inside = _first(put_layer(replace(layer, texture=ones, opacity=1.0), none, box, None)[0])
        own = own + np.maximum(cover - inside, 0)
    return own


def _first(values: Float32) -> Float32:
    return np.ascontiguousarray(values[..., 0])


def _soft(values: Float32, sigma: float) -> Float32:
    return np.asarray(
        cv2.GaussianBlur(np.ascontiguousarray(values, np.float32), (0, 0), sigma, borderType=cv2.BORDER_REPLICATE), np.float32
    )


def _spread(share: Float32, cover: Float32, sigma: float) -> Float32:
    """A share that is known where the surface is, carried to where its soft edge reaches."""
    return np.asarray(_soft(share * cover, sigma) / np.maximum(_soft(cover, sigma), 1e-4), np.float32)


def _travel(layer: Layer) -> float:
    return layer.warp.travel_px if len(layer.warp.weights) > 1 else 0.0


def _rest(plate: Float32, old: Float32, c0: Float32, c1: Float32) -> Float32:
    """What is behind and around the surface, as much of it as the new one leaves."""
    left = np.clip((1 - c1) / np.maximum(1 - c0, 1e-3), 0, 1)
    left = np.where(c0 > INSIDE, 0, left)
    return np.asarray(left[..., None] * np.maximum(plate - c0[..., None] * old, 0), np.float32)


def _behind(plate: Float32, new: Float32, cover: Float32, keyed: Front) -> Float32:
    """The new picture behind what a key keeps: the key itself says how much of the bare screen a pixel shows, at its edges too."""
    bare = (1 - keyed.matte)[..., None]
    front = np.maximum(plate - bare * keyed.field, 0) * np.clip(keyed.matte / NOISY, 0, 1)[..., None]
    return np.asarray(np.where((cover > FAINT)[..., None], bare * new + front, plate), np.float32)


def _carried(plate: Float32, c0: Float32, front: Float32, soft: float) -> Float32:
    """The old surface's colour carried outwards from where it is seen alone."""
    sure = ((c0 > INSIDE) & (front < 0.005)).astype(np.float32)
    out, known = np.zeros_like(plate), np.zeros_like(c0)
    for sigma in (max(1.2, 1.2 + soft), 4 * (1.2 + soft)):
        near = _soft(sure, sigma)
        here = _soft(plate * sure[..., None], sigma) / np.maximum(near, 1e-4)[..., None]
        trust = np.clip(near / 0.02, 0, 1) * (1 - known)
        out, known = out + here * trust[..., None], known + trust
    return np.asarray(np.where(known[..., None] > 0, out / np.maximum(known, 1e-4)[..., None], plate), np.float32)


def _cast_shadow(front: Float32, cast: Cast) -> Float32:
    move = np.array([[1, 0, cast.offset[0]], [0, 1, cast.offset[1]]], np.float64)
    moved = cv2.warpAffine(front, move, (front.shape[1], front.shape[0]), borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(np.clip(np.float32(cast.strength) * (_soft(moved, cast.soft_px) if cast.soft_px > 0 else moved), 0, 1), np.float32)


def _grain_of(changed: Float32, plate: Float32, share: Float32, look: Look, box: Box) -> Float32 | None:
    """Grain for what is new, as light to add; none where the plate shows through with its own."""
    grain = look.grain
    if grain is None or look.grain_strength <= 0 or look.codes_of is None or look.light_of is None:
        return None
    codes = look.codes_of(changed)
    noise = made(grain, codes, look.seed, (box[0], box[1]))
    if look.keep_old:
        # The plate's own is there; what is brighter now has more.
        own, now = (np.maximum(grain.at(_soft(c, 1.2)), 1e-6) for c in (look.codes_of(plate), codes))
        noise = noise * np.sqrt(np.clip(1 - (own / now) ** 2, 0, 1))
    noise = noise * np.float32(look.grain_strength)
    light = look.light_of(np.asarray(codes + noise, np.float32)) - look.light_of(codes)
    return np.asarray(light * share[..., None], np.float32)


def cdl(
    slope: Rgb, offset: Rgb, power: Rgb, saturation: float, encode: Callable[[Float32], Float32], decode: Callable[[Float32], Float32]
) -> Callable[[Float32], Float32]:
    """A colour decision list on display codes, as a function of linear light."""
    s, o, p = (np.array(v, np.float32) for v in (slope, offset, power))
    weights = np.array([0.2126, 0.7152, 0.0722], np.float32)

    def grade(light: Float32) -> Float32:
        out = np.clip(encode(light) * s + o, 0, 1) ** p
        luma = (out @ weights)[..., None]
        return decode(np.asarray(np.clip(luma + np.float32(saturation) * (out - luma), 0, 1), np.float32))

    return grade


def scaled(look: Look, scale: float) -> Look:
    """The look for a picture with `scale` px for each plate px."""
    if scale == 1.0:
        return look
    glow = None if look.glow is None else replace(look.glow, radius_px=look.glow.radius_px * scale)
    cast = look.cast and replace(
        look.cast, offset=(look.cast.offset[0] * scale, look.cast.offset[1] * scale), soft_px=look.cast.soft_px * scale
    )
    wrap = None if look.wrap is None else (look.wrap[0], look.wrap[1] * scale)
    # Reduced by area, a picture loses grain by as much, and so its own softness.
    return replace(look, soft_px=look.soft_px * scale, glow=glow, cast=cast, wrap=wrap, grain_strength=look.grain_strength * scale)
