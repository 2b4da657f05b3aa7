"""Files as clients see them."""

import uuid
from typing import Literal

from pydantic import BaseModel, Field

from verdigris.media.facts import MediaFacts


class FilmForm(BaseModel):
    """How a film would be written."""

    written: str = Field(description="encoder and pixel format")
    lost: str = Field(description="what of the plate it cannot hold, in words; empty when nothing")


class MediaView(BaseModel):
    """A film, still or sequence."""

    hash: str
    name: str
    bytes: int
    state: Literal["reading", "ready", "stopped", "failed"]
    problem: str = Field(description="why it was not read to its end, in words; empty unless stopped or failed")
    facts: MediaFacts | None
    proxies: int
    films: dict[Literal["mp4", "mkv"], FilmForm] = Field({}, description="how a film of it would be written, and what that cannot hold")


class Uploaded(BaseModel):
    """An upload that was taken in; `job` reads it unless it was read before."""

    media: MediaView
    job: uuid.UUID | None
