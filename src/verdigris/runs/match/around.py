"""Light between the surface and what is near it: the shadow of what is in front, and a screen's glow around it."""

from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np

from verdigris.core.composite.layer import outline_box
from verdigris.core.composite.warp import Warp, outline_from_surface
from verdigris.core.match.cast import CastSeen, measure_cast
from verdigris.core.match.glow import GlowSeen, measure_glow_around
from verdigris.core.types import Bool, Float32, Float64
from verdigris.media.frames import Frame
from verdigris.runs.match.proposal import Found, Proposal, Stopping
from verdigris.runs.match.stack import rim

FOR_SHADOW, FOR_GLOW = 8, 5
# Px of the longer side of the picture that a shadow is told from.
SHADOW_PX = 240
# How far around a screen its glow is looked for, plate px, and what is left out next to its edge.
GLOW_PX, RIM_PX = 90.0, 3
# A shadow is seen from this strength on, and sure where it explains so much of what is missing.
LEAST_SHADOW, SURE_SHADOW = 0.04, 0.5
LEAST_GLOW, LEAST_SPREADS, SURE_SPREADS = 0.004, 5.0, 7.0


def measure_shadow(found: Found, stop: Stopping) -> Proposal:
    """The shadow under what stays in front, from what is missing of a print's light beside it."""
    stack = found.stack
    kept = any(p.kept_in_front for p in stack.shot.placements if p.surface == stack.surface.id) or bool(stack.shot.occluders)
    if not kept:
        return Proposal("shadow", None, False, "nothing in front", "none", "Nothing in front has a matte or an outline.")
    by_hand = {"offset_px": [4.0, 6.0], "soft_px": 6.0, "strength": 0.25}
    if found.match.kind != "print":
        said = "A screen shines by itself: a shadow on it hardly shows. Judge it by eye."
        return Proposal("shadow", by_hand, False, "not measured", "none", said)
    seen: list[CastSeen] = []
    for n, picture in found.kept(FOR_SHADOW, stop):
        told = _cast_at(found, n, picture)
        if told is not None:
            seen.append(told)
    told_well = [s for s in seen if s.strength > LEAST_SHADOW and s.gain > 0.2]
    if not seen:
        return Proposal("shadow", by_hand, False, "not told", "none", "Nothing stands before the surface where its picture is known.")
    if len(told_well) < max(2, len(seen) // 2):
        return Proposal("shadow", None, False, "none", "none", "No shadow lies beside what is in front.")
    x, y = (float(np.median([s.offset[i] for s in told_well])) for i in (0, 1))
    soft, strength, gain = (float(np.median([getattr(s, k) for s in told_well])) for k in ("soft_px", "strength", "gain"))
    value = {"offset_px": [round(x, 1), round(y, 1)], "soft_px": round(soft, 1), "strength": round(min(strength, 1.0), 3)}
    plate = f"{100 * strength:.0f} % darker, {x:+.1f} {y:+.1f} px off, {soft:.1f} px soft"
    if gain < SURE_SHADOW:
        return Proposal("shadow", value, False, plate, "none", "Something darkens the surface beside what is in front. Judge it by eye.")
    if found.local_light:
        said = "Light was measured place by place and holds it already: take it over where Light is off."
        return Proposal("shadow", value, False, plate, "none", said)
    return Proposal("shadow", value, True, plate, "none", f"Told from {len(told_well)} frames, beside what is in front.")


def _cast_at(found: Found, n: int, picture: Frame) -> CastSeen | None:
    """The shadow in one frame, on plate px."""
    stack = found.stack
    warp = stack.warp(n)
    box = None if warp is None else outline_box(warp.outlines.reshape(-1, 2), 2.0, *stack.size)
    if warp is None or box is None:
        return None
    front = stack.in_front(n, picture, box)
    if front is None or front.max() < 0.5:
        return None
    clean, known = _laid_back(found.clean, found.ever, warp, box)
    light = picture.light_of(picture.values(box)).mean(axis=2)
    base = clean.mean(axis=2)
    where = known & (front < 0.02) & (base > 0.05 * float(np.percentile(base[known], 95) if known.any() else 1))
    if where.sum() < 400:
        return None
    # The frame's own light: far from what is in front nothing is missing.
    far = where & (cv2.dilate(front, np.ones((61, 61), np.uint8)) < 0.5)
    ratio = light / np.maximum(base, 1e-5)
    level = float(np.median(ratio[far if far.sum() > 200 else where]))
    missing = np.asarray(np.clip(1 - ratio / max(level, 1e-5), -1, 1), np.float32)
    # Shadows are soft: a smaller picture tells them as well.
    scale = min(1.0, SHADOW_PX / max(missing.shape))
    small = [
        cv2.resize(v, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) for v in (missing * where, front, where.astype(np.float32))
    ]
    seen = measure_cast(np.asarray(small[0] / np.maximum(small[2], 1e-3), np.float32), small[1], np.asarray(small[2] > 0.9, np.bool_))
    if seen is None or scale == 1.0:
        return seen
    return CastSeen((seen.offset[0] / scale, seen.offset[1] / scale), seen.soft_px / scale, seen.strength, seen.gain)


def _laid_back(clean: Float32, ever: Bool, warp: Warp, box: tuple[int, int, int, int]) -> tuple[Float32, Bool]:
    """The clean picture as it would be seen in a region, and where it is known; a bend of the surface is left out, shadows are soft."""
    h, w = ever.shape
    x, y = np.meshgrid(np.arange(box[0], box[2]) + 0.5, np.arange(box[1], box[3]) + 0.5)
    surface_from_plate: Float64 = np.linalg.inv(warp.straight_from_surface[len(warp.weights) // 2])
    at = np.stack([x, y, np.ones_like(x)], axis=2) @ surface_from_plate.T
    u = (at[..., 0] / at[..., 2] * w - 0.5).astype(np.float32)
    v = (at[..., 1] / at[..., 2] * h - 0.5).astype(np.float32)
    seen = cv2.remap(clean, u, v, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    known = cv2.remap(ever.astype(np.uint8), u, v, cv2.INTER_NEAREST, borderValue=0) > 0
    return np.asarray(seen, np.float32), np.asarray(known, np.bool_)


def measure_glow(found: Found, proposals: Sequence[Proposal], stop: Stopping) -> Proposal:
    """Light that a screen throws around it: from its own light and what is around, where it shines."""
    levels = next((p for p in proposals if p.part == "levels"), None)
    gain = 0.0 if levels is None or levels.value is None else max(levels.value["gain"])
    if found.match.kind != "screen" or gain < 0.3:
        return Proposal("glow", None, False, "nothing shines", "none", "Nothing here shines.")
    by_hand = {"radius_px": 24.0, "strength": 0.04}
    if float(np.median(found.clean[found.ever])) < 0.06 if found.ever.any() else True:
        said = "The old screen was dark: what a lit one throws around it is not seen. Judge it by eye."
        return Proposal("glow", by_hand, False, "not seen", "none", said)
    seen = [g for n, picture in found.kept(FOR_GLOW, stop) if (g := _glow_at(found, n, picture))]
    if not seen:
        return Proposal("glow", by_hand, False, "not told", "none", "Too little is seen around the screen. Judge it by eye.")
    share, error, radius = (float(np.median([getattr(g, k) for g in seen])) for k in ("share", "error", "radius_px"))
    plate = f"{100 * share:.1f} % of its light, {radius:.0f} px wide"
    if share < max(LEAST_GLOW, LEAST_SPREADS * error):
        return Proposal("glow", None, True, plate, "none", "Around the screen there is no more light than elsewhere.")
    sure = share > SURE_SPREADS * error and len({g.radius_px for g in seen}) <= 2
    value = {"radius_px": radius, "strength": round(min(share, 4.0), 4), "instead": True}
    said = f"{100 * share:.1f} % give or take {100 * error:.1f}, from how light falls off around it; the old screen's own is taken out."
    return Proposal("glow", value, sure, plate, "none", said if sure else f"{said} Judge it by eye.")


def _glow_at(found: Found, n: int, picture: Frame) -> GlowSeen | None:
    stack = found.stack
    warp = stack.warp(n)
    box = None if warp is None else outline_box(warp.outlines.reshape(-1, 2), GLOW_PX / 4, *stack.size)
    if warp is None or box is None:
        return None
    light = picture.light_of(picture.values(box))
    h, w = light.shape[:2]
    inside = np.zeros((h, w), np.uint8)
    at = outline_from_surface(rim(), warp) - [box[0], box[1]]
    cv2.fillPoly(inside, [np.round(at * 16 - 8).astype(np.int32)], 1, shift=4)
    front = stack.in_front(n, picture, box)
    free = np.ones((h, w), np.bool_) if front is None else front < 0.02
    around = (cv2.dilate(inside, np.ones((2 * RIM_PX + 1, 2 * RIM_PX + 1), np.uint8)) == 0) & free
    screen = np.asarray(light * ((inside > 0) & free)[..., None], np.float32)
    # Glow is soft: half the size tells it as well.
    half = [cv2.resize(v, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA) for v in (light, screen, around.astype(np.float32))]
    seen = measure_glow_around(half[0], half[1], np.asarray(half[2] > 0.99, np.bool_))
    return None if seen is None else replace(seen, radius_px=2 * seen.radius_px)
