"""People who walk by, shaded as rounded limbs; drawn once for each phase of their step."""

import cv2
import numpy as np

from verdigris.core.types import Float32, Float64
from verdigris.demo.limbs import Limb, limb_height, limb_shade
from verdigris.demo.textures import Rng, fractal_noise, soft, with_alpha

HEIGHT, WIDTH = 600, 380
PX_PER_M = HEIGHT / 1.82
PHASES = 12
STRIDE_M = 1.35


def _leg(hip: tuple[float, float], swing: float, bend: float) -> list[Limb]:
    """Thigh, shin and shoe; angles in rad, forward to the right."""
    knee = (hip[0] + 128 * np.sin(swing), hip[1] + 128 * np.cos(swing))
    low = swing - bend
    foot = (knee[0] + 126 * np.sin(low), knee[1] + 126 * np.cos(low))
    return [(*hip, 34, *knee, 26), (*knee, 25, *foot, 17), (foot[0] - 4, foot[1] + 4, 16, foot[0] + 32, foot[1] + 8, 10)]


def _arm(shoulder: tuple[float, float], swing: float) -> list[Limb]:
    elbow = (shoulder[0] + 92 * np.sin(swing), shoulder[1] + 92 * np.cos(swing))
    low = swing + 0.35
    hand = (elbow[0] + 84 * np.sin(low), elbow[1] + 84 * np.cos(low))
    return [(*shoulder, 27, *elbow, 20), (*elbow, 20, *hand, 14)]


def _parts(phase: float) -> list[tuple[str, list[Limb]]]:
    """Parts from the far side to the near one."""
    s = np.sin(phase)
    bob = 5 * abs(np.cos(phase))
    hip, shoulder, x = (188.0, 322.0 + bob), (188.0, 152.0 + bob), 190.0
    body: list[Limb] = [(x, 150 + bob, 50, x - 2, 330 + bob, 47), (x - 2, 330 + bob, 48, x, 352 + bob, 44)]
    head: list[Limb] = [(x + 4, 64 + bob, 33, x + 6, 82 + bob, 30), (x + 2, 104 + bob, 18, x, 130 + bob, 22)]
    return [
        ("far leg", _leg(hip, -0.46 * s, 0.30 + 0.45 * max(0.0, s))), ("far arm", _arm(shoulder, 0.40 * s)), ("body", body), ("head", head),
        ("near leg", _leg(hip, 0.46 * s, 0.30 + 0.45 * max(0.0, -s))), ("coat", [(x, 300 + bob, 49, x - 2, 372 + bob, 52)]),
        ("near arm", _arm(shoulder, -0.40 * s)),
    ]  # fmt: skip


def walker(rng: Rng, coat: tuple[float, float, float], trousers: tuple[float, float, float]) -> list[Float32]:
    """A walking person to the right, one picture (600, 380, 4) a phase of the step."""
    y, x = np.mgrid[0.5:HEIGHT, 0.5:WIDTH].astype(np.float32)
    folds = soft(np.asarray(fractal_noise(rng, HEIGHT, WIDTH, 38, 4) * 4, np.float32), 1.0)
    colours = {"leg": trousers, "arm": coat, "body": coat, "coat": coat, "head": (0.46, 0.29, 0.22)}
    pictures = []
    for k in range(PHASES):
        rgb, alpha = np.zeros((HEIGHT, WIDTH, 3), np.float32), np.zeros((HEIGHT, WIDTH), np.float32)
        for name, limbs in _parts(2 * np.pi * k / PHASES):
            height, _ = limb_height(limbs, x, y)
            dim = 0.62 if name.startswith("far") else 1.0
            light = limb_shade(soft(height, 1.6), folds if name != "head" else np.zeros_like(folds))
            mask = np.clip(soft(np.asarray(height > 0.5, np.float32), 0.9), 0, 1)[..., None]
            colour = np.array(colours[name.split()[-1]], np.float32) * (dim * light)[..., None]
            if name == "head":
                colour = np.where((y < 66)[..., None] & (height > 0)[..., None], colour * np.array([0.22, 0.18, 0.17], np.float32), colour)
            rgb = rgb * (1 - mask) + colour.astype(np.float32) * mask
            alpha = np.maximum(alpha, mask[..., 0])
        pictures.append(with_alpha(soft(rgb, 0.7), soft(alpha, 1.0)))
    return pictures


def phase_of(metres: float) -> int:
    """Which picture shows after so many metres walked."""
    return int(np.floor(abs(metres) / STRIDE_M * PHASES)) % PHASES


def silhouettes(pictures: list[Float32]) -> list[Float64]:
    """Outline of every phase in texture px, (N, 2), a little outside."""
    outlines = []
    for picture in pictures:
        solid = cv2.dilate((picture[..., 3] > 0.1).astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (9, 9)))
        contours, _ = cv2.findContours(solid, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        outline = cv2.approxPolyDP(max(contours, key=cv2.contourArea), 2.5, True)
        outlines.append(outline.reshape(-1, 2).astype(np.float64) + 0.5)
    return outlines
