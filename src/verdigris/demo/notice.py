"""The scene of the notice: pale paper behind the glass of the office door, the quay mirrored over it."""

import cv2
import numpy as np

from verdigris.core.types import Float32, Float64
from verdigris.demo import harbour
from verdigris.demo.print_work import door_notice, linear, worn
from verdigris.demo.scene import Lens, Plane, Scene, Sensor, Surface, ease, hand_held, look, standing_plane
from verdigris.demo.textures import Rng, fill_box, flat_colour, fractal_noise, over, soft, text_mask, with_alpha

WIDTH, HEIGHT, FRAMES, RATE = 1920, 1080, 72, (24, 1)
FOCAL_PX = 2000.0
REFERENCE_FRAME = 58
PX_PER_M = 900.0
DOOR_M = (1.9, 2.4)
PANE_M = (0.30, 0.25, 1.60, 2.15)
PAPER_M = (0.62, 0.62, 1.28, 1.50)
AWAY_M = 2.0


def _door(rng: Rng) -> Float32:
    """Painted wood around a pane; behind the pane a dim office and the paper, stuck to the glass from inside."""
    s = PX_PER_M
    w, h = round(DOOR_M[0] * s), round(DOOR_M[1] * s)
    rgb = (
        flat_colour(h, w, (0.075, 0.155, 0.165))
        * (1 + 0.05 * fractal_noise(rng, h, w, 160, 6) + 0.03 * fractal_noise(rng, h, w, 4, 2))[..., None]
    )
    rgb = np.asarray(rgb, np.float32)
    x0, y0, x1, y1 = (v * s for v in PANE_M)
    fill_box(rgb, (0.045, 0.10, 0.105), x0 - 26, y0 - 26, x1 + 26, y1 + 26, 6)
    y = np.linspace(0, 1, h, dtype=np.float32)[:, None]
    room = flat_colour(h, w, (0.038, 0.034, 0.030)) * (1 + 0.35 * fractal_noise(rng, h, w, 300, 4) - 0.3 * y)[..., None]
    fill_box(rgb, np.asarray(soft(np.asarray(np.clip(room, 0.004, None), np.float32), 12), np.float32), x0, y0, x1, y1)
    fill_box(rgb, (0.16, 0.12, 0.06), x0 + 60, y0 + 120, x0 + 210, y0 + 260, 20, 0.5)
    px0, py0, px1, py1 = (round(v * s) for v in PAPER_M)
    paper = worn(rng, linear(door_notice(px1 - px0, py1 - py0), 0.50), 160, 0.03)
    rgb[py0:py1, px0:px1] = paper
    for cx, cy in ((px0 + 18, py0 + 10), (px1 - 18, py0 + 10), (px0 + 18, py1 - 10), (px1 - 18, py1 - 10)):
        fill_box(rgb, (0.42, 0.38, 0.26), cx - 26, cy - 12, cx + 26, cy + 12, strength=0.55)
    over(rgb, (0.62, 0.58, 0.48), text_mask(h, w, [("PUSH", 1.40 * s, 1.98 * s, 0.075 * s, 600)]) * 0.8)
    fill_box(rgb, (0.30, 0.27, 0.20), 1.68 * s, 1.10 * s, 1.73 * s, 1.42 * s, 16)
    return with_alpha(soft(rgb, 0.7), np.ones((h, w), np.float32))


def notice_scene() -> Scene:
    """Build the scene; the same every time."""
    rng = np.random.default_rng(96)
    right, down, _ = np.eye(3)
    origin = np.array([-DOOR_M[0] / 2, -1.15, AWAY_M])
    door_m = standing_plane(origin, right, down, PX_PER_M)
    x0, y0, x1, y1 = PAPER_M
    corners = np.array([origin + right * x + down * y for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1))])
    mirror = soft(harbour.backdrop(rng, 2600, 1500, 760), 2.5)[:, ::-1]
    door, wall = _door(rng), soft(harbour.office_wall(rng, 8.0, 5.0, 170), 0.8)
    px0, py0, px1, py1 = PANE_M
    pane_w, pane_h = round((px1 - px0) * 500), round((py1 - py0) * 500)
    pane_m = standing_plane(origin + right * px0 + down * py0, right, down, 500.0)
    unrest = hand_held(37, 0.010, 0.0034, RATE[0] / RATE[1])

    def position(time: float) -> Float64:
        u = ease(time / FRAMES)
        return np.asarray(unrest(time)[0] + np.array([-0.26 + 0.40 * u, -0.02, -0.35 + 0.55 * u]), np.float64)

    def reflection(time: float) -> Float32:
        # What is mirrored lies far behind the camera: it hangs on the viewer, not on the glass.
        x, y, z = position(time)
        scale = 1.0 + 0.10 * z
        left, top = 560 + 700 * x, 330 + 700 * y
        ys, xs = np.mgrid[0:pane_h, 0:pane_w].astype(np.float32)
        at = [np.asarray(v, np.float32) for v in (left + xs * 1.6 * scale, top + ys * 0.9 * scale)]
        seen = cv2.remap(mirror, at[0], at[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
        light = seen.copy()
        light[..., :3] = 0.15 * seen[..., :3]
        light[..., 3] = 0
        return np.ascontiguousarray(light, np.float32)

    planes = (
        Plane("wall", standing_plane(np.array([-4.0, -2.2, AWAY_M + 0.25]), right, down, 170.0), lambda _t: wall, far=True),
        Plane("door", door_m, lambda _t: door), Plane("mirror", pane_m, reflection),
    )  # fmt: skip

    def camera(time: float) -> Float64:
        u = ease(time / FRAMES)
        aim = np.array([0.0, 0.10 - 0.16 * u, 0.01 * np.sin(time / 9)])
        return look(position(time), unrest(time)[1] + aim)

    return Scene(
        "notice", WIDTH, HEIGHT, FRAMES, RATE, camera, planes, (Surface("paper", corners),), Lens(FOCAL_PX, 0.2),
        Sensor(shot=4.0e-5, read=0.0022, exposure=1.25), seed=96,
    )  # fmt: skip
