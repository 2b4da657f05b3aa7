"""The plate as a lens without distortion would show it, with room for everything it sees."""

import cv2
import numpy as np

from verdigris.core.geometry.lens import Lens
from verdigris.core.types import Float64, Uint8
from verdigris.media.facts import MediaFacts
from verdigris.media.frames import rgb8
from verdigris.runs.errors import RunError
from verdigris.runs.follow.surface import optics_of
from verdigris.runs.views.proxies import ProxyReader
from verdigris.shot.model.document import Shot

# A lens that bends the rim outwards without end is cut: its picture never grows beyond this.
MOST_ROOM = 2.0
RIM_POINTS = 33


def lens_of(shot: Shot, facts: MediaFacts) -> Lens:
    """The lens the document names, or finds from its lines.

    Raises
    ------
    RunError
        `no_evidence` when it names none.
    """
    lens = optics_of(shot, (facts.width, facts.height)).lens
    if lens is None or lens.is_ideal:
        raise RunError("no_evidence", "No lens is known yet. Draw lines that should be straight, or find it from a track.")
    return lens


def seen_room(lens: Lens, width: int, height: int) -> tuple[Float64, Float64]:
    """Smallest and largest ideal coordinates of what the plate shows, (2,) plate px each."""
    t = np.linspace(0, 1, RIM_POINTS)
    rim = np.concatenate([
        np.stack([t * width, 0 * t], 1), np.stack([t * width, 0 * t + height], 1),
        np.stack([0 * t, t * height], 1), np.stack([0 * t + width, t * height], 1),
    ])  # fmt: skip
    at, size = lens.undistort(rim), np.array([width, height], float)
    centre = size / 2
    at = np.clip(at, centre - MOST_ROOM / 2 * size, centre + MOST_ROOM / 2 * size)
    return at.min(axis=0), at.max(axis=0)


class StraightView:
    """Frames of a plate with straight lines straight, zoomed out to show all of each.

    Parameters
    ----------
    lens : in plate px
    plate : proxies of the plate
    full_size : width and height of the plate, px
    """

    def __init__(self, lens: Lens, plate: ProxyReader, full_size: tuple[int, int]) -> None:
        self._plate = plate
        width, height = plate.facts.width, plate.facts.height
        low, high = seen_room(lens, *full_size)
        zoom = float(np.min(np.array([width, height]) / (high - low)))
        y, x = np.mgrid[0.5:height, 0.5:width]
        middle = (low + high) / 2
        ideal = (np.stack([x.ravel(), y.ravel()], axis=1) - [width / 2, height / 2]) / zoom + middle
        seen = lens.distort(ideal) * (width / full_size[0]) - 0.5
        # Beyond its reach the model folds back on the picture: nothing is seen there.
        radius = np.linalg.norm(ideal - lens.centre, axis=1) / lens.half_diagonal
        seen[radius > lens.one_to_one_radius()] = -10.0
        self._x, self._y = (np.ascontiguousarray(seen[:, i].reshape(height, width), np.float32) for i in (0, 1))

    def picture(self, frame: int) -> Uint8:
        """(h, w, 3) uint8, grey where the plate shows nothing."""
        rgb = rgb8(self._plate.frame(frame), (0, 0, self._plate.facts.width, self._plate.facts.height))
        return np.asarray(
            cv2.remap(rgb, self._x, self._y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=(44, 44, 44)), np.uint8
        )
