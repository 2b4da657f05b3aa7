"""Mattes: named lists of parts that say what is in front."""

from typing import Annotated, Literal, Self

from pydantic import AfterValidator, Field, model_validator

from verdigris.shot.model.artwork import Rgb
from verdigris.shot.model.base import FrameIndex, Id, Name, Part, Polygon, Span, check_keys
from verdigris.shot.model.keyed import KeyedShare, Share
from verdigris.shot.model.media import MediaRef
from verdigris.shot.model.outline import OPEN_FOR, ShapeKey, Shutter


def _rising(pair: tuple[float, float]) -> tuple[float, float]:
    if pair[0] > pair[1]:
        raise ValueError("the lower bound comes first")
    return pair


Range = Annotated[tuple[Share, Share], AfterValidator(_rising)]


class MattePart(Part):
    """What every part of a matte has."""

    name: Name | None = None
    combine: Literal["add", "subtract", "intersect"] = Field("add", description="how it goes with the parts above it")
    on: bool = Field(True, description="whether it counts")
    invert: bool = False
    grow_px: float = Field(0.0, ge=-50, le=50, description="how far its edge is moved outwards, plate px; below 0 inwards")
    soft_px: float = Field(0.0, ge=0, le=200, description="standard deviation of its soft edge, plate px")
    span: Span | None = Field(None, description="first and last frame at which it counts")
    strength: KeyedShare = 1.0


class KeySample(Part):
    """An area of bare screen at one frame, plate px."""

    frame: FrameIndex
    polygon: Polygon


class KeyPart(MattePart):
    """What has not the colour of the screen."""

    kind: Literal["key"] = "key"
    samples: list[KeySample] = Field(min_length=1, max_length=100, description="areas of bare screen, at one or several frames")
    clear: Share = Field(0.03, description="coverage up to which nothing is in front")
    core: Share = Field(0.97, description="coverage from which it is wholly in front")
    marks_px: float = Field(0.0, ge=0, le=500, description="specks up to this size on the bare screen are taken out: tracking marks, noise")
    even: bool = Field(True, description="whether uneven light on the screen is divided out")
    despill: Share = Field(0.0, description="how much of the screen's light is taken from what is in front")
    despill_to: Literal["neutral", "artwork"] | Rgb = Field("neutral", description="what is given back instead of it")
    everywhere: bool = Field(False, description="in the whole picture, not only around the surface")

    @model_validator(mode="after")
    def _bounds(self) -> Self:
        if self.clear >= self.core:
            raise ValueError("clear lies below core")
        return self


class BrightnessPart(MattePart):
    """What is as bright as a range says."""

    kind: Literal["brightness"] = "brightness"
    channel: Literal["luma", "red", "green", "blue"] = "luma"
    contrast: float = Field(1.0, ge=0.1, le=20, description="steepness around the middle of the range, before it is looked at")
    low: Range = Field((0.4, 0.6), description="codes 0..1 between which it fades in")
    high: Range = Field((1.0, 1.0), description="codes 0..1 between which it fades out; from 1 on it does not")


class ShapePart(MattePart):
    """A shape drawn by hand."""

    kind: Literal["shape"] = "shape"
    keys: list[ShapeKey] = Field(min_length=1, max_length=5000)
    rides: Id | None = Field(None, description="surface whose movement it follows between its keys")
    outline: Literal["straight", "smooth"] = "straight"
    shutter: Shutter | None = Field(None, description=OPEN_FOR)
    soft_points: list[Annotated[float, Field(ge=0, le=200)]] | None = Field(
        None, max_length=500, description="softness at each point instead of one all around, plate px"
    )

    @model_validator(mode="after")
    def _keys_agree(self) -> Self:
        check_keys(self.keys, "a shape")
        if self.soft_points is not None and len(self.soft_points) != len(self.keys[0].points):
            raise ValueError("softness by points names every point of the shape")
        return self


class RegionPart(MattePart):
    """The region that a surface is followed by."""

    kind: Literal["region"] = "region"
    surface: Id


class OutlinePart(MattePart):
    """Something on the depth line: an outline in front, by its id."""

    kind: Literal["outline"] = "outline"
    outline: Id


class DifferencePart(MattePart):
    """What differs from a picture without anything in front."""

    kind: Literal["difference"] = "difference"
    clean: MediaRef = Field(description="a still or film of the plate's size without it")
    low: Share = Field(0.04, description="difference in codes up to which nothing is in front")
    high: Share = Field(0.12, description="difference in codes from which it is wholly in front")

    @model_validator(mode="after")
    def _bounds(self) -> Self:
        if self.low >= self.high:
            raise ValueError("low lies below high")
        return self


class MatteFilePart(MattePart):
    """A matte from a file: white is in front."""

    kind: Literal["file"] = "file"
    file: MediaRef


AnyPart = Annotated[
    KeyPart | BrightnessPart | ShapePart | RegionPart | OutlinePart | DifferencePart | MatteFilePart, Field(discriminator="kind")
]


class Matte(Part):
    """A named matte: its parts, read from top to bottom."""

    id: Id
    name: Name | None = None
    surface: Id | None = Field(None, description="surface it belongs to; keys look around it")
    parts: list[AnyPart] = Field(default_factory=list, max_length=50)
