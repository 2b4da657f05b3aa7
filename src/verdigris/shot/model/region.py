"""The region that is followed, as shapes with keys over time."""

from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from verdigris.core.types import Float64
from verdigris.shot.model.base import FrameIndex, Part, Point, Polygon, check_keys


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
        check_keys(self.keys, "a shape")
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
