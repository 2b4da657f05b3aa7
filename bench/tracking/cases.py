"""The difficult plates: what each is, and what is asked of it. Targets are median and 95 % corner error, plate px."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import lru_cache

import cv2
import numpy as np

from bench.tracking import materials
from bench.tracking.render import Camera, Layer, Renderer, seen_at, shutter, through_h264
from verdigris.core.types import Bool, Float32, Float64, Uint8

Curve = Callable[[Float64], Float64]
FOCAL = 1250.0


@dataclass(frozen=True)
class Plate:
    """A rendered case.

    Attributes
    ----------
    frames : (H, W) uint8 luma
    truth : (n, 4, 2) float64, corners where they are seen, plate px
    include, exclude : polygons at the reference frame, plate px
    hidden : frame -> (H, W) bool of what an outline says is in front, or nothing known
    visible : (n,) share of the surface that can be seen
    light : the reference frame without noise, code values 0..1, for the bound
    noise : standard deviation of the noise, code values 0..1
    """

    frames: list[Uint8]
    truth: Float64
    reference: int
    include: list[Float64]
    exclude: list[Float64]
    hidden: dict[int, Bool]
    visible: Float64
    light: Float32
    noise: float


@dataclass(frozen=True)
class Case:
    """A kind of plate: how to make it from a seed, and its targets."""

    name: str
    group: str
    build: Callable[[int], Plate]
    median_px: float
    p95_px: float


def wave(rng: np.random.Generator, amount: float, periods: tuple[float, ...] = (61.0, 23.0)) -> Curve:
    """A smooth curve of about this amplitude, frames in, value out."""
    phase, turn = rng.uniform(0, 2 * np.pi, len(periods)), rng.uniform(0.85, 1.2, len(periods))
    share = 0.62 ** np.arange(len(periods))

    def at(t: Float64) -> Float64:
        return np.asarray(
            amount * sum(s * np.sin(2 * np.pi * t / (p * k) + f) for s, p, k, f in zip(share, periods, turn, phase, strict=True))
        )

    return at


def flat(value: float = 0.0) -> Curve:
    """A constant."""
    return lambda t: np.full_like(t, value, dtype=float)


def both(*curves: Curve) -> Curve:
    """A sum of curves."""
    return lambda t: np.asarray(sum(c(t) for c in curves))


@dataclass(frozen=True)
class Path:
    """Where a plane is: angles in rad, shift in px at distance 1, distance (1: the texture is `scale` px per texture px)."""

    yaw: Curve
    pitch: Curve
    roll: Curve
    x: Curve
    y: Curve
    distance: Curve


def usual_path(rng: np.random.Generator, amount: float = 1.0) -> Path:
    """A hand-held look at a plane."""
    return Path(
        wave(rng, 0.20 * amount), wave(rng, 0.14 * amount), wave(rng, 0.05 * amount),
        wave(rng, 70 * amount), wave(rng, 40 * amount), both(flat(1.0), wave(rng, 0.07 * amount)),
    )  # fmt: skip


def poses(path: Path, scale: float, texture: tuple[int, int], size: tuple[int, int], lift: float = 0.0) -> Callable[[Float64], Float64]:
    """Times -> picture from texture px; `lift` raises the plane towards the camera, in texture px."""
    th, tw = texture

    def at(t: Float64) -> Float64:
        t = np.asarray(t, float)
        a, b, c = path.yaw(t), path.pitch(t), path.roll(t)
        ca, sa, cb, sb, cc, sc = np.cos(a), np.sin(a), np.cos(b), np.sin(b), np.cos(c), np.sin(c)
        first = np.stack([cc * ca - sc * sb * sa, sc * ca + cc * sb * sa, -cb * sa], axis=-1)
        second = np.stack([-sc * cb, cc * cb, sb], axis=-1)
        normal = np.cross(first, second)
        where = np.stack([path.x(t) / FOCAL, path.y(t) / FOCAL, path.distance(t)], axis=-1)
        s = scale / FOCAL
        h = np.stack([first * s, second * s, where - normal * (lift * s)], axis=-1)
        centre = np.array([[1, 0, -tw / 2], [0, 1, -th / 2], [0, 0, 1.0]])
        k = np.array([[FOCAL, 0, size[0] / 2], [0, FOCAL, size[1] / 2], [0, 0, 1.0]])
        return np.asarray(k @ h @ centre)

    return at


SMALL = (1280, 720)
BACK = (900, 1500)
FRONT = (620, 880)


@lru_cache(maxsize=4)
def _background(seed: int) -> Float32:
    return materials.solid(materials.photograph(np.random.default_rng((seed, 5)), *BACK))


def _still(texture: Float32) -> Callable[[int], Float32]:
    return lambda n: texture


@dataclass(frozen=True)
class Recipe:
    """What a case may change about a usual plate."""

    count: int = 28
    reference: int = 12
    size: tuple[int, int] = SMALL
    scale: float = 0.62
    amount: float = 1.0
    camera: Camera = field(default_factory=Camera)
    fine: int = 2


def make(
    seed: int,
    recipe: Recipe,
    surface: Callable[[np.random.Generator], Callable[[int], Float32]],
    change: Callable[[np.random.Generator, Path], Path] = lambda rng, p: p,
    front: Callable[[np.random.Generator], tuple[Layer, ...]] | None = None,
    relight: Callable[[np.random.Generator], Callable[[Float32, int], Float32]] | None = None,
    masked: bool = False,
    cut_out: float = 0.0,
    bow: float = 0.0,
) -> Plate:
    """Render a plate from a recipe.

    Parameters
    ----------
    cut_out : relative margin of a frame; what is inside is excluded from the region
    masked : what is in front is known to the tracker
    bow : how far the middle of the surface stands out, as a share of its width
    """
    rng = np.random.default_rng((seed, 11))
    width, height = recipe.size
    texture = surface(rng)
    path = change(rng, usual_path(rng, recipe.amount))
    shape = texture(0).shape[:2]
    where = poses(path, recipe.scale, shape, recipe.size)
    crown = None if bow == 0 else poses(path, recipe.scale, shape, recipe.size, bow * shape[1])
    layer = Layer(texture, where, crown, recipe.fine)
    yaw, pitch, roll, x, y = (wave(rng, a) for a in (0.02, 0.02, 0.03, 45.0, 25.0))
    behind = Path(yaw, pitch, roll, x, y, flat(1.0))
    back_scale = 1.12 * max(width / BACK[1], height / BACK[0])
    back = Layer(_still(_background(seed % 3)), poses(behind, back_scale, BACK, recipe.size), None, 1)
    fronts = front(rng) if front else ()
    renderer = Renderer((*fronts, layer, back), recipe.camera, width, height, seed)
    change_light = relight(rng) if relight else (lambda light, n: light)
    th, tw = shape
    inset = 6.0
    quad = np.array([[inset, inset], [tw - inset, inset], [tw - inset, th - inset], [inset, th - inset]])
    frames, truth, visible, hidden, clean = [], [], [], {}, None
    for n in range(recipe.count):
        light = change_light(renderer.light(n), n)
        frames.append(renderer.expose(light, n))
        if n == recipe.reference:
            quiet = Renderer((), replace(recipe.camera, noise=0.0), width, height, seed)
            clean = np.asarray(quiet.expose(light, n), np.float32) / np.float32(255)
        seen = seen_at(quad, where, n, recipe.camera, width, height)
        truth.append(seen)
        cover = _coverage(fronts, n, recipe, seed)
        visible.append(_share(seen, cover, width, height))
        if masked and cover is not None:
            hidden[n] = cover > 0.02
    if recipe.camera.crf is not None:
        frames = through_h264(frames, recipe.camera.crf)
    exclude = []
    if cut_out:
        m, n_m = cut_out * tw, cut_out * tw
        hole = np.array([[m, n_m], [tw - m, n_m], [tw - m, th - n_m], [m, th - n_m]]) + np.array([[-4, -4], [4, -4], [4, 4], [-4, 4]])
        exclude = [seen_at(hole, where, recipe.reference, recipe.camera, width, height)]
    assert clean is not None
    array = np.array(truth)
    return Plate(
        frames, array, recipe.reference, [array[recipe.reference]], exclude, hidden, np.array(visible), clean, recipe.camera.noise / 255
    )


def _coverage(fronts: tuple[Layer, ...], n: int, recipe: Recipe, seed: int) -> Float32 | None:
    if not fronts:
        return None
    bare = [Layer(lambda k, f=f: np.repeat(f.texture(k)[..., 1:], 2, axis=2), f.poses, None, 1) for f in fronts]  # type: ignore[misc]
    return Renderer(tuple(bare), replace(recipe.camera, defocus_px=lambda k: 0.0), *recipe.size, seed).light(n)


def _share(quad: Float64, cover: Float32 | None, width: int, height: int) -> float:
    big = np.zeros((height * 3, width * 3), np.uint8)
    cv2.fillPoly(big, [np.round(quad + np.array([width, height])).astype(np.int32)], 1)
    inside = big[height : 2 * height, width : 2 * width].astype(float)
    if cover is not None:
        inside = inside * (1 - np.clip(cover, 0, 1))
    return float(inside.sum() / max(1, int(big.sum())))


# --- surfaces -------------------------------------------------------------------------------------------------


def a_photograph(rng: np.random.Generator) -> Callable[[int], Float32]:
    return _still(materials.solid(materials.photograph(rng, *FRONT)))


def a_print(rng: np.random.Generator) -> Callable[[int], Float32]:
    return _still(materials.solid(materials.printed(rng, *FRONT)))


def a_fine_print(rng: np.random.Generator) -> Callable[[int], Float32]:
    return _still(materials.solid(materials.printed(rng, *FRONT, fine=True)))


def a_large_photograph(rng: np.random.Generator) -> Callable[[int], Float32]:
    return _still(materials.solid(materials.photograph(rng, 1240, 1760)))


def a_gloss(rng: np.random.Generator) -> Callable[[int], Float32]:
    return _still(materials.solid(materials.gloss(rng, *FRONT)))


def a_blank_screen(rng: np.random.Generator) -> Callable[[int], Float32]:
    return _still(materials.solid(materials.blank_screen(rng, *FRONT, 6)))


def a_running_screen(margin: float, frames: int) -> Callable[[np.random.Generator], Callable[[int], Float32]]:
    def build(rng: np.random.Generator) -> Callable[[int], Float32]:
        frame = materials.photograph(rng, *FRONT) * 0.5
        inner = (int(FRONT[0] - 2 * margin * FRONT[1]), int(FRONT[1] * (1 - 2 * margin)))
        content = materials.film(rng, *inner, frames)
        return lambda n: materials.solid(materials.bezel(content[n], frame, margin))

    return build


# --- what passes in front, what the light does ---------------------------------------------------------------------


def passers(
    count: int, height_px: float, speed: float, leafy: bool = False, first_x: float = -150.0
) -> Callable[[np.random.Generator], tuple[Layer, ...]]:
    """People walking through, or a branch that swings in."""

    def build(rng: np.random.Generator) -> tuple[Layer, ...]:
        layers = []
        for i in range(count):
            texture = materials.leaves(rng, 420, 420) if leafy else materials.passer(rng, 700, 320)
            direction = 1 if i % 2 == 0 else -1
            start = direction * (first_x - 260 * i * 0.5) if not leafy else direction * 140.0
            travel = wave(rng, 60.0, (37.0, 13.0)) if leafy else (lambda t, s=start, d=direction: s + d * speed * (t - 0.0))
            x = both(flat(start), travel) if leafy else travel
            path = Path(flat(), flat(), wave(rng, 0.06), x, wave(rng, 12.0), flat(1.0))
            layers.append(Layer(_still(texture), poses(path, height_px / texture.shape[0], texture.shape[:2], SMALL), None, 1))
        return tuple(layers)

    return build


def two_corner_cover(rng: np.random.Generator) -> tuple[Layer, ...]:
    """A large board that slides over the right-hand corners."""
    texture = materials.solid(materials.photograph(rng, 800, 300))
    path = Path(flat(), flat(), wave(rng, 0.04), lambda t: 330 - 6.0 * np.minimum(t, 60), wave(rng, 20.0), flat(1.0))
    return (Layer(_still(texture), poses(path, 0.8, texture.shape[:2], SMALL), None, 1),)


def whole_cover(rng: np.random.Generator) -> tuple[Layer, ...]:
    """A lorry that hides everything for a while."""
    texture = materials.solid(materials.photograph(rng, 760, 1000))
    path = Path(flat(), flat(), flat(), lambda t: -2200 + 100.0 * t, flat(), flat(1.0))
    return (Layer(_still(texture), poses(path, 0.95, texture.shape[:2], SMALL), None, 1),)


def flicker_and_shadow(rng: np.random.Generator) -> Callable[[Float32, int], Float32]:
    level = wave(rng, 0.22, (3.7, 11.0))
    speed = rng.uniform(14, 20)

    def change(light: Float32, n: int) -> Float32:
        h, w = light.shape
        x = np.arange(w)[None, :] + 0.35 * np.arange(h)[:, None]
        edge = 260 + speed * n
        shade = 1 - 0.55 * np.clip((edge - x) / 3 + 0.5, 0, 1) * np.clip((x - edge + 330) / 3 + 0.5, 0, 1)
        return np.asarray(light * shade * (1 + float(level(np.array([n]))[0])), np.float32)

    return change


def moving_reflection(rng: np.random.Generator) -> Callable[[Float32, int], Float32]:
    picture = materials.photograph(rng, 900, 1900)

    def change(light: Float32, n: int) -> Float32:
        h, w = light.shape
        x = int(60 + 11 * n)
        return np.asarray(light + 0.06 * picture[80 : 80 + h, x : x + w], np.float32)

    return change


# --- changes of path ------------------------------------------------------------------------------------------------


def shaken(rng: np.random.Generator, p: Path) -> Path:
    """Enough movement within the shutter to smear by 10 px and more."""
    return replace(p, x=wave(rng, 75, (21.0, 11.0)), y=wave(rng, 40, (19.0, 10.0)), roll=wave(rng, 0.06, (21.0,)))


def whipped(rng: np.random.Generator, p: Path) -> Path:
    """Bursts of 60 px a frame."""
    first = rng.uniform(5, 8)

    def x(t: Float64) -> Float64:
        there, back = (1 / (1 + np.exp(-(t - t0) / 0.85)) for t0 in (first, first + 12))
        return np.asarray(-100 + 205 * there - 205 * back + 20 * np.sin(t / 5))

    return replace(p, x=x)


def leaving(rng: np.random.Generator, p: Path) -> Path:
    return replace(p, x=both(wave(rng, 12), lambda t: 2.6 * np.clip(np.abs(t - 12) - 2, 0, 30) ** 2), y=wave(rng, 20))


def tilting(rng: np.random.Generator, p: Path) -> Path:
    side = 1 if rng.random() < 0.5 else -1
    return replace(
        p, yaw=both(wave(rng, 0.02), lambda t: side * np.deg2rad(70) * np.sin(np.clip((t - 12) / 15, -1, 1) * np.pi / 2)), x=wave(rng, 30)
    )


def growing(rng: np.random.Generator, p: Path) -> Path:
    return replace(
        p,
        distance=lambda t: 2.6 * np.exp(-np.log(4) * np.clip(t / 27, 0, 1)),
        x=wave(rng, 15),
        y=wave(rng, 10),
        yaw=wave(rng, 0.1),
        pitch=wave(rng, 0.08),
    )


def turning(rng: np.random.Generator, p: Path) -> Path:
    """Rolls and pumps quickly: what a read-out in rows bends."""
    return replace(p, roll=wave(rng, 0.22, (31.0, 12.0)), x=wave(rng, 90, (19.0, 11.0)), y=wave(rng, 70, (17.0, 9.0)))


def pulled(n: int) -> float:
    return 4.0 * np.sin(np.pi * np.clip((n - 12) / 15, -0.8, 1)) ** 2


CAMERA = Camera(shutter(0.5, 5, 0.3), readout=0.35, noise=2.0, correlated=True, halo=0.35, tone="camera", crf=20)
SMEAR = Camera(shutter(0.5, 13), noise=0.5)


def _case(name: str, group: str, targets: tuple[float, float], **how: object) -> Case:
    recipe = how.pop("recipe", Recipe(camera=CAMERA) if group == "camera" else Recipe())
    surface = how.pop("surface", a_photograph)
    return Case(name, group, lambda seed: make(seed, recipe, surface, **how), *targets)  # type: ignore[arg-type]


CAM = Recipe(camera=CAMERA)
GROWTH = Recipe(scale=0.42, reference=2, fine=3)
BARREL = Recipe(camera=Camera(lens=(-0.12, 0.0, 640.0, 360.0)), scale=0.8)
WHIPS = replace(CAM, amount=0.5, camera=replace(CAMERA, shutter=shutter(0.5, 17, 0.3)))
DISC = replace(CAM, camera=replace(CAMERA, defocus_px=pulled, disc=True))
ROLLING = replace(CAM, camera=replace(CAMERA, readout=0.65, shutter=shutter(0.4, 9, 0.3)))
TWO_TERMS = replace(CAM, scale=0.85, camera=replace(CAMERA, lens=(-0.13, 0.05, 655.0, 350.0)))
LONG = replace(CAM, count=240, reference=110, size=(1920, 1080), scale=0.95)
CASES: tuple[Case, ...] = (
    _case("clean", "ideal", (0.003, 0.006)),
    _case("strong noise", "ideal", (0.012, 0.02), recipe=Recipe(camera=Camera(noise=3.5))),
    _case("heavy motion blur", "ideal", (0.06, 0.18), recipe=Recipe(camera=SMEAR), change=shaken),
    _case("occluder with its mask", "ideal", (0.008, 0.015), front=passers(2, 520, 16, first_x=-420.0), masked=True),
    _case("two corners covered, no mask", "ideal", (0.006, 0.012), front=two_corner_cover),
    _case("running content cut out", "ideal", (0.008, 0.015), surface=a_running_screen(0.08, 28), cut_out=0.08),
    _case("running content left in", "ideal", (0.03, 0.08), surface=a_running_screen(0.16, 28)),
    _case("flicker and hard shadow", "ideal", (0.005, 0.03), relight=flicker_and_shadow),
    _case("reflection over dark gloss", "ideal", (0.04, 0.07), surface=a_gloss, relight=moving_reflection),
    _case("key-colour screen, few marks", "ideal", (0.01, 0.02), surface=a_blank_screen),
    _case("leaving the picture", "ideal", (0.01, 0.025), change=leaving),
    _case("tilt to 70 degrees", "ideal", (0.015, 0.04), surface=a_print, change=tilting, recipe=Recipe(fine=4)),
    _case("growth 4 x", "ideal", (0.03, 0.07), surface=a_large_photograph, change=growing, recipe=GROWTH),
    _case("focus pull", "ideal", (0.02, 0.06), recipe=Recipe(camera=Camera(defocus_px=pulled))),
    _case("low-rate H.264", "ideal", (0.17, 0.35), recipe=Recipe(camera=Camera(noise=1.0, crf=34))),
    _case("unknown radial distortion", "ideal", (0.025, 0.05), recipe=BARREL),
    _case("noise, camera", "camera", (0.08, 0.13), recipe=replace(CAM, camera=replace(CAMERA, noise=6.0))),
    _case("whips of 60 px, camera", "camera", (0.12, 0.6), change=whipped, recipe=WHIPS),
    _case("gone and back, camera", "camera", (0.10, 0.3), front=whole_cover, recipe=replace(CAM, count=40, reference=4, amount=0.7)),
    _case("foliage crossing, camera", "camera", (0.035, 0.07), front=passers(3, 430, 0, leafy=True)),
    _case("people crossing, camera", "camera", (0.035, 0.07), front=passers(2, 430, 19, first_x=-480.0), recipe=replace(CAM, reference=4)),
    _case("running content cut out, camera", "camera", (0.06, 0.13), surface=a_running_screen(0.08, 28), cut_out=0.08),
    _case("flicker and shadow, camera", "camera", (0.15, 0.5), relight=flicker_and_shadow),
    _case("few marks, camera", "camera", (0.04, 0.09), surface=a_blank_screen),
    _case("leaving, camera", "camera", (0.1, 0.4), change=leaving),
    _case("tilt with fine print, camera", "camera", (0.05, 0.1), surface=a_fine_print, change=tilting, recipe=replace(CAM, fine=4)),
    _case("focus pull, camera", "camera", (0.08, 0.2), recipe=DISC),
    _case("rolling shutter, camera", "camera", (0.15, 0.4), change=turning, recipe=ROLLING),
    _case("bowed by 0.3 %, camera", "camera", (0.2, 0.4), bow=0.003, recipe=replace(CAM, scale=0.85, amount=1.4)),
    _case("two-term lens off centre, camera", "camera", (0.1, 0.3), recipe=TWO_TERMS),
    _case("240 frames at 1920x1080, camera", "camera", (0.08, 0.2), recipe=LONG),
)  # fmt: skip
