"""What is said about lens and camera."""

from typing import Annotated, Literal

from pydantic import Field

from verdigris.shot.model.base import Part, Point


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
