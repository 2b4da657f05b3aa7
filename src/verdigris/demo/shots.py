"""The demo's shots as an artist would have left them: finished, in work, in trouble."""

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from verdigris.core.geometry.motion import Motion
from verdigris.core.geometry.quad import grow_quad
from verdigris.core.types import Float64
from verdigris.shot.model.artwork import FileArtwork
from verdigris.shot.model.document import Shot
from verdigris.shot.model.media import MediaRef, Plate
from verdigris.shot.model.outline import Occluder, ShapeKey
from verdigris.shot.model.placement import Placement, Timing
from verdigris.shot.model.points import PointKey, TrackPoint
from verdigris.shot.model.region import PointsKey, Region, RegionShape
from verdigris.shot.model.surface import Surface

Truth = dict[str, Any]
Pairs = list[tuple[float, float]]
# Digits a hand rounds corners to.
HAND_DIGITS = 2


@dataclass(frozen=True)
class InFront:
    """Something to be outlined: its name in the truth, on screen, how often it gets a key, with how many points."""

    truth: str
    name: str
    every: int = 4
    points: int = 40
    feather_px: float = 1.2


@dataclass(frozen=True)
class DemoShot:
    """One shot of the demo.

    Attributes
    ----------
    scene : name of the plate, of its truth
    surface, called : the surface's id in the truth, and its name on screen
    artwork : file among the demo's artwork, or None while nothing is placed
    region : polygons to follow, as quads of the unit square of the surface (may reach beyond it); none: the corners' quad
    in_front : nearest first
    delivered : whether it is handed over
    """

    scene: str
    name: str
    surface: str
    called: str
    artwork: str | None
    region: tuple[tuple[tuple[float, float], ...], ...] = ()
    in_front: tuple[InFront, ...] = ()
    first_frame: int = 1001
    delivered: bool = False
    fit: str = "fill"
    motion: Motion = "perspective"
    smoothing: float = 0.0
    points: dict[str, tuple[float, float]] = field(default_factory=dict)


def _box(x0: float, y0: float, x1: float, y1: float) -> tuple[tuple[float, float], ...]:
    return ((x0, y0), (x1, y0), (x1, y1), (x0, y1))


SHOTS: tuple[DemoShot, ...] = (
    DemoShot(
        "hoarding", "Hoarding from the boat", "poster", "Poster", "winter-sailings.png", delivered=True,
        in_front=(
            InFront("walker near", "Passer-by", 2, 48), InFront("post near", "Near lamp post", 8, 8),
            InFront("walker far", "Walks the other way", 2, 48), InFront("post far", "Far lamp post", 8, 8),
        ),
    ),
    DemoShot(
        "breakwater", "Clouds over the breakwater", "sky", "Sky", "cloud-bank.png", delivered=True, fit="stretch", smoothing=1.0,
        region=(((0.0, 1.06), (1.0, 1.055), (1.0, 0.40), (1.05, 0.40), (1.05, 1.22), (0.0, 1.235)),),
    ),
    DemoShot("tram", "Harbour tram", "panel", "Panel", None, region=(_box(-0.30, -0.15, 1.32, 1.9),)),
    DemoShot(
        "handset", "Inspector's handset", "screen", "Screen", "inspector.png", region=(_box(-0.06, -0.10, 1.06, 1.09),),
        in_front=(InFront("thumb", "Thumb", 3, 40), InFront("grip", "Holding hand", 6, 40)),
        points={"p1": (0.16, 0.12), "p2": (0.84, 0.12), "p3": (0.84, 0.88), "p4": (0.16, 0.88), "p5": (0.5, 0.5)},
    ),
    DemoShot("carton", "Tea carton", "front", "Front", "lantern-tea.png"),
    DemoShot("notice", "Notice on the door", "paper", "Paper", None),
)  # fmt: skip


def document_of_scene(shot: DemoShot, truth: Truth, plate: MediaRef, artwork: MediaRef | None) -> Shot:
    """The document; corners and outlines are rounded as hands do."""
    reference = int(truth["reference_frame"])
    corners = np.array(truth["surfaces"][shot.surface][reference]["corners"])
    shapes = [_followed(corners, polygon, reference) for polygon in shot.region]
    surface = Surface(
        id=shot.surface, name=shot.called, depth=len(shot.in_front), reference_frame=reference,
        motion=shot.motion, smoothing=shot.smoothing,
        corners=rounded_quad(corners), region=Region(shapes=shapes),
        points=[TrackPoint(id=k, keys=[PointKey(frame=reference, at=_inside(corners, [uv])[0])]) for k, uv in shot.points.items()],
    )  # fmt: skip
    placements = [] if artwork is None else [Placement(id="p1", surface=shot.surface, artwork=as_artwork(artwork), fit=shot.fit)]  # type: ignore[arg-type]
    return Shot(
        name=shot.name, plate=Plate(path=plate.path, media=plate.media, first_frame=shot.first_frame), surfaces=[surface],
        occluders=[o for depth, thing in enumerate(shot.in_front) if (o := _occluder(thing, depth, truth)) is not None],
        placements=placements,
    )  # fmt: skip


def kiosk_document(truth: Truth, plate: MediaRef, artwork: MediaRef) -> Shot:
    """The kiosk shot as an artist would outline it."""
    reference = int(truth["reference_frame"])
    corners = np.array(truth["surfaces"]["screen"][reference]["corners"])
    arm = _occluder(InFront("arm", "Arm", 4, 48), 0, truth)
    assert arm is not None
    return Shot(
        name="Ticket kiosk",
        plate=Plate(path=plate.path, media=plate.media, first_frame=1001),
        surfaces=[
            Surface(
                id="screen", name="Screen", depth=1, reference_frame=reference, corners=rounded_quad(corners),
                region=Region(include=[as_pairs(grow_quad(corners, 34))], exclude=[as_pairs(grow_quad(corners, 1))]),
            )
        ],
        occluders=[arm],
        placements=[Placement(id="p1", surface="screen", artwork=as_artwork(artwork), fit="fill", time=Timing(after="loop"))],
    )  # fmt: skip


def as_artwork(ref: MediaRef) -> FileArtwork:
    """A file as artwork."""
    return FileArtwork(path=ref.path, media=ref.media)


def rounded_quad(corners: Float64) -> Any:
    """Corners as a hand places them."""
    return tuple((round(float(x), HAND_DIGITS), round(float(y), HAND_DIGITS)) for x, y in corners)


def as_pairs(points: Float64) -> Pairs:
    """Points of an outline, rounded to a tenth of a pixel."""
    return [(round(float(x), 1), round(float(y), 1)) for x, y in points]


def _inside(corners: Float64, uv: list[tuple[float, float]]) -> Pairs:
    """Places in a quad's unit square, bilinearly: near enough for outlining."""
    a, b, c, d = corners
    return as_pairs(np.array([(1 - u) * (1 - v) * a + u * (1 - v) * b + u * v * c + (1 - u) * v * d for u, v in uv]))


def _followed(corners: Float64, polygon: tuple[tuple[float, float], ...], reference: int) -> RegionShape:
    return RegionShape(keys=[PointsKey(frame=reference, points=list(_inside(corners, list(polygon))))])


def _occluder(thing: InFront, depth: int, truth: Truth) -> Occluder | None:
    outlines: list[list[list[float]] | None] = truth["occluders"][thing.truth]
    there = [n for n, outline in enumerate(outlines) if outline]
    if not there:
        return None
    keys = [
        ShapeKey(frame=n, points=as_pairs(_even_points(np.array(outlines[n]), thing.points)))
        for n in sorted({*there[:: thing.every], there[-1]})
    ]
    span = None if len(there) == len(outlines) else (there[0], there[-1])
    return Occluder(id=thing.truth.replace(" ", "-"), name=thing.name, depth=depth, keys=keys, span=span, feather_px=thing.feather_px)


def _even_points(outline: Float64, count: int) -> Float64:
    """Points of a closed outline, (count, 2): its own when there are as many, else at even distances from the topmost on."""
    if len(outline) == count:
        return outline
    start = int(np.argmin(outline[:, 1]))
    turned = np.roll(outline, -start, axis=0)
    closed = np.vstack([turned, turned[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(closed, axis=0), axis=1))])
    at = np.linspace(0, along[-1], count, endpoint=False)
    return np.stack([np.interp(at, along, closed[:, 0]), np.interp(at, along, closed[:, 1])], axis=1)
