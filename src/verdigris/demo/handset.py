"""The scene of the inspector's handset: a blank blue screen with a few small marks, held in a hand whose thumb crosses it."""

import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.types import Float32, Float64
from verdigris.demo.hands import finger_outline, fingers, thumb
from verdigris.demo.scene import Lens, Plane, Scene, Surface, ease, hand_held, look, moved, plane_through_view, rotation, standing_plane
from verdigris.demo.textures import Rng, box_mask, fill_box, flat_colour, fractal_noise, soft, with_alpha

WIDTH, HEIGHT, FRAMES, RATE = 1920, 1080, 84, (24, 1)
FOCAL_PX = 2100.0
REFERENCE_FRAME = 12
BODY_M = (0.094, 0.176)
SCREEN_M = (0.0065, 0.018, 0.0875, 0.158)
PX_PER_M = 6200.0
AWAY_M = 0.44
THUMB_FRAMES = (30.0, 68.0)
BLUE = (0.008, 0.045, 0.62)


def _deck(rng: Rng, width: int, height: int) -> Float32:
    """Planks and railing of a ferry's deck, out of focus."""
    rgb = flat_colour(height, width, (0.17, 0.135, 0.10)) * (1 + 0.10 * fractal_noise(rng, height, width, 120, 5))[..., None]
    rgb = np.asarray(rgb, np.float32)
    for y in range(0, height, 110):
        fill_box(rgb, (0.05, 0.04, 0.035), 0, y, width, y + 9)
        fill_box(rgb, (0.24, 0.19, 0.14), 0, y + 12, width, y + 20, strength=0.5)
    for x in (0.12, 0.55, 0.9):
        fill_box(rgb, (0.55, 0.54, 0.50), x * width, 0, x * width + 46, height, strength=0.9)
    fill_box(rgb, (0.10, 0.16, 0.18), 0, 0, width, height * 0.16)
    return with_alpha(soft(rgb, 11), np.ones((height, width), np.float32))


def _body(rng: Rng) -> Float32:
    """The handset: dark shell, screen lit in key blue, five small marks, a speaker, wear."""
    s = PX_PER_M
    w, h = round(BODY_M[0] * s), round(BODY_M[1] * s)
    rgb = flat_colour(h, w, (0.020, 0.021, 0.023)) * (1 + 0.12 * fractal_noise(rng, h, w, 5, 3))[..., None]
    rgb = np.asarray(rgb, np.float32)
    rim = box_mask(h, w, 0, 0, w, h, 60) - box_mask(h, w, 6, 6, w - 6, h - 6, 56)
    rgb += (0.10 * rim)[..., None]
    x0, y0, x1, y1 = (v * s for v in SCREEN_M)
    glow = 1 + 0.015 * fractal_noise(rng, h, w, 260, 3)
    fill_box(rgb, np.asarray(np.array(BLUE, np.float32) * glow[..., None], np.float32), x0, y0, x1, y1, 8)
    for u, v in ((0.16, 0.12), (0.84, 0.12), (0.84, 0.88), (0.16, 0.88), (0.5, 0.5)):
        cx, cy = x0 + u * (x1 - x0), y0 + v * (y1 - y0)
        fill_box(rgb, (0.20, 0.32, 0.85), cx - 15, cy - 2.6, cx + 15, cy + 2.6)
        fill_box(rgb, (0.20, 0.32, 0.85), cx - 2.6, cy - 15, cx + 2.6, cy + 15)
    fill_box(rgb, (0.006, 0.006, 0.007), w / 2 - 46, 0.0075 * s, w / 2 + 46, 0.0095 * s, 6)
    fill_box(rgb, (0.06, 0.065, 0.07), w / 2 - 34, 0.1625 * s, w / 2 + 34, 0.1705 * s, 20)
    fill_box(rgb, (0.30, 0.22, 0.05), 0.074 * s, 0.1635 * s, 0.083 * s, 0.1690 * s, 4)
    return with_alpha(soft(rgb, 0.7), box_mask(h, w, 1, 1, w - 1, h - 1, 58, 1.0))


def handset_scene() -> Scene:
    """Build the scene; the same every time."""
    rng = np.random.default_rng(85)
    view_w, view_h = 2500, 1450
    right, down, back = np.eye(3)
    half = np.array([BODY_M[0] / 2, BODY_M[1] / 2, 0.0])
    body_m = standing_plane(-half, right, down, PX_PER_M)
    x0, y0, x1, y1 = SCREEN_M
    corners = np.array([[x, y, 0.0] for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1))]) - half
    textures = {"deck": _deck(rng, view_w, view_h), "body": _body(rng), "grip": fingers(rng, False), "thumb": thumb(rng)}
    grip_m = standing_plane(np.array([-half[0] - 0.026 - 550 / 6400.0, -0.028, -0.002]), right, down, 6400.0)
    thumb_m = standing_plane(np.array([-0.006, 0.012, -0.011]), right, down, 5200.0)

    def placed(time: float) -> Float64:
        t = time - REFERENCE_FRAME
        turn = rotation(-0.22 + 0.10 * np.sin(t / 16), 0.16 * np.sin(t / 19 + 0.2), 0.06 + 0.07 * np.sin(t / 23))
        return moved(turn, np.array([0.010 * np.sin(t / 14), 0.004 + 0.008 * np.sin(t / 10), AWAY_M + 0.018 * np.sin(t / 26)]))

    def thumb_placed(time: float) -> Float64:
        start, end = THUMB_FRAMES
        out = 1 - ease((time - start) / 11) + ease((time - end + 12) / 12)
        swipe = 0.018 * np.sin((time - start) / 9)
        return np.asarray(placed(time) @ moved(np.eye(3), np.array([0.052 * out, 0.046 * out + swipe * (1 - out), 0.0])), np.float64)

    planes = (
        Plane("deck", plane_through_view(FOCAL_PX, (view_w / 2, view_h / 2), 1.0, back, 3.5), lambda _t: textures["deck"], far=True),
        Plane("body", body_m, lambda _t: textures["body"], placed),
        Plane("grip", grip_m, lambda _t: textures["grip"], placed),
        Plane("thumb", thumb_m, lambda _t: textures["thumb"], thumb_placed, THUMB_FRAMES),
    )  # fmt: skip
    unrest = hand_held(31, 0.0025, 0.0022, RATE[0] / RATE[1])

    def camera(time: float) -> Float64:
        position, angles = unrest(time)
        return look(position, angles)

    outlines = {"grip": finger_outline(textures["grip"]), "thumb": finger_outline(textures["thumb"])}

    def thumb_shape(time: float) -> Float64 | None:
        if not THUMB_FRAMES[0] <= time <= THUMB_FRAMES[1]:
            return None
        return apply_homography(scene.projection(time) @ thumb_placed(time) @ thumb_m, outlines["thumb"])

    def grip_shape(time: float) -> Float64:
        return apply_homography(scene.projection(time) @ placed(time) @ grip_m, outlines["grip"])

    scene = Scene(
        "handset", WIDTH, HEIGHT, FRAMES, RATE, camera, planes, (Surface("screen", corners, placed),), Lens(FOCAL_PX, 0.2), seed=85,
        occluder_shapes={"thumb": thumb_shape, "grip": grip_shape},
    )  # fmt: skip
    return scene
