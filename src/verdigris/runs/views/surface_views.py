"""Other ways to see a frame: as the tracker looks at it, what of it is compared, and with one surface held still."""

from collections.abc import Mapping

import cv2
import numpy as np

from verdigris.core.geometry.held_still import Held
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.quad import surface_aspect
from verdigris.core.inspection.coverage_picture import paint_coverage
from verdigris.core.inspection.stand_in import lay_stand_in, stand_in_chart
from verdigris.core.tracking.reference.analysis import AnalysisMaker
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.types import Uint8
from verdigris.media.frames import rgb8
from verdigris.runs.errors import RunError
from verdigris.runs.scene.held_still import HeldStill
from verdigris.runs.scene.in_front import Tracks, corners_at, coverage_in_front
from verdigris.runs.scene.regions import outside_keyed_shapes, region_at_reference
from verdigris.runs.views.proxies import ProxyReader
from verdigris.shot.model.document import Shot
from verdigris.shot.model.surface import Surface

# Pixel indices from px whose pixel centres are at +0.5.
HALF = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])


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
        self._last: tuple[tuple[int, int], Uint8] | None = None

    @property
    def shot(self) -> Shot:
        """The shot these are views of."""
        return self._shot

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

    def coverage(self, frame: int, draft: Shot | None = None, width: int | None = None) -> Uint8:
        """Which pixels are compared here, and why others are not, over the darkened plate, (h, w, 3) uint8.

        Verdigris: used. Copper with stripes: covered by something nearer. Copper with dots: cut out, or outside keyed shapes.

        Parameters
        ----------
        draft : the shot with changes that are not kept yet; the track stays
        width : px the picture is to be wide, at most a proxy's width; that by default

        Raises
        ------
        RunError
            `not_tracked` when the surface is lost at this frame.
        """
        shot = draft or self._shot
        surface = shot.surface(self._surface.id)
        picture = self._picture(frame, width)
        height, width = picture.shape[:2]
        scale = width / self._full[0]
        result = self._track().get(frame)
        at_reference = frame == surface.reference_frame
        h = np.eye(3) if at_reference else None if result is None else result.homography
        if h is None:
            raise RunError("not_tracked", f"{surface.name} is not found at this frame: nothing of it is compared.")
        whole = surface.model_copy(update={"region": surface.region.model_copy(update={"exclude": []})})
        bare = shot.model_copy(update={"occluders": []})
        reach = region_at_reference(bare, whole, {}, width, height, scale)
        wanted = region_at_reference(shot, surface, self._tracks, width, height, scale)
        if not at_reference:
            to_pixels = HALF @ np.diag([scale, scale, 1.0])
            moved = to_pixels @ h @ np.linalg.inv(to_pixels)
            both = reach.view(np.uint8) | (wanted.view(np.uint8) << 1)
            seen = np.asarray(cv2.warpPerspective(both, moved, (width, height), flags=cv2.INTER_NEAREST), np.uint8)
            reach, wanted = (seen & 1) > 0, (seen & 2) > 0
        front = coverage_in_front(shot, surface, self._tracks, frame, width, height, scale)
        outside = outside_keyed_shapes(surface, self._track(), frame, width, height, scale)
        return paint_coverage(picture, reach, wanted, front, outside)

    def held(self, frame: int, how: Held, stand_in: bool = False) -> Uint8:
        """The whole plate moved so that the surface stays where it is at the reference frame, (h, w, 3) uint8.

        Everything the plate shows at any followed frame finds room, as far as that is finite. `stand_in` lays a chart onto the
        surface where the track says it is.

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
        from_plate = view @ still.canvas_from_plate(frame)
        to_pixels = HALF @ from_plate @ np.diag([1 / self._scale, 1 / self._scale, 1.0]) @ np.linalg.inv(HALF)
        size = (self._plate.facts.width, self._plate.facts.height)
        seen = cv2.warpPerspective(self._picture(frame), to_pixels, size, flags=cv2.INTER_LINEAR, borderValue=(44, 44, 44))
        picture, quad = np.asarray(seen, np.uint8), self._surface.quad()
        at = quad if frame == self._surface.reference_frame else corners_at(self._surface, self._track(), frame)
        if stand_in and quad is not None and at is not None:
            picture = lay_stand_in(picture, apply_homography(from_plate, at), stand_in_chart(surface_aspect(quad, *self._full)))
        return picture

    def _picture(self, frame: int, width: int | None = None) -> Uint8:
        """The plate at proxy size or smaller, (h, w, 3) uint8; the last one stays at hand while something is dragged on it."""
        full = (self._plate.facts.width, self._plate.facts.height)
        width = full[0] if width is None else max(1, min(width, full[0]))
        if self._last is None or self._last[0] != (frame, width):
            picture = rgb8(self._plate.frame(frame), (0, 0, *full))
            if width < full[0]:
                size = (width, max(1, round(full[1] * width / full[0])))
                picture = np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.uint8)
            self._last = ((frame, width), picture)
        return self._last[1]

    def _track(self) -> Mapping[int, FrameResult]:
        return self._tracks.get(self._surface.id, {})
