"""Twins of signs: the same plate with the old picture on the surface, and with the new one really there."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import cv2
import numpy as np

from verdigris.core.geometry.homography import homography_from_quads
from verdigris.core.geometry.lens import Lens
from verdigris.core.light.transfer import linear_to_srgb, srgb_to_linear
from verdigris.core.types import Float32, Float64
from verdigris.demo.print_work import inspector_screen, sailing_poster, tea_label

WIDTH, HEIGHT, FINE, FRAMES = 640, 360, 3, 16
ART = (900, 640)

Field = Callable[[Float32, Float32, float], Float32]


def _linear(codes: Any, size: tuple[int, int] = ART) -> Float32:
    small = cv2.resize(np.asarray(codes, np.uint8), size, interpolation=cv2.INTER_AREA)
    return srgb_to_linear(small.astype(np.float64) / 255).astype(np.float32)


def old_poster() -> Float32:
    """The old print: a poster with bare paper around and inside."""
    art = np.ones((ART[1], ART[0], 3), np.float32)
    art[60:400, 60:840] = _linear(sailing_poster(780, 340, False), (780, 340))
    for k in range(9):
        cv2.rectangle(art, (70, 430 + 20 * k), (330 + 37 * ((k * 5) % 9), 440 + 20 * k), (0.02, 0.02, 0.025), -1)
    cv2.rectangle(art, (700, 440), (830, 610), (0.0, 0.0, 0.0), -1)
    return art


def fine_print() -> Float32:
    """A print of small letters all over."""
    art = np.full((ART[1], ART[0], 3), 255, np.uint8)
    rng = np.random.default_rng(4)
    for row in range(30):
        for col in range(26):
            if rng.random() < 0.8:
                letter = chr(65 + int(rng.integers(26)))
                cv2.putText(art, letter, (18 + 34 * col, 36 + 21 * row), cv2.FONT_HERSHEY_SIMPLEX, 0.6, (0, 0, 0), 2)
    return srgb_to_linear(art / 255.0).astype(np.float32)


def new_picture() -> Float32:
    """What goes there."""
    art = _linear(tea_label(640, 900, True), (640, 900))
    wide = np.ones((ART[1], ART[0], 3), np.float32) * np.array([0.75, 0.7, 0.55], np.float32)
    wide[:, 120:560] = cv2.resize(art, (440, ART[1]), interpolation=cv2.INTER_AREA)
    wide[60:580, 600:850] = _linear(inspector_screen(250, 520), (250, 520))
    return wide


@dataclass(frozen=True)
class Scene:
    """One case; light, reflections and shadow are functions of the surface's unit square and the frame.

    Attributes
    ----------
    kind : print or screen
    old : the old picture, linear codes 0..1
    paper, ink : light of paper and of black ink under light 1; for a screen, its white and nothing
    light : factor
    gloss : light added, the same under whichever picture
    move : how far the surface moves a frame, px, and how far it runs out of the picture
    blur : camera softness at a frame, px
    shutter : share of a frame it is open
    noise : of codes: read noise and what grows with the root of light
    correlated : how far noise is smeared, px
    spots : unit-square quads and their code
    finger : a finger passes in front
    film : written as a compressed film
    k1 : of the lens
    glow : light the screen throws on the wall
    known : the old picture is there as a file
    folds : two folds run down the surface
    halo : amount and reach of the camera's sharpening, px
    fringe : how much larger red and blue are drawn
    """

    name: str
    kind: str = "print"
    old: Callable[[], Float32] = old_poster
    paper: tuple[float, float, float] = (0.62, 0.57, 0.48)
    ink: float = 0.05
    light: Field = field(default=lambda u, v, n: 0.8 + 0.25 * u - 0.2 * (v - 0.3) ** 2)
    gloss: Field | None = None
    move: float = 2.0
    drift: float = 0.0
    blur: Callable[[float], float] = field(default=lambda n: 0.55)
    shutter: float = 0.0
    noise: tuple[float, float] = (0.0015, 0.003)
    correlated: float = 0.0
    spots: tuple[tuple[float, float, float, float, tuple[int, int, int]], ...] = (
        (0.015, 0.02, 0.05, 0.6, (255, 255, 255)),
        (0.79, 0.71, 0.91, 0.93, (0, 0, 0)),
    )
    finger: bool = False
    film: bool = False
    k1: float = 0.0
    white_told: bool = False
    glow: float = 0.0
    known: bool = False
    folds: bool = False
    halo: tuple[float, float] = (0.0, 1.0)
    fringe: tuple[float, float] = (0.0, 0.0)


def _shadow_edge(u: Float32, v: Float32, n: float) -> Float32:
    return (0.9 - 0.55 * (u + 0.25 * v < -0.12 + 0.075 * n)).astype(np.float32)


def _highlight(u: Float32, v: Float32, n: float) -> Float32:
    at = 0.1 + 0.055 * n
    return (0.35 * np.exp(-(((u + 0.3 * v - at) / 0.07) ** 2))).astype(np.float32)


def _window(u: Float32, v: Float32, n: float) -> Float32:
    inside = (np.abs(u - 0.35 - 0.01 * n) < 0.16) & (np.abs(v - 0.4) < 0.2)
    bars = (np.abs((u - 0.01 * n) % 0.16 - 0.08) > 0.012) & (np.abs(v % 0.2 - 0.1) > 0.01)
    return (0.02 + 0.16 * (inside & bars) + 0.03 * u).astype(np.float32)


def _veil(u: Float32, v: Float32, n: float) -> Float32:
    return np.full_like(u, 0.015)


def _even(u: Float32, v: Float32, n: float) -> Float32:
    return np.ones_like(u)


def _screen(u: Float32, v: Float32, n: float) -> Float32:
    return (1 - 0.18 * ((u - 0.5) ** 2 + (v - 0.5) ** 2)).astype(np.float32)


def flat(*rgb: float) -> Callable[[], Float32]:
    """A picture of one colour."""
    return lambda: np.broadcast_to(np.array(rgb, np.float32), (ART[1], ART[0], 3)).copy()


WHOLE = (0.1, 0.55, 0.4, 0.9)
SCENES: tuple[Scene, ...] = (
    Scene("still poster"),
    Scene("moving shadow edge", light=_shadow_edge),
    Scene("green phone, finger", kind="screen", old=flat(0, 1, 0), paper=(0.8, 0.8, 0.8), ink=0.0, light=_screen, gloss=_veil, finger=True,
          spots=((*WHOLE, (0, 255, 0)),), white_told=True),
    Scene("dark phone, reflections", kind="screen", old=flat(0, 0, 0), paper=(0.7, 0.7, 0.7), ink=0.0, light=_even, gloss=_window,
          spots=((*WHOLE, (0, 0, 0)),), white_told=True),
    Scene("motion blur", move=11.0, shutter=0.5),
    Scene("focus pull", blur=lambda n: 0.6 + 1.9 * float(np.sin(np.pi * n / 30)) ** 2),
    Scene("glossy carton", gloss=_highlight),
    Scene("warm noisy night", paper=(0.24, 0.15, 0.07), noise=(0.012, 0.02), correlated=0.7),
    Scene("fine print, leaving", old=fine_print, drift=22.0, spots=((0.0, 0.0, 0.99, 0.02, (255, 255, 255)),)),
    Scene("barrel lens", k1=-0.12),
    Scene("lit screen at dusk", kind="screen", old=flat(0.6, 0.6, 0.6), paper=(1.2, 1.25, 1.4), ink=0.0, light=_screen, gloss=_veil,
          glow=0.12,
          spots=((*WHOLE, (203, 203, 203)),), finger=True),
    Scene("camera film", noise=(0.004, 0.006), film=True),
    Scene("old picture known, folds", known=True, folds=True, spots=()),
    Scene("lit screen, picture known", kind="screen", old=old_poster, paper=(0.9, 0.95, 1.1), ink=0.0, light=_screen, gloss=_veil,
          known=True, spots=()),
    Scene("sharpening camera", halo=(0.7, 1.2)),
    Scene("colour fringe", fringe=(0.003, -0.002)),
)  # fmt: skip


def corners_at(scene: Scene, n: float) -> Float64:
    """Where the surface is, ideal px (before a lens)."""
    dx, dy = scene.move * 4 * np.sin(n / 5), scene.move * np.sin(n / 7)
    grow = 1 + 0.012 * np.sin(n / 6)
    quad = (np.array([[150.0, 70], [482, 52], [470, 296], [160, 280]]) - [320, 180]) * grow + [320, 180]
    return quad + np.array([dx + scene.drift * n, dy])


@dataclass(frozen=True)
class Frame:
    """One frame: the plate, its twin without noise and with it, corners as seen, and what is in front."""

    plate: Float32
    twin: Float32
    noisy_twin: Float32
    corners: Float64
    front: Float32


def lens_of(scene: Scene) -> Lens | None:
    """The scene's lens."""
    return Lens((WIDTH / 2, HEIGHT / 2), float(np.hypot(WIDTH, HEIGHT)) / 2, scene.k1, 0.0) if scene.k1 else None


def frame_of(scene: Scene, n: int, seed: int) -> Frame:
    """One frame, drawn; plate and twin in codes with noise, the twin also without."""
    count = 9 if scene.shutter else 1
    moments = [n + scene.shutter * ((k + 0.5) / count - 0.5) for k in range(count)]
    total_old: Any = 0.0
    total_new: Any = 0.0
    front: Any = 0.0
    for t in moments:
        old, new, cover = _moment(scene, t)
        total_old, total_new, front = total_old + old / count, total_new + new / count, front + cover[..., None] / count
    old, new = (_camera(np.asarray(v, np.float32), scene, n) for v in (total_old, total_new))
    rng = np.random.default_rng([seed, n])
    white = rng.standard_normal(old.shape).astype(np.float32)
    if scene.correlated:
        white = cv2.GaussianBlur(white, (0, 0), scene.correlated)
        white /= white.std()
    noisy = [np.clip(_sharp(_codes(v) + _deviation(scene, v) * white, scene), 0, 1).astype(np.float32) for v in (old, new)]
    lens = lens_of(scene)
    corners = corners_at(scene, n)
    return Frame(
        noisy[0],
        np.clip(_sharp(_codes(new), scene), 0, 1),
        noisy[1],
        corners if lens is None else lens.distort(corners),
        _camera(np.asarray(front, np.float32), scene, n)[..., 0],
    )


def _deviation(scene: Scene, light: Float32) -> Float32:
    read, shot = scene.noise
    return np.asarray(read + shot * np.sqrt(np.clip(light, 0, 1)), np.float32)


def _codes(light: Float32) -> Float32:
    return np.clip(linear_to_srgb(np.asarray(light, np.float64)), 0, 1).astype(np.float32)


def _sharp(codes: Float32, scene: Scene) -> Float32:
    amount, reach = scene.halo
    return codes + np.float32(amount) * (codes - cv2.GaussianBlur(codes, (0, 0), reach)) if amount else codes


def _camera(light: Float32, scene: Scene, n: float) -> Float32:
    light = light if light.ndim == 3 else light[..., None]
    for channel, k in zip((0, 2), scene.fringe, strict=True):
        if k and light.shape[2] == 3:
            h, w = light.shape[:2]
            larger = np.array([[1 + k, 0, -k * w / 2], [0, 1 + k, -k * h / 2]])
            light[..., channel] = cv2.warpAffine(light[..., channel].copy(), larger, (w, h), borderMode=cv2.BORDER_REPLICATE)
    soft = cv2.GaussianBlur(light, (0, 0), scene.blur(n) * FINE)
    soft = soft if soft.ndim == 3 else soft[..., None]
    return np.asarray(soft.reshape(HEIGHT, FINE, WIDTH, FINE, -1).mean(axis=(1, 3)), np.float32)


def _moment(scene: Scene, t: float) -> tuple[Float32, Float32, Float32]:
    """Light of fine px with old and new picture, and what covers."""
    y, x = np.mgrid[0 : HEIGHT * FINE, 0 : WIDTH * FINE].astype(np.float32)
    x, y = (x + 0.5) / FINE, (y + 0.5) / FINE
    lens = lens_of(scene)
    if lens is not None:
        at = np.stack(np.meshgrid(np.arange(WIDTH) + 0.5, np.arange(HEIGHT) + 0.5), axis=2).reshape(-1, 2)
        grid = lens.undistort(at).reshape(HEIGHT, WIDTH, 2)
        fine = cv2.resize(grid.astype(np.float32), (WIDTH * FINE, HEIGHT * FINE), interpolation=cv2.INTER_LINEAR)
        x, y = fine[..., 0], fine[..., 1]
    m = homography_from_quads(corners_at(scene, t), np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]]))
    w = m[2, 0] * x + m[2, 1] * y + m[2, 2]
    u = ((m[0, 0] * x + m[0, 1] * y + m[0, 2]) / w).astype(np.float32)
    v = ((m[1, 0] * x + m[1, 1] * y + m[1, 2]) / w).astype(np.float32)
    on = ((u >= 0) & (u <= 1) & (v >= 0) & (v <= 1))[..., None]
    wall = np.stack([0.22 + 0.05 * np.sin(x / 23), 0.2 + 0.05 * np.cos(y / 17 + x / 60), np.full_like(x, 0.18)], axis=-1)
    light = scene.light(u, v, t)[..., None]
    if scene.folds:
        light = light * (1 - 0.22 * np.exp(-(((u - 0.34) / 0.025) ** 2)) + 0.18 * np.exp(-(((u - 0.66) / 0.02) ** 2)))[..., None]
    add = scene.gloss(u, v, t)[..., None] if scene.gloss else np.float32(0)
    paper = np.array(scene.paper, np.float32)
    out = []
    for art in (scene.old(), new_picture()):
        seen = cv2.remap(art, u * art.shape[1] - 0.5, v * art.shape[0] - 0.5, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        surface = light * paper * (scene.ink + (1 - scene.ink) * seen) + add
        around = wall * light.clip(0.3, 1.2) if scene.kind == "print" else wall * 0.5
        if scene.glow:
            thrown = cv2.GaussianBlur((surface * on)[:: 2 * FINE, :: 2 * FINE], (0, 0), 12)
            around = around + scene.glow * cv2.resize(thrown, (WIDTH * FINE, HEIGHT * FINE), interpolation=cv2.INTER_LINEAR)
        out.append(np.asarray(np.where(on, surface, around), np.float32))
    cover = np.zeros_like(x)
    if scene.finger:
        px = np.mgrid[0 : HEIGHT * FINE, 0 : WIDTH * FINE].astype(np.float32) / FINE
        cover = ((np.abs(px[1] - 300 - 3 * t - 0.2 * (px[0] - 200)) < 17) & (px[0] > 170)).astype(np.float32)
        skin = np.array([0.36, 0.21, 0.14], np.float32) * (1 + 0.1 * np.sin(px[1] / 5))[..., None]
        out = [np.where(cover[..., None] > 0, skin, v).astype(np.float32) for v in out]
    return out[0], out[1], cover
