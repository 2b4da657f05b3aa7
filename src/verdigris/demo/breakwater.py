"""The scene of the far breakwater: a long lens, an empty sky, a wall in the sea for a bank of cloud to ride on."""

import numpy as np

from verdigris.core.types import Float32, Float64
from verdigris.demo.scene import Lens, Plane, Scene, Sensor, Surface, ease, hand_held, look, standing_plane
from verdigris.demo.textures import Rng, fill_box, fill_polygon, flat_colour, fractal_noise, sample_noise, soft, with_alpha

WIDTH, HEIGHT, FRAMES, RATE = 1920, 1080, 96, (24, 1)
FOCAL_PX = 5200.0
REFERENCE_FRAME = 40
FAR_M = 420.0
PX_PER_M = FOCAL_PX / FAR_M
VIEW = (2700, 1700)
SEA_AT = 0.66


def _sky_and_wall(rng: Rng) -> Float32:
    """Empty sky, a stone breakwater with a light on its head, the sea's far rim, as one far picture."""
    w, h = VIEW
    rim = round(SEA_AT * h)
    y = np.linspace(0, 1, h, dtype=np.float32)[:, None]
    low, high = np.array([0.66, 0.70, 0.72], np.float32), np.array([0.36, 0.47, 0.60], np.float32)
    t = np.clip(y / SEA_AT, 0, 1)[..., None] ** 1.6
    rgb = np.asarray(np.broadcast_to(high * (1 - t) + low * t, (h, w, 3)), np.float32).copy()
    rgb *= (1 + 0.006 * fractal_noise(rng, h, w, 500, 3))[..., None]
    stones = 1 + 0.34 * fractal_noise(rng, h, w, 20, 5, 0.7) + 0.14 * fractal_noise(rng, h, w, 5, 2)
    wall = np.asarray(np.array([0.150, 0.142, 0.130], np.float32) * stones[..., None], np.float32)
    crest = np.array([[120, rim - 46], [420, rim - 60], [2080, rim - 64], [2300, rim - 52], [2390, rim + 6], [60, rim + 6]], float)
    fill_polygon(rgb, wall, crest)
    fill_box(rgb, np.asarray(wall * 1.35, np.float32), 420, rim - 78, 2085, rim - 62)
    for x in range(520, 2000, 190):
        fill_box(rgb, (0.05, 0.05, 0.05), x, rim - 40, x + 22, rim - 12, 10)
        fill_box(rgb, (0.25, 0.24, 0.22), x + 70, rim - 96, x + 74, rim - 76)
    tower = np.array([[2130, rim - 60], [2142, rim - 250], [2186, rim - 250], [2198, rim - 60]], float)
    fill_polygon(rgb, (0.52, 0.50, 0.46), tower)
    for k, (a, b) in enumerate(((-200, -160), (-120, -84))):
        fill_box(rgb, (0.42, 0.10, 0.06), 2134 + k * 2, rim + a, 2194 - k, rim + b)
    fill_box(rgb, (0.10, 0.12, 0.12), 2136, rim - 262, 2192, rim - 250)
    fill_box(rgb, (0.28, 0.30, 0.30), 2148, rim - 296, 2180, rim - 262, 4)
    fill_polygon(rgb, (0.32, 0.09, 0.06), np.array([[2142, rim - 296], [2164, rim - 320], [2186, rim - 296]], float))
    sea = np.array([0.115, 0.185, 0.205], np.float32) * (1 + 0.10 * fractal_noise(rng, h, w, 60, 5))[..., None]
    fill_box(rgb, np.asarray(sea, np.float32), -5, rim, w + 5, h + 5)
    return with_alpha(soft(rgb, 0.9), np.ones((h, w), np.float32))


def _gull(rng: Rng) -> Float32:
    h, w = 60, 160
    rgb = flat_colour(h, w, (0.55, 0.55, 0.54))
    mask = np.zeros((h, w, 3), np.float32)
    for side in (-1, 1):
        fill_polygon(mask, (1.0, 1.0, 1.0), np.array([[80, 34], [80 + side * 30, 18], [80 + side * 74, 26], [80 + side * 34, 28]], float))
    fill_polygon(mask, (1.0, 1.0, 1.0), np.array([[66, 34], [94, 30], [100, 34], [78, 40]], float))
    return with_alpha(rgb * (1 + 0.05 * fractal_noise(rng, h, w, 8, 2))[..., None].astype(np.float32), soft(mask[..., 0], 0.8))


def breakwater_scene() -> Scene:
    """Build the scene; the same every time."""
    rng = np.random.default_rng(63)
    w, h = VIEW
    right, down = np.array([1.0, 0.0, 0.0]), np.array([0.0, 1.0, 0.0])
    top_left = np.array([-w / 2 / PX_PER_M, -SEA_AT * h / PX_PER_M, FAR_M])
    far_m = standing_plane(top_left, right, down, PX_PER_M)
    picture, gull = _sky_and_wall(rng), _gull(rng)
    tile = fractal_noise(rng, 1024, 1024, 40, 5, 0.6)
    # Mirrored, it repeats without a seam.
    ripples = np.block([[tile, tile[:, ::-1]], [tile[::-1], tile[::-1, ::-1]]])
    sea_h = round(0.34 * h)
    ys, xs = np.mgrid[0:sea_h, 0:w].astype(np.float32)
    # Rows lie further away towards the rim, so waves flatten there.
    away = 2400.0 / (ys + 16)
    across = (xs - w / 2) * away
    calm = np.clip((ys - 4) / 170, 0, 1)

    def sea(time: float) -> Float32:
        """Waves that run towards the wall: nothing of it stands still."""
        wave = sample_noise(ripples, across * 0.010 + 0.6 * time, away * 6.0 + 1.6 * time)
        swell = sample_noise(ripples, across * 0.002 + 300, away * 1.1 + 0.5 * time)
        tone = calm * (0.16 * wave + 0.12 * swell)
        rgb = np.array([0.10, 0.165, 0.185], np.float32) * (1 + tone)[..., None]
        return with_alpha(np.asarray(np.clip(rgb, 0.01, None), np.float32), np.asarray(np.clip((ys - 6) / 26, 0, 1), np.float32))

    near_sea = standing_plane(top_left + down * (SEA_AT * h / PX_PER_M) + np.array([0, 0, -1.0]), right, down, PX_PER_M)
    gull_m = standing_plane(np.array([0.0, 0.0, 200.0]), right, down, 30.0)

    def flight(time: float) -> Float64:
        m = np.eye(4)
        m[:3, 3] = [-46 + 0.95 * time, -9 + 2.2 * np.sin(time * 0.09), 0]
        return m

    planes = (
        Plane("far", far_m, lambda _t: picture), Plane("sea", near_sea, sea), Plane("gull", gull_m, lambda _t: gull, flight),
    )  # fmt: skip
    box = np.array([[430.0, 640], [2120, 640], [2120, 1030], [430, 1030]]) / PX_PER_M
    corners = np.stack([top_left[0] + box[:, 0], top_left[1] + box[:, 1], np.full(4, FAR_M)], axis=1)
    unrest = hand_held(23, 0.01, 0.0024, RATE[0] / RATE[1])

    def camera(time: float) -> Float64:
        position, angles = unrest(time)
        pan = np.array([0.0, -0.018 + 0.036 * ease(time / FRAMES), 0.004 * np.sin(time / 30)])
        return look(position, angles + np.array([0.005, 0, 0]) + pan)

    return Scene(
        "breakwater", WIDTH, HEIGHT, FRAMES, RATE, camera, planes, (Surface("sky", corners),), Lens(FOCAL_PX, 0.10),
        Sensor(shutter=0.35), seed=63,
    )  # fmt: skip
