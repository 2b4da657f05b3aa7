"""The scene of the demo shot: a ticket kiosk on a ferry quay, hand-held."""

from functools import lru_cache

import cv2
import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.types import Float32, Float64
from verdigris.demo import harbour
from verdigris.demo.arm import arm_outline, arm_texture
from verdigris.demo.board_content import old_screen
from verdigris.demo.scene import Lens, Plane, Scene, Surface, ease, hand_held, look, plane_through_view, standing_plane
from verdigris.demo.textures import Rng, box_mask, fill_box, flat_colour, fractal_noise, over, soft, text_mask, with_alpha

WIDTH, HEIGHT, FRAMES, RATE = 1920, 1080, 120, (24, 1)
FOCAL_PX = 2000.0
EYE_M = 1.55
FACE_PX_PER_M = 720.0
FACE_M = (1.06, 2.06)
SCREEN_M = (0.11, 0.17, 0.95, 0.80)
REFERENCE_FRAME = 24
ARM_FRAMES = (36.0, 88.0)


def _face(rng: Rng) -> Float32:
    """The kiosk's front: powder-coated metal, header, screen well, slots, notices, screws, wear."""
    s = FACE_PX_PER_M
    w, h = round(FACE_M[0] * s), round(FACE_M[1] * s)
    peel = fractal_noise(rng, h, w, 3.5, 2)
    rgb = flat_colour(h, w, (0.060, 0.098, 0.104))
    y = np.linspace(0, 1, h, dtype=np.float32)[:, None]
    x = np.linspace(0, 1, w, dtype=np.float32)[None, :]
    rgb *= ((1.30 - 0.55 * y) * (1.10 - 0.25 * x) * (1 + 0.055 * peel + 0.10 * fractal_noise(rng, h, w, 160, 6)))[..., None]
    x0, y0, x1, y1 = (v * s for v in SCREEN_M)
    fill_box(rgb, (0.235, 0.205, 0.155), 0.05 * s, 0.035 * s, w - 0.05 * s, 0.125 * s, 6)
    type_lines = [("Tickets and timetable", 0.075 * s, 0.104 * s, 0.062 * s, 600)]
    over(rgb, (0.030, 0.052, 0.056), text_mask(h, w, type_lines))
    over(
        rgb,
        (0.20, 0.22, 0.215),
        box_mask(h, w, x0 - 22, y0 - 22, x1 + 22, y1 + 22, 14) - box_mask(h, w, x0 - 19, y0 - 19, x1 + 19, y1 + 19, 12),
    )
    fill_box(rgb, (0.017, 0.019, 0.021), x0 - 17, y0 - 17, x1 + 17, y1 + 17, 10)
    glass_wear = np.clip(fractal_noise(rng, h, w, 5, 3) - 1.6, 0, 1) * 0.5
    over(rgb, (0.11, 0.11, 0.10), np.asarray(glass_wear * box_mask(h, w, x0 - 17, y0 - 17, x1 + 17, y1 + 17), np.float32))
    below = y1 + 0.075 * s
    fill_box(rgb, (0.012, 0.013, 0.014), 0.13 * s, below, 0.30 * s, below + 13, 5)
    fill_box(rgb, (0.20, 0.50, 0.42), 0.32 * s, below + 2, 0.332 * s, below + 11, 4)
    fill_box(rgb, (0.46, 0.43, 0.36), 0.60 * s, below - 22, 0.93 * s, below + 0.12 * s, 3)
    notice = [
        ("Cards and coins.", 0.62 * s, below + 8, 21, 600),
        ("No change given after", 0.62 * s, below + 34, 19, 400),
        ("the last sailing.", 0.62 * s, below + 56, 19, 400),
    ]
    over(rgb, (0.05, 0.045, 0.04), text_mask(h, w, notice))
    for sx in (0.028, FACE_M[0] - 0.028):
        for sy in (0.06, 0.30, 0.55, 0.80, 1.05):
            cx, cy = sx * s, sy * s
            fill_box(rgb, (0.19, 0.20, 0.20), cx - 8, cy - 8, cx + 8, cy + 8, 8)
            fill_box(rgb, (0.03, 0.03, 0.03), cx - 5, cy - 1.2, cx + 5, cy + 1.2, strength=0.8)
    for i in range(9):
        yy = below + 0.17 * s + i * 15
        fill_box(rgb, (0.014, 0.016, 0.017), 0.13 * s, yy, 0.45 * s, yy + 6, 3)
    sticker = (0.035 * s, 0.62 * s)
    fill_box(rgb, (0.58, 0.40, 0.11), sticker[0], sticker[1], sticker[0] + 46, sticker[1] + 40, 5)
    over(rgb, (0.03, 0.03, 0.03), text_mask(h, w, [("12", sticker[0] + 8, sticker[1] + 30, 27, 700)]))
    for _ in range(46):
        a = rng.uniform([0, 0], [w, h])
        b = a + rng.normal(0, 34, 2)
        mark = np.zeros((h, w), np.uint8)
        cv2.line(mark, tuple(int(v * 16) for v in a), tuple(int(v * 16) for v in b), 255, 1, cv2.LINE_AA, 4)
        over(rgb, (0.20, 0.22, 0.22), mark.astype(np.float32) / 255 * float(rng.uniform(0.15, 0.6)))
    grime = np.clip(fractal_noise(rng, h, w, 70, 6, 0.6) - 0.6, 0, 1.5) * (0.25 + 0.6 * y)
    over(rgb, (0.055, 0.045, 0.034), np.asarray(np.clip(grime, 0, 0.6), np.float32))
    edge = box_mask(h, w, 0, 0, w, h, 10) - box_mask(h, w, 5, 5, w - 5, h - 5, 8)
    rgb += (0.075 * edge * (1.2 - y))[..., None]
    return with_alpha(soft(rgb, 0.8), box_mask(h, w, 1, 1, w - 1, h, 10, 1.0))


def _side(rng: Rng) -> Float32:
    s = 500.0
    w, h = round(0.34 * s), round(FACE_M[1] * s)
    x = np.linspace(0, 1, w, dtype=np.float32)[None, :]
    rgb = flat_colour(h, w, (0.030, 0.048, 0.052)) * ((0.7 + 0.5 * x) * (1 + 0.12 * fractal_noise(rng, h, w, 40, 5)))[..., None]
    return with_alpha(soft(np.asarray(rgb, np.float32), 1.0), np.ones((h, w), np.float32))


def _reflection(rng: Rng, width: int, height: int) -> Float32:
    """Sky and quay mirrored in the glass, added light (alpha 0), three times as wide as the screen."""
    y = np.linspace(0, 1, height, dtype=np.float32)[:, None]
    cloud = fractal_noise(rng, height, width * 3, 150, 5)
    band = np.clip(np.sin(np.linspace(0, 9, width * 3, dtype=np.float32))[None, :] + 0.9 * y - 0.6, 0, 1)
    light = 0.020 * (1.2 - y) * (1 + 0.4 * cloud) + 0.022 * soft(np.asarray(band, np.float32), 12)
    rgb = np.stack([light * 0.92, light, light * 1.12], axis=2)
    return np.concatenate([np.clip(rgb, 0, None), np.zeros((height, width * 3, 1), np.float32)], axis=2).astype(np.float32)


@lru_cache(maxsize=6)
def _content(width: int, height: int, frame: int) -> Float32:
    rgb = old_screen(width, height, frame)
    return np.ascontiguousarray(np.concatenate([rgb, np.ones((height, width, 1), np.float32)], axis=2))


def arm_offset(time: float) -> Float64:
    """How far the arm is from its nearest place, metres."""
    start, end = ARM_FRAMES
    coming, going = ease((time - start) / 18), ease((time - end + 20) / 20)
    away = (1 - coming) + going
    sway = 0.012 * np.sin(time * 0.33)
    return np.array([0.72 * away + sway, 0.62 * away + 0.5 * sway, 0.0])


def kiosk_scene() -> Scene:
    """Build the scene; the same every time."""
    rng = np.random.default_rng(20)
    view_w, view_h = 2500, 1500
    centre = (view_w / 2, view_h / 2)
    turn = np.deg2rad(19.0)
    across = np.array([np.cos(turn), 0.0, np.sin(turn)])
    down, back = np.array([0.0, 1.0, 0.0]), np.array([-np.sin(turn), 0.0, np.cos(turn)])
    origin = np.array([-0.62, EYE_M - FACE_M[1], 2.62])
    face_m = standing_plane(origin, across, down, FACE_PX_PER_M)
    x0, y0, x1, y1 = SCREEN_M
    screen_origin = origin + across * x0 + down * y0
    sw, sh = round((x1 - x0) * FACE_PX_PER_M), round((y1 - y0) * FACE_PX_PER_M)
    screen_m = standing_plane(screen_origin, across, down, FACE_PX_PER_M)
    corners = np.array(
        [
            screen_origin,
            screen_origin + across * (x1 - x0),
            screen_origin + across * (x1 - x0) + down * (y1 - y0),
            screen_origin + down * (y1 - y0),
        ]
    )
    drop = EYE_M + 0.0
    kiosk_mid = origin + across * FACE_M[0] / 2 + back * 0.17
    shadows = [
        (float(kiosk_mid[0]), float(kiosk_mid[2]), 0.50, 0.18, 0.65),
        (2.35, 8.0, 0.25, 6.0, 0.55),
        (-1.95, 8.2, 0.16, 0.14, 0.5),
        (0.85, 10.4, 0.16, 0.14, 0.5),
    ]
    textures = {
        "backdrop": soft(harbour.backdrop(rng, view_w, view_h, view_h / 2 - 14), 2.4),
        "ferry": soft(harbour.ferry(rng, 900, 420), 1.5),
        "quay": harbour.quay(rng, view_w, view_h, FOCAL_PX, centre, drop, shadows),
        "wall": soft(harbour.office_wall(rng, 8.0, 5.0, 170), 0.8),
        "bollard": harbour.bollard(rng),
        "side": _side(rng),
        "face": _face(rng),
        "mirror": _reflection(rng, sw, sh),
        "arm": soft(arm_texture(rng), 0.7),
    }

    def still(name: str) -> Plane:
        texture = textures[name]
        return Plane(name, matrices[name], lambda _t: texture, far=name in ("backdrop", "ferry", "quay", "wall"))

    def mirrored(time: float) -> Float32:
        shift = int(sw * (0.9 + 0.16 * np.sin(time * 0.045)))
        return np.ascontiguousarray(textures["mirror"][:, shift : shift + sw])

    arm_scale = FOCAL_PX / 2.15
    arm_m = standing_plane(np.array([-0.165, 0.005, 2.15]), np.array([1.0, 0, 0]), down, arm_scale)

    def arm_placed(time: float) -> Float64:
        m = np.eye(4)
        m[:3, 3] = arm_offset(time)
        return m

    matrices = {
        "backdrop": plane_through_view(FOCAL_PX, centre, 1.0, np.array([0.0, 0, 1]), 180.0),
        "ferry": standing_plane(np.array([-22.0, -5.4, 52.0]), np.array([1.0, 0, 0]), down, 44.0),
        "quay": plane_through_view(FOCAL_PX, centre, 1.0, down, drop),
        "wall": standing_plane(np.array([2.65, EYE_M - 5.0, 12.4]), np.array([0.0, 0, -1]), down, 170.0),
        "bollard": standing_plane(np.array([-2.16, EYE_M - 0.66, 8.2]), np.array([1.0, 0, 0]), down, 360.0),
        "side": standing_plane(origin + back * 0.34, -back, down, 500.0),
        "face": face_m,
        "mirror": screen_m,
    }
    second = np.array([0.66, EYE_M - 0.66, 10.4])
    planes = (
        still("backdrop"), still("ferry"), still("quay"), still("wall"), still("bollard"),
        Plane("bollard 2", standing_plane(second, np.array([1.0, 0, 0]), down, 360.0), lambda _t: textures["bollard"]),
        still("side"), still("face"),
        Plane("screen", screen_m, lambda t: _content(sw, sh, round(t))), Plane("mirror", screen_m, mirrored),
        Plane("arm", arm_m, lambda _t: textures["arm"], arm_placed, ARM_FRAMES),
    )  # fmt: skip
    unrest = hand_held(5, 0.010, 0.0048, RATE[0] / RATE[1])

    def camera(time: float) -> Float64:
        position, angles = unrest(time)
        u = time / FRAMES
        walk = np.array([-0.17 + 0.34 * ease(u), 0.02 * np.sin(3 * u), 0.20 * ease(u * 0.9)])
        pan = np.array([0.0, -0.055 + 0.035 * ease(u), 0.012 * np.sin(4 * u)])
        return look(position + walk, angles + pan)

    outline = arm_outline()

    def arm_shape(time: float) -> Float64 | None:
        if not ARM_FRAMES[0] <= time <= ARM_FRAMES[1]:
            return None
        return apply_homography(scene.projection(time) @ arm_placed(time) @ arm_m, outline)

    scene = Scene(
        "kiosk", WIDTH, HEIGHT, FRAMES, RATE, camera, planes, (Surface("screen", corners),), Lens(FOCAL_PX), seed=20,
        occluder_shapes={"arm": arm_shape},
    )  # fmt: skip
    return scene
