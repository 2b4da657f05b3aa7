"""What is known of a film, a still or a numbered sequence."""

from fractions import Fraction
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, PlainSerializer, PlainValidator, WithJsonSchema


def _fraction(value: object) -> Fraction:
    if isinstance(value, float):
        return Fraction(value).limit_denominator(1001)
    return Fraction(str(value))


Ratio = Annotated[
    Fraction,
    PlainValidator(_fraction),
    PlainSerializer(lambda f: f"{f.numerator}/{f.denominator}", return_type=str),
    WithJsonSchema({"type": "string", "pattern": r"^\d+/\d+$", "examples": ["24/1", "24000/1001"]}),
]


class Limits(BaseModel):
    """What is refused before it is decoded at full size."""

    model_config = ConfigDict(frozen=True)

    bytes: int = 20 * 2**30
    pixels: int = 8192 * 8192
    side_px: int = 16384
    frames: int = 20_000
    seconds: int = 2 * 3600


class SoundFacts(BaseModel):
    """A film's first sound track."""

    model_config = ConfigDict(frozen=True)

    codec: str
    channels: int
    sample_rate: int


class MediaFacts(BaseModel):
    """Facts read from a file.

    `rate` is frames per second as an exact fraction, None for stills whose rate was not given; `pixel_aspect` is
    width : height of one pixel; `first_frame` is the number people quote for frame index 0.
    """

    model_config = ConfigDict(frozen=True)

    kind: Literal["film", "sequence", "still"]
    width: int
    height: int
    frame_count: int
    rate: Ratio | None
    pixel_aspect: Ratio = Fraction(1)
    codec: str
    pixel_format: str
    bit_depth: int
    matrix: str | None = None
    full_range: bool = True
    transfer: Literal["srgb", "linear"] = "srgb"
    has_alpha: bool = False
    sound: SoundFacts | None = None
    first_frame: int = 0
    notes: tuple[str, ...] = ()
