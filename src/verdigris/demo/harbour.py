"""The harbour around a shot: sky, islands, a town across the water, a moored ferry, quay and ferry office."""

import cv2
import numpy as np

from verdigris.core.types import Float32
from verdigris.demo.textures import (
    Rng,
    box_mask,
    fill_box,
    fill_polygon,
    flat_colour,
    fractal_noise,
    over,
    sample_noise,
    soft,
    text_mask,
    with_alpha,
)


def backdrop(rng: Rng, width: int, height: int, horizon: float) -> Float32:
    """Sky, far islands, town and water as seen from the quay, (height, width, 4)."""
    y = (np.arange(height, dtype=np.float32)[:, None] + 0.5).repeat(width, 1)
    x = (np.arange(width, dtype=np.float32)[None, :] + 0.5).repeat(height, 0)
    up = np.clip((horizon - y) / horizon, 0, 1)
    zenith, low = np.array([0.20, 0.31, 0.47], np.float32), np.array([0.83, 0.74, 0.62], np.float32)
    sky = low * (1 - up[..., None]) ** 2.2 + zenith * (1 - (1 - up[..., None]) ** 2.2)
    stretched = cv2.resize(fractal_noise(rng, height, width // 3, 260, 7, 0.58), (width, height), interpolation=cv2.INTER_CUBIC)
    cloud = np.clip((stretched * 0.9 + 0.35) * (0.35 + 0.9 * up), 0, 1.5) / 1.5
    lit = np.clip(0.55 + 0.35 * np.roll(stretched, 18, axis=0) - 0.25 * stretched, 0.25, 1.2)
    body = np.stack([0.80 * lit + 0.10, 0.76 * lit + 0.12, 0.74 * lit + 0.16], axis=2).astype(np.float32)
    over(sky, body, np.asarray(0.85 * cloud**0.8, np.float32))
    sun = np.exp(-(((x - 0.24 * width) / (0.22 * width)) ** 2 + ((y - horizon * 0.80) / (0.30 * height)) ** 2))
    sky += np.array([0.42, 0.30, 0.16], np.float32) * sun[..., None]
    picture = np.asarray(sky, np.float32)
    for depth, (base, rise, tint) in enumerate([(8, 120, (0.40, 0.43, 0.47)), (4, 82, (0.24, 0.28, 0.29)), (0, 46, (0.115, 0.135, 0.115))]):
        ridge = fractal_noise(rng, 1, width, 700 - 190 * depth, 8, 0.5)[0]
        envelope = 0.5 + 0.5 * np.sin(np.linspace(0.5 + depth * 2.1, 4.6 + depth * 2.6, width))
        top = horizon + 6 - base - rise * np.clip(0.25 + 0.75 * envelope + 0.32 * ridge, 0.02, None)
        mask = np.clip(y - top[None, :] + 0.5, 0, 1) * (y < horizon + 6)
        grain = 1 + (0.05 + 0.05 * depth) * fractal_noise(rng, height, width, 30, 4)
        over(picture, np.asarray(np.array(tint, np.float32) * grain[..., None], np.float32), mask.astype(np.float32))
    _town(rng, picture, horizon)
    _water(rng, picture, horizon, x, y)
    return with_alpha(np.clip(picture, 0, None), np.ones((height, width), np.float32))


def _town(rng: Rng, picture: Float32, horizon: float) -> None:
    w = picture.shape[1]
    walls = [
        (0.55, 0.50, 0.43),
        (0.42, 0.25, 0.19),
        (0.50, 0.40, 0.22),
        (0.36, 0.40, 0.43),
        (0.60, 0.57, 0.53),
        (0.24, 0.32, 0.33),
    ]
    x = 0.50 * w
    while x < 0.97 * w:
        bw, bh = rng.uniform(26, 58), rng.uniform(26, 64)
        top = horizon + 4 - bh
        colour = np.array(walls[rng.integers(len(walls))]) * rng.uniform(0.65, 1.0)
        fill_box(picture, tuple(colour), x, top, x + bw, horizon + 5)
        fill_box(picture, tuple(colour * 0.62), x + bw * 0.72, top, x + bw, horizon + 5)
        roof = np.array([[x - 2, top + 1], [x + bw * rng.uniform(0.35, 0.65), top - rng.uniform(8, 20)], [x + bw + 2, top + 1]])
        fill_polygon(picture, tuple(np.array([0.22, 0.12, 0.09]) * rng.uniform(0.6, 1.3)), roof)
        for wy in np.arange(top + 7, horizon - 6, 13):
            for wx in np.arange(x + 5, x + bw - 6, 10):
                glow = rng.random() < 0.14
                fill_box(picture, (1.0, 0.70, 0.32) if glow else (0.05, 0.06, 0.075), wx, wy, wx + 4.2, wy + 6.5, strength=0.85)
        x += bw + rng.uniform(-3, 9)


def _water(rng: Rng, picture: Float32, horizon: float, x: Float32, y: Float32) -> None:
    h, w = picture.shape[:2]
    depth = np.clip((y - horizon - 3) / (h - horizon), 1e-3, 1)
    ripples = fractal_noise(rng, 1400, 1400, 48, 5, 0.6)
    far = 1.0 / (depth + 0.012)
    wave = sample_noise(ripples, (x - w / 2) * far * 0.05 + 700, far * 60) * np.clip(depth * 6, 0.12, 1)
    swell = sample_noise(ripples, (x - w / 2) * far * 0.012 + 300, far * 14)
    mirror_y = np.clip(horizon - (y - horizon) * 0.9 - 8 - 22 * wave - 6 * swell, 0, h - 1).astype(np.float32)
    mirrored = cv2.remap(picture, np.clip(x + 6 * wave, 0, w - 1).astype(np.float32), mirror_y, cv2.INTER_LINEAR)
    mirrored = cv2.blur(mirrored, (3, 21))
    deep = np.array([0.030, 0.058, 0.066], np.float32)
    amount = (0.66 - 0.30 * depth + 0.10 * wave)[..., None]
    water = deep * (1 + 0.25 * swell[..., None]) + mirrored * np.clip(amount, 0.1, 0.9)
    over(picture, np.asarray(water, np.float32), np.clip(y - horizon - 3, 0, 1).astype(np.float32))


def ferry(rng: Rng, width: int, height: int) -> Float32:
    """A moored ferry seen from its side with its mirror image, (height, width, 4)."""
    rgb, alpha = flat_colour(height, width, (0, 0, 0)), np.zeros((height, width), np.float32)
    wl = height * 0.70
    weather = 1 + 0.10 * fractal_noise(rng, height, width, 60, 6)

    def part(points: list[tuple[float, float]], colour: tuple[float, float, float], shade: Float32 | float = 1.0) -> None:
        mask = np.zeros((height, width), np.uint8)
        at = np.array([(px * width, py * height) for px, py in points])
        cv2.fillPoly(mask, [np.round(at * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
        m = mask.astype(np.float32) / 255
        over(rgb, np.asarray(np.array(colour, np.float32) * (weather * shade)[..., None], np.float32), m)
        np.maximum(alpha, m, out=alpha)

    across = np.linspace(0, 1, height, dtype=np.float32)[:, None].repeat(width, 1)
    part([(0.02, 0.50), (0.98, 0.47), (0.93, 0.70), (0.06, 0.70)], (0.045, 0.105, 0.155), 1.25 - 0.6 * across)
    part([(0.015, 0.47), (0.985, 0.44), (0.98, 0.50), (0.02, 0.53)], (0.78, 0.76, 0.70))
    part([(0.10, 0.33), (0.86, 0.33), (0.90, 0.47), (0.10, 0.49)], (0.80, 0.78, 0.73), 1.15 - 0.35 * across)
    part([(0.18, 0.20), (0.74, 0.20), (0.77, 0.33), (0.18, 0.33)], (0.74, 0.73, 0.69), 1.15 - 0.4 * across)
    part([(0.56, 0.10), (0.72, 0.10), (0.74, 0.20), (0.56, 0.20)], (0.70, 0.69, 0.65))
    part([(0.30, 0.03), (0.38, 0.03), (0.40, 0.20), (0.28, 0.20)], (0.40, 0.12, 0.06))
    part([(0.30, 0.06), (0.385, 0.06), (0.387, 0.09), (0.297, 0.09)], (0.85, 0.80, 0.70))
    for row, (y0, x0, x1) in enumerate([(0.375, 0.13, 0.84), (0.235, 0.21, 0.72), (0.125, 0.58, 0.71)]):
        for x in np.arange(x0, x1, 0.042):
            lit = rng.random() < 0.22
            part(
                [(x, y0), (x + 0.027, y0), (x + 0.027, y0 + 0.045), (x, y0 + 0.045)],
                (0.95, 0.72, 0.40) if lit else (0.035, 0.05, 0.06),
                1.0 + 0.1 * row,
            )
    for x in np.arange(0.11, 0.88, 0.022):
        part([(x, 0.285), (x + 0.002, 0.285), (x + 0.002, 0.33), (x, 0.33)], (0.55, 0.55, 0.52))
    part([(0.10, 0.284), (0.88, 0.284), (0.88, 0.289), (0.10, 0.289)], (0.60, 0.60, 0.56))
    name = text_mask(height, width, [("ORLAN", 0.75 * width, 0.585 * height, height * 0.06, 700)])
    over(rgb, (0.8, 0.78, 0.7), name)
    rust = np.clip(fractal_noise(rng, height, width, 20, 5) - 1.1, 0, 1) * (alpha > 0)
    over(rgb, (0.19, 0.085, 0.04), np.asarray(np.clip(soft(rust.astype(np.float32), 1.2), 0, 0.55), np.float32))
    flip = int(2 * wl) - np.arange(height)
    below = (np.arange(height) > wl) & (flip >= 0) & (flip < height)
    rows = np.nonzero(below)[0]
    fade = np.linspace(0.55, 0.05, len(rows), dtype=np.float32)
    mirror = cv2.blur(rgb[flip[rows]], (9, 3)) * 0.5
    rgb[rows] = np.where(alpha[rows][..., None] > 0, rgb[rows], mirror)
    alpha[rows] = np.maximum(alpha[rows], soft(np.ascontiguousarray(alpha[flip[rows]]), 2.0) * fade[:, None])
    return with_alpha(soft(rgb, 1.0), soft(alpha, 1.0))


def quay(
    rng: Rng,
    width: int,
    height: int,
    focal_px: float,
    centre: tuple[float, float],
    drop_m: float,
    shadows: list[tuple[float, float, float, float, float]],
) -> Float32:
    """Stone slabs of the quay painted as the view sees them, (height, width, 4).

    Parameters
    ----------
    focal_px, centre : of the view, in texture px
    drop_m : height of the eye above the ground
    shadows : soft dark patches, x, z, half width, half depth in metres, strength
    """
    top = int(centre[1])
    # Perspective squeezes the ground in height: only there are finer rows needed.
    rows = (np.arange((height - top) * 2, dtype=np.float32) + 0.5) / 2 + top
    y, x = np.meshgrid(rows, np.arange(width, dtype=np.float32) + 0.5, indexing="ij")
    below = np.maximum((y - centre[1]) / focal_px, 1e-3)
    z = drop_m / below
    wx = (x - centre[0]) / focal_px * z
    fine, coarse = fractal_noise(rng, 1024, 1024, 9, 4), fractal_noise(rng, 1024, 1024, 300, 7, 0.6)
    row = np.floor(z / 0.62)
    offset = np.mod(row * 0.37, 1.0) * 0.9
    col = np.floor((wx + offset) / 0.9)
    fx, fz = np.mod(wx + offset, 0.9), np.mod(z, 0.62)
    joint = np.minimum(np.minimum(fx, 0.9 - fx), np.minimum(fz, 0.62 - fz))
    per_slab = np.mod(np.sin(row * 12.9898 + col * 78.233) * 43758.5453, 1.0)
    grain = sample_noise(fine, wx * 130, z * 130)
    patches = sample_noise(coarse, wx * 90 + 512, z * 60 + 512)
    tone = 0.155 * (0.72 + 0.45 * per_slab) * (1 + 0.14 * grain) * (1 + 0.20 * patches)
    stone = np.stack([tone * 1.06, tone, tone * 0.92], axis=2)
    gap = np.clip(1 - (joint - 0.006) / 0.010, 0, 1)
    stone *= (1 - 0.70 * gap)[..., None]
    wet = np.clip(patches * 0.9 - 0.35, 0, 1) * np.clip((z - 5.0) / 3, 0, 1)
    shine = np.array([0.50, 0.47, 0.44]) * np.clip((z - 4) / 16, 0.10, 0.8)[..., None]
    stone = stone * (1 - 0.50 * wet[..., None]) + shine * (wet * 0.55 * (1 - 0.5 * gap))[..., None]
    for sx, sz, hw, hd, strength in shadows:
        dark = np.exp(-((np.maximum(np.abs(wx - sx) - hw, 0) / 0.16) ** 2 + (np.maximum(np.abs(z - sz) - hd, 0) / 0.22) ** 2))
        stone *= (1 - strength * dark)[..., None]
    edge = 12.6
    kerb = (z > edge - 0.34) & (z < edge)
    stone[kerb] = stone[kerb] * 0.5 + np.array([0.19, 0.185, 0.175])
    alpha = np.clip((edge - z) / 0.02, 0, 1) * (y > centre[1] + 2)
    painted = np.concatenate([stone * alpha[..., None], alpha[..., None]], axis=2).astype(np.float32)
    whole = np.zeros((height, width, 4), np.float32)
    whole[top:] = cv2.resize(painted, (width, height - top), interpolation=cv2.INTER_AREA)
    return whole


def office_wall(rng: Rng, width_m: float, height_m: float, px_per_m: float) -> Float32:
    """Rendered wall of the ferry office with windows, a sign, a downpipe and a stone plinth, (h, w, 4)."""
    w, h = round(width_m * px_per_m), round(height_m * px_per_m)
    s = px_per_m
    wall = flat_colour(h, w, (0.44, 0.30, 0.17))
    wall *= (1 + 0.10 * fractal_noise(rng, h, w, 90, 7, 0.6) + 0.05 * fractal_noise(rng, h, w, 5, 3))[..., None]
    y = np.linspace(0, 1, h, dtype=np.float32)[:, None]
    wall *= (1.10 - 0.35 * y)[..., None]
    streak = np.clip(cv2.resize(fractal_noise(rng, max(2, h // 24), w, 10, 4), (w, h)) - 0.6, 0, 1)
    over(wall, (0.17, 0.13, 0.09), np.asarray(streak * 0.34, np.float32))
    stone = flat_colour(h, w, (0.17, 0.165, 0.155)) * (1 + 0.2 * fractal_noise(rng, h, w, 26, 5))[..., None]
    fill_box(wall, np.asarray(stone, np.float32), -5, h - 0.62 * s, w + 5, h + 5)
    for x in np.arange(0.55, width_m - 1.2, 1.9):
        x0, y0, x1, y1 = x * s, 0.75 * s, (x + 1.05) * s, 2.35 * s
        over(wall, (0.13, 0.10, 0.07), soft(box_mask(h, w, x0 - 4, y0 + 10, x1 + 14, y1 + 18), 7) * 0.5)
        fill_box(wall, (0.66, 0.64, 0.58), x0 - 0.07 * s, y0 - 0.07 * s, x1 + 0.07 * s, y1 + 0.07 * s)
        fill_box(wall, (0.05, 0.06, 0.07), x0, y0, x1, y1)
        sky = np.clip(np.linspace(0.55, 0.08, h, dtype=np.float32)[:, None] + 0.10 * fractal_noise(rng, h, w, 60, 4), 0.02, 1)
        pane = np.stack([sky * 0.62, sky * 0.72, sky * 0.85], axis=2)
        warm = np.array([0.85, 0.55, 0.26], np.float32) * rng.uniform(0.2, 0.7)
        fill_box(wall, np.asarray(pane * 0.75 + warm * 0.35, np.float32), x0 + 4, y0 + 4, x1 - 4, y1 - 4, strength=0.9)
        fill_box(wall, (0.60, 0.58, 0.53), (x0 + x1) / 2 - 3, y0, (x0 + x1) / 2 + 3, y1)
        fill_box(wall, (0.60, 0.58, 0.53), x0, y0 + 0.55 * s, x1, y0 + 0.55 * s + 6)
        fill_box(wall, (0.52, 0.50, 0.46), x0 - 0.12 * s, y1 + 0.05 * s, x1 + 0.12 * s, y1 + 0.15 * s)
    fill_box(wall, (0.10, 0.22, 0.24), 0.3 * s, 0.12 * s, width_m * s - 30, 0.52 * s, 5)
    over(wall, (0.85, 0.80, 0.66), text_mask(h, w, [("SKERRY LINE  FERRY OFFICE", 0.6 * s, 0.42 * s, 0.25 * s, 600)]))
    pipe = box_mask(h, w, 0.16 * s, 0, 0.24 * s, h - 0.1 * s)
    over(wall, (0.12, 0.14, 0.14), soft(np.roll(pipe, 8, axis=1), 5) * 0.5)
    over(wall, (0.22, 0.25, 0.25), pipe)
    return with_alpha(soft(wall, 1.0), np.ones((h, w), np.float32))


def bollard(rng: Rng) -> Float32:
    """An iron bollard, (240, 150, 4)."""
    h, w = 240, 150
    y, x = np.mgrid[0.5:h, 0.5:w].astype(np.float32)
    radius = np.where(y < 60, 58 - ((y - 34) / 8) ** 2, np.where(y < 80, 46, 40 + (y - 80) * 0.06))
    inside = np.clip(radius - np.abs(x - w / 2), 0, 1) * np.clip(y - 6, 0, 1)
    n = np.clip((x - w / 2) / np.maximum(radius, 1), -1, 1)
    light = 0.035 + 0.12 * np.clip(0.3 - n * 0.9, 0, 1) + 0.05 * np.clip(1 - y / 60, 0, 1)
    tone = light * (1 + 0.18 * fractal_noise(rng, h, w, 14, 5))
    rgb = np.stack([tone * 1.08, tone, tone * 0.94], axis=2).astype(np.float32)
    return with_alpha(soft(rgb, 1.0), soft(inside.astype(np.float32), 1.0))
