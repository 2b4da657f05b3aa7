"""The old surface where its picture is known as a file: what was printed is divided out, and light is left, everywhere.

A print shows light x (ink + (1 - ink) x code), a screen white x code + reflection. With the code known at every place both are a line
for each channel, and light is told all over the surface instead of on bare paper alone. Places near printed edges count little: there a
small difference of softness or place looks like a change of light.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from verdigris.core.match.levels import USUAL_INK, Line, line_of, neutral_gain
from verdigris.core.match.shading import Shading, carried_near
from verdigris.core.match.smooth import degree_for, field_of, fit_log
from verdigris.core.types import Bool, Float32, Float64

# Places whose code is below this tell little about light; ink is told by what is below the other.
BRIGHT, DARK = 0.2, 0.05
# A code that changes by more than this share from px to px is an edge.
EDGE = 0.15
# Light from here on may have been cut off by the camera.
CLIPPED = 0.97
ROUNDS = 4


@dataclass(frozen=True)
class KnownPrint:
    """What a known print tells.

    Attributes
    ----------
    light : (h, w, 3) float32, what bare paper looks like everywhere: smooth
    ink : (3,) float64, what black sends back of what paper does
    ink_told : whether something dark is printed
    shading : light that the smooth one does not hold: folds, texture
    told : (h, w) bool, where light is told
    fits : how well the picture explains what is seen, 0..1: squared correlation of their logarithms
    """

    light: Float32
    ink: Float64
    ink_told: bool
    shading: Shading
    told: Bool
    fits: float


def softened(old: Float32, sigma: float) -> Float32:
    """The old picture as soft as the plate shows it; `sigma` in px of the square."""
    return np.asarray(cv2.GaussianBlur(old, (0, 0), sigma), np.float32) if sigma > 0.2 else old


def flat_parts(old: Float32) -> Bool:
    """Where a picture (h, w, 3), linear 0..1, has no edge, (h, w)."""
    level = old.mean(axis=2)
    change = np.hypot(cv2.Sobel(level, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(level, cv2.CV_32F, 0, 1, scale=1 / 8))
    wide = cv2.dilate(change, np.ones((3, 3), np.uint8))
    return np.asarray(wide < EDGE * np.maximum(level, 0.1), np.bool_)


@dataclass(frozen=True)
class KnownScreen:
    """What a screen with a known picture tells.

    Attributes
    ----------
    line : white, reflection, and whether both are told
    fits : how well the picture explains what is seen, 0..1
    bright : (h, w) bool, where the picture is bright and plain enough to tell how evenly it shines
    """

    line: Line
    fits: float
    bright: Bool


def known_screen(clean: Float32, seen: Bool, old: Float32) -> KnownScreen | None:
    """White and reflection of a screen with a known picture, whose evenness is taken out; None where too little is seen.

    Parameters and encoding as `known_print`; what the camera cut off is left out.
    """
    h, w = seen.shape
    whole = seen & (clean.min(axis=2) < CLIPPED)
    flat = whole & flat_parts(old)
    where = flat if flat.sum() > 200 else whole
    if where.sum() < 60:
        return None
    bright = where & (old.mean(axis=2) > BRIGHT)
    field = np.ones((h, w), np.float32)
    keep = where
    line = _line_through(old, clean, where)
    for _ in range(ROUNDS):
        gain, offset = neutral_gain(line.gain), reflection_of(line)
        if bright.sum() > 60:
            even, told = evenness(clean, np.asarray(gain * old, np.float32), offset)
            known = bright & told
            field = field_of(fit_log(even, known, degree_for(known))[0], w, h)
            field = np.asarray(field / field[known].mean(), np.float32)
        lit = np.asarray(old * field[..., None], np.float32)
        left = np.median(clean - gain * lit - offset, axis=2)
        spread = 1.4826 * float(np.median(np.abs(left[where] - np.median(left[where])))) + 1e-5
        now = where & (np.abs(left - np.median(left[where])) < 4 * spread)
        keep = now if now.sum() > 60 else keep
        line = _line_through(lit, clean, keep)
    a, b = clean[where].mean(axis=1), (neutral_gain(line.gain) * old * field[..., None])[where].mean(axis=1)
    fits = float(np.corrcoef(a, b)[0, 1] ** 2) if min(a.std(), b.std()) > 1e-3 else 1.0
    return KnownScreen(line, fits, np.asarray(bright, np.bool_))


def _line_through(code: Float32, clean: Float32, where: Bool) -> Line:
    """The line of each channel through the places where the camera did not cut it off."""
    each = []
    for c in range(3):
        use = where & (clean[..., c] < CLIPPED)
        use = use if use.sum() > 30 else where
        x, y = (np.repeat(v[use][:, c : c + 1].astype(np.float64), 3, axis=1) for v in (code, clean))
        each.append(line_of(x, y, np.ones(len(x))))
    return Line(np.array([e.gain[0] for e in each]), np.array([e.offset[0] for e in each]), all(e.sure for e in each))


def reflection_of(line: Line) -> Float64:
    """Light over a screen that is not its own, (3,)."""
    return np.clip(np.where(np.isfinite(line.offset), line.offset, 0.0), 0, None)


def evenness(light: Float32, shines: Float32, offset: Float64) -> tuple[Float32, Bool]:
    """How brightly a screen shines against what it should, (h, w), by the channels that were not cut off; and where that is told."""
    told = (light < CLIPPED) & (shines > 0.02)
    ratio = np.where(told, (light - offset) / np.maximum(shines, 1e-5), 0)
    many = told.sum(axis=2)
    return np.asarray(ratio.sum(axis=2) / np.maximum(many, 1), np.float32), np.asarray(many > 0, np.bool_)


def known_print(clean: Float32, seen: Bool, old: Float32) -> KnownPrint | None:
    """Divide a known print out of a clean picture; None where too little of it is bright and seen.

    Parameters
    ----------
    clean : (h, w, 3) float32, linear light of the surface laid square-on
    seen : (h, w) bool
    old : (h, w, 3) float32, linear light 0..1 of the old picture on the same square
    """
    h, w = seen.shape
    flat = flat_parts(old) & seen & (clean.max(axis=2) < CLIPPED)
    bright = flat & (old.min(axis=2) > BRIGHT)
    if bright.sum() < 60:
        bright = seen & (old.mean(axis=2) > BRIGHT)
    if bright.sum() < 60:
        return None
    dark = flat & (old.max(axis=2) < DARK)
    ink, told = np.full(3, USUAL_INK), int(dark.sum()) >= 12
    light = np.ones_like(clean)
    for _ in range(ROUNDS):
        expected = np.asarray(ink + (1 - ink) * old, np.float32)
        degree = degree_for(bright)
        light = np.dstack([field_of(fit_log(clean[..., c] / expected[..., c], bright, degree)[0], w, h) for c in range(3)])
        if not told:
            break
        share = np.median(clean[dark] / np.maximum(light[dark], 1e-5), axis=0)
        code = np.median(old[dark], axis=0)
        ink = np.clip((share - code) / (1 - code), 0, 0.5)
    expected = np.asarray(ink + (1 - ink) * old, np.float32)
    level = (clean / np.maximum(light * expected, 1e-5)).mean(axis=2)
    weight = (flat & (old.mean(axis=2) > DARK)).astype(np.float32)
    told_at = np.asarray(weight > 0, np.bool_)
    field = carried_near(np.asarray(level, np.float32), weight)
    shading = Shading(np.repeat(field[..., None], 3, axis=2), float(told_at.mean()), float(np.std(field[told_at])))
    a, b = (np.log(np.maximum(v[seen].mean(axis=1), 1e-4)) for v in (clean, light * expected))
    fits = float(np.corrcoef(a, b)[0, 1] ** 2) if min(a.std(), b.std()) > 1e-3 else 1.0
    return KnownPrint(np.asarray(light, np.float32), np.asarray(ink, np.float64), told, shading, told_at, fits)
