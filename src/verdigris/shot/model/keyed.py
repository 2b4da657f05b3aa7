"""Values that may change over time, by keys."""

from collections.abc import Sequence
from typing import Annotated, Literal, Protocol, TypeVar

from pydantic import AfterValidator, Field

from verdigris.shot.model.base import FrameIndex, Part

Ease = Literal["linear", "eased", "held"]


class ValueKey(Part):
    """A value at one frame."""

    frame: FrameIndex
    value: float = Field(ge=0, le=1)
    ease: Ease = Field("linear", description="how the way to the next key runs")


class HasFrame(Protocol):
    """Anything that is set at a frame."""

    @property
    def frame(self) -> int:
        """The frame."""
        ...

    @property
    def ease(self) -> Ease:
        """How the way to the next key runs."""
        ...


K = TypeVar("K", bound=HasFrame)


def in_order(keys: list[K]) -> list[K]:
    """Keys as they are given; ValueError when they are not in order of frames, one a frame."""
    frames = [k.frame for k in keys]
    if frames != sorted(set(frames)):
        raise ValueError("keys are in order of frames, one a frame")
    return keys


Share = Annotated[float, Field(ge=0, le=1)]
KeyedShare = Share | Annotated[list[ValueKey], Field(min_length=1, max_length=1000), AfterValidator(in_order)]


def between(keys: Sequence[K], frame: float) -> tuple[K, K, float]:
    """The keys around a frame, and how far it is from the first to the second, 0..1; held before the first and after the last."""
    earlier = [k for k in keys if k.frame <= frame]
    later = [k for k in keys if k.frame > frame]
    if not earlier or not later:
        only = earlier[-1] if earlier else later[0]
        return only, only, 0.0
    a, b = earlier[-1], later[0]
    t = (frame - a.frame) / (b.frame - a.frame)
    return a, b, {"linear": t, "eased": t * t * (3 - 2 * t), "held": 0.0}[a.ease]


def value_at(value: "float | list[ValueKey]", frame: float) -> float:
    """A value at a frame."""
    if not isinstance(value, list):
        return value
    a, b, t = between(value, frame)
    return a.value + t * (b.value - a.value)
