"""The shot document: one model for interface, API, database and command line."""

import json
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, Literal, Self, TypeVar

from pydantic import BaseModel, Field, ValidationError, model_validator

from verdigris.shot.errors import ShotError
from verdigris.shot.model.base import Name, Part, has_parts
from verdigris.shot.model.camera import CameraModel, LensModel
from verdigris.shot.model.delivery import Delivery
from verdigris.shot.model.match import Grade, SurfaceMatch
from verdigris.shot.model.matte import Matte
from verdigris.shot.model.media import MediaRef, Plate
from verdigris.shot.model.migration import from_version_1
from verdigris.shot.model.outline import Occluder
from verdigris.shot.model.placement import Placement
from verdigris.shot.model.surface import Surface

FORMAT, VERSION = "verdigris.shot", 2
T = TypeVar("T")


class Shot(Part):
    """A shot document."""

    format: Literal["verdigris.shot"] = "verdigris.shot"
    version: Literal[2] = 2
    name: Name = "Shot"
    plate: Plate
    lens: LensModel = Field(default_factory=LensModel)
    camera: CameraModel = Field(default_factory=CameraModel)
    surfaces: list[Surface] = Field(default_factory=list, max_length=50)
    occluders: list[Occluder] = Field(default_factory=list, max_length=50)
    placements: list[Placement] = Field(default_factory=list, max_length=50, description="far to near where they lie at the same depth")
    mattes: list[Matte] = Field(default_factory=list, max_length=50)
    match: list[SurfaceMatch] = Field(default_factory=list, max_length=50, description="how what lies on surfaces is made to sit")
    grade: Grade | None = Field(None, description="of the whole picture, after everything else")
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
        if self.delivery.matte is not None and all(m.id != self.delivery.matte for m in self.mattes):
            raise ValueError(f"the delivery names the matte {self.delivery.matte}, which is not there")
        _check_unique([p.id for p in self.placements], "placements")
        _check_unique([m.id for m in self.mattes], "mattes")
        for placement in self.placements:
            if placement.surface is not None and placement.surface not in known:
                raise ValueError(f"a placement names the surface {placement.surface}, which is not there")
            if placement.surface is None and placement.drawn_over is not None:
                raise ValueError(f"{placement.id} is drawn over a frame and names no surface to ride on from there")
            for matte in (*placement.kept_in_front, *placement.shown_only_in):
                if all(m.id != matte for m in self.mattes):
                    raise ValueError(f"a placement names the matte {matte}, which is not there")
        _check_unique([m.surface for m in self.match], "matched surfaces")
        for missing in {m.surface for m in self.match} - known:
            raise ValueError(f"a match names the surface {missing}, which is not there")
        outlined = {o.id for o in self.occluders}
        for one in self.mattes:
            rides = {one.surface, *(p.rides for p in one.parts if p.kind == "shape"), *(p.surface for p in one.parts if p.kind == "region")}
            for gone in rides - {None} - known:
                raise ValueError(f"the matte {one.id} names the surface {gone}, which is not there")
            for gone in {p.outline for p in one.parts if p.kind == "outline"} - outlined:
                raise ValueError(f"the matte {one.id} names the outline {gone}, which is not there")
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

    def placement(self, placement_id: str) -> Placement:
        """A placement by id; ShotError `unknown_id` when there is none."""
        for placement in self.placements:
            if placement.id == placement_id:
                return placement
        raise ShotError("unknown_id", f"There is no placement {placement_id} in this shot.")

    def matte(self, matte_id: str) -> Matte:
        """A matte by id; ShotError `unknown_id` when there is none."""
        for matte in self.mattes:
            if matte.id == matte_id:
                return matte
        raise ShotError("unknown_id", f"There is no matte {matte_id} in this shot.")

    def match_of(self, surface_id: str | None) -> SurfaceMatch | None:
        """How what lies on a surface is made to sit; None where nothing is said or it is switched off."""
        return next((m for m in self.match if m.surface == surface_id and m.on), None)

    def surfaces_of(self, matte: Matte) -> set[str]:
        """Surfaces whose tracks a matte needs: what it belongs to, what its shapes ride on, whose regions it is made of."""
        found = {
            matte.surface,
            *(p.rides for p in matte.parts if p.kind == "shape"),
            *(p.surface for p in matte.parts if p.kind == "region"),
        }
        found |= {self.occluder(p.outline).rides for p in matte.parts if p.kind == "outline"}
        return {x for x in found if x is not None}

    def surfaces_in_use(self) -> set[str]:
        """Surfaces whose tracks the result needs: what artwork lies on, and those of the mattes it uses."""
        used = [self.matte(k) for p in self.placements for k in (*p.kept_in_front, *p.shown_only_in)]
        return {p.surface for p in self.placements if p.on and p.surface}.union(*(self.surfaces_of(m) for m in used))

    def files(self) -> list[MediaRef]:
        """Every file the shot is made from: the plate first."""
        return files_of(self)

    def to_json(self) -> dict[str, Any]:
        """The document as plain data, without fields that have no value."""
        data: dict[str, Any] = self.model_dump(mode="json", exclude_none=True)
        return data


def _check_unique(ids: list[str], what: str) -> None:
    if len(set(ids)) != len(ids):
        raise ValueError(f"ids of {what} are unique")


def files_of(part: Any) -> list[MediaRef]:
    """Every file that a part of a document names."""
    return list(_files_in(part))


def _files_in(part: Any) -> Iterator[MediaRef]:
    if isinstance(part, MediaRef):
        yield part
    if isinstance(part, BaseModel):
        for name in type(part).model_fields:
            yield from _files_in(getattr(part, name))
    elif isinstance(part, list | tuple) and has_parts(part):
        for item in part:
            yield from _files_in(item)


def with_files(part: T, change: Callable[[MediaRef], MediaRef]) -> T:
    """A part of a document with every file in it named otherwise."""
    if isinstance(part, BaseModel):
        now = {name: with_files(getattr(part, name), change) for name in type(part).model_fields}
        new = part.model_copy(update=now)
        return change(new) if isinstance(new, MediaRef) else new  # type: ignore[return-value]
    if isinstance(part, list | tuple) and has_parts(part):
        return type(part)(with_files(item, change) for item in part)  # type: ignore[return-value]
    return part


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
        return Shot.model_validate(from_version_1(data) if data.get("version", 1) == 1 else data)
    except ValidationError as error:
        raise ShotError("not_a_shot", f"{name}: {first_fault(error)}") from error


def first_fault(error: ValidationError) -> str:
    """The first fault of a validation in plain words, with its place."""
    fault = error.errors()[0]
    place = ".".join(str(p) for p in fault["loc"]) or "document"
    return f"{place}: {fault['msg'].removeprefix('Value error, ')}"
