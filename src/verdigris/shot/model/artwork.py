"""What can be placed: files, and pictures that are made here."""

from collections.abc import Callable, Iterator
from typing import Annotated, Any, Literal, TypeVar

from pydantic import BaseModel, Discriminator, Field, Tag, TypeAdapter, model_validator

from verdigris.shot.model.base import Id, Part, has_parts
from verdigris.shot.model.media import MediaRef

P = TypeVar("P")
Code = Annotated[int, Field(ge=0, le=255)]
Rgb = tuple[Code, Code, Code]
Pixels = Annotated[int, Field(ge=1, le=16_384)]


class FileArtwork(MediaRef):
    """A still, film, numbered stills or SVG; with a matte of its own where that is another file."""

    kind: Literal["file"] = "file"
    alpha: Literal["file", "straight", "premultiplied", "none"] = Field("file", description="how its colour goes with its transparency")
    matte: MediaRef | None = Field(None, description="its transparency as a file of its own: white is there")


class ColourArtwork(Part):
    """One colour."""

    kind: Literal["colour"] = "colour"
    rgb: Rgb = Field((128, 128, 128), description="sRGB, 0-255")


class ChartArtwork(Part):
    """The mark chart: a stand-in that shows how the surface lies."""

    kind: Literal["chart"] = "chart"
    squares: int = Field(8, ge=2, le=40, description="numbered squares along its longer side")


class TextArtwork(Part):
    """Text, sized to fit the surface."""

    kind: Literal["text"] = "text"
    text: str = Field(min_length=1, max_length=2000, pattern=r"^[^\x00-\x08\x0b-\x1f\x7f]+$")
    weight: Literal["regular", "bold"] = "bold"
    rgb: Rgb = Field((20, 20, 20), description="sRGB, 0-255")
    outline_rgb: Rgb | None = Field(None, description="colour of a line around the letters")
    outline: float = Field(0.04, ge=0, le=0.3, description="width of that line, share of the letters' size")
    ground: Rgb | None = Field(None, description="colour behind the text; without it the surface shows")
    align: Literal["left", "middle", "right"] = "middle"
    margin: float = Field(0.06, ge=0, le=0.45, description="room around the text, share of the shorter side")


class SlotArtwork(Part):
    """What a slot of the project shows; it stands for the artwork until the project is asked."""

    kind: Literal["slot"] = "slot"


class FromSlot(Part):
    """Something that shows artwork, which may come from a slot of the project."""

    slot: Id | None = Field(None, description="slot of the project that the artwork comes from")
    pin: int | None = Field(None, ge=1, description="version of the slot it stays with; without one it shows the current version")
    version: int | None = Field(None, ge=1, description="version of the slot that its artwork is; the application writes it")

    @model_validator(mode="before")
    @classmethod
    def _slot_for_artwork(cls, value: Any) -> Any:
        if isinstance(value, dict) and value.get("slot") is not None and value.get("artwork") is None:
            return {**value, "artwork": {"kind": "slot"}}
        return value

    @model_validator(mode="after")
    def _names_a_slot(self) -> "FromSlot":
        if self.slot is None and (self.pin is not None or self.version is not None):
            raise ValueError("a version is of a slot, and no slot is named")
        if self.slot is None and isinstance(getattr(self, "artwork", None), SlotArtwork):
            raise ValueError("artwork from a slot names the slot")
        return self


def _kind_of(value: Any) -> str:
    kind = value.get("kind", "file") if isinstance(value, dict) else getattr(value, "kind", "file")
    return str(kind)


OneArtwork = (
    Annotated[FileArtwork, Tag("file")]
    | Annotated[ColourArtwork, Tag("colour")]
    | Annotated[ChartArtwork, Tag("chart")]
    | Annotated[TextArtwork, Tag("text")]
    | Annotated[SlotArtwork, Tag("slot")]
)


class OrderItem(FromSlot):
    """One block of a running order."""

    artwork: Annotated[OneArtwork, Discriminator(_kind_of)]
    first: float = Field(0, ge=0, le=1_000_000, description="frame of the item it begins with")
    frames: int = Field(ge=1, le=1_000_000, description="how long it is shown, frames of the running order")
    dissolve: int = Field(0, ge=0, le=10_000, description="frames over which it fades in over the item before; 0 is a cut")
    fit: Literal["fit", "fill", "stretch"] = "fill"


class OrderArtwork(Part):
    """A running order: items one after the other, on a picture of its own size."""

    kind: Literal["order"] = "order"
    width: Pixels = 1080
    height: Pixels = 1920
    pixel_aspect: float = Field(1.0, ge=0.1, le=10, description="width of a pixel for its height")
    items: list[OrderItem] = Field(min_length=1, max_length=200)


Artwork = Annotated[OneArtwork | Annotated[OrderArtwork, Tag("order")], Discriminator(_kind_of)]


def shown_from_slots(part: Any) -> Iterator[FromSlot]:
    """Everything in a part of a document that shows artwork of a slot; what is inside such artwork is the slot's own."""
    if isinstance(part, FromSlot) and part.slot is not None:
        yield part
    elif isinstance(part, BaseModel):
        for name in type(part).model_fields:
            yield from shown_from_slots(getattr(part, name))
    elif isinstance(part, list | tuple) and has_parts(part):
        for item in part:
            yield from shown_from_slots(item)


def with_slots(part: P, change: Callable[[FromSlot], FromSlot]) -> P:
    """A part of a document with everything that shows artwork of a slot changed."""
    if isinstance(part, FromSlot) and part.slot is not None:
        return change(part)  # type: ignore[return-value]
    if isinstance(part, BaseModel):
        return part.model_copy(update={name: with_slots(getattr(part, name), change) for name in type(part).model_fields})
    if isinstance(part, list | tuple) and has_parts(part):
        return type(part)(with_slots(item, change) for item in part)  # type: ignore[return-value]
    return part


ARTWORK = TypeAdapter[Artwork](Artwork)
