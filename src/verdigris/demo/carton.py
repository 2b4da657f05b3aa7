"""The scene of the tea carton: turned in two hands, glossy, fingers on its edges."""

import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.types import Float32, Float64
from verdigris.demo.hands import finger_outline, fingers
from verdigris.demo.print_work import linear, tea_label, worn
from verdigris.demo.scene import Lens, Plane, Scene, Surface, hand_held, look, moved, plane_through_view, rotation, standing_plane
from verdigris.demo.textures import Rng, fill_box, flat_colour, fractal_noise, soft, with_alpha

WIDTH, HEIGHT, FRAMES, RATE = 1920, 1080, 80, (24, 1)
FOCAL_PX = 1900.0
REFERENCE_FRAME = 40
CARTON_M = (0.15, 0.21, 0.075)
PX_PER_M = 4600.0
AWAY_M = 0.56


def _cafe(rng: Rng, width: int, height: int) -> Float32:
    """The ferry's tea room, far out of focus."""
    y = np.linspace(0, 1, height, dtype=np.float32)[:, None]
    rgb = (
        flat_colour(height, width, (0.115, 0.085, 0.060))
        * ((1.3 - 0.8 * y) * (1 + 0.2 * fractal_noise(rng, height, width, 300, 4)))[..., None]
    )
    rgb = np.asarray(rgb, np.float32)
    for _ in range(26):
        x, yy, r = rng.uniform(0, width), rng.uniform(0, height * 0.75), rng.uniform(16, 54)
        glow = np.array([0.9, 0.62, 0.30]) * rng.uniform(0.25, 1.2)
        fill_box(rgb, tuple(glow), x - r, yy - r, x + r, yy + r, r, 0.55)
    fill_box(rgb, (0.34, 0.42, 0.48), width * 0.62, height * 0.08, width * 0.86, height * 0.52, 20, 0.8)
    fill_box(rgb, (0.10, 0.065, 0.04), 0, height * 0.78, width, height)
    return with_alpha(soft(rgb, 15), np.ones((height, width), np.float32))


def _front(rng: Rng) -> Float32:
    w, h = round(CARTON_M[0] * PX_PER_M), round(CARTON_M[1] * PX_PER_M)
    rgb = worn(rng, linear(tea_label(w, h, False), 0.72), 200, 0.025)
    for x in (0.0, w):
        fill_box(rgb, (0.30, 0.32, 0.30), x - 2, 0, x + 2, h, strength=0.5)
    return with_alpha(soft(rgb, 0.6), np.ones((h, w), np.float32))


def _side(rng: Rng) -> Float32:
    w, h = round(CARTON_M[2] * PX_PER_M), round(CARTON_M[1] * PX_PER_M)
    rgb = flat_colour(h, w, (0.012, 0.055, 0.045)) * (1 + 0.05 * fractal_noise(rng, h, w, 60, 4))[..., None]
    rgb = np.asarray(rgb, np.float32)
    for k in range(9):
        fill_box(rgb, (0.45, 0.42, 0.36), 0.14 * w, (0.22 + 0.055 * k) * h, (0.80 - 0.2 * (k % 3 == 2)) * w, (0.232 + 0.055 * k) * h)
    return with_alpha(soft(rgb, 0.7), np.ones((h, w), np.float32))


def _shine(rng: Rng, width: int, height: int) -> Float32:
    """Lamps mirrored in the varnish: added light, three times as wide as the front."""
    light = np.zeros((height, 3 * width), np.float32)
    x = np.arange(3 * width, dtype=np.float32)[None, :]
    y = np.arange(height, dtype=np.float32)[:, None]
    for at, wide, strength in ((0.95, 0.07, 0.34), (1.75, 0.20, 0.11), (2.4, 0.05, 0.26)):
        light += strength * np.exp(-(((x - at * width + 0.25 * (y - height / 2)) / (wide * width)) ** 2))
    light *= 1 + 0.10 * fractal_noise(rng, height, 3 * width, 30, 4)
    rgb = np.stack([light, light * 0.93, light * 0.80], axis=2)
    return np.concatenate([np.clip(rgb, 0, None), np.zeros((height, 3 * width, 1), np.float32)], axis=2).astype(np.float32)


def carton_scene() -> Scene:
    """Build the scene; the same every time."""
    rng = np.random.default_rng(74)
    view_w, view_h = 2300, 1350
    right, down, back = np.eye(3)
    w_m, h_m, d_m = CARTON_M
    half = np.array([w_m / 2, h_m / 2, d_m / 2])
    front_m = standing_plane(np.array([-half[0], -half[1], -half[2]]), right, down, PX_PER_M)
    left_m = standing_plane(np.array([-half[0], -half[1], half[2]]), -back, down, PX_PER_M)
    right_m = standing_plane(np.array([half[0], -half[1], -half[2]]), back, down, PX_PER_M)
    corners = np.array([[x * half[0], y * half[1], -half[2]] for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1))])
    fw, fh = round(w_m * PX_PER_M), round(h_m * PX_PER_M)
    textures = {"cafe": _cafe(rng, view_w, view_h), "front": _front(rng), "side": _side(rng), "shine": _shine(rng, fw, fh)}
    hands = {"left": fingers(rng, False), "right": fingers(rng, True)}
    # Fingers lie a little before the front and grip with the carton.
    grip_px_per_m = 4600.0
    grip = {
        "left": standing_plane(np.array([-half[0] - 0.052 - 550 / grip_px_per_m, 0.002, -half[2] - 0.004]), right, down, grip_px_per_m),
        "right": standing_plane(np.array([half[0] - 0.034, -0.012, -half[2] - 0.004]), right, down, grip_px_per_m),
    }

    def yaw(time: float) -> float:
        return 0.52 * np.sin(2 * np.pi * (time - REFERENCE_FRAME) / 92)

    def placed(time: float) -> Float64:
        t = time - REFERENCE_FRAME
        turn = rotation(0.10 * np.sin(t / 13.0), yaw(time), 0.055 * np.sin(t / 17.0))
        return moved(turn, np.array([0.012 * np.sin(t / 15), 0.010 * np.sin(t / 11), AWAY_M + 0.025 * np.sin(t / 21)]))

    def shine(time: float) -> Float32:
        # A mirror image runs twice as fast as the carton turns.
        shift = round(fw * np.clip(1.0 + 1.35 * yaw(time), 0.02, 1.98))
        return np.ascontiguousarray(textures["shine"][:, shift : shift + fw])

    def seen_side(matrix: Float64, outward: Float64, name: str) -> Plane:
        nothing = np.zeros((2, 2, 4), np.float32)

        def texture(time: float) -> Float32:
            m = placed(time)
            centre = (m @ np.array([*(outward * half), 1.0]))[:3]
            return textures["side"] if (m[:3, :3] @ outward) @ centre < 0 else nothing

        return Plane(name, matrix, texture, placed)

    planes = (
        Plane("cafe", plane_through_view(FOCAL_PX, (view_w / 2, view_h / 2), 1.0, back, 6.0), lambda _t: textures["cafe"], far=True),
        seen_side(left_m, -right, "left side"), seen_side(right_m, right, "right side"),
        Plane("front", front_m, lambda _t: textures["front"], placed), Plane("shine", front_m, shine, placed),
        Plane("left hand", grip["left"], lambda _t: hands["left"], placed),
        Plane("right hand", grip["right"], lambda _t: hands["right"], placed),
    )  # fmt: skip
    unrest = hand_held(29, 0.002, 0.002, RATE[0] / RATE[1])

    def camera(time: float) -> Float64:
        position, angles = unrest(time)
        return look(position, angles)

    outlines = {"left": finger_outline(hands["left"]), "right": finger_outline(hands["right"])}

    def outline_of(side: str, time: float) -> Float64:
        return apply_homography(scene.projection(time) @ placed(time) @ grip[side], outlines[side])

    scene = Scene(
        "carton", WIDTH, HEIGHT, FRAMES, RATE, camera, planes, (Surface("front", corners, placed),), Lens(FOCAL_PX, 0.22), seed=74,
        occluder_shapes={"left hand": lambda t: outline_of("left", t), "right hand": lambda t: outline_of("right", t)},
    )  # fmt: skip
    return scene
