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
NOISE_PIXELS = 40_000
# A speck goes with a rim this wide, except so near to something that stays, px.
RIM_PX, STAYS_PX = 3, 2


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
    front, solid = _front_near(light, share, settings.scale)
    matte = np.empty_like(share)
    noise = np.float32(max(screen.noise, 0.004) * float(np.mean(screen.colour)))
    _solve(light, field, share, front, solid, noise * noise, matte)
    _bound(matte, *_bounds(matte, share, settings))
    if settings.marks_px > 0:
        _take_specks(matte, settings.marks_px * settings.scale)
    return Keyed(matte, field)


def _bounds(matte: Float32, share: Float32, settings: KeySettings) -> tuple[np.float32, np.float32]:
    """Coverages taken for nothing and for whole: as set, and at least what noise alone makes of the bare screen."""
    step = max(1, int(np.sqrt(matte.size / NOISE_PIXELS)))
    bare = matte[::step, ::step][share[::step, ::step] > BARE]
    noise = 0.0 if len(bare) < LEAST_FRONT else min(NOISES * 1.4826 * float(np.median(np.abs(bare - np.median(bare)))), MOST_NOISE)
    return np.float32(max(settings.clear, noise)), np.float32(max(min(settings.core, 1 - noise), settings.clear + 0.01))


def _is_grey(screen: Screen) -> bool:
    return (max(screen.colour) - min(screen.colour)) < GREY * max(screen.colour)


def _grey_share(light: Float32, field: Float32, noise: float) -> Float32:
    """Share of a grey screen: what is as bright and as grey, as far as noise allows."""
    away = np.linalg.norm(light - field, axis=2) / np.maximum(np.linalg.norm(field, axis=2), 1e-4)
    near = max(0.06, 4 * noise)
    return np.asarray(np.clip(1.0 - (away - near) / (2 * near), 0, 1), np.float32)


def _front_near(light: Float32, share: Float32, scale: float) -> tuple[Float32, Uint8]:
    """Colour of what is wholly in front, spread from where it is to where it may be mixed.

    Returns
    -------
    (h', w', 4) its light times how much is known of it, and that, on all or half of the rows and columns: it is smooth;
    nothing at all where nothing is known. And (h, w) where no screen is near: solid whatever its colour
    """
    bare = (share < SURELY_FRONT).astype(np.uint8)
    reach = 2 * max(1, round(SOLID_PX * scale)) + 1
    solid = np.asarray(cv2.erode(bare, np.ones((reach, reach), np.uint8)), np.uint8)
    # The outermost ring may be mixed with something the hue does not tell.
    sure = cv2.erode(bare, np.ones((3, 3), np.uint8))
    step = 2 if NEAR_PX * scale >= 2 else 1
    h, w = -(-sure.shape[0] // step), -(-sure.shape[1] // step)
    known = np.empty((h, w, 4), np.float32)
    _sum_known(light, sure, step, known)
    total = np.array(cv2.sumElems(known)) * step * step
    if total[3] < LEAST_FRONT:
        return np.zeros_like(known), solid
    near = cv2.GaussianBlur(known, (0, 0), max(0.8, NEAR_PX * scale / step))
    # The wide one on fewer pixels still.
    wide = 4 // step
    small = cv2.resize(known, None, fx=1 / wide, fy=1 / wide, interpolation=cv2.INTER_AREA)
    small = cv2.GaussianBlur(small, (0, 0), max(0.8, FAR_PX * scale / 4))
    near += np.float32(0.02) * cv2.resize(small, (w, h), interpolation=cv2.INTER_LINEAR)
    # Thin hair far from all else: taken for the colour that most of what is in front has.
    near += np.float32(2e-4) * (total / total[3]).astype(np.float32)
    return near, solid


@numba.njit(cache=True, nogil=True, fastmath=True)
def _sum_known(light, sure, step, out):  # type: ignore[no-untyped-def]
    """Mean light of the pixels that are sure, times their share, and that share, of every step x step pixels."""
    rows, cols = sure.shape
    for r in range(out.shape[0]):
        for c in range(out.shape[1]):
            s0, s1, s2, n, of = np.float32(0.0), np.float32(0.0), np.float32(0.0), 0, 0
            for y in range(step * r, min(step * r + step, rows)):
                for x in range(step * c, min(step * c + step, cols)):
                    of += 1
                    if sure[y, x] > 0:
                        n += 1
                        s0 += light[y, x, 0]
                        s1 += light[y, x, 1]
                        s2 += light[y, x, 2]
            over = np.float32(1.0) / np.float32(of)
            out[r, c, 0], out[r, c, 1], out[r, c, 2], out[r, c, 3] = s0 * over, s1 * over, s2 * over, n * over


@numba.njit(cache=True, nogil=True, fastmath=True)
def _solve(light, field, share, front, solid, noise2, out):  # type: ignore[no-untyped-def]
    lit_screen = np.float32(SCREEN_SHADED * SCREEN_SHADED)
    one, half = np.float32(1.0), np.float32(0.5)
    rows, cols = share.shape
    high, wide = front.shape[:2]
    step = (rows + high - 1) // high
    over = one / np.float32(step)
    line = np.empty((wide, 4), np.float32)
    for r in range(rows):
        # The row of what is in front, between those that are known.
        at = (r + half) * over - half
        above = int(np.floor(at))
        ty = at - above
        ra, rb = min(max(above, 0), high - 1), min(max(above + 1, 0), high - 1)
        for c in range(wide):
            for q in range(4):
                line[c, q] = front[ra, c, q] + ty * (front[rb, c, q] - front[ra, c, q])
        for c in range(cols):
            m = one - share[r, c]
            if solid[r, c] > 0:
                out[r, c] = one
                continue
            at = (c + half) * over - half
            left = int(np.floor(at))
            tx = at - left
            ca, cb = min(max(left, 0), wide - 1), min(max(left + 1, 0), wide - 1)
            weight = line[ca, 3] + tx * (line[cb, 3] - line[ca, 3])
            if weight > 0:
                f0 = (line[ca, 0] + tx * (line[cb, 0] - line[ca, 0])) / weight
                f1 = (line[ca, 1] + tx * (line[cb, 1] - line[ca, 1])) / weight
                f2 = (line[ca, 2] + tx * (line[cb, 2] - line[ca, 2])) / weight
                known = min(max((weight - np.float32(4e-4)) * np.float32(50.0), np.float32(0.0)), one)
                lit = np.float32(NEAR_SHADED + (FAR_SHADED - NEAR_SHADED) * (one - known))
                lit *= lit
                p0, p1, p2 = light[r, c, 0], light[r, c, 1], light[r, c, 2]
                b0, b1, b2 = field[r, c, 0], field[r, c, 1], field[r, c, 2]
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


@numba.njit(cache=True, nogil=True, fastmath=True)
def _bound(matte, clear, core):  # type: ignore[no-untyped-def]
    """Nothing below one coverage, whole above another, in place."""
    over = np.float32(1.0) / (core - clear)
    flat = matte.reshape(-1)
    for i in range(flat.size):
        flat[i] = min(max((flat[i] - clear) * over, np.float32(0.0)), np.float32(1.0))


def _take_specks(matte: Float32, size: float) -> None:
    """Take islands, and holes, that fit into a square of `size` px out of a matte, in place."""
    for inverted in (False, True):
        solid = np.asarray(matte < 0.85 if inverted else matte > 0.15, np.uint8)
        count, labels, stats, _ = cv2.connectedComponentsWithStats(solid, connectivity=8)
        small = np.zeros(count, bool)
        small[1:] = (stats[1:, cv2.CC_STAT_WIDTH] <= size) & (stats[1:, cv2.CC_STAT_HEIGHT] <= size)
        # What touches the border may go on beyond it.
        edge = np.unique(np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]]))
        small[edge] = False
        if small.any():
            _fill(labels, small, np.float32(inverted), matte)


@numba.njit(cache=True, nogil=True)
def _fill(labels, small, value, matte):  # type: ignore[no-untyped-def]
    """Small regions filled with their faint rims, but not where something that stays is next to them."""
    rows, cols = labels.shape
    for r in range(rows):
        for c in range(cols):
            if not small[labels[r, c]]:
                continue
            for y in range(max(0, r - RIM_PX), min(rows, r + RIM_PX + 1)):
                for x in range(max(0, c - RIM_PX), min(cols, c + RIM_PX + 1)):
                    if matte[y, x] != value and (small[labels[y, x]] or not _stays_near(labels, small, y, x)):
                        matte[y, x] = value


@numba.njit(cache=True, nogil=True)
def _stays_near(labels, small, r, c):  # type: ignore[no-untyped-def]
    for y in range(max(0, r - STAYS_PX), min(labels.shape[0], r + STAYS_PX + 1)):
        for x in range(max(0, c - STAYS_PX), min(labels.shape[1], c + STAYS_PX + 1)):
            label = labels[y, x]
            if label > 0 and not small[label]:
                return True
    return False


def take_spill(
    light: Float32, at: tuple[int, int], field: Float32, matte: Float32, screen: Screen, strength: float,
    give: tuple[float, float, float], changed: Bool,
) -> None:  # fmt: skip
    """Take the screen's own light from what is in front, in place, and give it back in another colour.

    Parameters
    ----------
    light : (H, W, 3) float32 linear light, written where a matte covers
    at : column and row of it where the matte begins
    field : (h, w, 3) float32 linear light of the bare screen
    matte : (h, w) float32, what is in front: elsewhere nothing changes
    strength : 0..1
    give : linear light given back for a whole screen's worth
    changed : (H, W) bool, set where light changes
    """
    if _is_grey(screen):
        return
    channel, above = primary_of(screen.colour)
    _take_spill(light, *at, field, matte, channel, above, np.float32(strength), np.asarray(give, np.float32), changed)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _take_spill(light, left, top, field, matte, channel, above, strength, give, changed):  # type: ignore[no-untyped-def]
    i, j = (channel + 1) % 3, (channel + 2) % 3
    sign, one, none, least = np.float32(1.0 if above else -1.0), np.float32(1.0), np.float32(0.0), np.float32(1e-6)
    for r in range(matte.shape[0]):
        for c in range(matte.shape[1]):
            m = matte[r, c]
            if m <= none:
                continue
            y, x = top + r, left + c
            rest = one - m
            bk = field[r, c, channel]
            k = light[y, x, channel] - rest * bk
            a = sign * (k - (light[y, x, i] - rest * field[r, c, i])) / max(sign * (bk - field[r, c, i]), least)
            b = sign * (k - (light[y, x, j] - rest * field[r, c, j])) / max(sign * (bk - field[r, c, j]), least)
            spill = strength * min(max(min(a, b), none), m)
            if spill > none:
                changed[y, x] = True
                for q in range(3):
                    light[y, x, q] += spill * (give[q] - field[r, c, q])
