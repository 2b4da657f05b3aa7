"""Where films and stills of a shot are."""

from typing import Self

from pydantic import Field, model_validator

from verdigris.media.facts import ColourChoice, Ratio
from verdigris.shot.model.base import FirstFrame, Part


class MediaRef(Part):
    """Where a film or still is: a path beside the document, or the content hash of media in the application."""

    path: str | None = Field(None, max_length=4096, pattern=r"^[^\x00]*$", description="path, relative to the document")
    media: str | None = Field(None, pattern=r"^[0-9a-f]{64}$", description="SHA-256 of the file in the application's media folder")
    rate: Ratio | None = Field(None, description="frames per second of numbered stills, exact fraction")
    colour: ColourChoice | None = Field(None, description="what its code values mean, where the file says nothing or the wrong thing")

    @model_validator(mode="after")
    def _one_place(self) -> Self:
        if (self.path is None) == (self.media is None):
            raise ValueError("give either a path or a media hash")
        return self


class Plate(MediaRef):
    """The plate, and the number people quote for its first frame."""

    first_frame: FirstFrame | None = Field(None, description="number of the first frame; default from the file")
