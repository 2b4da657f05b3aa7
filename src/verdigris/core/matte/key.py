"""A key: what stands in front of a screen of one colour, pixel by pixel, in linear light.

A pixel at an edge shows m F + (1 - m) B, F what is in front and B the bare screen. B is known (`screen`). Where F is known too, from
what is wholly in front near by, m follows along the direction that tells both apart best while each may be brighter or darker than
expected (Fisher's linear discriminant). Where nothing is near, thin hair, the share of screen is the greatest that leaves no more
of its hue than grey has (colour difference).

References
----------
Smith and Blinn, Blue screen matting, SIGGRAPH 1996 (what can be known of m and F). Fisher, The use of multiple measurements in
taxonomic problems, Annals of Eugenics 1936 (the discriminant). Porter and Duff, Compositing digital images, SIGGRAPH 1984.
"""

from dataclasses import dataclass

import cv2
import numba
import numpy as np

from verdigris.core.matte.screen import Screen, primary_of, screen_field, screen_share
from verdigris.core.types import Bool, Float32, Uint8

# What is in front is looked for this near, plate px: first close by, then farther.
NEAR_PX, FAR_PX = 3.0, 12.0
# How much brighter or darker than told they may be, relative: the screen, the front where it is near, and where only others of it are.
SCREEN_SHADED, NEAR_SHADED, FAR_SHADED = 0.12, 0.12, 0.7
# Below this saturation a colour is grey: its hue tells nothing.
GREY = 0.12
SURELY_FRONT = 0.06
# Where no screen is this near, plate px, all is solid; so many px tell what most of what is in front looks like.
SOLID_PX, LEAST_FRONT = 4.0, 30
# Bare screen; as many deviations of its noise are nothing, up to a bound.
BARE, NOISES, MOST_NOISE = 0.9, 2.5, 0.12


@dataclass(frozen=True)
class KeySettings:
    """How a key is drawn; lengths in px of the picture it is drawn from.

    Attributes
    ----------
    clear, core : coverages taken for nothing and for whole
    marks_px : size of specks that are taken out
    even : whether uneven light is divided out
    scale : px of the picture per plate px
    """

    clear: float = 0.03
    core: float = 0.97
    marks_px: float = 0.0
    even: bool = True
    scale: float = 1.0


@dataclass(frozen=True)
class Keyed:
    """A key's answer.

    Attributes
    ----------
    matte : (h, w) float32, 1 wholly in front
    field : (h, w, 3) float32, linear light of the bare screen, everywhere
    """

    matte: Float32
    field: Float32


def key(light: Float32, inside: Bool, screen: Screen, settings: KeySettings) -> Keyed:
    """Key a region.

    Parameters
    ----------
    light : (h, w, 3) float32 linear light
    inside : (h, w) bool, where the screen may be seen: its light is told from there
    screen : its colour
    """
    field = screen_field(light, inside, screen, settings.even)
    channel, above = primary_of(screen.colour)
    share = np.empty(light.shape[:2], np.float32)
    if _is_grey(screen):
        share = _grey_share(light, field, screen.noise)
    else:
        screen_share(light, field, channel, above, share)
    front, weight, solid = _front_near(light, share, settings.scale)
    matte = np.empty_like(share)
    noise = np.float32(max(screen.noise, 0.004) * float(np.mean(screen.colour)))
    _solve(light, field, share, front, weight, solid, noise * noise, matte)
    clear, core = _bounds(matte, share, settings)
    matte = np.clip((matte - clear) / (core - clear), 0, 1)
    if settings.marks_px > 0:
        matte = _without_specks(matte, settings.marks_px * settings.scale)
    return Keyed(matte, field)


def _bounds(matte: Float32, share: Float32, settings: KeySettings) -> tuple[np.float32, np.float32]:
    """Coverages taken for nothing and for whole: as set, and at least what noise alone makes of the bare screen."""
    bare = matte[::2, ::2][share[::2, ::2] > BARE]
    noise = 0.0 if len(bare) < LEAST_FRONT else min(NOISES * 1.4826 * float(np.median(np.abs(bare - np.median(bare)))), MOST_NOISE)
    return np.float32(max(settings.clear, noise)), np.float32(max(min(settings.core, 1 - noise), settings.clear + 0.01))


def _is_grey(screen: Screen) -> bool:
    return (max(screen.colour) - min(screen.colour)) < GREY * max(screen.colour)


def _grey_share(light: Float32, field: Float32, noise: float) -> Float32:
    """Share of a grey screen: what is as bright and as grey, as far as noise allows."""
    away = np.linalg.norm(light - field, axis=2) / np.maximum(np.linalg.norm(field, axis=2), 1e-4)
    near = max(0.06, 4 * noise)
    return np.asarray(np.clip(1.0 - (away - near) / (2 * near), 0, 1), np.float32)


def _front_near(light: Float32, share: Float32, scale: float) -> tuple[Float32, Float32, Uint8]:
    """Colour of what is wholly in front, spread from where it is to where it may be mixed.

    Returns
    -------
    its light (h, w, 3); how near it is known (h, w), 1 close by, 0 from afar only, below 0 not at all; and (h, w) where no screen is
    near: solid whatever its colour
    """
    bare = (share < SURELY_FRONT).astype(np.uint8)
    reach = 2 * max(1, round(SOLID_PX * scale)) + 1
    solid = np.asarray(cv2.erode(bare, np.ones((reach, reach), np.uint8)), np.uint8)
    # The outermost ring may be mixed with something the hue does not tell.
    sure = cv2.erode(bare, np.ones((3, 3), np.uint8)).astype(np.float32)
    known = np.dstack([light * sure[..., None], sure]).astype(np.float32)
    near = cv2.GaussianBlur(known, (0, 0), max(0.8, NEAR_PX * scale))
    # The wide one on a part of the pixels: it is smooth.
    small = cv2.resize(known, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
    small = cv2.GaussianBlur(small, (0, 0), max(0.8, FAR_PX * scale / 4))
    far = cv2.resize(small, (light.shape[1], light.shape[0]), interpolation=cv2.INTER_LINEAR)
    both = near + np.float32(0.02) * far
    # Thin hair far from all else: taken for the colour that most of what is in front has.
    total = known.reshape(-1, 4).sum(axis=0)
    if total[3] >= LEAST_FRONT:
        both += np.float32(2e-4) * (total / total[3]).astype(np.float32)
    weight = both[..., 3]
    front = both[..., :3] / np.maximum(weight, 1e-9)[..., None]
    nearness = np.clip((weight - np.float32(4e-4)) * 50, 0, 1) if total[3] >= LEAST_FRONT else np.full_like(weight, -1)
    return np.ascontiguousarray(front), np.ascontiguousarray(nearness, np.float32), solid


@numba.njit(cache=True, nogil=True, fastmath=True)
def _solve(light, field, share, front, weight, solid, noise2, out):  # type: ignore[no-untyped-def]
    lit_screen = np.float32(SCREEN_SHADED * SCREEN_SHADED)
    for r in range(light.shape[0]):
        for c in range(light.shape[1]):
            s = share[r, c]
            m = np.float32(1.0) - s
            known = weight[r, c]
            if solid[r, c] > 0:
                m = np.float32(1.0)
            elif known >= 0:
                lit = np.float32(NEAR_SHADED + (FAR_SHADED - NEAR_SHADED) * (np.float32(1.0) - known))
                lit *= lit
                p0, p1, p2 = light[r, c, 0], light[r, c, 1], light[r, c, 2]
                b0, b1, b2 = field[r, c, 0], field[r, c, 1], field[r, c, 2]
                f0, f1, f2 = front[r, c, 0], front[r, c, 1], front[r, c, 2]
                d0, d1, d2 = f0 - b0, f1 - b1, f2 - b2
                # Covariance: noise, and both sides brighter or darker than told.
                c00 = noise2 + lit * f0 * f0 + lit_screen * b0 * b0
                c11 = noise2 + lit * f1 * f1 + lit_screen * b1 * b1
                c22 = noise2 + lit * f2 * f2 + lit_screen * b2 * b2
                c01 = lit * f0 * f1 + lit_screen * b0 * b1
                c02 = lit * f0 * f2 + lit_screen * b0 * b2
                c12 = lit * f1 * f2 + lit_screen * b1 * b2
                a00, a01, a02 = c11 * c22 - c12 * c12, c02 * c12 - c01 * c22, c01 * c12 - c02 * c11
                a11, a12, a22 = c00 * c22 - c02 * c02, c01 * c02 - c00 * c12, c00 * c11 - c01 * c01
                w0 = a00 * d0 + a01 * d1 + a02 * d2
                w1 = a01 * d0 + a11 * d1 + a12 * d2
                w2 = a02 * d0 + a12 * d1 + a22 * d2
                whole = w0 * d0 + w1 * d1 + w2 * d2
                if whole > 0:
                    told = (w0 * (p0 - b0) + w1 * (p1 - b1) + w2 * (p2 - b2)) / whole
                    m = told
                    # No more screen may be taken out than there is.
                    most = min(p0 / max(b0, np.float32(1e-5)), p1 / max(b1, np.float32(1e-5)), p2 / max(b2, np.float32(1e-5)))
                    m = max(m, np.float32(1.0) - max(most, np.float32(0.0)) - np.float32(0.05))
            out[r, c] = m


def _without_specks(matte: Float32, size: float) -> Float32:
    """A matte without islands, and without holes, that fit into a square of `size` px."""
    result = matte.copy()
    for inverted in (False, True):
        solid = np.asarray((1 - result if inverted else result) > 0.15, np.uint8)
        count, labels, stats, _ = cv2.connectedComponentsWithStats(solid, connectivity=8)
        small = np.zeros(count, bool)
        small[1:] = (stats[1:, cv2.CC_STAT_WIDTH] <= size) & (stats[1:, cv2.CC_STAT_HEIGHT] <= size)
        # What touches the border may go on beyond it.
        edge = np.unique(np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]]))
        small[edge] = False
        if not small.any():
            continue
        speck = small[labels]
        kept = (labels > 0) & ~speck
        # With their faint rims, but not where something that stays is next to them.
        rim = cv2.dilate(speck.astype(np.uint8), np.ones((7, 7), np.uint8)).astype(bool)
        rim &= ~cv2.dilate(kept.astype(np.uint8), np.ones((5, 5), np.uint8)).astype(bool)
        result[speck | rim] = 1.0 if inverted else 0.0
    return result


def spill_taken(
    light: Float32, field: Float32, matte: Float32, screen: Screen, strength: float, give: tuple[float, float, float]
) -> Float32:
    """Light with the screen's own light taken from what is in front, and given back in another colour.

    Parameters
    ----------
    light, field : (h, w, 3) float32 linear light of the picture and of the bare screen
    matte : (h, w) float32, what is in front: elsewhere nothing changes
    strength : 0..1
    give : linear light given back for a whole screen's worth
    """
    if _is_grey(screen):
        return light
    channel, above = primary_of(screen.colour)
    out = light.copy()
    _take_spill(light, field, matte, channel, above, np.float32(strength), np.asarray(give, np.float32), out)
    return out


@numba.njit(cache=True, nogil=True, fastmath=True)
def _take_spill(light, field, matte, channel, above, strength, give, out):  # type: ignore[no-untyped-def]
    i, j = (channel + 1) % 3, (channel + 2) % 3
    sign = np.float32(1.0 if above else -1.0)
    for r in range(light.shape[0]):
        for c in range(light.shape[1]):
            m = matte[r, c]
            if m <= 0:
                continue
            rest = np.float32(1.0) - m
            k = light[r, c, channel] - rest * field[r, c, channel]
            bk = field[r, c, channel]
            a = sign * (k - (light[r, c, i] - rest * field[r, c, i])) / max(sign * (bk - field[r, c, i]), np.float32(1e-6))
            b = sign * (k - (light[r, c, j] - rest * field[r, c, j])) / max(sign * (bk - field[r, c, j]), np.float32(1e-6))
            spill = strength * min(max(min(a, b), np.float32(0.0)), m)
            if spill > 0:
                for q in range(3):
                    out[r, c, q] = light[r, c, q] + spill * (give[q] - field[r, c, q])
