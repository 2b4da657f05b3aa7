"""Artwork on a surface."""

from typing import Literal

from pydantic import Field

from verdigris.core.composite.texture import Fit
from verdigris.core.geometry.held_still import Held
from verdigris.shot.model.base import Id, Part
from verdigris.shot.model.media import MediaRef


class Placement(Part):
    """Artwork pinned on a surface; or work painted on the plate as it was held still on it, which rides back."""

    surface: Id
    artwork: MediaRef
    fit: Fit = "fill"
    painted: Held | None = Field(None, description="how the plate was held still when the artwork was painted on it, if it was")
    overshoot_px: float = Field(1.0, ge=0, le=50, description="how far the edge is moved outwards, plate px")
    surround: Literal["black", "plate"] = Field("black", description="what shows around fitted artwork")
    after_end: Literal["hold", "loop"] = Field("hold", description="what a film shorter than the plate does")
