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
    form: Form = "mp4"
    crf: float = Field(16, ge=0, le=40, description="constant rate factor of MP4; lower is closer to the plate")
    preset: Literal["veryfast", "fast", "medium", "slow"] = "medium"

    @model_validator(mode="after")
    def _stills_of_stills(self) -> Self:
        if self.still is not None and self.form in FILMS:
            raise ValueError("a plate held still is handed over as PNG or EXR: its canvas and what is empty on it fit no film")
        return self
