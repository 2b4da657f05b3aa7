"""Render a scene: every plane is resampled exactly, the shutter is an integral, light is linear throughout."""

from collections.abc import Iterator
from concurrent.futures import Future, ProcessPoolExecutor
from functools import lru_cache
from multiprocessing import get_context

import numba
import numpy as np

from verdigris.core.geometry.homography import apply_homography, homography_from_quads
from verdigris.core.light.transfer import encode
from verdigris.core.types import Float32, Float64, Uint8
from verdigris.demo.scene import Plane, Scene
from verdigris.demo.scenes import SCENES, build_scene

SHUTTER_STEP_PX = 2.2
MOST_SHUTTER_SAMPLES = 9


def image_from_texture(scene: Scene, plane: Plane, time: float) -> Float64:
    """(3, 3) plate px from texture px."""
    m = plane.world_from_texture
    if plane.placed is not None:
        m = plane.placed(time) @ m
    return np.asarray(scene.projection(time) @ m)


def render_light(scene: Scene, frame: float) -> Float32:
    """One frame in linear light, without noise, (H, W, 3) float32; the shutter opens around `frame`."""
    times = shutter_times(scene, frame)
    near = [p for p in scene.planes if not p.far]
    total = np.zeros((scene.height, scene.width, 4), np.float32)
    layer = np.zeros_like(total)
    for i, time in enumerate(times):
        target = total if i == 0 else layer
        if i:
            layer[:] = 0
        _stack(scene, near, time, target)
        if i:
            total += layer
    total *= np.float32(1 / len(times))
    _stack(scene, [p for p in scene.planes if p.far], frame, total)
    return total[..., :3]


def _stack(scene: Scene, planes: list[Plane], time: float, out: Float32) -> None:
    """Lay planes, given far to near, under what is there; a pixel that is full costs nothing more."""
    for plane in reversed(planes):
        if plane.visible is not None and not plane.visible[0] <= time <= plane.visible[1]:
            continue
        texture = plane.texture(time)
        h = image_from_texture(scene, plane, time)
        box = _box(h, texture.shape, scene.width, scene.height)
        if box is not None:
            _under(out, texture, np.linalg.inv(h), *box)


def shutter_times(scene: Scene, frame: float) -> list[float]:
    """Times within the shutter, evenly spaced and symmetric about the frame, as many as the motion asks for."""
    half = scene.sensor.shutter / 2
    ends = [np.concatenate([scene.project(frame + side * half, s.at(frame + side * half)) for s in scene.surfaces]) for side in (-1, 1)]
    travel = np.linalg.norm(ends[1] - ends[0], axis=1).max()
    count = int(np.clip(np.ceil(travel / SHUTTER_STEP_PX), 2, MOST_SHUTTER_SAMPLES))
    return [frame + half * ((2 * i + 1) / count - 1) for i in range(count)]


def _box(h: Float64, shape: tuple[int, ...], width: int, height: int) -> tuple[int, int, int, int] | None:
    th, tw = shape[:2]
    corners = np.array([[0.0, 0, 1], [tw, 0, 1], [tw, th, 1], [0, th, 1]]) @ h.T
    if np.all(corners[:, 2] > 1e-6):
        at = corners[:, :2] / corners[:, 2:]
        x0, y0 = np.floor(at.min(axis=0)).astype(int)
        x1, y1 = np.ceil(at.max(axis=0)).astype(int)
    else:
        x0, y0, x1, y1 = 0, 0, width, height
    box = (max(0, int(x0)), max(0, int(y0)), min(width, int(x1)), min(height, int(y1)))
    return box if box[2] > box[0] and box[3] > box[1] else None


@numba.njit(cache=True, nogil=True, fastmath=True)
def _under(out, texture, h, x0, y0, x1, y1):  # type: ignore[no-untyped-def]
    """Lay a texture behind what is there already."""
    th, tw = texture.shape[0], texture.shape[1]
    for y in range(y0, y1):
        py = y + 0.5
        wu, wv, ww = h[0, 1] * py + h[0, 2], h[1, 1] * py + h[1, 2], h[2, 1] * py + h[2, 2]
        for x in range(x0, x1):
            room = 1 - out[y, x, 3]
            if room < 0.002:
                continue
            px = x + 0.5
            w = 1.0 / (h[2, 0] * px + ww)
            u = (h[0, 0] * px + wu) * w - 0.5
            v = (h[1, 0] * px + wv) * w - 0.5
            if u < -0.5 or v < -0.5 or u > tw - 0.5 or v > th - 0.5:
                continue
            u, v = min(max(u, 0.0), tw - 1.001), min(max(v, 0.0), th - 1.001)
            iu, iv = int(u), int(v)
            fu, fv = np.float32(u - iu), np.float32(v - iv)
            w11 = fu * fv
            w10, w01 = fu - w11, fv - w11
            w00 = 1 - fu - w01
            w00, w10, w01, w11 = w00 * room, w10 * room, w01 * room, w11 * room
            a, b = texture[iv], texture[iv + 1]
            o = out[y, x]
            j = iu + 1
            o[0] += w00 * a[iu, 0] + w10 * a[j, 0] + w01 * b[iu, 0] + w11 * b[j, 0]
            o[1] += w00 * a[iu, 1] + w10 * a[j, 1] + w01 * b[iu, 1] + w11 * b[j, 1]
            o[2] += w00 * a[iu, 2] + w10 * a[j, 2] + w01 * b[iu, 2] + w11 * b[j, 2]
            o[3] += w00 * a[iu, 3] + w10 * a[j, 3] + w01 * b[iu, 3] + w11 * b[j, 3]


def expose(scene: Scene, light: Float32, frame: int) -> Uint8:
    """Lens darkening, sensor noise and code values, (H, W, 3) uint8."""
    h, w = light.shape[:2]
    rng = np.random.default_rng((scene.seed, frame))
    grain = _grain(h, w)
    dy, dx = int(rng.integers(0, 128)), int(rng.integers(0, 128))
    out = np.empty((h, w, 3), np.uint8)
    s = scene.sensor
    _expose(light, _shade(h, w, scene.lens.vignette), grain, dy, dx, frame % 2, s.shot, s.read**2, s.exposure, out)
    return out


_GRAIN: dict[tuple[int, int], Float32] = {}


def _grain(h: int, w: int) -> Float32:
    """One field of normal numbers, larger than the picture; each frame reads it from another place."""
    if (h, w) not in _GRAIN:
        _GRAIN[h, w] = np.random.default_rng(77).standard_normal((h + 128, w + 128, 3)).astype(np.float32)
    return _GRAIN[h, w]


@lru_cache(maxsize=2)
def _shade(h: int, w: int, vignette: float) -> Float32:
    y, x = np.mgrid[-1 : 1 : h * 1j, -1 : 1 : w * 1j]
    return np.asarray(1 - vignette * (x**2 + y**2 * (h / w) ** 2) ** 1.2, np.float32)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _expose(light, shade, grain, dy, dx, flip, shot, read2, exposure, out):  # type: ignore[no-untyped-def]
    h, w = shade.shape
    for y in range(h):
        for x in range(w):
            gx = w - 1 - x if flip else x
            for k in range(3):
                v = light[y, x, k] * shade[y, x] * exposure
                # A soft shoulder keeps highlights from clipping hard.
                v = v if v < 0.7 else 0.7 + 0.3 * (1 - np.exp(-(v - 0.7) / 0.3))
                v += grain[y + dy, gx + dx, k] * np.sqrt(shot * v + read2)
                out[y, x, k] = min(max(encode(v) * 255.0 + 0.5, 0.0), 255.0)


def truth(scene: Scene, reference_frame: int) -> dict[str, list[dict[str, object]]]:
    """Exact corners and homographies (reference -> frame) of every surface, plate px."""
    answer: dict[str, list[dict[str, object]]] = {}
    for surface in scene.surfaces:
        start = scene.project(reference_frame, surface.at(reference_frame))
        rows: list[dict[str, object]] = []
        for n in range(scene.frames):
            now = scene.project(n, surface.at(n))
            h = homography_from_quads(start, now)
            assert np.allclose(apply_homography(h, start), now)
            rows.append({"frame": n, "corners": now.tolist(), "homography": h.tolist()})
        answer[surface.id] = rows
    return answer


def _render_one(job: tuple[str, int]) -> bytes:
    scene = build_scene(job[0])
    return expose(scene, render_light(scene, job[1]), job[1]).tobytes()


def _describe(name: str) -> dict[str, object]:
    """Truth of a scene: surfaces, and outlines of what passes in front."""
    scene = build_scene(name)
    shapes = {
        key: [None if (at := shape(n)) is None else at.tolist() for n in range(scene.frames)]
        for key, shape in scene.occluder_shapes.items()
    }
    reference = SCENES[name].reference_frame
    return {"reference_frame": reference, "surfaces": truth(scene, reference), "occluders": shapes}


def render_scene(name: str, processes: int = 2) -> tuple[Future[dict[str, object]], Iterator[Uint8]]:
    """Truth of a named scene (ready with its last frame), and its frames in order, (H, W, 3) uint8, rendered in parallel processes."""
    entry = SCENES[name]
    pool = ProcessPoolExecutor(processes, mp_context=get_context("spawn"))
    pending = [pool.submit(_render_one, (name, n)) for n in range(entry.frames)]
    described = pool.submit(_describe, name)

    def frames() -> Iterator[Uint8]:
        try:
            for future in pending:
                yield np.frombuffer(future.result(), np.uint8).reshape(entry.height, entry.width, 3)
        finally:
            pool.shutdown(cancel_futures=True)

    return described, frames()
