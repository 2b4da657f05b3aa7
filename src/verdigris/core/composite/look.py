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
from verdigris.core.composite.look_rows import ADDED, EXCHANGED, KEYED, carried_rows, composed_rows, lit_rows, sure_rows
from verdigris.core.composite.texture import Texture
from verdigris.core.composite.through_lens import Vignette, drawn_apart, fallen_off, sigmas_over, soft_by
from verdigris.core.composite.unmix import Front, Gathered, gathered
from verdigris.core.match.fringe import Fringe
from verdigris.core.match.grain import Grain, made
from verdigris.core.match.halo import Halo, sharpened, unsharpened
from verdigris.core.types import Bool, Float32

Rgb = tuple[float, float, float]
NOTHING_OLD = np.zeros((1, 1, 4), np.float32)
# From so much coverage on, a pixel shows the old surface alone.
INSIDE = 0.995
# A surface that covers less of a pixel is not there; what is less in front is the bare screen's own noise.
FAINT, NOISY = 0.004, 0.04


@dataclass(frozen=True)
class Glow:
    """Light that the new picture throws around it: share of its light, and how far, plate px.

    With `instead`, the old screen threw as much of its own, which goes.
    """

    strength: float
    radius_px: float
    instead: bool = False


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
    soft_corners : at the four corners instead, where it differs over the surface
    vignette, fringe, middle, halo : what lens and camera do (`through_lens`); `middle` of the picture, plate px
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
    soft_corners: tuple[float, float, float, float] | None = None
    vignette: Vignette | None = None
    fringe: Fringe | None = None
    middle: tuple[float, float] = (0.0, 0.0)
    halo: Halo | None = None
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
        return 3 * self.softest + (3 * self.glow.radius_px if self.glow else 0.0) + (3 * self.halo.radius_px if self.halo else 0.0)

    @property
    def softest(self) -> float:
        """The most it is softened anywhere, plate px."""
        return self.soft_px if self.soft_corners is None else max(self.soft_corners)


def put_looked(layer: Layer, plate: Float32, box: Box, in_front: Float32 | None, keyed: Front | None, look: Look) -> tuple[Float32, Bool]:
    """Put a layer into a region with its look; parameters and answer as `put_layer`.

    Where the camera sharpened, that is taken back, and done again with the new picture in: beside its edges the old halo goes. What that
    changes is laid on the plate's own codes, so that taking back need not be exact where nothing changes.
    """
    halo, codes_of, light_of = look.halo, look.codes_of, look.light_of
    if halo is None or codes_of is None or light_of is None:
        return _put(layer, plate, box, in_front, keyed, look)
    seen = codes_of(plate)
    before = light_of(unsharpened(seen, halo))
    out, _ = _put(layer, before, box, in_front, keyed, look)
    change = sharpened(np.asarray(codes_of(out) - codes_of(before), np.float32), halo)
    touched = np.asarray(np.abs(change).max(axis=2) > 2e-5, np.bool_)
    sharp = light_of(np.asarray(seen + change, np.float32))
    return np.asarray(np.where(touched[..., None], sharp, plate), np.float32), touched


def _put(layer: Layer, plate: Float32, box: Box, in_front: Float32 | None, keyed: Front | None, look: Look) -> tuple[Float32, Bool]:
    all_of_it = gathered(replace(layer, opacity=1.0), box)
    c1, c0, alpha = all_of_it.cover, all_of_it.old, all_of_it.alpha
    front = np.zeros_like(c1) if in_front is None else in_front
    covered = front if keyed is None else np.asarray(1 - (1 - front) * (1 - keyed.matte), np.float32)
    new = _lit(all_of_it, covered, look)
    if look.vignette is not None:
        new = fallen_off(new, box, look.vignette)
    c1s, c0s, softest = c1, c0, look.softest
    if softest > 0:
        sigma = None if look.soft_corners is None else sigmas_over(look.soft_corners, all_of_it.unit)
        new, c1s = (_soft(v, softest) if sigma is None else soft_by(v, sigma) for v in (new, c1))
        c0s = c1s if not layer.grown.any() else _soft(c0, softest) if sigma is None else soft_by(c0, sigma)
    share = np.full_like(c1, layer.opacity)
    if float((c1 - alpha).max()) > 1e-4:
        share = np.asarray(share * alpha / np.maximum(c1, 1e-6), np.float32)
        share = _spread(share, c1, softest) if softest > 0 else share
    mode = ADDED if look.keep_old else EXCHANGED if keyed is None else KEYED
    old = _carried(plate, c0s, front, softest + 0.25 * _travel(layer)) if mode == EXCHANGED else NOTHING_OLD
    if look.wrap is not None:
        amount, reach = look.wrap
        new = np.asarray(new + np.float32(amount) * _soft(plate * (1 - c0)[..., None], reach) * c1s[..., None], np.float32)
    matte, field = (front, plate) if keyed is None else (keyed.matte, keyed.field)

    def put(light: Float32, now: Float32, before: Float32) -> tuple[Float32, Float32, Float32, Bool]:
        out, changed, fresh, touched = np.empty_like(plate), np.empty_like(plate), np.zeros_like(c1), np.zeros(c1.shape, np.bool_)
        composed_rows(
            plate, light, now, before, old, front, share, mode, matte, field, np.float32(INSIDE), np.float32(FAINT), np.float32(NOISY), out,
            changed, fresh, touched,
        )  # fmt: skip
        return out, changed, fresh, touched

    out, changed, fresh, touched = put(new, c1s, c0s)
    if look.fringe is not None:
        # Red and blue have edges of their own.
        for channel, magnified in ((0, look.fringe.red), (2, look.fringe.blue)):
            moved = [drawn_apart(np.ascontiguousarray(v), box, look.middle, magnified) for v in (new[..., channel], c1s, c0s)]
            light = new.copy()
            light[..., channel] = moved[0]
            here, here_changed, _, also = put(light, np.clip(moved[1], 0, 1), np.clip(moved[2], 0, 1))
            out[..., channel], changed[..., channel] = here[..., channel], here_changed[..., channel]
            touched |= also
    added = _grain_of(changed, plate, fresh, look, box)
    if added is not None:
        out += added
    if look.glow is not None:
        seen = np.asarray((1 - front) * share, np.float32)
        thrown = new * seen[..., None]
        if look.glow.instead and mode != ADDED:
            thrown = (
                thrown
                - (plate if keyed is None else keyed.field) * (c0 * (seen if keyed is None else (1 - keyed.matte) * share))[..., None]
            )
        light = _soft(thrown, look.glow.radius_px)
        out = np.asarray(out + np.float32(look.glow.strength) * light * (1 - c1s * seen)[..., None], np.float32)
        touched |= np.abs(light).max(axis=2) * look.glow.strength > 2e-5
        out = np.asarray(np.where(touched[..., None], out, plate), np.float32)
    return out, touched


def _lit(layer: Gathered, covered: Float32, look: Look) -> Float32:
    """What is new as the surface shows it, premultiplied with its coverage."""
    art, alpha, cover = layer.art, layer.alpha, layer.cover
    if look.grade is not None:
        art = np.asarray(look.grade(np.asarray(art / np.maximum(alpha, 1e-6)[..., None], np.float32)) * alpha[..., None], np.float32)
    out = np.zeros(art.shape, np.float32)
    has_field = look.light is not None and look.light_strength > 0
    has_shine = look.reflection is not None and look.reflection_strength > 0
    field = _over(look.light, layer.unit) if has_field and look.light is not None else out
    shine = _over(look.reflection, layer.unit) if has_shine and look.reflection is not None else out
    shade = cover if look.cast is None else _cast_shadow(covered, look.cast)
    gain, ink, offset = (np.array(v, np.float32) for v in (look.gain, look.ink, look.offset))
    lit_rows(
        np.ascontiguousarray(art), alpha, cover, gain, ink, offset, field, has_field, np.float32(look.light_strength), shine, has_shine,
        np.float32(look.reflection_strength), shade, look.cast is not None, out,
    )  # fmt: skip
    return out


def _over(texture: Texture, unit: Float32) -> Float32:
    """A texture that lies over the surface's unit square, as it is seen over a region, (h, w, 3)."""
    w, h = texture.size
    x, y = unit[..., 0] * np.float32(w) - np.float32(0.5), unit[..., 1] * np.float32(h) - np.float32(0.5)
    colour = np.ascontiguousarray(texture.pixels[..., :3])
    return np.asarray(cv2.remap(colour, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float32)


def _soft(values: Float32, sigma: float) -> Float32:
    return np.asarray(
        cv2.GaussianBlur(np.ascontiguousarray(values, np.float32), (0, 0), sigma, borderType=cv2.BORDER_REPLICATE), np.float32
    )


def _spread(share: Float32, cover: Float32, sigma: float) -> Float32:
    """A share that is known where the surface is, carried to where its soft edge reaches."""
    return np.asarray(_soft(share * cover, sigma) / np.maximum(_soft(cover, sigma), 1e-4), np.float32)


def _travel(layer: Layer) -> float:
    return layer.warp.travel_px if len(layer.warp.weights) > 1 else 0.0


def _carried(plate: Float32, c0: Float32, front: Float32, soft: float) -> Float32:
    """The old surface's colour carried outwards from where it is seen alone, times how much is known, and that: (h / 2, w / 2, 4).

    It is smooth, so half the size is enough.
    """
    h, w = c0.shape
    colour = np.empty(((h + 1) // 2, (w + 1) // 2, 4), np.float32)
    sure_rows(plate, c0, front, np.float32(INSIDE), np.float32(0.005), colour)
    if not (colour[..., 3] > 0).any():
        return NOTHING_OLD
    near, wide = (_soft(colour, sigma) for sigma in (0.5 * max(1.2, 1.2 + soft), 2 * (1.2 + soft)))
    out = np.empty_like(colour)
    carried_rows(near, wide, np.float32(0.02), out)
    return out


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
    if look.halo is not None:
        # Grain was measured as the camera sharpened it, and is sharpened with the rest.
        noise = unsharpened(np.asarray(noise, np.float32), look.halo)
    light = look.light_of(np.asarray(codes + noise, np.float32)) - look.light_of(codes)
    return np.asarray(light * share[..., None], np.float32)


def cdl(slope: Rgb, offset: Rgb, power: Rgb, saturation: float) -> Callable[[Float32], Float32]:
    """A colour decision list as a function of code values (..., 3); none comes out below 0, and what is above 1 stays there."""
    s, o, p = (np.array(v, np.float32) for v in (slope, offset, power))
    weights = np.array([0.2126, 0.7152, 0.0722], np.float32)

    def grade(codes: Float32) -> Float32:
        out = np.maximum(codes * s + o, 0) ** p
        luma = (out @ weights)[..., None]
        return np.asarray(np.maximum(luma + np.float32(saturation) * (out - luma), 0), np.float32)

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
    corners = look.soft_corners
    if corners is not None:
        corners = (corners[0] * scale, corners[1] * scale, corners[2] * scale, corners[3] * scale)
    middle = (look.middle[0] * scale, look.middle[1] * scale)
    vignette = look.vignette and replace(look.vignette, middle=middle, radius_px=look.vignette.radius_px * scale)
    halo = look.halo and Halo(look.halo.amount, look.halo.radius_px * scale)
    # Reduced by area, a picture loses grain by as much, and so its own softness.
    return replace(
        look, soft_px=look.soft_px * scale, soft_corners=corners, glow=glow, cast=cast, wrap=wrap, middle=middle, vignette=vignette,
        halo=halo, grain_strength=look.grain_strength * scale,
    )  # fmt: skip
