"""Whether the edges of a surface go with what was followed: a picture that moves by itself inside them does not take them along.

What runs on a screen can be a plane of its own, and as good to follow as the surface. The corners say where the surface ends;
where its edges are seen to have stayed behind together, the plane that was found is the picture's and not the surface's.
"""

import cv2
import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.tracking.reference.edge_profiles import EdgeProfiles
from verdigris.core.tracking.reference.repetition import masked_correlation, shown_of, warped_small
from verdigris.core.types import Bool, Float32, Float64, Uint8

# The surface is looked at with at most so many px to a side, and so much around it, as a share of its size.
SIDE_PX, AROUND = 200, 0.3
# Half the width of what counts as its edge, as a share of its shorter side, and at least so many px of the small picture.
HALF_WIDTH, LEAST_HALF_WIDTH_PX = 0.035, 3.0
# Parts that each side is taken in, and the contrast (code values, 0..255) a part must have to tell anything.
PARTS, LEAST_CONTRAST = 5, 5.0
LEAST_TELLING = 8
# A part goes with a place from this correlation on. A straight edge goes with all that moves along it: the edges stayed behind
# where no more than this share of the parts goes along, and so many more are seen together elsewhere.
AGREES, FEW, MOST, MORE = 0.45, 0.6, 0.7, 0.3
# Where a picture is known to move by itself, a place holds that nearly all of the edges agree with.
NEARLY_ALL = 0.9
# Sizes that are tried in looking for where they are, against the one that was found.
SIZES = (1.0, 0.96, 1.04, 0.92, 1.08, 0.87, 1.13)
APART = "The picture inside moves by itself, and the edges of the surface do not go with it. Cut out what runs, then follow again."


class Rim:
    """The edges of a surface, as its reference frame shows them.

    Parameters
    ----------
    picture : (H, W) uint8, the reference frame
    corners : (4, 2) float64, plate px
    """

    def __init__(self, picture: Uint8, corners: Float64) -> None:
        low, high = corners.min(axis=0), corners.max(axis=0)
        size = np.maximum(high - low, 1.0)
        scale = min(1.0, SIDE_PX / float(size.max()))
        origin = low - AROUND * size
        self._small_from_reference = np.array([[scale, 0, -scale * origin[0]], [0, scale, -scale * origin[1]], [0, 0, 1]])
        width, height = (int(np.ceil(v)) for v in scale * (1 + 2 * AROUND) * size)
        self._size = (width, height)
        quad = apply_homography(self._small_from_reference, corners)
        sides = np.linalg.norm(np.roll(quad, -1, axis=0) - quad, axis=1)
        self._half_px = max(LEAST_HALF_WIDTH_PX, HALF_WIDTH * float(sides.min()))
        self._part = self._parts_of(quad)
        seen = warped_small(shown_of(picture.shape, None), self._small_from_reference, self._size, border=0) > 254
        self._part[~seen] = -1
        self._reference = warped_small(picture, self._small_from_reference, self._size).astype(np.float32)
        self._telling = [i for i in range(4 * PARTS) if self._tells(i)]
        self._profiles = EdgeProfiles(picture, corners)

    def _parts_of(self, quad: Float64) -> np.ndarray[tuple[int, int], np.dtype[np.int16]]:
        """Which part of the edge each pixel belongs to, (h, w); -1 for none."""
        width, height = self._size
        part = np.full((height, width), -1, np.int16)
        for side in range(4):
            a, b = quad[side], quad[(side + 1) % 4]
            for k in range(PARTS):
                ends = np.stack([a + (b - a) * k / PARTS, a + (b - a) * (k + 1) / PARTS])
                mask = np.zeros((height, width), np.uint8)
                cv2.line(mask, *(tuple(int(v) for v in np.round(e - 0.5)) for e in ends), 1, int(2 * self._half_px))  # type: ignore[call-overload]
                part[(mask > 0) & (part < 0)] = side * PARTS + k
        return part

    def _tells(self, i: int) -> bool:
        there = self._part == i
        return bool(there.sum() >= 20 and self._reference[there].std() > LEAST_CONTRAST)

    def region(self, shape: tuple[int, int], corners: Float64, region: Bool) -> Bool:
        """Pixels of a region near the edges, (H, W) bool: what the surface is followed by when its picture is not to be trusted."""
        scale = self._small_from_reference[0, 0]
        near = np.zeros(shape, np.uint8)
        outline = [np.round(corners * 16 - 8).astype(np.int32)]
        cv2.polylines(near, outline, True, 1, max(5, int(np.ceil(1.8 * self._half_px / scale))), shift=4)  # type: ignore[call-overload]
        filled = np.zeros(shape, np.uint8)
        contours, _ = cv2.findContours(region.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        cv2.drawContours(filled, contours, -1, 1, cv2.FILLED)
        return (near > 0) & region & (filled > 0)

    def stayed_behind(self, now: Uint8, frame_from_reference: Float64, hidden: Bool | None = None) -> bool:
        """Whether the edges are seen elsewhere than where the plane was found.

        Parameters
        ----------
        now : (H, W) uint8, the frame
        frame_from_reference : (3, 3) where the plane was found, plate px
        hidden : (H, W) bool of what something nearer covers, or None
        """
        if self._profiles.stayed_behind(now, frame_from_reference, hidden):
            return True
        if len(self._telling) < LEAST_TELLING:
            return False
        shown = shown_of(now.shape, hidden)
        seen, along = self._agreeing(*self._seen(now, shown, frame_from_reference, 1.0), (0, 0))
        if seen < LEAST_TELLING or along > FEW * seen:
            return False
        edges = np.isin(self._part, self._telling)
        for size in SIZES:
            frame, there = self._seen(now, shown, frame_from_reference, size)
            shift = self._best_shift(masked_correlation(self._reference, edges, frame, there))
            known, elsewhere = self._agreeing(frame, there, shift)
            if known >= LEAST_TELLING and elsewhere >= MOST * known and elsewhere - along >= MORE * seen:
                return True
        return False

    def goes_along(self, now: Uint8, frame_from_reference: Float64, hidden: Bool | None = None) -> bool:
        """Whether the edges, as far as they are seen, are where the plane was found; parameters as for `stayed_behind`."""
        if not self._profiles.lie_there(now, frame_from_reference, hidden):
            return False
        shown = shown_of(now.shape, hidden)
        seen, along = self._agreeing(*self._seen(now, shown, frame_from_reference, 1.0), (0, 0))
        return seen >= LEAST_TELLING and along >= NEARLY_ALL * seen

    def plane(self, now: Uint8, expected: Float64, hidden: Bool | None = None) -> tuple[Float64, Float64, float] | None:
        """The plane that the edges alone say, see `EdgeProfiles.plane`."""
        return self._profiles.plane(now, expected, hidden)

    def _seen(self, now: Uint8, shown: Uint8, frame_from_reference: Float64, size: float) -> tuple[Float32, Bool]:
        """A frame as it would look at the reference, small, if the surface were so much larger; and which of it is seen."""
        middle = np.array(self._size) / 2
        larger = np.array([[size, 0, (1 - size) * middle[0]], [0, size, (1 - size) * middle[1]], [0, 0, 1]])
        small_from_frame = np.linalg.inv(larger) @ self._small_from_reference @ np.linalg.inv(frame_from_reference)
        there = warped_small(shown, small_from_frame, self._size, border=0) > 254
        return warped_small(now, small_from_frame, self._size).astype(np.float32), there

    def _best_shift(self, fits: Float64) -> tuple[int, int]:
        reach, middle = (np.array(self._size[::-1]) * AROUND).astype(int), np.array(fits.shape) // 2
        part = fits[middle[0] - reach[0] : middle[0] + reach[0] + 1, middle[1] - reach[1] : middle[1] + reach[1] + 1]
        row, col = np.unravel_index(int(part.argmax()), part.shape)
        return int(col) - int(reach[1]), int(row) - int(reach[0])

    def _agreeing(self, frame: Float32, there: Bool, shift: tuple[int, int]) -> tuple[int, int]:
        """How many parts of the edge are seen, and how many look as they should, with the frame shifted by (x, y) small px."""
        moved = np.array([[1, 0, -shift[0]], [0, 1, -shift[1]]], np.float32)
        at = cv2.warpAffine(frame, moved, self._size, flags=cv2.INTER_NEAREST)
        known = cv2.warpAffine(there.astype(np.uint8), moved, self._size, flags=cv2.INTER_NEAREST) > 0
        seen = agree = 0
        for i in self._telling:
            mask = (self._part == i) & known
            if mask.sum() < 0.7 * (self._part == i).sum():
                continue
            seen += 1
            a, b = self._reference[mask], at[mask]
            a, b = a - a.mean(), b - b.mean()
            agree += bool(a @ b > AGREES * np.sqrt((a @ a) * (b @ b)) and b.std() > 0)
        return seen, agree
