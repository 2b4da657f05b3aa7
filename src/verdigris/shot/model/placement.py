"""What is placed: artwork on a surface, how it lies there, when it is seen, and how it goes with what is below it."""

from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, BeforeValidator, Field, model_validator

from verdigris.core.composite.blend import Blend
from verdigris.core.composite.texture import Fit
from verdigris.core.geometry.held_still import Held
from verdigris.shot.model.artwork import Artwork, FromSlot
from verdigris.shot.model.base import FrameIndex, Id, Name, Part, Quad, Span
from verdigris.shot.model.keyed import Ease, KeyedShare, in_order

Overshoot = Annotated[float, Field(ge=0, le=50)]
Shares = Annotated[float, Field(ge=-20, le=20)]
Scale = Annotated[float, Field(ge=0.001, le=100)]
Cut = Annotated[float, Field(ge=0, lt=1)]
Position = Annotated[float, Field(ge=-1_000_000, le=1_000_000)]


def _each_edge(value: Any) -> Any:
    return [value] * 4 if isinstance(value, int | float) else value


class LayoutKey(Part):
    """How artwork lies in its area at one frame."""

    frame: FrameIndex = 0
    move: tuple[Shares, Shares] = Field((0.0, 0.0), description="across and down, shares of the area's width and height")
    scale: tuple[Scale, Scale] = Field((1.0, 1.0), description="across and down, of the size it has by its fit")
    turn_deg: float = Field(0.0, ge=-36_000, le=36_000, description="clockwise, about its own middle")
    crop: tuple[Cut, Cut, Cut, Cut] = Field((0.0, 0.0, 0.0, 0.0), description="left, top, right and bottom, shares of the artwork")
    ease: Ease = "linear"

    @model_validator(mode="after")
    def _something_left(self) -> Self:
        if self.crop[0] + self.crop[2] >= 1 or self.crop[1] + self.crop[3] >= 1:
            raise ValueError("cropping leaves something of the artwork")
        return self


class RetimeKey(Part):
    """Which moment of the artwork is seen at a frame of the plate."""

    frame: FrameIndex
    at: Position = Field(description="frame of the artwork; parts of frames count")
    ease: Ease = "linear"


class Timing(Part):
    """When artwork is seen."""

    rate: Literal["own", "plate"] = Field("own", description="its own frames per second, or a frame of it for each of the plate")
    offset: float = Field(0, ge=-1_000_000, le=1_000_000, description="frames of the artwork that have passed when the plate begins")
    first: FrameIndex | None = Field(None, description="first frame of the artwork that is used")
    last: FrameIndex | None = Field(None, description="last frame of the artwork that is used")
    after: Literal["hold", "loop", "back_and_forth", "end"] = Field("hold", description="what it does before its first and after its last")
    retime: Annotated[list[RetimeKey], Field(max_length=1000), AfterValidator(in_order)] = Field(
        default_factory=list, description="instead of its rate: moments by keys"
    )
    frames: Literal["nearest", "blended"] = Field("nearest", description="what is seen between two frames of the artwork")

    @model_validator(mode="after")
    def _in_before_out(self) -> Self:
        if self.first is not None and self.last is not None and self.first > self.last:
            raise ValueError("the last frame used does not come before the first")
        return self


class Shadow(Part):
    """A soft shadow, or a rim of light, that artwork casts on its own plane."""

    offset: tuple[Shares, Shares] = Field((0.01, 0.02), description="across and down, shares of the area's width and height")
    grow: float = Field(0.0, ge=-0.5, le=0.5, description="how much wider than the artwork, share of the area's shorter side")
    soft: float = Field(0.02, ge=0, le=0.5, description="standard deviation of its edge, share of the area's shorter side")
    rgb: tuple[int, int, int] = Field((0, 0, 0), description="sRGB, 0-255: dark takes light away, bright is a rim light")
    strength: float = Field(0.5, ge=0, le=1)


class Placement(FromSlot):
    """Artwork in a shot; or work painted on the plate as it was held still on a surface, which rides back."""

    id: Id
    name: Name | None = None
    surface: Id | None = Field(None, description="what it rides on; without one it stands in the picture")
    rides: Held = Field("full", description="how much of the surface's movement it takes: place, and turn, and size, or all")
    artwork: Artwork
    beyond: Literal["nothing", "repeat", "mirror"] = Field(
        "nothing", description="what of its plane lies around its area: nothing, or the artwork again, as it is or mirrored"
    )
    on: bool = Field(True, description="whether it is seen")
    area: Quad | None = Field(None, description="its corners at the surface's reference frame, plate px; without them the surface's own")
    fit: Fit = "fill"
    layout: Annotated[list[LayoutKey], Field(max_length=1000), AfterValidator(in_order)] = Field(
        default_factory=list, description="moved, scaled, turned and cropped within its area, by keys; one key holds all along"
    )
    painted: Held | None = Field(None, description="how the plate was held still when the artwork was painted on it, if it was")
    drawn_over: FrameIndex | None = Field(None, description="frame of the plate that the artwork was drawn over, in its perspective")
    overshoot_px: Annotated[tuple[Overshoot, Overshoot, Overshoot, Overshoot], BeforeValidator(_each_edge)] = Field(
        (1.0, 1.0, 1.0, 1.0), description="how far each edge is moved outwards, plate px: top, right, bottom, left"
    )
    rounding: float = Field(0.0, ge=0, le=0.5, description="radius of its area's corners, share of the shorter side")
    surround: Literal["black", "plate"] = Field("black", description="what shows in its area around artwork that does not fill it")
    time: Timing = Field(default_factory=Timing)
    span: Span | None = Field(None, description="first and last frame of the plate at which it is there")
    opacity: KeyedShare = 1.0
    blend: Blend = Field("over", description="how it goes with what is below it")
    blend_in: Literal["linear", "display"] | None = Field(
        None, description="what is blended: light, or sRGB codes; without it, as the blend is defined"
    )
    shadow: Shadow | None = None
    covered_by_nearer: bool = Field(True, description="whether what is nearer on the depth line stays in front of it")
    kept_in_front: list[Id] = Field(default_factory=list, max_length=50, description="mattes of what stays in front of it")
    shown_only_in: list[Id] = Field(default_factory=list, max_length=50, description="mattes it is seen within")

    @model_validator(mode="after")
    def _has_a_place(self) -> Self:
        if self.surface is None and self.painted is not None:
            raise ValueError("what is painted on the plate held still names the surface it is held by")
        if self.painted is not None and self.drawn_over is not None:
            raise ValueError("artwork is painted on the plate held still, or drawn over a frame, not both")
        return self
