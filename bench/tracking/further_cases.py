"""Plates on which a tracker may be wrong without knowing: patterns that repeat, pictures that run inside, reflections, little to see."""

from collections.abc import Callable
from dataclasses import replace

import cv2
import numpy as np

from bench.tracking import materials
from bench.tracking.cases import CAMERA, FRONT, Case, Curve, Path, Recipe, flat, make, passers, wave
from verdigris.core.types import Float32, Float64

Textures = Callable[[int], Float32]


def _still(texture: Float32) -> Textures:
    return lambda n: texture


# --- surfaces ---------------------------------------------------------------------------------------------------


def a_board(rng: np.random.Generator) -> Textures:
    """Squares of two woods, each a little different, as in a photograph."""
    return _still(materials.solid(materials.board(rng, *FRONT, 7, 10)))


def a_facade(rng: np.random.Generator) -> Textures:
    """Rows of windows that are alike but for blinds and what is seen in them."""
    return _still(materials.solid(materials.facade(rng, *FRONT, 6, 11)))


def some_louvres(rng: np.random.Generator) -> Textures:
    """Slats from rim to rim."""
    return _still(materials.solid(materials.louvres(rng, *FRONT, 22)))


def a_screen(kind: str, margin: float, frames: int, reference: int) -> Callable[[np.random.Generator], Textures]:
    """A screen with a dark bezel of a relative width whose picture pans, scrolls or zooms from the first frame to the last."""

    def build(rng: np.random.Generator) -> Textures:
        height, width = FRONT
        b = int(margin * width)
        size = (width - 2 * b, height - 2 * b)
        scene = materials.photograph(rng, 2 * size[1], 2 * size[0])
        scene = np.asarray(cv2.GaussianBlur(scene, (0, 0), 2.0), np.float32)
        bezel = np.full(FRONT, 0.015, np.float32)
        turn = 1 if rng.random() < 0.5 else -1

        def at(n: int) -> Float32:
            k = n - reference
            z = 1.025**k if kind == "zooms" else 1.0
            x, y = {"pans": (9.0 * turn * k, 1.5 * k), "scrolls": (0.0, 8.0 * turn * k), "zooms": (0.0, 0.0)}[kind]
            m = np.array([[z, 0, size[0] / 2 - z * size[0] - x], [0, z, size[1] / 2 - z * size[1] - y]])
            content = cv2.warpAffine(scene, m, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
            return materials.solid(materials.bezel(content, bezel, margin))

        return at

    return build


def a_dark_poster(rng: np.random.Generator) -> Textures:
    """Lettering and a picture on dark gloss, of more contrast than lacquer."""
    light = materials.gloss(rng, *FRONT) + 0.12 * materials.photograph(rng, *FRONT)
    return _still(materials.solid(np.asarray(light, np.float32)))


# --- movement and light -----------------------------------------------------------------------------------------


def in_jumps(rng: np.random.Generator, p: Path) -> Path:
    """Pictures taken one by one: each from somewhere else, up to several squares away."""
    x, y = (rng.uniform(-170, 170, 64).cumsum() for _ in range(2))
    x, y = (130 * np.sin(v / 90) for v in (x, y))

    def at(values: Float64, share: float) -> Curve:
        return lambda t: share * values[np.clip(np.round(t).astype(int), 0, len(values) - 1)]

    return replace(p, x=at(x, 1.0), y=at(y, 0.6), roll=wave(rng, 0.05), yaw=wave(rng, 0.1), pitch=wave(rng, 0.08))


def by_a_whip(rng: np.random.Generator, p: Path) -> Path:
    """Along a facade by more than half a window a frame, and back to rest."""
    first = rng.uniform(5, 8)
    return replace(p, x=lambda t: -110 + 220 / (1 + np.exp(-(t - first) / 0.7)) + 6 * np.sin(t / 5), y=wave(rng, 10))


def up_and_down(rng: np.random.Generator, p: Path) -> Path:
    """Across the slats in steps near their distance."""
    y = rng.uniform(-60, 60, 64)
    return replace(p, y=lambda t: y[np.clip(np.round(t).astype(int), 0, 63)], x=wave(rng, 8), roll=flat(), yaw=wave(rng, 0.03))


def at_rest(rng: np.random.Generator, p: Path) -> Path:
    """A camera on its tripod."""
    return Path(flat(float(rng.uniform(-0.3, 0.3))), flat(0.05), flat(0.01), flat(60.0), flat(-40.0), flat(1.0))


def sliding_scene(share: float) -> Callable[[np.random.Generator], Callable[[Float32, int], Float32]]:
    """A detailed, contrasty scene mirrored in gloss, sliding; its contrast as a share of the print's (about .12 in linear light)."""

    def build(rng: np.random.Generator) -> Callable[[Float32, int], Float32]:
        scene = materials.photograph(rng, 1000, 2300)
        # Windows: bright, with bars.
        for _ in range(9):
            x, y = int(rng.uniform(0, 2150)), int(rng.uniform(100, 700))
            cv2.rectangle(scene, (x, y), (x + 130, y + 190), 1.6, -1)
            cv2.line(scene, (x + 65, y), (x + 65, y + 190), 0.2, 6)
        scene = np.asarray(scene * np.float32(0.12 * share / scene.std()), np.float32)
        direction = 1 if rng.random() < 0.5 else -1

        def change(light: Float32, n: int) -> Float32:
            h, w = light.shape
            x = int(500 + direction * 9.5 * (n - 14))
            return np.asarray(light + scene[120 : 120 + h, x : x + w], np.float32)

        return change

    return build


JUMPS = Recipe(count=13, reference=6, camera=replace(CAMERA, crf=None, readout=0.0, shutter=((0.0, 1.0),)))
SCREEN = Recipe(camera=replace(CAMERA, crf=24), amount=0.8)
SMALL_STILL = Recipe(camera=replace(CAMERA, readout=0.0, defocus_px=lambda n: 1.1, crf=21), scale=0.085, reference=4, amount=0.0)


def _case(name: str, targets: tuple[float, float], surface: Callable[[np.random.Generator], Textures], **how: object) -> Case:
    recipe = how.pop("recipe", Recipe(camera=CAMERA))
    return Case(name, "camera", lambda seed: make(seed, recipe, surface, **how), *targets)  # type: ignore[arg-type]


FURTHER: tuple[Case, ...] = (
    _case("board in jumps", (0.05, 0.15), a_board, change=in_jumps, recipe=JUMPS),
    _case("facade under a whip", (0.1, 0.5), a_facade, change=by_a_whip, recipe=Recipe(camera=CAMERA, amount=0.4)),
    _case("louvres in steps", (0.2, 0.6), some_louvres, change=up_and_down, recipe=JUMPS),
    *(
        _case(f"picture {kind}, bezel of {100 * margin:g} %", (0.1, 0.3), a_screen(kind, margin, 28, 12), recipe=SCREEN)
        for kind in ("pans", "scrolls", "zooms")
        for margin in (0.012, 0.03)
    ),
    *(
        _case(f"reflections of {share:g} of the print's contrast", (0.06, 0.15), a_dark_poster, relight=sliding_scene(share))
        for share in (0.33, 0.66, 1.0)
    ),
    _case("small, soft and still, people crossing", (0.05, 0.12), lambda rng: _still(materials.solid(materials.printed(rng, *FRONT))),
          change=at_rest, front=passers(3, 430, 17, first_x=-420.0), recipe=SMALL_STILL),
)  # fmt: skip
