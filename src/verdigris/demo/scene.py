"""What a scene is: layers in space, a camera's path, light and lens. New scenes only describe themselves."""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from verdigris.core.types import Float32, Float64


@dataclass(frozen=True)
class Lens:
    """A simple lens: focal length in px, darkening towards the corners 0..1."""

    focal_px: float
    vignette: float = 0.18


@dataclass(frozen=True)
class Sensor:
    """Noise in linear light: variance = shot * light + read^2; and the share of a frame the shutter is open."""

    shot: float = 2.2e-5
    read: float = 0.0011
    shutter: float = 0.5
    exposure: float = 1.0


@dataclass(frozen=True)
class Plane:
    """A flat thing in space.

    Attributes
    ----------
    name : how it is called
    world_from_texture : (4, 3) float64, homogeneous world metres from homogeneous texture px; x right, y down, z away
    texture : time in frames -> (h, w, 4) float32 linear premultiplied, reduced to about the size it is seen at
    placed : time in frames -> (4, 4) float64 that moves it in the world, or None when it stands still
    far : far behind the surfaces, where one sample of the shutter will do
    """

    name: str
    world_from_texture: Float64
    texture: Callable[[float], Float32]
    placed: Callable[[float], Float64] | None = None
    visible: tuple[float, float] | None = None
    far: bool = False


@dataclass(frozen=True)
class Surface:
    """A surface whose truth is kept: four world points (4, 3), metres, in corner order.

    `placed` moves it like a plane's; None when it stands still.
    """

    id: str
    corners: Float64
    placed: Callable[[float], Float64] | None = None

    def at(self, time: float) -> Float64:
        """Its corners in the world at a time in frames, (4, 3)."""
        if self.placed is None:
            return self.corners
        return np.asarray((np.concatenate([self.corners, np.ones((4, 1))], axis=1) @ self.placed(time).T)[:, :3])


@dataclass(frozen=True)
class Scene:
    """Everything needed to render a plate, far to near.

    Attributes
    ----------
    camera : time in frames -> (3, 4) float64, camera from world
    occluder_shapes : name -> (time in frames -> (N, 2) float64 outline in plate px, or None when away)
    """

    name: str
    width: int
    height: int
    frames: int
    rate: tuple[int, int]
    camera: Callable[[float], Float64]
    planes: tuple[Plane, ...]
    surfaces: tuple[Surface, ...]
    lens: Lens
    sensor: Sensor = field(default_factory=Sensor)
    seed: int = 1
    occluder_shapes: dict[str, Callable[[float], Float64 | None]] = field(default_factory=dict)

    def projection(self, time: float) -> Float64:
        """(3, 4) plate px from world metres at a time in frames."""
        f = self.lens.focal_px
        k = np.array([[f, 0, self.width / 2], [0, f, self.height / 2], [0, 0, 1.0]])
        return np.asarray(k @ self.camera(time))

    def project(self, time: float, points: Float64) -> Float64:
        """World points (N, 3) to plate px (N, 2)."""
        p = np.concatenate([points, np.ones((len(points), 1))], axis=1) @ self.projection(time).T
        return np.asarray(p[:, :2] / p[:, 2:])


def ease(t: float) -> float:
    """From 0 to 1, slow at both ends."""
    t = min(max(t, 0.0), 1.0)
    return t * t * (3 - 2 * t)


def moved(matrix: Float64, offset: Float64) -> Float64:
    """(4, 4) rigid placement: a rotation (3, 3), then an offset (3,) metres."""
    m = np.eye(4)
    m[:3, :3], m[:3, 3] = matrix, offset
    return m


def hand_held(seed: int, position_m: float, angle_rad: float, rate: float) -> Callable[[float], tuple[Float64, Float64]]:
    """A hand's unrest: smooth position (3,) metres and angles (3,) rad at a time in frames."""
    rng = np.random.default_rng(seed)
    hertz = np.array([0.23, 0.41, 0.77, 1.3, 2.3, 3.7])
    strength = np.array([1.0, 0.8, 0.5, 0.28, 0.10, 0.04])
    phase = rng.uniform(0, 2 * np.pi, (6, len(hertz)))

    def at(time: float) -> tuple[Float64, Float64]:
        waves = np.sin(2 * np.pi * hertz * time / rate + phase) @ strength
        return waves[:3] * position_m, waves[3:] * angle_rad * [1.0, 1.0, 0.5]

    return at


def rotation(pitch: float, yaw: float, roll: float) -> Float64:
    """(3, 3) rotation: roll about z, then pitch about x, then yaw about y, rad."""
    cx, sx, cy, sy, cz, sz = np.cos(pitch), np.sin(pitch), np.cos(yaw), np.sin(yaw), np.cos(roll), np.sin(roll)
    rx = np.array([[1, 0, 0], [0, cx, -sx], [0, sx, cx]])
    ry = np.array([[cy, 0, sy], [0, 1, 0], [-sy, 0, cy]])
    rz = np.array([[cz, -sz, 0], [sz, cz, 0], [0, 0, 1.0]])
    return np.asarray(ry @ rx @ rz)


def look(position: Float64, angles: Float64) -> Float64:
    """Camera from world, (3, 4), for a camera at a position with pitch, yaw, roll."""
    r = rotation(*angles).T
    return np.concatenate([r, (-r @ position)[:, None]], axis=1)


def standing_plane(origin: Float64, across: Float64, down: Float64, px_per_m: float) -> Float64:
    """World from texture (4, 3) for a rectangle with its top-left corner at `origin`."""
    return np.array(
        [
            [across[0] / px_per_m, down[0] / px_per_m, origin[0]],
            [across[1] / px_per_m, down[1] / px_per_m, origin[1]],
            [across[2] / px_per_m, down[2] / px_per_m, origin[2]],
            [0, 0, 1],
        ]
    )


def plane_through_view(scene_focal_px: float, centre: tuple[float, float], scale: float, normal: Float64, distance: float) -> Float64:
    """World from texture (4, 3) for a plane painted as a camera at the world's origin sees it.

    A texture px (u, v) is the view's px (u, v) / scale; `centre` is the optical axis in texture px. The plane is
    normal . X = distance. Painting in the view keeps the texture's density even in perspective.
    """
    f = scene_focal_px * scale
    rays = np.array([[1 / f, 0, -centre[0] / f], [0, 1 / f, -centre[1] / f], [0, 0, 1.0]])
    return np.concatenate([distance * rays, (normal @ rays)[None, :]], axis=0)
