"""How a shot is handed over."""

from typing import Literal, Self

from pydantic import Field, model_validator

from verdigris.core.geometry.held_still import Held
from verdigris.shot.model.base import Id, Part


class StillPicture(Part):
    """The plate held still on a surface."""

    surface: Id
    how: Held = "full"


Form = Literal["mp4", "mkv", "png", "exr"]
FILMS = ("mp4", "mkv")


class Delivery(Part):
    """How the result is handed over, or the plate held still for painting on."""

    still: StillPicture | None = Field(None, description="hands over the plate held still on a surface, as stills; else the result")
    matte: Id | None = Field(None, description="hands over a matte, as stills; else the result")
    depth: Literal[8, 16] = Field(16, description="bits of a matte as PNG")
    with_mattes: bool = Field(False, description="whether EXR stills of the result carry every matte as a layer of its own")
    form: Form = "mp4"
    crf: float = Field(16, ge=0, le=40, description="constant rate factor of MP4; lower is closer to the plate")
    preset: Literal["veryfast", "fast", "medium", "slow"] = "medium"

    @model_validator(mode="after")
    def _stills_of_stills(self) -> Self:
        if self.still is not None and self.matte is not None:
            raise ValueError("the plate held still, or a matte, is handed over, not both at once")
        if self.matte is not None and self.form in FILMS:
            raise ValueError("a matte is handed over as PNG or EXR")
        if self.still is not None and self.form in FILMS:
            raise ValueError("a plate held still is handed over as PNG or EXR: its canvas and what is empty on it fit no film")
        return self
