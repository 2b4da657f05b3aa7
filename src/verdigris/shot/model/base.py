"""What every part of a shot document is made of: numbers within bounds, points, ids, names, spans."""

from collections.abc import Sequence, Sized
from typing import Annotated, Protocol

from pydantic import BaseModel, ConfigDict, Field

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


def has_parts(value: object) -> bool:
    """Whether there are parts in a value of a document; where one is a number, all are, and nobody walks through points."""
    if isinstance(value, list | tuple):
        return bool(value) and not isinstance(value[0], int | float | str) and any(has_parts(v) for v in value)
    return isinstance(value, BaseModel)


class HasPoints(Protocol):
    """A key of a shape."""

    @property
    def frame(self) -> int:
        """Its frame."""
        ...

    @property
    def points(self) -> Sized:
        """Its points."""
        ...


def check_keys(keys: Sequence[HasPoints], what: str) -> None:
    """ValueError when the keys of a shape differ in their number of points, or are not in order of frames."""
    if len({len(k.points) for k in keys}) != 1:
        raise ValueError(f"all keys of {what} have the same number of points")
    frames = [k.frame for k in keys]
    if frames != sorted(set(frames)):
        raise ValueError("keys are in order of frames, one a frame")
