"""Tracks as JSON, format `verdigris.track`, version 2, and version 1 to read; every field is described in docs/formats.md."""

import json
from collections.abc import Iterable
from dataclasses import asdict
from pathlib import Path
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from verdigris.core.camera.optics import Optics
from verdigris.core.geometry.lens import Lens
from verdigris.core.light.tone import Tone
from verdigris.core.tracking.sequence.frame_result import FrameResult, Softness, under_one_camera
from verdigris.formats.errors import FormatError

Row3 = tuple[float, float, float]
Point = tuple[float, float]


class FrameSoftness(BaseModel):
    """How soft and noisy a surface is seen at a frame."""

    model_config = ConfigDict(extra="forbid")

    defocus_px2: float = Field(allow_inf_nan=False)
    smear_px: float | None = Field(None, ge=0, allow_inf_nan=False)
    noise: float | None = Field(None, ge=0, allow_inf_nan=False)


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
    softness: FrameSoftness | None = None
    reason: str = ""

    def result(self, camera: Optics | None = None) -> FrameResult:
        """As the core has it; `camera` is the track's."""
        soft = self.softness
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
            softness=None if soft is None else Softness(soft.defocus_px2, soft.smear_px, soft.noise),
            camera=camera,
        )


class LensTerms(BaseModel):
    """A lens: radii are counted in half diagonals of the picture."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    centre: Point
    half_diagonal: float = Field(gt=0)
    k1: float = 0.0
    k2: float = 0.0
    k3: float = 0.0
    p1: float = 0.0
    p2: float = 0.0


class Camera(BaseModel):
    """What following found of the camera: lens, read-out, shutter, tone curve, and how far the surface is bowed."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    width: int = Field(ge=2)
    height: int = Field(ge=2)
    lens: LensTerms | None = None
    readout: float = Field(0.0, ge=-2, le=2)
    shutter: float | None = Field(None, ge=0, description="share of the frame time for which the shutter is open")
    tone: Point = (0.0, 0.0)
    bow: Point = (0.0, 0.0)
    focal: float | None = Field(None, gt=0)

    @classmethod
    def of(cls, optics: Optics) -> "Camera":
        """From the core's terms."""
        lens = None if optics.lens is None else LensTerms.model_validate(asdict(optics.lens))
        shutter = None if optics.shutter is None else float(np.sqrt(12 * max(0.0, optics.shutter)))
        return cls(
            width=optics.width, height=optics.height, lens=lens, readout=float(optics.readout), shutter=shutter,
            tone=(float(optics.tone.tilt), float(optics.tone.ends)), bow=(float(optics.bow[0]), float(optics.bow[1])), focal=optics.focal,
        )  # fmt: skip

    def optics(self) -> Optics:
        """As the core has it."""
        lens = None if self.lens is None else Lens(**self.lens.model_dump())
        shutter = None if self.shutter is None else self.shutter**2 / 12
        return Optics(self.width, self.height, lens, self.readout, shutter, Tone(*self.tone), self.bow, self.focal)


class Track(BaseModel):
    """A track of one surface."""

    model_config = ConfigDict(extra="forbid")

    format: Literal["verdigris.track"] = "verdigris.track"
    version: Literal[1, 2] = 2
    surface: str
    reference_frame: int = Field(ge=0)
    mended: bool = Field(True, description="smoothing, held and carried frames are in it already; it is used as it is")
    camera: Camera | None = Field(None, description="what following found of the camera; from version 2 on")
    frames: list[TrackFrame]

    def by_frame(self) -> dict[int, FrameResult]:
        """Results by frame index."""
        camera = None if self.camera is None else self.camera.optics()
        return {f.frame: f.result(camera) for f in self.frames}


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
            "softness": None if r.softness is None else asdict(r.softness),
            "reason": r.reason,
        }
    )


def make_track(surface: str, reference_frame: int, results: Iterable[FrameResult], mended: bool) -> Track:
    """Collect results into a track, in order of frames; `mended` says whether they are as they are used."""
    by_frame = under_one_camera({r.frame: r for r in results})
    frames = [track_frame(r) for _, r in sorted(by_frame.items())]
    camera = next((Camera.of(r.camera) for r in by_frame.values() if r.camera is not None), None)
    return Track(surface=surface, reference_frame=reference_frame, mended=mended, camera=camera, frames=frames)


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
