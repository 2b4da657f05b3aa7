"""Where each frame of a plate held still lies on its canvas, format `verdigris.still`, version 1; see docs/formats.md."""

import json
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from verdigris.core.geometry.held_still import Canvas, Held
from verdigris.core.types import Float64

Row3 = tuple[float, float, float]


class StillFrame(BaseModel):
    """One frame; without a matrix when the surface is lost there and the still is empty."""

    model_config = ConfigDict(extra="forbid")

    frame: int = Field(ge=0)
    canvas_from_plate: tuple[Row3, Row3, Row3] | None = None


class StillFrames(BaseModel):
    """A plate held still on a surface."""

    model_config = ConfigDict(extra="forbid")

    format: Literal["verdigris.still"] = "verdigris.still"
    version: Literal[1] = 1
    surface: str
    how: Held
    reference_frame: int = Field(ge=0)
    first_frame: int = Field(ge=0, description="number of the first still's file")
    left: int = Field(description="plate px at the reference frame of the canvas's left edge")
    top: int
    width: int = Field(gt=0)
    height: int = Field(gt=0)
    frames: list[StillFrame]


def write_still_frames(
    path: Path, surface: str, how: Held, reference_frame: int, first_frame: int, canvas: Canvas, matrices: dict[int, Float64 | None]
) -> None:
    """Write the matrices of all frames beside the stills."""
    frames = [StillFrame(frame=n, canvas_from_plate=None if m is None else m.tolist()) for n, m in sorted(matrices.items())]
    whole = StillFrames(
        surface=surface, how=how, reference_frame=reference_frame, first_frame=first_frame, left=canvas.left, top=canvas.top,
        width=canvas.width, height=canvas.height, frames=frames,
    )  # fmt: skip
    path.write_text(json.dumps(whole.model_dump(mode="json")) + "\n", encoding="utf-8")
