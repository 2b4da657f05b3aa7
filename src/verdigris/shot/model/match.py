"""What makes artwork on a surface sit: measured in the plate, taken over part by part."""

from itertools import pairwise
from typing import Annotated, Any, Literal, Self

import numpy as np
from pydantic import AfterValidator, BeforeValidator, Field, model_validator

from verdigris.shot.model.artwork import Rgb
from verdigris.shot.model.base import FrameIndex, Id, Name, Part, Polygon
from verdigris.shot.model.keyed import KeyedShare, Share
from verdigris.shot.model.media import MediaRef

Light = Annotated[float, Field(ge=-100, le=1000)]
Lights = tuple[Light, Light, Light]
Factor = Annotated[float, Field(ge=0, le=100)]
Strength = Annotated[float, Field(ge=0, le=4)]
Sigma = Annotated[float, Field(ge=0, le=100)]
PARTS = ("levels", "light", "shading", "reflections", "softness", "movement", "halo", "fringe", "vignette", "grain", "veil", "shadow",
         "glow", "wrap", "grade")  # fmt: skip
# Parts that are measured; the others are set by hand.
MEASURED = tuple(p for p in PARTS if p not in ("vignette", "wrap", "grade"))


def _three(value: Any) -> Any:
    return [value] * 3 if isinstance(value, int | float) else value


def _nothing(value: Any) -> Any:
    """An empty part is none."""
    return None if value == {} else value


class Spot(Part):
    """A place on the old surface whose code is known, at one frame, plate px."""

    frame: FrameIndex
    polygon: Polygon
    code: Rgb = Field((255, 255, 255), description="what the old surface had there, sRGB 0-255")


class Levels(Part):
    """What black and white of the artwork become: gain x (ink + (1 - ink) x artwork) + offset, linear light of the plate."""

    gain: Lights = (1.0, 1.0, 1.0)
    ink: Lights = Field((0.0, 0.0, 0.0), description="what black ink sends back, share of what paper does")
    offset: Lights = Field((0.0, 0.0, 0.0), description="light over all of it: a reflection, a screen's glass")
    strength: KeyedShare = 1.0


class LightField(Part):
    """How light differs over the surface and over time: a picture for each frame, square-on, ratio to the levels' gain, linear."""

    field: MediaRef
    strength: KeyedShare = 1.0


class Reflections(Part):
    """What the surface reflects: the plate's own where the old surface is dark glass, or a picture for each frame, added."""

    kind: Literal["plate", "field"] = "plate"
    field: MediaRef | None = None
    strength: KeyedShare = 1.0

    @model_validator(mode="after")
    def _has_its_pictures(self) -> Self:
        if self.kind == "field" and self.field is None:
            raise ValueError("reflections from pictures name them")
        return self


class Softness(Part):
    """How much softer the plate is than a pinned picture."""

    sigma_px: float = Field(0.0, ge=0, le=100, description="standard deviation at the reference frame, plate px")
    frames: list[Sigma] | None = Field(None, max_length=20_000, description="at every frame instead, as followed")
    corners: tuple[Sigma, Sigma, Sigma, Sigma] | None = Field(
        None, description="at the four corners instead, where it differs over the surface; it changes over time as the rest does"
    )
    strength: Strength = 1.0


class Movement(Part):
    """The blur of the surface's own movement."""

    shutter: float = Field(0.5, ge=0, le=2, description="how long the shutter is open, frames")
    strength: Strength = 1.0


class CameraHalo(Part):
    """The dark and bright lines beside edges that a camera's sharpening leaves."""

    amount: float = Field(0.5, ge=0, le=5, description="how much of what a blur takes away is added again, on code values")
    radius_px: float = Field(1.0, ge=0.3, le=20, description="standard deviation of that blur")
    strength: Share = 1.0


Magnified = Annotated[float, Field(ge=-0.02, le=0.02)]


class ColourFringe(Part):
    """Colour at edges: the lens draws red and blue larger or smaller than green, around the middle of the picture."""

    red: Magnified = 0.0
    blue: Magnified = 0.0
    strength: Strength = 1.0


class VignetteLook(Part):
    """Light that the lens loses towards the picture's corners, where no measured light holds it already."""

    amount: Share = Field(0.2, description="share of light lost in the corners; it grows with the square of the distance from the middle")
    strength: Share = 1.0


class GrainLook(Part):
    """The plate's grain, in code values 0..1."""

    codes: list[float] = Field(min_length=1, max_length=64, description="codes of a channel, rising")
    deviation: list[tuple[float, float, float]] = Field(min_length=1, max_length=64, description="standard deviation there, R, G, B")
    spatial: list[list[float]] = Field(min_length=1, max_length=9, description="correlation between neighbours")
    channels: list[list[float]] = Field(min_length=3, max_length=3, description="correlation between R, G and B")
    seed: int = Field(1, ge=0, le=1_000_000)
    strength: Strength = 1.0

    @model_validator(mode="after")
    def _can_be_made(self) -> Self:
        if len(self.codes) != len(self.deviation) or self.codes != sorted(self.codes):
            raise ValueError("grain has a deviation for each of its codes, and codes rise")
        size = len(self.spatial)
        if size % 2 == 0 or any(len(row) != size for row in self.spatial) or self.spatial[size // 2][size // 2] <= 0:
            raise ValueError("the correlation between neighbours is a square of an odd size, above 0 in its middle")
        channels = np.array(self.channels) if all(len(row) == 3 for row in self.channels) else np.full((3, 3), -1.0)
        if not np.allclose(channels, channels.T, atol=1e-3) or np.linalg.eigvalsh(channels).min() < -1e-3:
            raise ValueError("the correlation between channels is that of three channels")
        return self


class Veil(Part):
    """Haze or flare over the surface: light that is added, linear."""

    light: Lights = (0.0, 0.0, 0.0)
    strength: KeyedShare = 1.0


class FrontShadow(Part):
    """The shadow that what is in front casts on the surface."""

    offset_px: tuple[float, float] = (4.0, 6.0)
    soft_px: float = Field(6.0, ge=0, le=200)
    strength: Share = 0.3


class ScreenGlow(Part):
    """Light that a lit screen throws around it."""

    radius_px: float = Field(20.0, ge=0.5, le=500)
    instead: bool = Field(False, description="the old screen threw as much of its own light, which is taken out")
    strength: Strength = 0.05


class Wrap(Part):
    """Light of the surroundings over the edge."""

    radius_px: float = Field(3.0, ge=0.3, le=100)
    strength: Share = 0.1


CurvePoint = tuple[Share, Share]


def _rising(points: list[CurvePoint]) -> list[CurvePoint]:
    if any(b[0] - a[0] < 1e-4 for a, b in pairwise(points)):
        raise ValueError("points of a curve go from left to right")
    return points


Curve = Annotated[list[CurvePoint], Field(min_length=1, max_length=16), AfterValidator(_rising)]


def straight() -> list[CurvePoint]:
    """A curve that changes nothing."""
    return [(0.0, 0.0), (1.0, 1.0)]


class Curves(Part):
    """Tone curves through points on display codes 0..1: one for all channels, then one for each."""

    all: Curve = Field(default_factory=straight)
    red: Curve = Field(default_factory=straight)
    green: Curve = Field(default_factory=straight)
    blue: Curve = Field(default_factory=straight)


class Grade(Part):
    """A last change of colour on display codes: brightness and contrast, a colour decision list, curves, and then a table."""

    slope: tuple[Factor, Factor, Factor] = (1.0, 1.0, 1.0)
    offset: Lights = (0.0, 0.0, 0.0)
    power: tuple[Annotated[float, Field(gt=0, le=20)], Annotated[float, Field(gt=0, le=20)], Annotated[float, Field(gt=0, le=20)]] = (
        1.0,
        1.0,
        1.0,
    )
    saturation: float = Field(1.0, ge=0, le=4)
    brightness: float = Field(0.0, ge=-1, le=1, description="added to display codes")
    contrast: float = Field(1.0, ge=0, le=4, description="around middle grey, display codes")
    curves: Curves | None = None
    lut: MediaRef | None = Field(None, description="a table: .cube, .clf, .csp, .spi1d, .spi3d, .3dl; or an .ocioz with looks")
    look: Name | None = Field(None, description="which look of an .ocioz; it is applied to linear light")
    strength: KeyedShare = 1.0


class SurfaceMatch(Part):
    """How what lies on one surface is made to sit."""

    surface: Id
    kind: Literal["print", "screen"] = "print"
    spots: list[Spot] = Field(default_factory=list, max_length=100)
    old: MediaRef | None = Field(
        None, description="what the old surface shows, as a file that covers it: a still, or a film's first picture"
    )
    white_linear: Annotated[Lights | None, BeforeValidator(_three)] = Field(
        None, description="what a screen's white is on the plate, linear light, where it is known"
    )
    on: bool = True
    levels: Annotated[Levels | None, BeforeValidator(_nothing)] = None
    light: Annotated[LightField | None, BeforeValidator(_nothing)] = None
    shading: Annotated[LightField | None, BeforeValidator(_nothing)] = None
    reflections: Annotated[Reflections | None, BeforeValidator(_nothing)] = None
    softness: Annotated[Softness | None, BeforeValidator(_nothing)] = None
    movement: Annotated[Movement | None, BeforeValidator(_nothing)] = None
    halo: Annotated[CameraHalo | None, BeforeValidator(_nothing)] = None
    fringe: Annotated[ColourFringe | None, BeforeValidator(_nothing)] = None
    vignette: Annotated[VignetteLook | None, BeforeValidator(_nothing)] = None
    grain: Annotated[GrainLook | None, BeforeValidator(_nothing)] = None
    veil: Annotated[Veil | None, BeforeValidator(_nothing)] = None
    shadow: Annotated[FrontShadow | None, BeforeValidator(_nothing)] = None
    glow: Annotated[ScreenGlow | None, BeforeValidator(_nothing)] = None
    wrap: Annotated[Wrap | None, BeforeValidator(_nothing)] = None
    grade: Annotated[Grade | None, BeforeValidator(_nothing)] = None
