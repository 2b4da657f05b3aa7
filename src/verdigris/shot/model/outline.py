"""Something in front, outlined by hand."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from verdigris.shot.model.base import Depth, FrameIndex, Id, Name, Part, Polygon, check_keys

Shutter = Annotated[float, Field(ge=0, le=2)]
OPEN_FOR = "how long the shutter is open for its own movement, frames; without it, as matched or found with a track"


class ShapeKey(Part):
    """A polygon at one frame, plate px."""

    frame: FrameIndex
    points: Polygon


class Occluder(Part):
    """Something in front, outlined by hand: keys over time, linear between them."""

    id: Id
    name: Name
    depth: Depth = Field(0, description="lower is nearer the camera")
    outline: Literal["straight", "smooth"] = Field("straight", description="polygon, or a smooth closed curve through the points")
    keys: list[ShapeKey] = Field(min_length=1, max_length=5000)
    rides: Id | None = Field(None, description="surface whose movement the outline follows between its keys")
    span: tuple[FrameIndex, FrameIndex] | None = Field(None, description="first and last frame at which it is there")
    feather_px: float = Field(0.8, ge=0, le=200, description="standard deviation of its soft edge, plate px")
    shutter: Shutter | None = Field(None, description=OPEN_FOR)

    @model_validator(mode="after")
    def _keys_agree(self) -> Self:
        check_keys(self.keys, "an outline")
        return self

    def there_at(self, frame: int) -> bool:
        """Whether it is in the shot at a frame."""
        return self.span is None or self.span[0] <= frame <= self.span[1]
