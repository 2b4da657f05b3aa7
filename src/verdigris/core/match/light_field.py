"""The light on a printed surface: what paper looks like everywhere on it, and how that changes from frame to frame.

What a surface shows is light x (ink + (paper - ink) x code). Places of bare paper are found all over it by their chromaticity; a low
polynomial of the logarithm of light goes through their upper envelope, since what lies below is ink. How light changes over time is
told by the ratio of a frame to the clean picture: locally, where shadows have edges, else by a polynomial again.
"""

from dataclasses import dataclass

import numpy as np

from verdigris.core.match.plane import blurred
from verdigris.core.match.smooth import degree_for, field_of, fit_log
from verdigris.core.types import Bool, Float32

CHROMA_LEAST, CHROMA_SPREADS = 0.02, 4.0
# Paper is at least so bright against the brightest around it.
PAPER_SHARE = 0.6
# Light is local where so much of the surface departs from a smooth field, in so many frames.
LOCAL_SHARE, LOCAL_FRAMES = 0.012, 0.08
DEPARTS = 0.035
# Blur of frame and clean picture before they are compared, plate px.
RATIO_PX = 1.6


def chroma_of(light: Float32) -> Float32:
    """Chromaticity r, g of light (..., 3)."""
    total = np.maximum(light.sum(axis=-1, keepdims=True), 1e-5)
    return np.asarray(light[..., :2] / total, np.float32)


@dataclass(frozen=True)
class Paper:
    """Bare paper on a surface.

    Attributes
    ----------
    light : (h, w, 3) float32, what paper would look like everywhere
    where : (h, w) bool, where it is
    spread : of the logarithm of its light around that, per channel
    """

    light: Float32
    where: Bool
    spread: float


def paper_of(clean: Float32, seen: Bool, sample: Float32) -> Paper | None:
    """Paper all over a clean picture (h, w, 3) from sampled px (N, 3); None where there is too little of it."""
    h, w = seen.shape
    middle = np.median(chroma_of(sample), axis=0)
    away = np.linalg.norm(chroma_of(sample) - middle, axis=1)
    reach = max(CHROMA_LEAST, CHROMA_SPREADS * 1.4826 * float(np.median(away)))
    level = clean.sum(axis=2)
    like = seen & (np.linalg.norm(chroma_of(clean) - middle, axis=2) < reach)
    if like.sum() < 40:
        return None
    # From a plain level to a bent one: what is dark against paper around it is printed in grey.
    where = like & (level > PAPER_SHARE * np.percentile(level[like], 90))
    for _ in range(4):
        degree = degree_for(where)
        envelope = field_of(fit_log(level, where, degree, low=1.0, high=2.5)[0], w, h)
        now = like & (level > 0.93 * envelope) & (level < 1.12 * envelope)
        if now.sum() < 40 or np.array_equal(now, where):
            break
        where = now
    degree = degree_for(where)
    fits = [fit_log(clean[..., c], where, degree, low=2.0, high=2.5) for c in range(3)]
    light = np.dstack([field_of(f, w, h) for f, _ in fits])
    return Paper(light, where, float(np.mean([s for _, s in fits])))


def clean_picture(stack: Float32, seen: Bool, percentile: float) -> tuple[Float32, Bool]:
    """A percentile over time of (N, h, w, 3) where it is seen (N, h, w), and where that was ever."""
    masked = np.where(seen[..., None], stack, np.nan)
    ever = seen.sum(axis=0) >= max(1, min(3, len(stack)))
    order = np.sort(masked, axis=0)
    count = np.maximum(seen.sum(axis=0), 1)
    at = np.clip(percentile / 100 * (count - 1), 0, len(stack) - 1)
    low = np.floor(at).astype(int)
    high = np.minimum(low + 1, count - 1)
    part = (at - low)[..., None]
    a, b = (np.take_along_axis(order, k[None, ..., None], axis=0)[0] for k in (low, high))
    picture = a + part * (b - a)
    return np.nan_to_num(picture).astype(np.float32), np.asarray(ever, np.bool_)


@dataclass(frozen=True)
class Change:
    """How a frame's light differs from the clean picture's.

    Attributes
    ----------
    field : (h, w, 3) float32, ratio
    departs : share of the surface that a smooth field does not explain
    """

    field: Float32
    departs: float


def smooth_change(frame: Float32, clean: Float32, seen: Bool, scale: float) -> Change:
    """The smooth ratio of a frame to the clean picture."""
    h, w = seen.shape
    strong = seen & (clean.min(axis=2) > 0.02 * np.percentile(clean, 95))
    if strong.sum() < 60:
        return Change(np.ones((h, w, 3), np.float32), 0.0)
    weight = strong.astype(np.float32)
    top, _ = blurred(frame, weight, max(0.6, RATIO_PX * scale))
    base, _ = blurred(clean, weight, max(0.6, RATIO_PX * scale))
    ratio = np.asarray(top / np.maximum(base, 1e-5), np.float32)
    field = _smooth(ratio, strong)
    left = np.abs(np.log(np.maximum(ratio, 1e-4) / field)).mean(axis=2)
    noise = float(np.median(left[strong]))
    departs = float((left[strong] > max(DEPARTS, 5 * noise)).mean())
    return Change(np.asarray(field, np.float32), departs)


def _smooth(ratio: Float32, known: Bool) -> Float32:
    """A smooth field through a ratio (h, w, 3) where it is known; 1 where too little is."""
    h, w = known.shape
    if known.sum() < 60:
        return np.ones((h, w, 3), np.float32)
    degree = min(degree_for(known), 3)
    return np.asarray(np.dstack([field_of(fit_log(ratio[..., c], known, degree)[0], w, h) for c in range(3)]), np.float32)


def local_change(frame: Float32, clean: Float32, seen: Bool, scale: float) -> Float32:
    """The ratio of a frame to the clean picture place by place, (h, w, 3); where nothing is seen, as around it."""
    strong = (seen & (clean.min(axis=2) > 0.02 * np.percentile(clean, 95))).astype(np.float32)
    sigma = max(0.6, RATIO_PX * scale)
    # Weighed by light: the dark is noisy and says little.
    weight = strong * clean.mean(axis=2)
    top, known = blurred(np.asarray(frame / np.maximum(clean, 1e-5), np.float32), weight, sigma)
    wide, far = blurred(top, np.asarray(known, np.float32), 6 * sigma)
    trust = np.clip(known / max(float(np.percentile(known, 75)), 1e-6) * 4, 0, 1)[..., None]
    if np.all((far > 1e-4) | (trust[..., 0] >= 1)):
        return np.asarray(trust * top + (1 - trust) * wide, np.float32)
    beyond = np.where(far[..., None] > 1e-4, wide, _smooth(top, strong > 0))
    return np.asarray(trust * top + (1 - trust) * beyond, np.float32)


def is_local(departures: list[float]) -> bool:
    """Whether light has edges: a smooth field leaves too much in too many frames."""
    return bool(departures) and float(np.mean(np.array(departures) > LOCAL_SHARE)) > LOCAL_FRAMES
