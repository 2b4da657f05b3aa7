"""Other ways to see a frame: as the tracker looks at it, what of it is compared, and with one surface held still."""

from collections.abc import Mapping

import cv2
import numpy as np

from verdigris.core.geometry.held_still import Held
from verdigris.core.tracking.analysis import AnalysisMaker
from verdigris.core.tracking.follow import FrameResult
from verdigris.core.types import Bool, Uint8
from verdigris.media.frames import rgb8
from verdigris.runs.errors import RunError
from verdigris.runs.fronts import Tracks, coverage_in_front
from verdigris.runs.held_still import HeldStill
from verdigris.runs.proxies import ProxyReader
from verdigris.runs.regions import region_at_reference, unusable_at
from verdigris.shot.document import Shot, Surface


class SurfaceViews:
    """Views of one revision of a shot on one of its surfaces, made from proxies.

    Parameters
    ----------
    tracks : as they are used, mended
    plate : proxies of the plate
    full_size : width and height of the plate, px
    """

    def __init__(self, shot: Shot, surface: Surface, tracks: Tracks, plate: ProxyReader, full_size: tuple[int, int]) -> None:
        self._shot, self._surface, self._tracks, self._plate, self._full = shot, surface, tracks, plate, full_size
        self._scale = plate.facts.width / full_size[0]
        self._maker: AnalysisMaker | None = None
        self._still: dict[Held, HeldStill] = {}

    def analysis(self, frame: int) -> Uint8:
        """The analysis picture, (h, w, 3) uint8 grey."""
        if self._maker is None:
            width, height = self._full
            region = region_at_reference(self._shot, self._surface, self._tracks, width, height).astype(np.uint8)
            size = (self._plate.facts.width, self._plate.facts.height)
            inside = cv2.resize(region, size, interpolation=cv2.INTER_NEAREST) > 0
            reference = self._plate.frame(self._surface.reference_frame)
            self._maker = AnalysisMaker(self._surface.analysis.settings(), reference.codes(), inside)
        grey = self._maker.make(self._plate.frame(frame).codes())
        return np.repeat(np.clip(grey * 255 + 0.5, 0, 255).astype(np.uint8)[..., None], 3, axis=2)

    def coverage(self, frame: int) -> Uint8:
        """Which pixels are compared here, and why others are not, over the darkened plate, (h, w, 3) uint8.

        Verdigris: used. Copper with stripes: covered by something nearer. Copper with dots: cut out, or outside keyed shapes.

        Raises
        ------
        RunError
            `not_tracked` when the surface is lost at this frame.
        """
        width, height = self._full
        size = (self._plate.facts.width, self._plate.facts.height)
        result = self._track().get(frame)
        at_reference = frame == self._surface.reference_frame
        h = np.eye(3) if at_reference else None if result is None else result.homography
        if h is None:
            raise RunError("not_tracked", f"{self._surface.name} is not found at this frame: nothing of it is compared.")
        scale = np.diag([self._scale, self._scale, 1.0])
        half = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])

        def small(mask: Bool | None) -> Bool:
            if mask is None:
                return np.zeros(size[::-1], bool)
            return cv2.resize(mask.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0

        def here(mask: Bool) -> Bool:
            to_view = half @ scale @ h @ np.linalg.inv(half)
            return cv2.warpPerspective(mask.astype(np.uint8), to_view, size, flags=cv2.INTER_NEAREST) > 0

        whole = self._surface.model_copy(update={"region": self._surface.region.model_copy(update={"exclude": []})})
        bare = self._shot.model_copy(update={"occluders": []})
        region = here(region_at_reference(bare, whole, {}, width, height))
        wanted = here(region_at_reference(self._shot, self._surface, self._tracks, width, height))
        unusable = unusable_at(self._shot, self._surface, self._tracks, self._track(), frame, width, height)
        front = coverage_in_front(self._shot, self._surface, self._tracks, frame, width, height)
        covered = region & small(None if front is None else front > 0.01)
        left_out = region & ~covered & (~wanted | small(unusable))
        rows, columns = np.mgrid[0 : size[1], 0 : size[0]]
        picture = (0.55 * rgb8(self._plate.frame(frame), (0, 0, *size))).astype(np.float32)
        for where, colour in (
            (region & ~covered & ~left_out, (98, 181, 163)),
            (covered & ((rows + columns) % 8 < 4), (209, 140, 92)),
            (left_out & (rows % 6 < 2) & (columns % 6 < 2), (209, 140, 92)),
        ):
            picture[where] = 0.5 * picture[where] + 0.5 * np.array(colour, np.float32)
        return np.clip(picture + 0.5, 0, 255).astype(np.uint8)

    def held(self, frame: int, how: Held) -> Uint8:
        """The whole plate moved so that the surface stays where it is at the reference frame, (h, w, 3) uint8.

        Everything the plate shows at any followed frame finds room, as far as that is finite.

        Raises
        ------
        RunError
            `not_tracked` when the surface is lost at this frame.
        """
        if how not in self._still:
            self._still[how] = HeldStill(self._surface, self._tracks, how, self._full)
        still = self._still[how]
        canvas = still.canvas
        zoom = min(self._plate.facts.width / canvas.width, self._plate.facts.height / canvas.height)
        shift = (np.array([self._plate.facts.width, self._plate.facts.height]) - zoom * np.array([canvas.width, canvas.height])) / 2
        view = np.array([[zoom, 0, shift[0]], [0, zoom, shift[1]], [0, 0, 1.0]])
        to_view = view @ still.canvas_from_plate(frame) @ np.diag([1 / self._scale, 1 / self._scale, 1.0])
        size = (self._plate.facts.width, self._plate.facts.height)
        half = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])
        picture = rgb8(self._plate.frame(frame), (0, 0, *size))
        return np.asarray(
            cv2.warpPerspective(
                picture, half @ to_view @ np.linalg.inv(half), size, flags=cv2.INTER_LINEAR, borderValue=(44, 44, 44)
            ), np.uint8
        )  # fmt: skip

    def _track(self) -> Mapping[int, FrameResult]:
        return self._tracks.get(self._surface.id, {})
