"""Where the edges of a surface lie in a frame, by what is seen across them.

Averaged along a stretch of an edge, what is printed or runs inside it fades, and the edge itself stays: a thin dark bezel is a
line in every such profile, whatever moves beside it.

References
----------
Isard and Blake, Condensation: conditional density propagation for visual tracking, IJCV 29(1), 1998 (measuring along normals).
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.tracking.reference.repetition import shown_of
from verdigris.core.types import AnyArray, Bool, Float32, Float64, Uint8

Stretches = NDArray[np.int64]
# Stretches that each side is taken in, places looked at along each, and how much of a side's ends is left out.
STRETCHES, PLACES, ENDS = 6, 28, 0.06
# Samples a plate px across; half the width of what is compared, plate px; how far it is looked for, as a share of the shorter side.
FINE, HALF_WIDTH_PX, REACH, LEAST_REACH_PX = 2, 9.0, 0.3, 14.0
# A stretch tells where its profile has this contrast (code values, 0..255), and is seen somewhere when it correlates so well there.
CONTRAST, SEEN = 6.0, 0.8
# It is seen elsewhere when it correlates so much better than near where it was expected, px.
BETTER, NEAR_PX = 0.25, 1.5
# It is where it was expected when it correlates there nearly as well as anywhere.
AS_WELL = 0.03
# So many stretches have to be seen, this share of them where one common movement puts them, and this share clearly elsewhere.
LEAST_SEEN, TOGETHER, ELSEWHERE = 10, 0.75, 0.3
# How far from a common movement a stretch may be, px, and how far corners have to have moved.
ALIKE_PX, MOVED_PX = 1.5, 3.0
# A plane by its edges: within how many px they are looked for, round by round, and how far off a stretch still has a say; from so
# many stretches of each side at least; no stretch is better known than so many px,
# and its corners are less sure by so much than the stretches say, as a lens and rows bend edges.
ROUNDS = ((16.0, 4.0), (6.0, 2.0), (3.0, 1.0), (3.0, 0.7))
LEAST_OF_A_SIDE, LEAST_LEFT_PX, EDGES_DOUBT = 3, 0.08, 2.5
# How far a plane may change its shape against what was expected, beyond moving, turning and growing: px.
MOST_BENT_PX = 2.5


class EdgeProfiles:
    """What is seen across the edges of a surface at its reference frame.

    Parameters
    ----------
    picture : (H, W) uint8, the reference frame
    corners : (4, 2) float64, plate px
    """

    def __init__(self, picture: Uint8, corners: Float64) -> None:
        self._corners = corners
        sides = np.roll(corners, -1, axis=0) - corners
        lengths = np.linalg.norm(sides, axis=1)
        self._reach = max(LEAST_REACH_PX, REACH * float(lengths.min()))
        share = ENDS + (1 - 2 * ENDS) * (np.arange(STRETCHES * PLACES) + 0.5) / (STRETCHES * PLACES)
        along = corners[:, None] + sides[:, None] * share[None, :, None]
        outward = np.stack([sides[:, 1], -sides[:, 0]], axis=1) / np.maximum(lengths, 1e-9)[:, None]
        self._middle = along.reshape(4 * STRETCHES, PLACES, 2)
        self._normal = np.repeat(outward, STRETCHES, axis=0)
        profiles, known = self._across(picture, shown_of(picture.shape, None), np.eye(3), HALF_WIDTH_PX)
        self._profiles = profiles
        self._telling = known.all(axis=1) & (profiles.std(axis=1) > CONTRAST)

    def _across(self, picture: Uint8, shown: Uint8, frame_from_reference: Float64, reach: float) -> tuple[Float32, Bool]:
        """Profiles (stretches, 2 n + 1) from inside to outside, code values, and where they are known."""
        n = int(np.ceil(reach * FINE))
        offset = np.arange(-n, n + 1) / FINE
        points = self._middle[:, :, None] + self._normal[:, None, None] * offset[:, None]
        at = (apply_homography(frame_from_reference, points.reshape(-1, 2)) - 0.5).astype(np.float32)
        x, y = (np.ascontiguousarray(at[:, i]).reshape(-1, len(offset)) for i in range(2))
        values = cv2.remap(picture, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE).reshape(*points.shape[:3]).astype(np.float32)
        there = cv2.remap(shown, x, y, cv2.INTER_NEAREST, borderMode=cv2.BORDER_CONSTANT).reshape(points.shape[:3]) > 0
        count = there.sum(axis=1)
        mean = np.where(there, values, 0).sum(axis=1) / np.maximum(count, 1)
        return np.asarray(mean, np.float32), np.asarray(count >= 0.6 * PLACES)

    def stayed_behind(self, now: Uint8, frame_from_reference: Float64, hidden: Bool | None = None) -> bool:
        """Whether the edges are seen elsewhere together than where the plane was found.

        Parameters
        ----------
        now : (H, W) uint8, the frame
        frame_from_reference : (3, 3) where the plane was found, plate px
        hidden : (H, W) bool of what something nearer covers, or None
        """
        seen, away, elsewhere = self._places(now, frame_from_reference, hidden)
        if len(seen) < LEAST_SEEN or elsewhere < ELSEWHERE * len(seen):
            return False
        return self._moved_together(seen, away)

    def lie_there(self, now: Uint8, frame_from_reference: Float64, hidden: Bool | None = None) -> bool:
        """Whether nothing contradicts that the edges lie where the plane was found; parameters as for `stayed_behind`."""
        seen, away, _ = self._places(now, frame_from_reference, hidden)
        return len(seen) < LEAST_SEEN or float(np.mean(np.abs(away) <= NEAR_PX)) >= TOGETHER

    def plane(self, now: Uint8, expected: Float64, hidden: Bool | None = None) -> tuple[Float64, Float64, float] | None:
        """The plane that the edges alone say, looked for around where it is expected; parameters as for `stayed_behind`.

        Returns
        -------
        (3, 3) frame from reference, radial standard deviations of the corners (4,) px, and what is left over, px; None where
        too little of the edges is seen, or they do not agree
        """
        h = expected
        for within, alike in ROUNDS:
            seen, away, _ = self._places(now, h, hidden, within)
            if len(seen) < LEAST_SEEN:
                return None
            rows, weight = self._bent_rows(self._middle[seen].mean(axis=1), self._normal[seen]), np.ones(len(seen))
            for _ in range(12):
                found = np.linalg.lstsq(rows * weight[:, None], away * weight, rcond=None)[0]
                weight = 1 / (1 + ((rows @ found - away) / alike) ** 2)
            left = rows @ found - away
            moved = np.asarray(self._corners + self._moves(self._corners, found), np.float64)
            h = np.asarray(h @ cv2.getPerspectiveTransform(self._corners.astype(np.float32), moved.astype(np.float32)), np.float64)
        agree = np.abs(left) < ALIKE_PX
        if min(np.bincount(seen[agree] // STRETCHES, minlength=4)) < LEAST_OF_A_SIDE:
            return None
        if agree.mean() < TOGETHER or np.abs(moved - self._corners).max() > ALIKE_PX:
            return None
        if _unlike(apply_homography(expected, self._corners), apply_homography(h, self._corners)) > MOST_BENT_PX:
            return None
        rms = float(np.sqrt(np.mean(left[agree] ** 2)))
        covariance = max(rms, LEAST_LEFT_PX) ** 2 * np.linalg.pinv(rows[agree].T @ rows[agree])
        basis = self._basis(self._corners)
        sigma = np.sqrt([np.trace(b @ covariance @ b.T) for b in basis])
        return h, np.asarray(EDGES_DOUBT * np.hypot(sigma, LEAST_LEFT_PX)), rms

    def _basis(self, points: Float64) -> Float64:
        """How points (n, 2) move with the eight freedoms of a plane, (n, 2, 8), px."""
        x, y = ((points - self._corners.mean(axis=0)) / np.ptp(self._corners, axis=0)).T
        one, none = np.ones(len(x)), np.zeros(len(x))
        along = np.stack([one, x, y, none, none, none, x * x, x * y], axis=1)
        down = np.stack([none, none, none, one, x, y, x * y, y * y], axis=1)
        return np.stack([along, down], axis=1)

    def _bent_rows(self, middle: Float64, normal: Float64) -> Float64:
        return np.asarray(np.einsum("nij,ni->nj", self._basis(middle), normal))

    def _moves(self, points: Float64, found: AnyArray) -> Float64:
        return np.asarray(self._basis(points) @ found)

    def _places(
        self, now: Uint8, frame_from_reference: Float64, hidden: Bool | None, within: float | None = None
    ) -> tuple[Stretches, Float64, int]:
        """Stretches that are seen, how far each lies outwards of where it was expected, px, and how many are clearly elsewhere.

        `within` so many px, if given, they are looked for, and measured between samples.
        """
        none = np.zeros(0, np.int64), np.zeros(0), 0
        if int(self._telling.sum()) < LEAST_SEEN:
            return none
        shown = shown_of(now.shape, hidden)
        profiles, known = self._across(now, shown, frame_from_reference, self._reach)
        half = self._profiles.shape[1] // 2
        away, seen, elsewhere = [], [], 0
        for i in np.nonzero(self._telling)[0]:
            fits = cv2.matchTemplate(profiles[i : i + 1], self._profiles[i : i + 1], cv2.TM_CCOEFF_NORMED)[0]
            usable = np.convolve(known[i], np.ones(2 * half + 1), "valid") > 2 * half
            fits = np.where(usable, fits, -1)
            middle, near = len(fits) // 2, int(NEAR_PX * FINE)
            if within is not None:
                fits[np.abs(np.arange(len(fits)) - middle) > within * FINE] = -1
            best = int(fits.argmax())
            if fits[best] < SEEN:
                continue
            elsewhere += bool(fits[best] > fits[middle - near : middle + near + 1].max() + BETTER)
            seen.append(i)
            if within is not None:
                away.append((best - middle + _between(fits, best)) / FINE)
                continue
            # What fits as well where it was expected is there.
            away.append(0.0 if fits[middle] > fits[best] - AS_WELL else (best - middle) / FINE)
        return np.array(seen, np.int64), np.array(away, np.float64), elsewhere

    def _moved_together(self, seen: Stretches, away: Float64) -> bool:
        """Whether one movement, with a change of size, puts the stretches where they are seen."""
        normal, middle = self._normal[seen], self._middle[seen].mean(axis=1) - self._corners.mean(axis=0)
        size = max(float(np.abs(middle).max()), 1.0)
        rows = np.concatenate([normal, (np.sum(normal * middle, axis=1) / size)[:, None]], axis=1)
        weight = np.ones(len(seen))
        for _ in range(12):
            found = np.linalg.lstsq(rows * weight[:, None], away * weight, rcond=None)[0]
            weight = 1 / np.sqrt(1 + ((rows @ found - away) / ALIKE_PX) ** 2)
        together = np.abs(rows @ found - away) < ALIKE_PX
        corners = found[:2] + found[2] * (self._corners - self._corners.mean(axis=0)) / size
        return bool(together.mean() >= TOGETHER and np.linalg.norm(corners, axis=1).max() > MOVED_PX)


def _unlike(expected: Float64, found: Float64) -> float:
    """How far corners (4, 2) are from any place where a movement with a turn and a growth would put those expected, px."""
    a, b = ((q - q.mean(axis=0)) @ np.array([1, 1j]) for q in (expected, found))
    return float(np.abs(b - (np.vdot(a, b) / np.vdot(a, a)) * a).max())


def _between(fits: Float32, best: int) -> float:
    """Where a correlation is highest beside its highest sample, by a parabola, samples."""
    if not 0 < best < len(fits) - 1:
        return 0.0
    before, here, after = (float(v) for v in fits[best - 1 : best + 2])
    bend = before - 2 * here + after
    return float(np.clip(0.5 * (before - after) / bend, -0.5, 0.5)) if bend < 0 else 0.0
