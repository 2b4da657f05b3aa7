"""Patterns that repeat: a plane that looks like itself when it is shifted fits a frame at several places.

How well the reference fits itself is measured once. Where it does, every place that is found in a frame is held against the
places beside it, over the region and what surrounds it: what is not periodic, the pattern's end among it, tells them apart.

References
----------
Padfield, Masked object registration in the Fourier domain, IEEE Trans. Image Processing 21(5), 2012: Eqs. 13-18.
"""

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import fft

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.types import Bool, Float32, Float64, Uint8

Spectrum = NDArray[np.complex64]
Shift = NDArray[np.int64]
# The region is looked at with at most so many px to a side.
SIDE_PX = 160
# What surrounds the region is looked at as well, by this share of its size.
AROUND = 0.25
# A pattern repeats where it fits itself as well as this, apart from where it has not yet become another (px of the small picture).
FITS_ITSELF, LEAST_SHIFT_PX = 0.55, 4
# Share of the region that two places have to have in common to be compared.
LEAST_OVERLAP = 0.3
# A place is told from another one when what the other leaves unexplained is more by this factor, and by this much.
TELLS_TIMES, TELLS = 1.5, 0.002
# So much is asked where the plane did not come there by even movement.
JUMPED_TIMES, JUMPED = 3.0, 0.01
# The region alone tells places apart where it fits as well as this, and another one worse by so much besides.
REGION_FITS, REGION_TELLS = 0.15, 0.05
# Before it is looked at closely, another place may fit worse by this factor and this much; so many of them get a look.
MAY_TIMES, MAY, MOST_RIVALS = 4.0, 0.05, 3
# Below this correlation nothing is a place at all.
ALIKE_AT_ALL = 0.2
# Pixels around what is looked at, for what softening reaches.
EDGE_PX = 12
# Slow changes of brightness say nothing of places: they are taken out, at this share of the small picture's size.
SLOW = 0.12


class Unexplained(NamedTuple):
    """What a place leaves unexplained, 0 to 2: of the region, and of the region with what surrounds it."""

    region: float
    around: float


class Repetition:
    """How a plane repeats, as its reference frame shows it.

    Parameters
    ----------
    picture : (H, W) uint8, the reference frame
    region : (H, W) bool, pixels that move with the plane
    """

    def __init__(self, picture: Uint8, region: Bool) -> None:
        ys, xs = np.flatnonzero(region.any(axis=1)), np.flatnonzero(region.any(axis=0))
        low = np.array([xs[0], ys[0]], np.float64)
        size = np.array([xs[-1] + 1, ys[-1] + 1]) - low
        self.scale = float(min(1.0, SIDE_PX / size.max()))
        rim = AROUND * size
        # Small picture from reference: shifted so that a rim lies around the region, then scaled.
        self._small_from_reference = np.array(
            [[self.scale, 0, self.scale * (rim[0] - low[0])], [0, self.scale, self.scale * (rim[1] - low[1])], [0, 0, 1]]
        )
        width, height = (int(np.ceil(v)) for v in self.scale * (size + 2 * rim))
        self._size = (width, height)
        self._inside = warped_small(region.astype(np.uint8) * 255, self._small_from_reference, self._size) > 127
        seen = warped_small(np.full(picture.shape, 255, np.uint8), self._small_from_reference, self._size) > 254
        self._reference, self._mask = self._even(warped_small(picture, self._small_from_reference, self._size)), seen
        around = cv2.dilate(self._inside.astype(np.uint8), np.ones((2 * int(self.scale * rim.min()) + 1,) * 2, np.uint8)) > 0
        self._around = around & seen
        self.period = self._shortest_period()

    @cached_property
    def _around_spectra(self) -> "Spectra":
        return Spectra.of(self._reference, self._around)

    @property
    def repeats(self) -> bool:
        """Whether the region fits itself at another place."""
        return self.period is not None

    def _even(self, small: Uint8) -> Float32:
        values = small.astype(np.float32)
        return values - cv2.GaussianBlur(values, (0, 0), max(3.0, SLOW * max(self._size)))

    def _shortest_period(self) -> float | None:
        fits = masked_correlation(self._reference, self._inside, self._reference, self._inside)
        peaks = _peaks(fits, FITS_ITSELF)
        # The middle of it is the place itself; another one begins where it has been worse in between.
        far = [float(np.hypot(*p)) for p in peaks[np.hypot(*peaks.T) >= LEAST_SHIFT_PX] if _dips(fits, p)]
        return min(far) / self.scale if far else None

    def rivals(self, now: Uint8, frame_from_reference: Float64, hidden: Bool | None = None) -> list[Float64]:
        """Other places of a frame where the plane may be as well, the likeliest first.

        Parameters
        ----------
        now : (H, W) uint8, the frame
        frame_from_reference : (3, 3) where the plane was found, plate px
        hidden : (H, W) bool of what something nearer covers, or None

        Returns
        -------
        (2,) shifts on the reference, plate px, to places that nobody can rule out without a closer look
        """
        if self.period is None:
            return []
        frame, there = self._seen(now, frame_from_reference, hidden)
        fits = correlate(self._around_spectra, Spectra.of(frame, there))
        left = 1 - self._agreement(frame, there, self._around)
        near, middle = max(LEAST_SHIFT_PX // 2, 0.3 * self.period * self.scale), np.array(fits.shape) // 2
        others = _peaks(fits, max(1 - MAY_TIMES * left - MAY, ALIKE_AT_ALL))
        others = others[np.hypot(*others.T) > near]
        likeliest = np.argsort(-fits[middle[0] + others[:, 1], middle[1] + others[:, 0]], kind="stable")[:MOST_RIVALS]
        return [_between(fits, p) / self.scale for p in others[likeliest]]

    def unexplained(self, now: Uint8, frame_from_reference: Float64, hidden: Bool | None = None) -> Unexplained:
        """What a place leaves unexplained; parameters as for `rivals`."""
        frame, there = self._seen(now, frame_from_reference, hidden)
        return Unexplained(*(1 - self._agreement(frame, there, where) for where in (self._inside, self._around)))

    def _seen(self, now: Uint8, frame_from_reference: Float64, hidden: Bool | None) -> tuple[Float32, Bool]:
        """A frame as it would look at the reference, small, and which of it is seen."""
        small_from_frame = self._small_from_reference @ np.linalg.inv(frame_from_reference)
        there = warped_small(shown_of(now.shape, hidden), small_from_frame, self._size, border=0) > 254
        return self._even(warped_small(now, small_from_frame, self._size)), there

    def _agreement(self, frame: Float32, there: Bool, where: Bool) -> float:
        """Correlation with the reference over some of it, as far as it is seen."""
        both = where & there
        if both.sum() < max(20.0, LEAST_OVERLAP * where.sum()):
            return 0.0
        a, b = self._reference[both], frame[both]
        a, b = a - a.mean(), b - b.mean()
        return float((a @ b) / max(float(np.sqrt((a @ a) * (b @ b))), 1e-9))


def told_apart(left: Unexplained, other: Unexplained, jumped: bool) -> bool:
    """Whether a place that leaves so much unexplained is told from another one that leaves more.

    The region alone may tell, where it goes to the pattern's end: what surrounds it may move by itself.
    """
    times, more = (JUMPED_TIMES, JUMPED) if jumped else (TELLS_TIMES, TELLS)
    by_region = left.region < REGION_FITS and other.region > times * left.region + more + REGION_TELLS
    return by_region or other.around > times * left.around + more


def masked_correlation(fixed: Float32, fixed_mask: Bool, moving: Float32, moving_mask: Bool) -> Float64:
    """Correlation of two pictures where both masks have pixels, for every whole shift of the second against the first.

    Parameters
    ----------
    fixed, moving : (H, W) float32 of one size
    fixed_mask, moving_mask : (H, W) bool

    Returns
    -------
    (2 H - 1, 2 W - 1) float64, -1..1; the middle is no shift, and at (row, col) from it the second picture's content lies col px
    to the right and row px below where the first has it. 0 where too little is in common.
    """
    return correlate(Spectra.of(fixed, fixed_mask), Spectra.of(moving, moving_mask))


@dataclass(frozen=True)
class Spectra:
    """Spectra of a picture under a mask: of its mask, its values and their squares; what is compared with many is worked out once."""

    shape: tuple[int, int]
    padded: tuple[int, int]
    pixels: float
    mask: Spectrum
    values: Spectrum
    squares: Spectrum

    @classmethod
    def of(cls, picture: Float32, mask: Bool) -> "Spectra":
        """From a picture (H, W) float32 and its mask (H, W) bool."""
        height, width = picture.shape
        padded = (fft.next_fast_len(2 * height - 1, real=True), fft.next_fast_len(2 * width - 1, real=True))
        values = np.where(mask, picture, 0).astype(np.float32)
        parts = (fft.rfft2(a, padded) for a in (mask.astype(np.float32), values, values**2))
        return cls((height, width), padded, float(mask.sum()), *parts)


def correlate(fixed: Spectra, moving: Spectra) -> Float64:
    """See `masked_correlation`."""
    height, width = fixed.shape

    def product(a: Spectrum, b: Spectrum) -> Float64:
        full = fft.irfft2(np.conj(a) * b, fixed.padded)
        rows, cols = fixed.padded
        # From the largest shift backwards to the largest forwards; what lies beyond is padding.
        down = np.concatenate([full[rows - height + 1 :], full[:height]])
        return np.concatenate([down[:, cols - width + 1 :], down[:, :width]], axis=1).astype(np.float64)

    count = np.maximum(product(fixed.mask, moving.mask), 1e-3)
    f_sum, m_sum = product(fixed.values, moving.mask), product(fixed.mask, moving.values)
    top = product(fixed.values, moving.values) - f_sum * m_sum / count
    f_var = product(fixed.squares, moving.mask) - f_sum**2 / count
    m_var = product(fixed.mask, moving.squares) - m_sum**2 / count
    bottom = np.sqrt(np.maximum(f_var, 0) * np.maximum(m_var, 0))
    usable = (count > LEAST_OVERLAP * fixed.pixels) & (bottom > 1e-5 * max(float(bottom.max()), 1e-9))
    return np.where(usable, np.clip(top / np.maximum(bottom, 1e-12), -1, 1), 0.0)


def shown_of(shape: tuple[int, ...], hidden: Bool | None) -> Uint8:
    """What of a picture of some shape may be looked at, 255 or 0: all but what something nearer covers."""
    return np.full(shape, 255, np.uint8) if hidden is None else np.where(hidden, 0, 255).astype(np.uint8)


def warped_small(picture: Uint8, small_from_picture: Float64, size: tuple[int, int], border: int | None = None) -> Uint8:
    """A picture as the small one shows it, softened where it is made much smaller; with a border, a mask, which stays hard."""
    picture_from_small = np.asarray(np.linalg.inv(small_from_picture), np.float64)
    corners = np.array([[0, 0], [size[0], 0], size, [0, size[1]]], np.float64)
    weights = picture_from_small[2, :2] @ corners.T + picture_from_small[2, 2]
    height, width = picture.shape
    origin, part = np.zeros(2), picture
    if (weights > 0).all() or (weights < 0).all():
        # Only what is looked at is worked on.
        there = apply_homography(picture_from_small, corners)
        x0, y0 = np.clip(np.floor(there.min(axis=0)) - EDGE_PX, 0, [width - 1, height - 1]).astype(int)
        x1, y1 = np.clip(np.ceil(there.max(axis=0)) + EDGE_PX, [x0 + 1, y0 + 1], [width, height]).astype(int)
        origin, part = np.array([x0, y0], np.float64), picture[y0:y1, x0:x1]
    if border is None:
        middle = np.array([[size[0] / 2, size[1] / 2], [size[0] / 2 + 1, size[1] / 2]])
        step = float(np.linalg.norm(np.diff(apply_homography(picture_from_small, middle), axis=0)))
        part = cv2.GaussianBlur(part, (0, 0), 0.4 * step) if step > 1.5 else np.ascontiguousarray(part)
    # OpenCV has pixel centres at whole numbers.
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    shift = np.array([[1, 0, origin[0]], [0, 1, origin[1]], [0, 0, 1.0]])
    mode = cv2.BORDER_REPLICATE if border is None else cv2.BORDER_CONSTANT
    matrix = np.linalg.inv(half) @ small_from_picture @ shift @ half
    return np.asarray(cv2.warpPerspective(np.ascontiguousarray(part), matrix, size, borderMode=mode), np.uint8)


def _between(fits: Float64, shift: Shift) -> Float64:
    """Where a correlation is highest beside a whole shift (x, y), by a parabola each way."""
    middle = np.array(fits.shape) // 2
    row, col = middle[0] + shift[1], middle[1] + shift[0]
    at = np.asarray(shift, np.float64).copy()
    for axis, (dr, dc) in enumerate(((0, 1), (1, 0))):
        if not (0 < row < fits.shape[0] - 1 and 0 < col < fits.shape[1] - 1):
            continue
        before, here, after = fits[row - dr, col - dc], fits[row, col], fits[row + dr, col + dc]
        bend = before - 2 * here + after
        if bend < 0:
            at[axis] += float(np.clip(0.5 * (before - after) / bend, -0.5, 0.5))
    return at


def _peaks(fits: Float64, least: float) -> Shift:
    """Shifts (n, 2), x and y, at which a correlation is highest around, and higher than some value."""
    highest = cv2.dilate(fits, np.ones((5, 5), np.uint8))
    rows, cols = np.nonzero((fits >= highest) & (fits > least))
    return np.stack([cols - fits.shape[1] // 2, rows - fits.shape[0] // 2], axis=1)


def _dips(fits: Float64, shift: Shift) -> bool:
    """Whether a correlation falls well below both ends on the way from no shift to some shift."""
    middle, steps = np.array(fits.shape) // 2, max(abs(shift[0]), abs(shift[1]))
    way = np.linspace(0, 1, steps + 1)[1:-1]
    rows = np.round(middle[0] + way * shift[1]).astype(int)
    cols = np.round(middle[1] + way * shift[0]).astype(int)
    return bool(len(way) and fits[rows, cols].min() < 0.5 * fits[middle[0] + shift[1], middle[1] + shift[0]])
