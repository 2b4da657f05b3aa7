"""The scene of the harbour tram: its flank drives through the picture and out of it, past a lamp post."""

import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.types import Float32, Float64
from verdigris.demo import harbour
from verdigris.demo.print_work import linear, tram_panel, worn
from verdigris.demo.scene import Lens, Plane, Scene, Sensor, Surface, hand_held, look, moved, plane_through_view, standing_plane
from verdigris.demo.textures import Rng, box_mask, fill_box, flat_colour, fractal_noise, over, soft, text_mask, with_alpha

WIDTH, HEIGHT, FRAMES, RATE = 1920, 1080, 96, (24, 1)
FOCAL_PX = 1500.0
REFERENCE_FRAME = 46
DROP_M = 1.5
TRAM_M = (8.4, 2.75)
PANEL_M = (1.9, 1.30, 6.4, 1.80)
PX_PER_M = 230.0
DEPTH_M = 7.4
SLANT = np.deg2rad(9.0)
PACE_M = 0.15


def _flank(rng: Rng) -> Float32:
    """Painted steel with doors, windows, the panel and wheels."""
    s = PX_PER_M
    w, h = round(TRAM_M[0] * s), round(TRAM_M[1] * s)
    y = np.linspace(0, 1, h, dtype=np.float32)[:, None]
    rgb = flat_colour(h, w, (0.055, 0.17, 0.165)) * ((1.25 - 0.5 * y) * (1 + 0.05 * fractal_noise(rng, h, w, 120, 6)))[..., None]
    rgb = np.asarray(rgb, np.float32)
    fill_box(rgb, (0.62, 0.58, 0.48), 0, 0.10 * s, w, 0.24 * s)
    sky = np.clip(0.42 - 0.5 * y + 0.10 * fractal_noise(rng, h, w, 70, 5), 0.02, 1)
    pane = np.stack([sky * 0.75, sky * 0.85, sky], axis=2).astype(np.float32)
    for x in np.arange(1.9, 6.3, 1.15):
        fill_box(rgb, (0.02, 0.022, 0.024), (x - 0.03) * s, 0.33 * s, (x + 1.07) * s, 1.20 * s, 14)
        fill_box(rgb, pane, x * s, 0.36 * s, (x + 1.04) * s, 1.17 * s, 12)
    for x in (0.45, 6.9):
        fill_box(rgb, (0.045, 0.135, 0.13), x * s, 0.30 * s, (x + 1.05) * s, 2.32 * s, 8)
        for k in (0.0, 0.53):
            fill_box(rgb, pane, (x + 0.05 + k) * s, 0.40 * s, (x + 0.47 + k) * s, 1.9 * s, 10)
    x0, y0, x1, y1 = (round(v * s) for v in PANEL_M)
    rgb[y0:y1, x0:x1] = worn(rng, linear(tram_panel(x1 - x0, y1 - y0, False)), 120, 0.05)
    fill_box(rgb, (0.62, 0.58, 0.48), 0, 1.90 * s, w, 1.95 * s)
    over(
        rgb,
        (0.70, 0.66, 0.55),
        text_mask(h, w, [("3", 1.62 * s, 1.72 * s, 0.30 * s, 700), ("HARBOUR LINE", 3.2 * s, 2.22 * s, 0.16 * s, 600)]),
    )
    for x in np.arange(0.2, TRAM_M[0], 0.24):
        fill_box(rgb, (0.10, 0.22, 0.215), x * s - 2, 1.86 * s - 2, x * s + 2, 1.86 * s + 2, 2)
    fill_box(rgb, (0.02, 0.02, 0.02), 0, 2.36 * s, w, h)
    alpha = box_mask(h, w, 0, 0.02 * s, w, 2.45 * s, 40)
    for x in (1.5, 2.5, 5.9, 6.9):
        cy, cx = np.mgrid[0.5:h, 0.5:w][:, :, :]
        wheel = np.clip(0.28 * s - np.hypot(cx - x * s, cy - 2.45 * s), 0, 1).astype(np.float32)
        over(rgb, (0.05, 0.048, 0.045), wheel)
        alpha = np.maximum(alpha, wheel)
    grime = np.clip(fractal_noise(rng, h, w, 60, 6, 0.6) - 0.9 + 1.2 * y**4, 0, 1)
    over(rgb, (0.05, 0.042, 0.034), np.asarray(np.clip(0.4 * grime, 0, 0.3), np.float32))
    return with_alpha(soft(rgb, 0.6), alpha)


def tram_scene() -> Scene:
    """Build the scene; the same every time."""
    rng = np.random.default_rng(52)
    view_w, view_h = 2700, 1500
    centre = (view_w / 2, view_h / 2)
    across, down = np.array([np.cos(SLANT), 0.0, np.sin(SLANT)]), np.array([0.0, 1.0, 0.0])
    origin = np.array([-TRAM_M[0] / 2, DROP_M - TRAM_M[1] + 0.03, DEPTH_M - 0.6])
    flank_m = standing_plane(origin, across, down, PX_PER_M)
    x0, y0, x1, y1 = PANEL_M
    corners = np.array([origin + across * x + down * y for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1))])
    textures = {
        "backdrop": soft(harbour.backdrop(rng, view_w, view_h, view_h / 2 - 14), 2.2),
        "quay": harbour.quay(rng, view_w, view_h, FOCAL_PX, centre, DROP_M, [(0.0, DEPTH_M, 6.0, 0.5, 0.5)]),
        "wall": soft(harbour.office_wall(rng, 8.0, 5.0, 150), 0.9),
        "flank": _flank(rng),
        "bollard": harbour.bollard(rng),
    }

    def placed(time: float) -> Float64:
        # It gains pace a little, as trams do when they leave a stop.
        way = PACE_M * (time - REFERENCE_FRAME) + 0.00045 * (time - REFERENCE_FRAME) * abs(time - REFERENCE_FRAME)
        sway = 0.006 * np.sin(time * 0.8)
        return moved(np.eye(3), across * way + down * sway)

    def fixed(name: str, matrix: Float64, texture: str, far: bool = True) -> Plane:
        return Plane(name, matrix, lambda _t: textures[texture], far=far)

    bollard_m = standing_plane(np.array([0.9, DROP_M - 0.62, 4.4]), np.array([1.0, 0, 0]), down, 340.0)
    planes = (
        fixed("backdrop", plane_through_view(FOCAL_PX, centre, 1.0, np.array([0.0, 0, 1]), 200.0), "backdrop"),
        fixed("quay", plane_through_view(FOCAL_PX, centre, 1.0, down, DROP_M), "quay"),
        fixed("wall", standing_plane(np.array([2.9, DROP_M - 5.0, 12.4]), np.array([0.55, 0, -0.835]), down, 150.0), "wall"),
        Plane("tram", flank_m, lambda _t: textures["flank"], placed),
        fixed("bollard", bollard_m, "bollard", False),
    )  # fmt: skip
    unrest = hand_held(17, 0.006, 0.0036, RATE[0] / RATE[1])

    def camera(time: float) -> Float64:
        position, angles = unrest(time)
        pan = np.array([0.012, 0.0016 * (time - REFERENCE_FRAME), 0.0])
        return look(position, angles + pan)

    def bollard_outline(time: float) -> Float64:
        shape = np.array([[12.0, 30], [30, 2], [120, 2], [138, 30], [122, 80], [128, 240], [22, 240], [28, 80]])
        return apply_homography(scene.projection(time) @ bollard_m, shape)

    scene = Scene(
        "tram", WIDTH, HEIGHT, FRAMES, RATE, camera, planes, (Surface("panel", corners, placed),), Lens(FOCAL_PX),
        Sensor(shutter=0.4), seed=52, occluder_shapes={"bollard": bollard_outline},
    )  # fmt: skip
    return scene
