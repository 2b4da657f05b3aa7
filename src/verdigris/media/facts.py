"""What is known of a film, a still or a numbered sequence."""

import re
from fractions import Fraction
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, PlainSerializer, PlainValidator, WithJsonSchema

# Digits are counted before anything is computed: the fraction of "1e10000000" would take for ever to write out.
RATIO = r"^[0-9]{1,6}(/[0-9]{1,6})?$"


def _fraction(value: object) -> Fraction:
    """A positive fraction; ValueError for anything else."""
    if isinstance(value, Fraction):
        found = value
    elif isinstance(value, str) and re.match(RATIO, value, re.ASCII):
        top, _, bottom = value.partition("/")
        if int(bottom or 1) == 0:
            raise ValueError("a rate or pixel shape is not a number over 0")
        found = Fraction(int(top), int(bottom or 1))
    elif isinstance(value, int | float) and not isinstance(value, bool) and 0 < value < 1_000_000:
        found = Fraction(value).limit_denominator(1001)
    else:
        raise ValueError("give two whole numbers of at most six digits, like 24/1 or 24000/1001")
    if found <= 0:
        raise ValueError("a rate or pixel shape is above 0")
    return found


Ratio = Annotated[
    Fraction,
    PlainValidator(_fraction),
    PlainSerializer(lambda f: f"{f.numerator}/{f.denominator}", return_type=str),
    WithJsonSchema({"type": "string", "pattern": RATIO, "examples": ["24/1", "24000/1001"]}),
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
