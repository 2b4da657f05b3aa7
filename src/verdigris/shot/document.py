"""The shot document, version 1: one model for interface, API, database and command line."""

import hashlib
import json
from pathlib import Path
from typing import Annotated, Any, Literal, Self

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from verdigris.core.composite.texture import Fit
from verdigris.core.geometry.corrections import CornerCorrection
from verdigris.core.geometry.held_still import Held
from verdigris.core.geometry.motion import Motion
from verdigris.core.tracking.points.points import Against, Pattern
from verdigris.core.tracking.reference.analysis import AnalysisSettings, Channel, Deflicker
from verdigris.core.types import Float64
from verdigris.media.facts import ColourChoice, Ratio
from verdigris.shot.errors import ShotError

FORMAT, VERSION = "verdigris.shot", 1

Coordinate = Annotated[float, Field(ge=-100_000, le=100_000, allow_inf_nan=False)]
Point = tuple[Coordinate, Coordinate]
Polygon = Annotated[list[Point], Field(min_length=3, max_length=500)]
Quad = tuple[Point, Point, Point, Point]
Id = Annotated[str, Field(min_length=1, max_length=64, pattern=r"^[A-Za-z0-9][A-Za-z0-9_-]*$")]
# Names are shown and kept as they are: nothing in them that cannot be.
Name = Annotated[str, Field(min_length=1, max_length=120, pattern=r"^[^\x00-\x1f\x7f]+$")]
Depth = Annotated[float, Field(ge=-1_000_000, le=1_000_000)]
Extent = Annotated[float, Field(ge=1, le=4096)]
FirstFrame = Annotated[int, Field(ge=0, le=999_999_999)]
FrameIndex = Annotated[int, Field(ge=0, le=1_000_000)]
Span = tuple[FrameIndex, FrameIndex]


class Part(BaseModel):
    """Base of all parts: unknown fields are refused, so that a typing slip is not silently ignored."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False, json_schema_serialization_defaults_required=True)


class MediaRef(Part):
    """Where a film or still is: a path beside the document, or the content hash of media in the application."""

    path: str | None = Field(None, max_length=4096, pattern=r"^[^\x00]*$", description="path, relative to the document")
    media: str | None = Field(None, pattern=r"^[0-9a-f]{64}$", description="SHA-256 of the file in the application's media folder")
    rate: Ratio | None = Field(None, description="frames per second of numbered stills, exact fraction")
    colour: ColourChoice | None = Field(None, description="what its code values mean, where the file says nothing or the wrong thing")

    @model_validator(mode="after")
    def _one_place(self) -> Self:
        if (self.path is None) == (self.media is None):
            raise ValueError("give either a path or a media hash")
        return self


class Plate(MediaRef):
    """The plate, and the number people quote for its first frame."""

    first_frame: FirstFrame | None = Field(None, description="number of the first frame; default from the file")


class LensModel(Part):
    """What the lens does to straight lines; radii are counted in half diagonals of the picture."""

    mode: Literal["none", "given", "estimate"] = Field("estimate", description="whether it is ideal, known, or found from the track")
    k1: float = Field(0.0, ge=-2, le=2, description="radial, second order")
    k2: float = Field(0.0, ge=-2, le=2, description="radial, fourth order")
    k3: float = Field(0.0, ge=-2, le=2, description="radial, sixth order")
    p1: float = Field(0.0, ge=-1, le=1, description="tangential")
    p2: float = Field(0.0, ge=-1, le=1, description="tangential")
    centre: Point | None = Field(None, description="plate px; default is the middle of the picture")
    lines: list[Annotated[list[Point], Field(min_length=3, max_length=200)]] = Field(
        default_factory=list, max_length=100, description="points along lines that are straight in the world, plate px"
    )


class CameraModel(Part):
    """How the camera reads its picture out."""

    readout: float | None = Field(
        None, ge=-1, le=1, description="share of the frame time between first and last row; without it, found from the track"
    )


class PointsKey(Part):
    """A shape's points at one frame, plate px; a point without a key of its own here is null."""

    frame: FrameIndex
    points: Annotated[list[Point | None], Field(min_length=3, max_length=500)]
    ease: Literal["linear", "eased"] = Field("linear", description="how the way to the next key runs")

    def array(self) -> Float64:
        """(N, 2) float64, NaN where a point has no key here."""
        return np.array([(np.nan, np.nan) if p is None else p for p in self.points], dtype=np.float64)


class RegionShape(Part):
    """A shape of the region with keys over time: it rides the plane, or stands in the picture when set free."""

    role: Literal["include", "exclude"] = "include"
    outline: Literal["straight", "smooth"] = Field("straight", description="polygon, or a smooth closed curve through the points")
    rides: Literal["plane", "picture"] = Field("plane", description="what its points are tied to between keys")
    feather_px: float = Field(0.0, ge=0, le=200, description="width of its soft edge, plate px: nothing within it is compared")
    keys: list[PointsKey] = Field(min_length=1, max_length=5000)

    @model_validator(mode="after")
    def _keys_agree(self) -> Self:
        if len({len(k.points) for k in self.keys}) != 1:
            raise ValueError("all keys of a shape have the same number of points")
        frames = [k.frame for k in self.keys]
        if frames != sorted(set(frames)):
            raise ValueError("keys are in order of frames, one a frame")
        if any(all(k.points[i] is None for k in self.keys) for i in range(len(self.keys[0].points))):
            raise ValueError("every point of a shape has a key somewhere")
        return self


class Region(Part):
    """Shapes that move with the plane; `include` and `exclude` are given at the reference frame, plate px."""

    include: list[Polygon] = Field(default_factory=list, max_length=100)
    exclude: list[Polygon] = Field(default_factory=list, max_length=100)
    shapes: list[RegionShape] = Field(default_factory=list, max_length=100)

    def all_shapes(self, reference_frame: int) -> list[RegionShape]:
        """Every shape in one form: the plain polygons become shapes with one key at the reference frame."""
        plain: list[RegionShape] = []
        for role, polygons in (("include", self.include), ("exclude", self.exclude)):
            for polygon in polygons:
                key = {"frame": reference_frame, "points": polygon}
                plain.append(RegionShape.model_validate({"role": role, "keys": [key]}))
        return [*plain, *self.shapes]


class Analysis(Part):
    """The picture that is looked at for following; the delivered one is never touched."""

    channel: Channel = "luma"
    contrast: float = Field(1.0, ge=0.1, le=10)
    gamma: float = Field(1.0, ge=0.1, le=10)
    blur_px: float = Field(0.0, ge=0, le=20)
    sharpen: float = Field(0.0, ge=0, le=5)
    denoise: float = Field(0.0, ge=0, le=1)
    deflicker: Deflicker = "none"
    normalise: bool = False

    def settings(self) -> AnalysisSettings:
        """As the core takes them."""
        return AnalysisSettings(**self.model_dump())


class HeldFrame(Part):
    """Corners set by hand at one frame: kept exactly, the track between such frames is held by them."""

    frame: FrameIndex
    corners: Quad


class PointKey(Part):
    """A point set by hand at one frame, plate px."""

    frame: FrameIndex
    at: Point
    half_size_px: tuple[Extent, Extent] | None = Field(None, description="another size of the pattern from this frame on")
    search_px: tuple[Extent, Extent] | None = Field(None, description="another reach of the search from this frame on")


class TrackPoint(Part):
    """A single point: a pattern, and how far to look for it."""

    id: Id
    keys: list[PointKey] = Field(min_length=1, max_length=1000)
    half_size_px: tuple[Extent, Extent] = Field((12.0, 12.0), description="half width and height of the pattern")
    search_px: tuple[Extent, Extent] = Field((40.0, 40.0), description="how far to look, to either side")
    motion: Motion = Field("translation", description="whether the pattern may turn, grow, shear")
    against: Against = Field("first", description="matched with its first frame, the one before, or those set by hand")
    left_out: bool = Field(False, description="followed, but drives nothing")
    used_spans: list[Span] = Field(default_factory=list, max_length=100, description="frames it is used for; empty: all")

    def pattern(self) -> Pattern:
        """As the core takes it."""
        return Pattern(self.half_size_px, self.search_px, self.motion, self.against)

    def adjusted(self) -> dict[int, Pattern]:
        """Patterns that hold from a frame on, where pattern or search area were changed."""
        answer, now = {}, self.pattern()
        for key in self.keys:
            if key.half_size_px is not None or key.search_px is not None:
                now = Pattern(key.half_size_px or now.half_size, key.search_px or now.search, self.motion, self.against)
                answer[key.frame] = now
        return answer


class Correction(Part):
    """A corner moved by hand on one frame, against what the take says, plate px."""

    frame: FrameIndex
    corner: Annotated[int, Field(ge=0, le=3, description="0 top-left, 1 top-right, 2 bottom-right, 3 bottom-left")]
    dx_px: Coordinate
    dy_px: Coordinate


class CalmedSpan(Part):
    """Frames that are smoothed, and how much."""

    span: Span
    strength: float = Field(1.0, gt=0, le=100, description="1 weighs doubt as stated; more calms more")


class Surface(Part):
    """One plane that is followed."""

    id: Id
    name: Name
    depth: Depth = Field(1, description="lower is nearer the camera")
    reference_frame: FrameIndex = 0
    motion: Motion = "perspective"
    corners: Quad | None = Field(None, description="at the reference frame, plate px, corner order")
    follow: Literal["region", "points"] = Field("region", description="what the plane is followed by")
    analysis: Analysis = Field(default_factory=Analysis)
    points: list[TrackPoint] = Field(default_factory=list, max_length=200)
    held: list[HeldFrame] = Field(default_factory=list, max_length=1000)
    smoothing: float = Field(0.0, ge=0, le=100, description="0 leaves the track; 1 weighs its doubt as stated")
    carry: bool = Field(False, description="whether lost frames are carried by the movement around them")
    left_out: list[Span] = Field(default_factory=list, max_length=1000, description="spans of frames whose track is not used")
    calmed: list[CalmedSpan] = Field(default_factory=list, max_length=1000, description="spans that are smoothed by themselves")
    region: Region = Field(default_factory=Region)
    corrections: list[Correction] = Field(default_factory=list, max_length=20_000)
    reach_frames: int = Field(12, ge=0, le=1000, description="frames over which a correction fades to its neighbours")
    take: str | None = Field(None, max_length=64, pattern=r"^[A-Za-z0-9-]+$", description="id of the chosen take in the application")

    def quad(self) -> Float64 | None:
        """Corners as (4, 2) float64, plate px, or None while they are not placed."""
        return None if self.corners is None else np.array(self.corners, dtype=np.float64)

    def corner_corrections(self) -> list[CornerCorrection]:
        """Corrections as the core takes them."""
        return [CornerCorrection(c.frame, c.corner, c.dx_px, c.dy_px) for c in self.corrections]


class ShapeKey(Part):
    """A polygon at one frame, plate px."""

    frame: FrameIndex
    points: Polygon


class Occluder(Part):
    """Something in front, outlined by hand: keys over time, linear between them."""

    id: Id
    name: Name
    depth: Depth = Field(0, description="lower is nearer the camera")
    outline: Literal["straight", "smooth"] = Field("straight", description="polygon, or a smooth closed curve through the points")
    keys: list[ShapeKey] = Field(min_length=1, max_length=5000)
    rides: Id | None = Field(None, description="surface whose movement the outline follows between its keys")
    span: tuple[FrameIndex, FrameIndex] | None = Field(None, description="first and last frame at which it is there")
    feather_px: float = Field(0.8, ge=0, le=200, description="standard deviation of its soft edge, plate px")

    @model_validator(mode="after")
    def _keys_agree(self) -> Self:
        if len({len(k.points) for k in self.keys}) != 1:
            raise ValueError("all keys of an outline have the same number of points")
        frames = [k.frame for k in self.keys]
        if frames != sorted(set(frames)):
            raise ValueError("keys are in order of frames, one a frame")
        return self

    def there_at(self, frame: int) -> bool:
        """Whether it is in the shot at a frame."""
        return self.span is None or self.span[0] <= frame <= self.span[1]


class Placement(Part):
    """Artwork pinned on a surface; or work painted on the plate as it was held still on it, which rides back."""

    surface: Id
    artwork: MediaRef
    fit: Fit = "fill"
    painted: Held | None = Field(None, description="how the plate was held still when the artwork was painted on it, if it was")
    overshoot_px: float = Field(1.0, ge=0, le=50, description="how far the edge is moved outwards, plate px")
    surround: Literal["black", "plate"] = Field("black", description="what shows around fitted artwork")
    after_end: Literal["hold", "loop"] = Field("hold", description="what a film shorter than the plate does")


class StillPicture(Part):
    """The plate held still on a surface."""

    surface: Id
    how: Held = "full"


Form = Literal["mp4", "mkv", "png", "exr"]
FILMS = ("mp4", "mkv")


class Delivery(Part):
    """How the result is handed over, or the plate held still for painting on."""

    still: StillPicture | None = Field(None, description="hands over the plate held still on a surface, as stills; else the result")
    form: Form = "mp4"
    crf: float = Field(16, ge=0, le=40, description="constant rate factor of MP4; lower is closer to the plate")
    preset: Literal["veryfast", "fast", "medium", "slow"] = "medium"

    @model_validator(mode="after")
    def _stills_of_stills(self) -> Self:
        if self.still is not None and self.form in FILMS:
            raise ValueError("a plate held still is handed over as PNG or EXR: its canvas and what is empty on it fit no film")
        return self


class Shot(Part):
    """A shot document."""

    format: Literal["verdigris.shot"] = "verdigris.shot"
    version: Literal[1] = 1
    name: Name = "Shot"
    plate: Plate
    lens: LensModel = Field(default_factory=LensModel)
    camera: CameraModel = Field(default_factory=CameraModel)
    surfaces: list[Surface] = Field(default_factory=list, max_length=50)
    occluders: list[Occluder] = Field(default_factory=list, max_length=50)
    placements: list[Placement] = Field(default_factory=list, max_length=50)
    delivery: Delivery = Field(default_factory=Delivery)

    @model_validator(mode="after")
    def _ids(self) -> Self:
        ids = [x.id for x in (*self.surfaces, *self.occluders)]
        if len(set(ids)) != len(ids):
            raise ValueError("ids of surfaces and occluders are unique")
        known = {s.id for s in self.surfaces}
        for occluder in self.occluders:
            if occluder.rides is not None and occluder.rides not in known:
                raise ValueError(f"an outline rides the surface {occluder.rides}, which is not there")
        if self.delivery.still is not None and self.delivery.still.surface not in known:
            raise ValueError(f"the delivery holds still on the surface {self.delivery.still.surface}, which is not there")
        for placement in self.placements:
            if placement.surface not in known:
                raise ValueError(f"a placement names the surface {placement.surface}, which is not there")
        return self

    def surface(self, surface_id: str) -> Surface:
        """A surface by id; ShotError `unknown_id` when there is none."""
        for surface in self.surfaces:
            if surface.id == surface_id:
                return surface
        raise ShotError("unknown_id", f"There is no surface {surface_id} in this shot.")

    def occluder(self, occluder_id: str) -> Occluder:
        """An occluder by id; ShotError `unknown_id` when there is none."""
        for occluder in self.occluders:
            if occluder.id == occluder_id:
                return occluder
        raise ShotError("unknown_id", f"There is no occluder {occluder_id} in this shot.")

    def placement(self, surface_id: str) -> Placement | None:
        """What is placed on a surface."""
        return next((p for p in self.placements if p.surface == surface_id), None)

    def to_json(self) -> dict[str, Any]:
        """The document as plain data, without fields that have no value."""
        data: dict[str, Any] = self.model_dump(mode="json", exclude_none=True)
        return data


def read_shot(path: Path) -> Shot:
    """Read a document from a file.

    Raises
    ------
    ShotError
        `not_a_shot` with the place of the fault, or `newer_version`.
    """
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
    except FileNotFoundError as error:
        raise ShotError("not_a_shot", f"There is no file {path}.") from error
    except (OSError, ValueError, RecursionError) as error:
        raise ShotError("not_a_shot", f"{path.name} is not JSON: {error}.") from error
    return parse_shot(data, path.name)


def parse_shot(data: object, name: str = "the document") -> Shot:
    """Check plain data against the model; see `read_shot` for errors."""
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise ShotError("not_a_shot", f'{name} is not a shot document: its "format" is not "{FORMAT}".')
    if isinstance(data.get("version"), int) and data["version"] > VERSION:
        raise ShotError("newer_version", f"{name} has version {data['version']}; this program reads up to {VERSION}.")
    try:
        return Shot.model_validate(data)
    except ValidationError as error:
        raise ShotError("not_a_shot", f"{name}: {first_fault(error)}") from error


def first_fault(error: ValidationError) -> str:
    """The first fault of a validation in plain words, with its place."""
    fault = error.errors()[0]
    place = ".".join(str(p) for p in fault["loc"]) or "document"
    return f"{place}: {fault['msg'].removeprefix('Value error, ')}"


# What decides where a surface's track, mended, puts it; and with nudges.
MENDING = {"id", "take", "reference_frame", "corners", "held", "smoothing", "carry", "left_out", "calmed"}
PLACING = MENDING | {"corrections", "reach_frames"}


def tracking_basis(shot: Shot, surface: Surface) -> dict[str, Any]:
    """Everything a take of this surface is computed from, as plain data."""
    nearer = [o.model_dump(mode="json") for o in shot.occluders if o.depth < surface.depth]
    ridden = {o["rides"] for o in nearer} - {surface.id}
    for o in nearer:
        del o["name"], o["depth"]
    # What hides it by its own corners, and what carries an outline: by where their tracks, as they are used, put them.
    others = [s for s in shot.surfaces if s.id in ridden or (s.id != surface.id and s.depth < surface.depth)]
    corners_count = not any(r.role == "include" for r in surface.region.all_shapes(surface.reference_frame))
    optional = {
        "other_surfaces": sorted((s.model_dump(mode="json", include=PLACING) for s in others), key=lambda s: str(s["id"])),
        "corners_as_region": [list(p) for p in surface.corners] if corners_count and surface.corners else None,
    }
    return {
        **{k: v for k, v in optional.items() if v},
        "plate": {**shot.plate.model_dump(mode="json", include={"path", "media"}), **_codes_as(shot.plate.colour)},
        "lens": shot.lens.model_dump(mode="json"),
        "camera": shot.camera.model_dump(mode="json"),
        "reference_frame": surface.reference_frame,
        "motion": surface.motion,
        "region": [r.model_dump(mode="json") for r in surface.region.all_shapes(surface.reference_frame)],
        "follow": surface.follow,
        "points": [p.model_dump(mode="json") for p in surface.points] if surface.follow == "points" else [],
        "analysis": surface.analysis.model_dump(mode="json"),
        "in_front": sorted(nearer, key=lambda o: str(o["id"])),
    }


def _codes_as(colour: ColourChoice | None) -> dict[str, Any]:
    """What of a colour that was set changes the code values that are compared: what they mean as light does not."""
    said = {} if colour is None else colour.model_dump(mode="json", include={"matrix", "full_range"}, exclude_none=True)
    return {"colour": said} if said else {}


def tracking_key(shot: Shot, surface: Surface) -> str:
    """Fingerprint of everything a take of this surface is computed from; another key means a stale take."""
    return hashlib.sha256(json.dumps(tracking_basis(shot, surface), sort_keys=True).encode()).hexdigest()[:16]


def take_settings(shot: Shot, surface: Surface) -> dict[str, Any]:
    """What is kept with a take: what it is computed from, and the corners that belong to its reference frame."""
    return {**tracking_basis(shot, surface), "corners": None if surface.corners is None else [list(p) for p in surface.corners]}


CHANGES = {
    "plate": "the plate", "lens": "the lens", "camera": "the read-out", "reference_frame": "reference frame", "motion": "motion",
    "region": "region", "follow": "whether a region or points are followed", "points": "points", "analysis": "analysis picture",
    "in_front": "what is in front", "other_surfaces": "another surface, or its track", "corners_as_region": "the corners",
}  # fmt: skip


def changed_since(settings: dict[str, Any], shot: Shot, surface: Surface) -> list[str]:
    """What of a take's settings is otherwise now, in words."""
    now = json.loads(json.dumps(tracking_basis(shot, surface)))
    return [words for name, words in CHANGES.items() if settings.get(name) != now.get(name)]
