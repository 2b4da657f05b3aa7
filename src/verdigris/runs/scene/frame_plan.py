"""What a frame of result needs, without any pixels: the same plan gives the same picture, so its key stands for it."""

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import astuple, dataclass, fields
from functools import cached_property, lru_cache
from pathlib import Path

import numpy as np

import verdigris.core
from verdigris.core.camera.optics import Optics
from verdigris.core.composite.blend import Blend, Space
from verdigris.core.composite.layer import Beyond
from verdigris.core.composite.warp import MIDDLE
from verdigris.core.matte.recipe import Combine
from verdigris.core.types import Float64

Points = tuple[tuple[float, float], ...]
# An outline; or where one that moves is at several moments of the exposure.
Outline = Points | tuple[Points, ...]
CORE = Path(verdigris.core.__file__).parent
DRAWN_BY = ("camera", "composite", "geometry", "light", "match", "matte")


@dataclass(frozen=True)
class PartPlan:
    """One part of a matte at a frame.

    Attributes
    ----------
    combine : how it goes with the parts before it
    polygons : what it covers where it is made of shapes, plate px: included or taken out, and the soft edge
    soft_points : softness at each point of its one shape, plate px
    strength : of this frame
    told : what else the document says of the part, as JSON
    frame : of the plate, where that matters beyond the polygons
    """

    kind: str
    combine: Combine
    invert: bool
    grow_px: float
    soft_px: float
    strength: float
    polygons: tuple[tuple[Outline, bool, float], ...] = ()
    soft_points: tuple[float, ...] | None = None
    told: str = ""
    frame: int = 0


@dataclass(frozen=True)
class MattePlan:
    """A matte at a frame; `near` is the outline of the surface it belongs to, plate px, empty where that is lost.

    `places` are the numbers of its parts in the document, from 0: those that are off are not among them.
    """

    matte: str
    near: Points | None
    parts: tuple[PartPlan, ...]
    places: tuple[int, ...] = ()


@dataclass(frozen=True)
class ShadowPlan:
    """A shadow on a layer's plane.

    Attributes
    ----------
    soft, grow : standard deviation of its edge, and how much wider it is, shares of the area's shorter side
    light : its linear light, sRGB primaries
    offset, pad : how far it lies off, and how far its picture reaches beyond the area, shares of the area's width and height
    """

    soft: float
    grow: float
    light: tuple[float, float, float]
    strength: float
    offset: tuple[float, float]
    pad: tuple[float, float]


@dataclass(frozen=True)
class MatchPlan:
    """How a layer is made to sit at a frame.

    Attributes
    ----------
    told : what the document says of it that is the same at every frame, as JSON
    frame : of the plate
    strengths : of parts that have one by keys, at this frame
    soft_px : standard deviation of the softness, plate px
    soft_corners : at the four corners, where it differs over the surface
    """

    told: str
    frame: int
    strengths: tuple[tuple[str, float], ...]
    soft_px: float = 0.0
    soft_corners: tuple[float, float, float, float] | None = None


@dataclass(frozen=True)
class GradePlan:
    """A grade at a frame: what the document says of it, as JSON, and its strength."""

    told: str
    strength: float


@dataclass(frozen=True)
class LayerPlan:
    """One layer of a frame.

    Attributes
    ----------
    artwork : what it is read from, which of its frames, and their weights
    crop : left, top, right, bottom, shares of the artwork that are cut off
    art_from_surface : unit square of the area to px of the cropped artwork, row by row
    camera : what bends the surface's edges
    reference : corners at the reference frame, plate px
    corners : corners at this frame, offset 0, and at those around it where the movement matters, plate px
    area : the part of the plane it lies on, corners at the reference frame, plate px; None is the surface itself
    exposure : moments of the exposure, frames, with their weights
    overshoot_px : how far each edge is moved outwards
    black_bars : whether fitted artwork has black around it
    rounding : radii of the area's corners, shares of its width and height
    beyond : what of the plane lies around the artwork
    opacity, blend, blend_in : how it goes with what is below it
    in_front : polygons of what is nearer, plate px, each with its soft edge
    kept_in_front, shown_only_in : mattes
    shadow : the layer is the shadow of the artwork, not the artwork
    match : how it is made to sit
    """

    artwork: tuple[str, tuple[tuple[int, float], ...]]
    art_from_surface: tuple[float, ...]
    camera: Optics
    reference: Points
    corners: tuple[tuple[int, Points], ...]
    area: Points | None = None
    crop: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    exposure: tuple[tuple[float, float], ...] = MIDDLE
    overshoot_px: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    black_bars: bool = True
    rounding: tuple[float, float] = (0.0, 0.0)
    opacity: float = 1.0
    blend: Blend = "over"
    blend_in: Space | None = None
    beyond: Beyond = "nothing"
    in_front: tuple[tuple[Outline, float], ...] = ()
    kept_in_front: tuple[MattePlan, ...] = ()
    shown_only_in: tuple[MattePlan, ...] = ()
    shadow: ShadowPlan | None = None
    match: MatchPlan | None = None


@dataclass(frozen=True)
class FramePlan:
    """A frame of result from a plate: `layers` far to near, each with the number of its placement; and the whole picture's grade."""

    plate: str
    frame: int
    layers: tuple[tuple[int, LayerPlan], ...]
    grade: GradePlan | None = None

    @property
    def mattes(self) -> tuple[MattePlan, ...]:
        """Every matte that a layer asks for."""
        return tuple(m for _, layer in self.layers for m in (*layer.kept_in_front, *layer.shown_only_in))

    @cached_property
    def key(self) -> str:
        """Fingerprint: plans that are alike give the same picture of the same plate, as long as the same code draws it."""
        told = (drawing(), self.plate, self.frame, [_told(layer) for _, layer in self.layers], self.grade)
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
    return (seen_by, [getattr(layer, f.name) for f in fields(layer) if f.name != "camera"])


def points_of(array: Float64) -> Points:
    """(N, 2) as plain numbers."""
    return tuple(map(tuple, array.tolist()))


def plain_outline(array: Float64) -> Outline:
    """(N, 2), or (M, N, 2) at M moments, as plain numbers."""
    return points_of(array) if array.ndim == 2 else tuple(points_of(a) for a in array)


def polygons_of(polygons: Sequence[Float64], feathers: Sequence[float]) -> tuple[tuple[Outline, float], ...]:
    """Polygons and their soft edges as plain numbers."""
    return tuple((plain_outline(p), float(f)) for p, f in zip(polygons, feathers, strict=True))


def corners_of(corners: Mapping[int, Float64]) -> tuple[tuple[int, Points], ...]:
    """Corners by offset as plain numbers."""
    return tuple((k, points_of(c)) for k, c in sorted(corners.items()))


def arrays_of(corners: tuple[tuple[int, Points], ...], scale: float) -> dict[int, Float64]:
    """Corners by offset as arrays (4, 2), times `scale`."""
    return {k: np.array(c) * scale for k, c in corners}
