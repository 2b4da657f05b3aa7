"""Judging a plate and a track by the pictures: which frame to draw on, and what movement is left when held still."""

from collections.abc import Callable, Mapping

import numpy as np

from verdigris.core.geometry.quad import signed_area
from verdigris.core.geometry.shapes import polygon_coverage
from verdigris.core.inspection.jitter import Jitter, measure_jitter
from verdigris.core.inspection.reference import FrameWorth, sharpness, weigh_frames
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.types import Float64
from verdigris.media.reader import Reader
from verdigris.runs.errors import RunError
from verdigris.runs.scene.in_front import Tracks, corners_at, coverage_in_front
from verdigris.runs.scene.regions import region_at_reference, unusable_at
from verdigris.runs.scene.sources import FrameReader
from verdigris.shot.model.document import Shot
from verdigris.shot.model.surface import Surface

# The share of the surface that is hidden is counted on a picture this wide.
COARSE_WIDTH = 320


def frames_as_reference(shot: Shot, surface: Surface | None, tracks: Tracks, plate: FrameReader, full_width: int) -> list[FrameWorth]:
    """How well every frame would serve as the reference, in order.

    Where the surface is followed, its own area counts; elsewhere the whole picture's sharpness is all there is.

    Parameters
    ----------
    plate : the plate or its proxies; sharpness is compared between frames of one plate, so that their size does not matter
    full_width : of the plate, px
    """
    count = plate.facts.frame_count
    scale = plate.facts.width / full_width
    track: Mapping[int, FrameResult] = tracks.get(surface.id, {}) if surface else {}
    sizes, sharp, hidden = [], [], []
    for n in range(count):
        luma = plate.frame(n).luma()
        quad = _quad_at(surface, track, n) if surface else None
        sizes.append(abs(signed_area(quad)) if quad is not None else float("nan"))
        sharp.append(sharpness(luma, None if quad is None else quad * scale))
        hidden.append(_hidden(shot, surface, tracks, n, quad, full_width, plate) if surface and quad is not None else 0.0)
    return weigh_frames(range(count), sizes, sharp, hidden)


def _quad_at(surface: Surface, track: Mapping[int, FrameResult], frame: int) -> Float64 | None:
    found = corners_at(surface, track, frame)
    return surface.quad() if found is None and frame == surface.reference_frame else found


def _hidden(shot: Shot, surface: Surface, tracks: Tracks, frame: int, quad: Float64, full_width: int, plate: FrameReader) -> float:
    """Share of the surface covered by something nearer or outside the picture."""
    scale = COARSE_WIDTH / full_width
    width, height = COARSE_WIDTH, round(COARSE_WIDTH * plate.facts.height / plate.facts.width)
    inside = polygon_coverage(quad * scale, width, height)
    front = coverage_in_front(shot, surface, tracks, frame, width, height, scale)
    seen = inside if front is None else inside * (1 - front)
    return float(np.clip(1 - seen.sum() / max(abs(signed_area(quad * scale)), 1e-6), 0, 1))


def remaining_jitter(plate: Reader, shot: Shot, surface: Surface, tracks: Tracks, stop: Callable[[], bool] = lambda: False) -> list[Jitter]:
    """What moves at the corners when the surface is held still, measured in the plate, frame by frame.

    Raises
    ------
    RunError
        `not_tracked` when there are no frames to hold still.
    """
    quad, track = surface.quad(), tracks.get(surface.id, {})
    corners = {n: at for n in track if (at := corners_at(surface, track, n)) is not None}
    if quad is None or len(corners) < 2:
        raise RunError("not_tracked", f"{surface.name} is not followed yet: there is nothing to hold still.")
    corners.setdefault(surface.reference_frame, quad)
    region = region_at_reference(shot, surface, tracks, plate.facts.width, plate.facts.height)
    size = (plate.facts.width, plate.facts.height)
    return measure_jitter(
        lambda n: plate.frame(n).luma(), corners, surface.reference_frame, region,
        lambda n: unusable_at(shot, surface, tracks, track, n, *size), stop,
    )  # fmt: skip
