"""Another reference frame for a track that is there: corners stay where they are, everything is stated from the new frame."""

from collections.abc import Mapping

import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.tracking.sequence.mend import re_anchor
from verdigris.core.types import Float64
from verdigris.runs.errors import RunError
from verdigris.runs.scene.in_front import corners_at, riding_points
from verdigris.shot.model.region import PointsKey, RegionShape
from verdigris.shot.model.surface import Surface


def _keyed_at(shape: RegionShape, frame: int, poses: Mapping[int, Float64]) -> RegionShape:
    """The same shape with a key at a frame, so that it is where it rode to when that frame becomes the reference."""
    if shape.rides != "plane" or any(k.frame == frame for k in shape.keys):
        return shape
    # A single key holds for the whole shot wherever it stands: it moves rather than doubles.
    kept = shape.keys if len(shape.keys) > 1 else []
    at = riding_points(frame, [(k.frame, k.array(), k.ease == "eased") for k in shape.keys], poses)
    key = PointsKey(frame=frame, points=[(float(x), float(y)) for x, y in at])
    return shape.model_copy(update={"keys": sorted([*kept, key], key=lambda k: k.frame)})


def anchored(surface: Surface, track: Mapping[int, FrameResult], frame: int) -> tuple[Surface, dict[int, FrameResult]]:
    """The surface drawn at another frame, and its track from there.

    Raises
    ------
    RunError
        `no_corners`; `not_tracked` when the surface is lost at that frame.
    """
    if surface.corners is None:
        raise RunError("no_corners", f"Place the four corners of {surface.name} first.")
    corners, result = corners_at(surface, track, frame), track.get(frame)
    if corners is None or result is None or result.homography is None:
        raise RunError("not_tracked", f"{surface.name} is lost or not followed at frame {frame}. Choose a frame where it is found.")
    h = result.homography

    def moved(polygon: list[tuple[float, float]]) -> list[tuple[float, float]]:
        return [(float(x), float(y)) for x, y in apply_homography(h, np.array(polygon, dtype=np.float64))]

    poses = {n: r.homography for n, r in track.items() if r.homography is not None}
    region = surface.region.model_copy(
        update={
            "include": [moved(p) for p in surface.region.include],
            "exclude": [moved(p) for p in surface.region.exclude],
            "shapes": [_keyed_at(s, frame, poses) for s in surface.region.shapes],
        }
    )
    quad = tuple((float(x), float(y)) for x, y in apply_homography(h, np.array(surface.corners)))
    return surface.model_copy(update={"reference_frame": frame, "corners": quad, "region": region}), re_anchor(track, frame)
