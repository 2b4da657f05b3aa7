"""Tracks as JSON, format `verdigris.track`, version 1; every field is described in docs/formats.md."""

import json
from collections.abc import Iterable
from pathlib import Path
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.formats.errors import FormatError

Row3 = tuple[float, float, float]
Point = tuple[float, float]


class TrackFrame(BaseModel):
    """Where a surface is at one frame; without homography when it is lost."""

    model_config = ConfigDict(extra="forbid")

    frame: int = Field(ge=0)
    status: Literal["followed", "carried", "by_hand", "lost"]
    homography: tuple[Row3, Row3, Row3] | None = None
    corners: tuple[Point, Point, Point, Point] | None = None
    sigma_px: tuple[float, float, float, float] | None = None
    residual_px: float | None = None
    share_used: float | None = None
    margin_px: float | None = None
    through: int | None = Field(default=None, ge=0)
    reason: str = ""

    def result(self) -> FrameResult:
        """As the core has it."""
        return FrameResult(
            self.frame,
            self.status,
            None if self.homography is None else np.array(self.homography),
            None if self.corners is None else np.array(self.corners),
            None if self.sigma_px is None else np.array(self.sigma_px),
            self.residual_px,
            self.share_used if self.share_used is not None else 0.0,
            self.reason,
            margin_px=self.margin_px,
            through=self.through,
        )


class Track(BaseModel):
    """A track of one surface."""

    model_config = ConfigDict(extra="forbid")

    format: Literal["verdigris.track"] = "verdigris.track"
    version: Literal[1] = 1
    surface: str
    reference_frame: int = Field(ge=0)
    mended: bool = Field(True, description="smoothing, held and carried frames are in it already; it is used as it is")
    frames: list[TrackFrame]

    def by_frame(self) -> dict[int, FrameResult]:
        """Results by frame index."""
        return {f.frame: f.result() for f in self.frames}


def track_frame(r: FrameResult) -> TrackFrame:
    """A result of the core as plain data."""
    return TrackFrame.model_validate(
        {
            "frame": r.frame,
            "status": r.status,
            "homography": None if r.homography is None else r.homography.tolist(),
            "corners": None if r.corners is None else r.corners.tolist(),
            "sigma_px": None if r.sigma_px is None else r.sigma_px.tolist(),
            "residual_px": r.residual_px,
            "share_used": r.share_used,
            "margin_px": r.margin_px,
            "through": r.through,
            "reason": r.reason,
        }
    )


def make_track(surface: str, reference_frame: int, results: Iterable[FrameResult], mended: bool) -> Track:
    """Collect results into a track, in order of frames; `mended` says whether they are as they are used."""
    frames = sorted((track_frame(r) for r in results), key=lambda f: f.frame)
    return Track(surface=surface, reference_frame=reference_frame, mended=mended, frames=frames)


def write_tracks(path: Path, tracks: list[Track]) -> None:
    """Write one track as an object, several as a list of objects."""
    data = [t.model_dump(mode="json", exclude_none=True, exclude_defaults=False) for t in tracks]
    for track in data:
        for frame in track["frames"]:
            if not frame["reason"]:
                del frame["reason"]
    path.write_text(json.dumps(data[0] if len(data) == 1 else data, indent=1) + "\n", encoding="utf-8")


def read_tracks(path: Path) -> list[Track]:
    """Read one or several tracks.

    Raises
    ------
    FormatError
        Naming the place of the fault.
    """
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
    except FileNotFoundError as error:
        raise FormatError(str(path), "file", "a track", "no such file") from error
    except (ValueError, RecursionError) as error:
        raise FormatError(path.name, "file", "JSON", str(error)) from error
    tracks = []
    for item in data if isinstance(data, list) else [data]:
        try:
            tracks.append(Track.model_validate(item))
        except ValidationError as error:
            fault = error.errors()[0]
            raise FormatError(path.name, ".".join(map(str, fault["loc"])) or "track", fault["msg"], repr(fault["input"])[:60]) from error
    return tracks
