"""What is known of a film, a still or a numbered sequence."""

import re
from fractions import Fraction
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, PlainSerializer, PlainValidator, WithJsonSchema

from verdigris.core.light.encoding import Primaries, Transfer

Matrix = Literal["bt601", "bt709", "bt2020", "rgb"]
Siting = Literal["left", "centre", "topleft"]

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


TRANSFER_NAMES: dict[Transfer, str] = {
    "srgb": "sRGB", "bt709": "BT.709 camera", "gamma22": "gamma 2.2", "gamma24": "gamma 2.4", "gamma28": "gamma 2.8",
    "linear": "linear light", "pq": "PQ", "hlg": "HLG", "log100": "log 100:1", "log316": "log 316:1", "acescct": "ACEScct",
}  # fmt: skip
PRIMARIES_NAMES: dict[Primaries, str] = {
    "bt709": "BT.709", "bt470bg": "BT.470 BG", "bt601": "BT.601", "bt2020": "BT.2020", "p3": "P3, D65", "oprgb": "opRGB",
    "aces": "ACES 2065-1", "acescg": "ACEScg",
}  # fmt: skip
MATRIX_NAMES = {"bt601": "BT.601", "bt709": "BT.709", "bt2020": "BT.2020", "rgb": "R, G, B"}


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


class ColourChoice(BaseModel):
    """What somebody says of a picture's colour where its file says nothing, or the wrong thing; what is left out stays as it is."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    transfer: Transfer | None = None
    primaries: Primaries | None = None
    matrix: Literal["bt601", "bt709", "bt2020"] | None = None
    full_range: bool | None = None
    chroma_siting: Siting | None = None


class MediaFacts(BaseModel):
    """Facts read from a file.

    `rate` is frames per second as an exact fraction, None for stills whose rate was not given; `pixel_aspect` is
    width : height of one pixel; `first_frame` is the number people quote for frame index 0. `matrix` is None where there are no planes
    of Y'CbCr. `told` names what of the colour the file itself says, or somebody said: `transfer`, `primaries`, `matrix`, `range`.
    `profile` is the name of a colour profile that came with a still and was used. `looks` are those of a colour configuration.
    """

    model_config = ConfigDict(frozen=True)

    kind: Literal["film", "sequence", "still", "lut"]
    width: int
    height: int
    frame_count: int
    rate: Ratio | None
    pixel_aspect: Ratio = Fraction(1)
    codec: str
    pixel_format: str
    bit_depth: int
    matrix: Matrix | None = None
    full_range: bool = True
    transfer: Transfer = "srgb"
    primaries: Primaries = "bt709"
    chroma_siting: Siting | None = None
    told: tuple[str, ...] = ()
    profile: str = ""
    has_alpha: bool = False
    sound: SoundFacts | None = None
    first_frame: int = 0
    notes: tuple[str, ...] = ()
    looks: tuple[str, ...] = ()

    def in_colour(self, choice: ColourChoice | None) -> "MediaFacts":
        """These facts, with what somebody says of the colour; a matrix and a range only where there are planes for them."""
        if choice is None:
            return self
        said = choice.model_dump(exclude_none=True)
        if self.matrix is None or self.matrix == "rgb":
            said = {k: v for k, v in said.items() if k in ("transfer", "primaries")}
        names = {"full_range": "range"}
        told = tuple(sorted({*self.told, *(names.get(k, k) for k in said if k != "chroma_siting")}))
        return self.model_copy(update={**said, "told": told})


def colour_text(facts: MediaFacts) -> str:
    """The colour of media in a line; what the file does not say itself stands in brackets."""

    def said(what: str, text: str) -> str:
        return text if what in facts.told else f"({text})"

    parts = [
        said("transfer", TRANSFER_NAMES[facts.transfer]) if facts.transfer != "linear" else TRANSFER_NAMES["linear"],
        said("primaries", f"primaries of {PRIMARIES_NAMES[facts.primaries]}"),
    ]
    if facts.matrix is not None and facts.matrix != "rgb":
        parts += [
            said("matrix", f"matrix of {MATRIX_NAMES[facts.matrix]}"), said("range", f"{'full' if facts.full_range else 'limited'} range")
        ]  # fmt: skip
    return ", ".join(parts) + (f"; by its profile, {facts.profile}" if facts.profile else "")
