"""Render difficult plates: layers of light on planes, seen row by row through a shutter and a lens.

Coordinates: x right, y down, pixel centres at +0.5, plate px; texture px alike. Light is linear, one channel.
Nothing here is shared with the tracker.
"""

from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction
from io import BytesIO

import av
import cv2
import numba
import numpy as np

from verdigris.core.types import Float32, Float64, Uint8

Poses = Callable[[Float64], Float64]


@dataclass(frozen=True)
class Layer:
    """Something flat: near to far, the first one given is nearest.

    Attributes
    ----------
    texture : frame index -> (h, w, 2) float32, light premultiplied by coverage, and coverage
    poses : (n,) times -> (n, 3, 3) float64, picture (without lens) from texture px
    bowed : poses of the plane through the crown of a bow across the texture's width, or None for a flat one
    """

    texture: Callable[[int], Float32]
    poses: Poses
    bowed: Poses | None = None
    subsamples: int = 2


@dataclass(frozen=True)
class Camera:
    """How light becomes code values.

    Attributes
    ----------
    shutter : (offset in frames, weight), centred on zero, weights sum to one
    readout : share of the frame time between the first and the last row
    lens : k1, k2, centre x and y in plate px; distorted = ideal x (1 + k1 r^2 + k2 r^4), r by half the diagonal
    defocus_px : frame -> standard deviation of the blur; `disc` makes it a disc of the same spread
    noise : standard deviation in code values of 255 at mid grey; `correlated` smooths it, `halo` sharpens the picture
    tone : `srgb`, or `camera`: a log-like curve with lifted shadows and a shoulder
    crf : H.264 constant rate factor, or None for the values themselves
    """

    shutter: tuple[tuple[float, float], ...] = ((0.0, 1.0),)
    readout: float = 0.0
    lens: tuple[float, float, float, float] | None = None
    defocus_px: Callable[[int], float] = field(default=lambda n: 0.0)
    disc: bool = False
    noise: float = 0.5
    correlated: bool = False
    halo: float = 0.0
    tone: str = "srgb"
    crf: float | None = None


def shutter(angle_share: float, samples: int, ramp: float = 0.0) -> tuple[tuple[float, float], ...]:
    """An evenly sampled shutter, open for a share of the frame; `ramp` of it opening and closing."""
    at = ((np.arange(samples) + 0.5) / samples - 0.5) * angle_share
    weight = np.ones(samples)
    if ramp > 0:
        edge = 0.5 - np.abs(at) / angle_share
        weight = np.clip(edge / ramp, 0.0, 1.0)
    weight /= weight.sum()
    return tuple((float(a), float(w)) for a, w in zip(at, weight, strict=True))


@numba.njit(cache=True, nogil=True, fastmath=True)
def _under(out, ideal, texture, hinv, crown, bowed, sub):  # type: ignore[no-untyped-def]
    """Lay a texture under what is there; `hinv` (rows, 3, 3) texture from picture, one a row."""
    height, width = out.shape[0], out.shape[1]
    th, tw = texture.shape[0], texture.shape[1]
    for y in range(height):
        h, c = hinv[y], crown[y]
        for x in range(width):
            room = 1.0 - out[y, x, 1]
            if room < 0.001:
                continue
            light, cover = 0.0, 0.0
            for sy in range(sub):
                for sx in range(sub):
                    px = ideal[y, x, 0] + (sx + 0.5) / sub - 0.5
                    py = ideal[y, x, 1] + (sy + 0.5) / sub - 0.5
                    w = h[2, 0] * px + h[2, 1] * py + h[2, 2]
                    if w <= 1e-9:
                        continue
                    u = (h[0, 0] * px + h[0, 1] * py + h[0, 2]) / w
                    v = (h[1, 0] * px + h[1, 1] * py + h[1, 2]) / w
                    if bowed:
                        wc = c[2, 0] * px + c[2, 1] * py + c[2, 2]
                        du = (c[0, 0] * px + c[0, 1] * py + c[0, 2]) / wc - u
                        dv = (c[1, 0] * px + c[1, 1] * py + c[1, 2]) / wc - v
                        z = 1.0 - (2.0 * u / tw - 1.0) ** 2
                        z = 1.0 - (2.0 * (u + z * du) / tw - 1.0) ** 2
                        u, v = u + z * du, v + z * dv
                    u, v = u - 0.5, v - 0.5
                    if u < 0 or v < 0 or u >= tw - 1 or v >= th - 1:
                        continue
                    iu, iv = int(u), int(v)
                    fu, fv = u - iu, v - iv
                    a, b = (1 - fu) * (1 - fv), fu * (1 - fv)
                    d, e = (1 - fu) * fv, fu * fv
                    light += (
                        a * texture[iv, iu, 0] + b * texture[iv, iu + 1, 0] + d * texture[iv + 1, iu, 0] + e * texture[iv + 1, iu + 1, 0]
                    )
                    cover += (
                        a * texture[iv, iu, 1] + b * texture[iv, iu + 1, 1] + d * texture[iv + 1, iu, 1] + e * texture[iv + 1, iu + 1, 1]
                    )
            scale = room / (sub * sub)
            out[y, x, 0] += light * scale
            out[y, x, 1] += cover * scale


def distort(points: Float64, lens: tuple[float, float, float, float] | None, width: int, height: int) -> Float64:
    """Where a lens shows ideal points (..., 2)."""
    if lens is None:
        return points
    k1, k2, cx, cy = lens
    half = np.hypot(width, height) / 2
    offset = points - (cx, cy)
    r2 = np.sum((offset / half) ** 2, axis=-1, keepdims=True)
    return np.asarray((cx, cy) + offset * (1 + k1 * r2 + k2 * r2**2))


def _ideal_map(lens: tuple[float, float, float, float] | None, width: int, height: int) -> Float64:
    """Ideal position of every pixel centre, (H, W, 2)."""
    y, x = np.mgrid[0.5:height, 0.5:width]
    seen = np.stack([x, y], axis=-1)
    ideal = seen.copy()
    for _ in range(30 if lens else 0):
        ideal -= distort(ideal, lens, width, height) - seen
    return ideal


def row_times(frame: float, readout: float, height: int) -> Float64:
    """Time in the middle of the exposure of every row, frames."""
    return np.asarray(frame + readout * ((np.arange(height) + 0.5) / height - 0.5))


def seen_at(points: Float64, poses: Poses, frame: float, camera: Camera, width: int, height: int) -> Float64:
    """Where points (N, 2) of a texture are seen in a frame: each at the time of the row it lands on."""
    answer = np.empty_like(points)
    for i, point in enumerate(points):
        y = height / 2
        for _ in range(40):
            time = frame + camera.readout * (y / height - 0.5)
            p = poses(np.array([time]))[0] @ (*point, 1.0)
            at = distort(p[:2] / p[2], camera.lens, width, height)
            y = at[1]
        answer[i] = at
    return answer


class Renderer:
    """Renders frames of one plate."""

    def __init__(self, layers: tuple[Layer, ...], camera: Camera, width: int, height: int, seed: int) -> None:
        self.layers, self.camera, self.width, self.height, self.seed = layers, camera, width, height, seed
        self._ideal = _ideal_map(camera.lens, width, height)

    def light(self, frame: int) -> Float32:
        """Linear light of a frame, (H, W) float32."""
        total = np.zeros((self.height, self.width), np.float32)
        textures = [layer.texture(frame) for layer in self.layers]
        rows = row_times(frame, self.camera.readout, self.height)
        for offset, weight in self.camera.shutter:
            one = np.zeros((self.height, self.width, 2), np.float32)
            for layer, texture in zip(self.layers, textures, strict=True):
                hinv = np.linalg.inv(layer.poses(rows + offset))
                crown = hinv if layer.bowed is None else np.linalg.inv(layer.bowed(rows + offset))
                _under(one, self._ideal, texture, hinv, crown, layer.bowed is not None, layer.subsamples)
            total += np.float32(weight) * one[..., 0]
        return _defocus(total, self.camera.defocus_px(frame), self.camera.disc)

    def expose(self, light: Float32, frame: int) -> Uint8:
        """Noise, tone, sharpening: code values, (H, W) uint8."""
        rng = np.random.default_rng((self.seed, frame))
        grain = rng.standard_normal(light.shape).astype(np.float32)
        if self.camera.correlated:
            grain = cv2.GaussianBlur(grain, (0, 0), 0.7)
            grain /= grain.std()
        code = _tone(light, self.camera.tone)
        # Shot noise in linear light is near even noise in code values; a little more in the dark.
        code += np.float32(self.camera.noise / 255) * grain * (1.15 - 0.3 * code)
        if self.camera.halo > 0:
            code += np.float32(self.camera.halo) * (code - cv2.GaussianBlur(code, (0, 0), 1.2))
        return np.clip(code * 255 + 0.5, 0, 255).astype(np.uint8)


def _defocus(light: Float32, sigma: float, disc: bool) -> Float32:
    if sigma < 0.05:
        return light
    if not disc:
        return np.asarray(cv2.GaussianBlur(light, (0, 0), sigma), np.float32)
    # A disc of radius r has a variance of r^2 / 4 along each axis.
    radius, over = 2 * sigma, 8
    n = int(np.ceil(radius)) * 2 + 3
    y, x = (np.mgrid[0 : n * over, 0 : n * over] + 0.5) / over - n / 2
    kernel = (np.hypot(x, y) <= radius).astype(np.float32).reshape(n, over, n, over).mean(axis=(1, 3))
    return np.asarray(cv2.filter2D(light, -1, kernel / kernel.sum(), borderType=cv2.BORDER_REFLECT), np.float32)


def _tone(light: Float32, tone: str) -> Float32:
    v = np.clip(light, 0, None)
    if tone == "srgb":
        return np.where(v <= 0.0031308, v * 12.92, 1.055 * np.maximum(v, 1e-9) ** (1 / 2.4) - 0.055).astype(np.float32)
    # Lifted shadows, a shoulder in the highlights: neither sRGB nor a power.
    return np.asarray(0.03 + 0.95 * np.log1p(14 * v) / np.log1p(14 * 1.05), np.float32)


def through_h264(frames: list[Uint8], crf: float) -> list[Uint8]:
    """Encode and decode grey frames as a camera's H.264."""
    height, width = frames[0].shape
    store = BytesIO()
    with av.open(store, "w", format="mp4") as sink:
        stream = sink.add_stream("libx264", rate=Fraction(24), options={"crf": str(crf), "preset": "medium"})
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        stream.codec_context.thread_count = 1
        neutral = np.full((height // 2, width), 128, np.uint8)
        for grey in frames:
            # Full-range luma kept as it is: what counts here is the coding, not the range.
            sink.mux(stream.encode(av.VideoFrame.from_ndarray(np.concatenate([grey, neutral]), format="yuv420p")))
        sink.mux(stream.encode(None))
    store.seek(0)
    with av.open(store, "r") as source:
        return [np.ascontiguousarray(f.to_ndarray()[:height, :width]) for f in source.decode(video=0)]
