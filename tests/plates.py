"""Small synthetic plates with exact truth: a smooth random texture on a plane, seen through known homographies."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.types import Float32, Float64
from verdigris.demo.write import film_facts
from verdigris.media.frames import RgbFrame
from verdigris.media.writer import FilmWriter

OVER = 4


def texture(seed: int, width: int, height: int, cell: float = 7.0) -> Float32:
    """Smooth noise at OVER x resolution, so that linear look-ups in it are as good as exact; values 0..1."""
    rng = np.random.default_rng(seed)
    total = np.zeros((height * OVER, width * OVER), np.float32)
    for size, strength in ((cell, 1.0), (cell * 3, 1.2), (cell * 9, 1.0)):
        grid = rng.standard_normal((int(height / size) + 4, int(width / size) + 4)).astype(np.float32)
        total += strength * cv2.resize(grid, (width * OVER, height * OVER), interpolation=cv2.INTER_CUBIC)
    low, high = np.percentile(total, [1, 99])
    return np.clip(0.1 + 0.8 * (total - low) / (high - low), 0, 1).astype(np.float32)


def look_up(tex: Float32, frame_from_texture: Float64, width: int, height: int) -> Float32:
    """The texture seen through a homography, sampled at pixel centres."""
    y, x = np.mgrid[0.5:height, 0.5:width]
    at = apply_homography(np.linalg.inv(frame_from_texture), np.stack([x.ravel(), y.ravel()], axis=1)) * OVER - 0.5
    u, v = (at[:, i].reshape(height, width).astype(np.float32) for i in (0, 1))
    return np.asarray(cv2.remap(tex, u, v, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT), np.float32)


@dataclass(frozen=True)
class Plate:
    """Frames (values 0..1) with the homographies reference -> frame that made them."""

    frames: list[Float32]
    truth: list[Float64]
    corners: Float64
    reference: int

    def corners_at(self, n: int) -> Float64:
        """True corners at a frame."""
        return apply_homography(self.truth[n], self.corners)


def about(centre: Float64, matrix: Float64) -> Float64:
    """A map applied around a point."""
    there = np.array([[1, 0, -centre[0]], [0, 1, -centre[1]], [0, 0, 1.0]])
    return np.asarray(np.linalg.inv(there) @ matrix @ there)


def motion(kind: str, t: float, centre: Float64) -> Float64:
    """A plausible movement of a kind at time t, reference at t = 0."""
    a = np.deg2rad(1.1 * t) if kind != "translation" else 0.0
    s = 1 + 0.008 * t if kind in ("similarity", "affine", "perspective") else 1.0
    m = np.array([[s * np.cos(a), -s * np.sin(a), 0], [s * np.sin(a), s * np.cos(a), 0], [0, 0, 1.0]])
    if kind in ("affine", "perspective"):
        m = m @ np.array([[1 + 0.004 * t, 0.006 * t, 0], [0, 1, 0], [0, 0, 1.0]])
    if kind == "perspective":
        m = np.array([[1, 0, 0], [0, 1, 0], [1.2e-5 * t, -0.8e-5 * t, 1.0]]) @ m
    shift = np.array([[1, 0, 3.3 * t], [0, 1, -1.7 * t], [0, 0, 1.0]])
    h = shift @ about(centre, m)
    return np.asarray(h / h[2, 2])


def make_plate(
    kind: str = "perspective", count: int = 9, reference: int = 3, noise: float = 0.004, seed: int = 1, size: tuple[int, int] = (480, 320)
) -> Plate:
    """A textured plane that fills the picture, with corners well inside."""
    width, height = size
    tex = texture(seed, width, height)
    corners = np.array(
        [[0.3 * width, 0.3 * height], [0.7 * width, 0.31 * height], [0.69 * width, 0.72 * height], [0.31 * width, 0.7 * height]]
    )
    rng = np.random.default_rng(seed + 100)
    truth = [motion(kind, n - reference, corners.mean(axis=0)) for n in range(count)]
    frames = [
        np.asarray(np.clip(look_up(tex, h, width, height) + noise * rng.standard_normal((height, width)), 0, 1), np.float32)
        for h in truth
    ]  # fmt: skip
    return Plate(frames, truth, corners, reference)


def faded(plate: Plate, share: Callable[[int], float], noise: float = 0.004) -> Plate:
    """The same plate with another picture on the plane, by a share 0..1 of each frame."""
    height, width = plate.frames[0].shape
    other, rng = texture(77, width, height), np.random.default_rng(3)
    frames = []
    for n, frame in enumerate(plate.frames):
        new = look_up(other, plate.truth[n], width, height) + noise * rng.standard_normal(frame.shape)
        frames.append(np.asarray((1 - share(n)) * frame + share(n) * new, np.float32))
    return replace(plate, frames=frames)


POST_PX, POST_STRIDE_PX = 70, 24


def post_at(n: int) -> tuple[int, int]:
    """Left and right edge of the post of `passed_by` at a frame, px."""
    left = 50 + POST_STRIDE_PX * n
    return left, left + POST_PX


def passed_by(plate: Plate, first: int, last: int) -> Plate:
    """The plate with a post, as high as the picture, that passes in front from left to right between two frames."""
    shade = cv2.GaussianBlur(np.random.default_rng(3).normal(size=plate.frames[0].shape).astype(np.float32), (0, 0), 3)
    post = np.clip(0.2 + 0.8 * shade[:, :POST_PX], 0.02, 0.98)
    frames = []
    for n, frame in enumerate(plate.frames):
        shown = frame.copy()
        if first <= n <= last:
            x0, x1 = post_at(n)
            shown[:, x0:x1] = post[:, : shown[:, x0:x1].shape[1]]
        frames.append(shown)
    return replace(plate, frames=frames)


def write_plate(path: Path, plate: Plate, rate: Fraction = Fraction(24), crf: float = 6) -> Path:
    """The plate as a grey H.264 film."""
    height, width = plate.frames[0].shape
    with FilmWriter(path, film_facts(width, height, len(plate.frames), rate), crf=crf, preset="veryfast") as writer:
        for frame in plate.frames:
            grey = np.clip(frame * 255 + 0.5, 0, 255).astype(np.uint8)
            writer.write(RgbFrame(np.repeat(grey[..., None], 3, axis=2)))
    return path
