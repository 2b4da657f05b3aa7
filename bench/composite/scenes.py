"""Twin scenes with their truth, drawn at four times the size and reduced by area: linear light, and what covers what."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import cv2
import numpy as np

from verdigris.core.geometry.homography import homography_from_quads
from verdigris.core.types import Float32, Float64

WIDTH, HEIGHT, FINE, FRAMES, EXPOSED = 640, 360, 4, 8, 24
GREEN, BLUE, DARK = (0.05, 0.5, 0.12), (0.04, 0.08, 0.55), (0.012, 0.012, 0.014)
SKIN, HAIR, SLEEVE = (0.45, 0.27, 0.18), (0.05, 0.033, 0.025), (0.6, 0.6, 0.62)
KEYED = ((0.10, 0.08), (0.34, 0.08), (0.34, 0.34), (0.10, 0.34))

Cover = Callable[[Float32, Float32, float], Float32]


@dataclass(frozen=True)
class Scene:
    """One case.

    Attributes
    ----------
    screen : the old surface's light
    uneven : how much darker its corners are
    marks : tracking marks on it
    spill : share of the screen's light on what is in front, at its edge
    noise : standard deviation of the plate, code values
    film : compressed as a 4:2:0 film instead of exact stills
    blur : standard deviation of the camera's softness, px
    clear : how see-through what is in front is
    front : what is in front: coverage of fine px, and its light
    parts : the matte as an artist would make it, in terms of the surface's unit square
    blends : how further placements are laid over the first: blend and colour
    within : the matte is what the artwork is seen in
    shutter : how long the shutter is open, frames
    """

    name: str
    screen: tuple[float, float, float] = GREEN
    uneven: float = 0.0
    marks: bool = False
    spill: float = 0.0
    noise: float = 0.0
    film: bool = False
    blur: float = 0.5
    clear: float = 0.0
    front: tuple[tuple[Cover, tuple[float, float, float]], ...] = ()
    parts: tuple[dict[str, Any], ...] = ()
    blends: tuple[tuple[str, tuple[float, float, float]], ...] = ()
    within: bool = False
    speed: float = 1.5
    shutter: float = 0.0
    extra: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Frame:
    """One frame of a scene: with the old surface, with the new picture, coverage of what is in front, corners, and its light alone."""

    plate: Float32
    twin: Float32
    cover: Float32
    corners: Float64
    front: Float32


def corners_at(frame: float) -> Float64:
    """Where the surface is."""
    dx, dy = 4 * np.sin(frame / 4), 2 * np.sin(frame / 6)
    return np.array([[170.0, 60], [470, 74], [462, 300], [178, 292]]) + np.array([dx, dy])


def artwork() -> Float32:
    """The new picture, (H, W, 3) linear light."""
    y, x = np.mgrid[0:300, 0:400].astype(np.float32)
    check = ((x // 40 + y // 40) % 2)[..., None]
    return (check * np.array([0.55, 0.2, 0.08], np.float32) + (1 - check) * np.array([0.1, 0.22, 0.5], np.float32)).astype(np.float32)


def _finger(x: Float32, y: Float32, n: float) -> Float32:
    return ((np.abs(x - 290 - 6 * np.sin(n / 3) - 0.25 * (y - 200)) < 24) & (y > 150)).astype(np.float32)


def _hairs(x: Float32, y: Float32, n: float) -> Float32:
    out = np.zeros_like(x)
    for k, (at, width) in enumerate(((360, 0.9), (380, 0.6), (402, 0.45), (425, 1.4))):
        out = np.maximum(out, (np.abs(x - at - 9 * np.sin(y / 31 + k + n / 8)) < width) & (y > 40))
    return out.astype(np.float32)


def _sleeve(x: Float32, y: Float32, n: float) -> Float32:
    return (np.hypot(x - 440, y - 330) < 90 + 4 * np.sin(n / 5)).astype(np.float32)


def _arm(x: Float32, y: Float32, n: float) -> Float32:
    return (np.abs(x - (150 + 22 * n) - 0.3 * (y - 180)) < 30).astype(np.float32)


def _ridge(x: Float32, y: Float32, n: float) -> Float32:
    return (y > 210 + 16 * np.sin(x / 50) + 6 * np.sin(x / 17)).astype(np.float32)


KEY: dict[str, Any] = {"kind": "key", "despill": 1.0}
HAND = ((_finger, SKIN), (_hairs, HAIR), (_sleeve, SLEEVE))
SCENES: tuple[Scene, ...] = (
    Scene("green, hand and hair", front=HAND, parts=(KEY,)),
    Scene("blue, hand and hair", screen=BLUE, front=HAND, parts=(KEY,)),
    Scene("green with spill", spill=0.25, front=HAND, parts=(KEY,)),
    Scene("uneven light", uneven=0.4, front=HAND, parts=(KEY,)),
    Scene("tracking marks", marks=True, front=HAND, parts=({**KEY, "marks_px": 14},)),
    Scene("noise", noise=0.012, front=HAND, parts=(KEY,)),
    Scene("noise, 4:2:0 film", noise=0.006, film=True, front=HAND, parts=(KEY,)),
    Scene("half seen through, soft", clear=0.45, blur=2.2, front=((_finger, SKIN), (_sleeve, SLEEVE)), parts=(KEY,)),
    Scene("dark screen, brightness", screen=DARK, front=((_finger, SKIN), (_sleeve, SLEEVE)),
          parts=({"kind": "brightness", "low": [0.14, 0.5]},)),
    Scene("fast arm, shape", screen=GREEN, blur=0.8, front=((_arm, SKIN),), parts=({"kind": "shape"},), extra={"shape": _arm}),
    Scene("fast arm, open shutter", screen=GREEN, blur=0.8, front=((_arm, SKIN),), parts=({"kind": "shape", "shutter": 0.5},), shutter=0.5,
          extra={"shape": _arm}),
    Scene("far sky under a mask", screen=(0.35, 0.45, 0.6), front=((_ridge, (0.06, 0.08, 0.07)),), within=True,
          parts=({"kind": "brightness", "low": [0.4, 0.62]},)),
    Scene("two placements, blended", screen=(0.3, 0.3, 0.3), blends=(("multiply", (0.6, 0.5, 0.4)), ("screen", (0.1, 0.2, 0.3)))),
)  # fmt: skip


def frame_of(scene: Scene, n: int, seed: int = 1) -> Frame:
    """One frame, drawn."""
    w, h = WIDTH * FINE, HEIGHT * FINE
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    x, y = (x + 0.5) / FINE, (y + 0.5) / FINE
    quad = corners_at(n)
    wall = np.stack([0.25 + 0.1 * np.sin(x / 40), 0.22 + 0.08 * np.cos(y / 30), np.full_like(x, 0.2)], axis=-1)
    on = cv2.fillConvexPoly(np.zeros((h, w), np.uint8), np.round(quad * FINE * 16 - 8).astype(np.int32), 1, shift=4)[..., None]
    shade = (1 - scene.uneven * (((x - 320) / 200) ** 2 + ((y - 180) / 150) ** 2) / 2)[..., None]
    old = np.array(scene.screen, np.float32) * shade
    art = artwork()
    to_plate = cv2.getPerspectiveTransform(_box(art), (quad * FINE).astype(np.float32))
    if scene.marks:
        marks = np.zeros(art.shape[:2], np.float32)
        for u, v in ((60, 50), (340, 50), (340, 250), (60, 250), (200, 150)):
            cv2.drawMarker(marks, (u, v), 1.0, cv2.MARKER_CROSS, 14, 2)
        seen = cv2.warpPerspective(marks, to_plate, (w, h))[..., None]
        old = old * (1 - seen) + 0.6 * seen
    new = cv2.warpPerspective(art, to_plate, (w, h), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    for blend, colour in scene.blends:
        c = np.array(colour, np.float32)
        new = new * c if blend == "multiply" else _display(new, c)
    cover = np.zeros((h, w), np.float32)
    lit = np.zeros((h, w, 3), np.float32)
    for shape, light in scene.front:
        moments = (np.arange(EXPOSED) + 0.5) / EXPOSED - 0.5 if scene.shutter else np.zeros(1)
        m: Float32 = np.stack([shape(x, y, float(n) + float(t) * scene.shutter) for t in moments]).mean(axis=0, dtype=np.float32)
        lit = np.where(m[..., None] > 0, np.array(light, np.float32) * (1 + 0.12 * np.sin(x / 9))[..., None], lit)
        cover = np.maximum(cover, m)
    near = cv2.GaussianBlur(1 - cover, (0, 0), 14 * FINE / 4)[..., None] if scene.spill else np.float32(0)
    share = (cover * (1 - scene.clear))[..., None]
    front_plate = lit + scene.spill * near * np.array(scene.screen, np.float32)
    behind_old, behind_new = wall * (1 - on) + old * on, wall * (1 - on) + new * on
    if scene.within:
        # What is in front is the ridge; the new picture is seen only in the sky.
        front_plate = lit
    plate, twin = _seen(behind_old * (1 - share) + front_plate * share, scene), _seen(behind_new * (1 - share) + lit * share, scene)
    return Frame(plate, twin, _seen(share, scene)[..., 0], quad, _seen(lit * share, scene))


def _seen(light: Float32, scene: Scene) -> Float32:
    """What a camera makes of it: softened, and a pixel's mean."""
    soft = cv2.GaussianBlur(light.astype(np.float32), (0, 0), scene.blur * FINE)
    soft = soft if soft.ndim == 3 else soft[..., None]
    return soft.reshape(HEIGHT, FINE, WIDTH, FINE, -1).mean(axis=(1, 3)).astype(np.float32)


def _display(below: Float32, above: Float32) -> Float32:
    from verdigris.core.light.transfer import linear_to_srgb, srgb_to_linear

    b, a = (linear_to_srgb(np.asarray(v, np.float64)) for v in (below, above))
    return np.asarray(srgb_to_linear(b + a - b * a), np.float32)


def _box(art: Float32) -> Float32:
    h, w = art.shape[:2]
    return np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float32)


def move(n: int) -> Float64:
    """Homography from the first frame."""
    return homography_from_quads(corners_at(0), corners_at(n))
