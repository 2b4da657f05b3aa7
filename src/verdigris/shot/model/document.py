"""The shot document: one model for interface, API, database and command line."""

import json
from pathlib import Path
from typing import Any, Literal, Self

from pydantic import Field, ValidationError, model_validator

from verdigris.shot.errors import ShotError
from verdigris.shot.model.base import Name, Part
from verdigris.shot.model.camera import CameraModel, LensModel
from verdigris.shot.model.delivery import Delivery
from verdigris.shot.model.media import Plate
from verdigris.shot.model.outline import Occluder
from verdigris.shot.model.placement import Placement
from verdigris.shot.model.surface import Surface

FORMAT, VERSION = "verdigris.shot", 1


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
