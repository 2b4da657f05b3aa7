"""What a frame of result needs, without any pixels: the same plan gives the same picture, so its key stands for it."""

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import astuple, dataclass
from functools import cached_property, lru_cache
from pathlib import Path

import numpy as np

import verdigris.core
from verdigris.core.camera.optics import Optics
from verdigris.core.composite.warp import MIDDLE
from verdigris.core.types import Float64

Points = tuple[tuple[float, float], ...]
CORE = Path(verdigris.core.__file__).parent
DRAWN_BY = ("camera", "composite", "geometry", "light", "matte")


@dataclass(frozen=True)
class LayerPlan:
    """One layer of a frame.

    Attributes
    ----------
    artwork : what it is read from, and which of its frames
    art_from_surface : unit square to artwork px, row by row
    camera : what bends the surface's edges
    reference : corners at the reference frame, plate px
    corners : corners at this frame, offset 0, and at those around it where the movement matters, plate px
    exposure : moments of the exposure, frames, with their weights
    overshoot_px : how far the edge is moved outwards
    black_bars : whether fitted artwork has black around it
    in_front : polygons of what is nearer, plate px, each with its soft edge
    """

    artwork: tuple[str, int]
    art_from_surface: tuple[float, ...]
    camera: Optics
    reference: Points
    corners: tuple[tuple[int, Points], ...]
    exposure: tuple[tuple[float, float], ...] = MIDDLE
    overshoot_px: float = 0.0
    black_bars: bool = True
    in_front: tuple[tuple[Points, float], ...] = ()


@dataclass(frozen=True)
class FramePlan:
    """A frame of result from a plate: `layers` far to near, each with the number of its placement."""

    plate: str
    frame: int
    layers: tuple[tuple[int, LayerPlan], ...]

    @cached_property
    def key(self) -> str:
        """Fingerprint: plans that are alike give the same picture of the same plate, as long as the same code draws it."""
        told = (drawing(), self.plate, self.frame, [_told(layer) for _, layer in self.layers])
        return hashlib.sha256(repr(told).encode()).hexdigest()[:24]


@lru_cache(maxsize=1)
def drawing() -> str:
    """Fingerprint of the code that draws: frames are kept for the next delivery, and another version may draw them otherwise."""
    files = sorted(p for folder in DRAWN_BY for p in (CORE / folder).glob("*.py"))
    return hashlib.sha256(b"".join(p.read_bytes() for p in files)).hexdigest()


def _told(layer: LayerPlan) -> tuple[object, ...]:
    camera = layer.camera
    lens = None if camera.lens is None else astuple(camera.lens)
    seen_by = (camera.width, camera.height, lens, camera.readout, camera.bow, camera.focal)
    rest = (layer.artwork, layer.art_from_surface, layer.reference, layer.corners, layer.exposure, layer.overshoot_px, layer.black_bars)
    return (seen_by, rest, layer.in_front)


def points_of(array: Float64) -> Points:
    """(N, 2) as plain numbers."""
    return tuple((float(x), float(y)) for x, y in array)


def polygons_of(polygons: Sequence[Float64], feathers: Sequence[float]) -> tuple[tuple[Points, float], ...]:
    """Polygons and their soft edges as plain numbers."""
    return tuple((points_of(p), float(f)) for p, f in zip(polygons, feathers, strict=True))


def corners_of(corners: Mapping[int, Float64]) -> tuple[tuple[int, Points], ...]:
    """Corners by offset as plain numbers."""
    return tuple((k, points_of(c)) for k, c in sorted(corners.items()))


def arrays_of(corners: tuple[tuple[int, Points], ...], scale: float) -> dict[int, Float64]:
    """Corners by offset as arrays (4, 2), times `scale`."""
    return {k: np.array(c) * scale for k, c in corners}
