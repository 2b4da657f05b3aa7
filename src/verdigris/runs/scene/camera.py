"""The camera a shot was taken with: what its document says, and what following found."""

from collections.abc import Mapping
from functools import lru_cache

import numpy as np

from verdigris.core.camera.optics import Optics
from verdigris.core.geometry.lens import Lens
from verdigris.core.geometry.straight_lines import LensEstimate, LinesProblem, lens_from_lines
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.runs.errors import RunError
from verdigris.shot.model.camera import LensModel
from verdigris.shot.model.document import Shot

Size = tuple[int, int]


def optics_of(shot: Shot, size: Size) -> Optics:
    """What the document says about lens and read-out; what it leaves open begins plain.

    Parameters
    ----------
    size : width and height of the plate, px

    Raises
    ------
    RunError
        `cannot_follow` when the lines drawn for the lens cannot tell it.
    """
    lens, (width, height) = shot.lens, size
    given = None
    if lens.mode == "estimate" and lens.lines:
        given = lens_of_lines(shot, size).lens
    if lens.mode == "given":
        centre = lens.centre or (width / 2, height / 2)
        half = float(np.hypot(width, height)) / 2
        given = Lens(centre, half, lens.k1, lens.k2, lens.k3, lens.p1, lens.p2)
    return Optics(width, height, given, shot.camera.readout or 0.0)


def lens_of_lines(shot: Shot, size: Size) -> LensEstimate:
    """The lens that makes the drawn lines straight; RunError `cannot_follow` when they cannot tell."""
    try:
        return _from_lines(shot.lens.model_dump_json(), size)
    except LinesProblem as error:
        raise RunError("cannot_follow", str(error), problem="lines") from error


@lru_cache(maxsize=8)
def _from_lines(lens: str, size: Size) -> LensEstimate:
    lines = [np.array(line, dtype=np.float64) for line in LensModel.model_validate_json(lens).lines]
    return lens_from_lines(lines, *size)


def camera_of(shot: Shot, size: Size, track: Mapping[int, FrameResult]) -> Optics:
    """The camera a surface is seen by: as it was found with the surface's track, else as the document says."""
    found = next((r.camera for r in track.values() if r.camera is not None), None)
    if found is not None and (found.width, found.height) == size:
        return found
    try:
        return optics_of(shot, size)
    except RunError:
        return Optics(*size)
