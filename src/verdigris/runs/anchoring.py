"""Another reference frame for a track that is there: corners stay where they are, everything is stated from the new frame."""

from collections.abc import Mapping

import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.tracking.follow import FrameResult
from verdigris.core.tracking.mend import re_anchor
from verdigris.runs.errors import RunError
from verdigris.runs.fronts import corners_at
from verdigris.shot.document import Surface


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

    region = surface.region.model_copy(
        update={"include": [moved(p) for p in surface.region.include], "exclude": [moved(p) for p in surface.region.exclude]}
    )
    quad = tuple((float(x), float(y)) for x, y in apply_homography(h, np.array(surface.corners)))
    return surface.model_copy(update={"reference_frame": frame, "corners": quad, "region": region}), re_anchor(track, frame)
