"""Single points: a pattern looked for in a search area, sub-pixel.

A pattern is compared by normalised correlation over the search area, then refined like a region (see `align`), with the
freedoms asked for. It is matched against its first frame, the frame before, or frames set by hand; between two of those it
is followed from both sides and joined by confidence.

References
----------
Lewis, Fast normalized cross-correlation, Vision Interface 1995 (search).
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Literal

import cv2
import numpy as np

from verdigris.core.camera.optics import STILL, Optics
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.motion import Motion
from verdigris.core.tracking.alignment.align import FROM_NEAR, align
from verdigris.core.tracking.alignment.conditions import Conditions
from verdigris.core.tracking.alignment.frame_pictures import KeptPictures
from verdigris.core.tracking.alignment.uncertainty import corner_sigmas
from verdigris.core.tracking.reference.appearance import build_appearance
from verdigris.core.tracking.sequence.plane import AnalysisPicture
from verdigris.core.types import Float64

Against = Literal["first", "previous", "by_hand"]
PointStatus = Literal["followed", "carried", "by_hand", "lost"]
LEAST_CORRELATION = 0.6
LEAST_PATTERN_PX = 15
SIGMA_FLOOR_PX = 0.02
# A place as far from where even movement leads as is looked has to agree by so much more than one that is there.
FAR_COSTS = 0.15
# Where a point was hidden before, it has to agree by so much more to be taken for found again; how far to look grows by this a frame.
FOUND_AGAIN, WIDER, WIDEST = 0.12, 0.15, 3.0
# Parts of a pattern, this many to a side, are looked for by so many px on their own; one that agrees as well as this somewhere
# else than the others moves otherwise.
PARTS, APART_PX, ALIKE_PX, APART_REACH_PX, PART_AGREES, CLEARLY, PART_CONTRAST = 2, 2.0, 1.0, 8, 0.8, 0.4, 0.02
TWO_MOTIONS = (
    "Part of the pattern moves otherwise: it reaches beyond the surface, or something passes. Make it smaller, or move it inwards."
)
# A pattern that turned, grew or sheared without being asked moves by this share of its half size, for all that does not agree.
UNASKED = 0.7


@dataclass(frozen=True)
class Pattern:
    """What is looked for and where.

    Attributes
    ----------
    half_size : (2,) half width and height of the pattern, plate px
    search : (2,) how far to look to either side, plate px
    motion : `translation` for position alone; freer models let the pattern turn, grow and shear
    against : which frame's picture it is matched with
    """

    half_size: tuple[float, float] = (12.0, 12.0)
    search: tuple[float, float] = (40.0, 40.0)
    motion: Motion = "translation"
    against: Against = "first"


@dataclass(frozen=True)
class PointResult:
    """A point at one frame: (2,) plate px, its radial standard deviation, correlation 0..1, and why it is lost."""

    frame: int
    status: PointStatus
    at: Float64 | None
    sigma_px: float | None
    correlation: float
    reason: str = ""


class PatternProblem(ValueError):
    """A pattern cannot be followed; the message says why, in the user's terms."""


def check_pattern(picture: AnalysisPicture, at: Float64, pattern: Pattern) -> None:
    """Raise PatternProblem for a pattern that is too small, featureless, or outside the picture."""
    height, width = picture.values.shape
    if not (
        pattern.half_size[0] <= at[0] <= width - pattern.half_size[0] and pattern.half_size[1] <= at[1] <= height - pattern.half_size[1]
    ):
        raise PatternProblem("The pattern reaches out of the picture. Move the point inwards or make the pattern smaller.")
    if 2 * min(pattern.half_size) < LEAST_PATTERN_PX:
        raise PatternProblem(f"The pattern is smaller than {LEAST_PATTERN_PX} px. Make it larger.")
    box = _cut(picture, at, pattern.half_size)
    gx, gy = np.gradient(box.astype(np.float64))
    tensor = np.array([[np.mean(gx * gx), np.mean(gx * gy)], [np.mean(gx * gy), np.mean(gy * gy)]])
    if float(np.linalg.eigvalsh(tensor)[0]) < 2e-5:
        raise PatternProblem("The pattern has no corner in it: along an edge, or on a plain area, its place cannot be told.")


def _cut(picture: AnalysisPicture, at: Float64, half: tuple[float, float]) -> Float64:
    x0, y0 = np.floor(at - half).astype(int)
    x1, y1 = np.ceil(at + half).astype(int)
    height, width = picture.values.shape
    return np.asarray(picture.values[max(0, y0) : min(height, y1), max(0, x0) : min(width, x1)])


def match_point(
    known: AnalysisPicture, known_at: Float64, now: AnalysisPicture, guess: Float64, pattern: Pattern, frame: int
) -> PointResult:
    """Find a pattern of one picture in another one.

    Parameters
    ----------
    known, known_at : the picture that shows the pattern, and where, plate px
    now, guess : the picture to look in, and around where
    """
    template = np.ascontiguousarray(_cut(known, known_at, pattern.half_size), np.float32)
    reach = (pattern.half_size[0] + pattern.search[0], pattern.half_size[1] + pattern.search[1])
    area = np.ascontiguousarray(_cut(now, guess, reach), np.float32)
    if area.shape[0] <= template.shape[0] or area.shape[1] <= template.shape[1] or min(template.shape) < 5:
        return PointResult(frame, "lost", None, None, 0.0, "The search area is out of the picture.")
    scores = cv2.matchTemplate(area, template, cv2.TM_CCOEFF_NORMED)
    corner = np.maximum(np.floor(guess - reach), 0)
    offset = corner - np.maximum(np.floor(known_at - pattern.half_size), 0)
    ys, xs = np.ogrid[: scores.shape[0], : scores.shape[1]]
    expected = guess - known_at - offset
    far = ((xs - expected[0]) / max(pattern.search[0], 1.0)) ** 2 + ((ys - expected[1]) / max(pattern.search[1], 1.0)) ** 2
    _, _, _, (bx, by) = cv2.minMaxLoc(np.asarray(scores - FAR_COSTS * np.minimum(far, 1.0), np.float32))
    best = float(scores[by, bx])
    if best < LEAST_CORRELATION:
        return PointResult(frame, "lost", None, None, float(best), f"The best place in the search area agrees by {100 * best:.0f} % only.")
    shift = offset + np.array([bx, by])
    height, width = known.values.shape
    region = np.zeros((height, width), bool)
    x0, y0 = np.maximum(np.floor(known_at - pattern.half_size), 0).astype(int)
    region[y0 : y0 + template.shape[0], x0 : x0 + template.shape[1]] = True
    optics = Optics(width, height)
    appearance = build_appearance(known.values, region, optics, most=2500, few=800)
    start = np.array([[1, 0, shift[0]], [0, 1, shift[1]], [0, 0, 1.0]])
    a = (
        None
        if appearance is None
        else align(appearance, optics, KeptPictures(now.values), start, Conditions(STILL, STILL), pattern.motion, FROM_NEAR)
    )
    if a is None:
        return PointResult(frame, "lost", None, None, float(best), "The pattern cannot be compared here.")
    at = apply_homography(a.h, known_at[None])[0]
    if float(np.abs(at - known_at - shift).max()) > 3.0 or a.good_share < 0.3:
        return PointResult(frame, "lost", None, None, float(best), "The pattern looks different here.")
    if _holds_two_motions(known, known_at, now, at, pattern.half_size):
        return PointResult(frame, "lost", None, None, float(best), TWO_MOTIONS)
    unlike = UNASKED * (1 - min(best, 1.0)) * max(pattern.half_size) if pattern.motion == "translation" else 0.0
    sigma = float(np.sqrt(corner_sigmas(a, at[None])[0] ** 2 + SIGMA_FLOOR_PX**2 + unlike**2))
    return PointResult(frame, "followed", at, sigma, float(best))


def _holds_two_motions(
    known: AnalysisPicture, known_at: Float64, now: AnalysisPicture, at: Float64, half: tuple[float, float]
) -> bool:  # fmt: skip
    """Whether some parts of a pattern are seen where it was found, and others clearly elsewhere, together."""
    shift = np.round(at - known_at).astype(int)
    x0, y0 = np.round(known_at - half).astype(int)
    w, h = (int(2 * v / PARTS) for v in half)
    height, width = known.values.shape
    r, moved, clear = APART_REACH_PX, [], False
    for i in range(PARTS):
        for j in range(PARTS):
            x, y = x0 + i * w, y0 + j * h
            u, v = x + shift[0] - r, y + shift[1] - r
            if min(x, y, u, v) < 0 or max(x + w, u + w + 2 * r) > width or max(y + h, v + h + 2 * r) > height or min(w, h) < 6:
                continue
            part = np.ascontiguousarray(known.values[y : y + h, x : x + w])
            if part.std() < PART_CONTRAST:
                continue
            scores = cv2.matchTemplate(np.ascontiguousarray(now.values[v : v + h + 2 * r, u : u + w + 2 * r]), part, cv2.TM_CCOEFF_NORMED)
            _, best, _, (bx, by) = cv2.minMaxLoc(scores)
            if best < PART_AGREES:
                continue
            # Along an edge or in a pattern that repeats, it fits as well where it should be.
            here = float(scores[r - 1 : r + 2, r - 1 : r + 2].max())
            stays = best < here + 0.1
            clear = clear or best > here + CLEARLY
            moved.append((0.0, 0.0) if stays else (bx - r, by - r))
    # What turns or grows moves its parts each in a way of its own; of two motions, some parts stay and others move alike.
    d = np.array(moved, np.float64).reshape(-1, 2)
    gone = d[np.linalg.norm(d, axis=1) >= APART_PX]
    stay = int((np.linalg.norm(d, axis=1) < ALIKE_PX).sum())
    # One part alone, as at a corner, has to be clearer.
    if stay < 2 or len(gone) < (1 if clear and stay == PARTS**2 - 1 else 2):
        return False
    return bool(np.linalg.norm(gone - np.median(gone, axis=0), axis=1).max() <= ALIKE_PX)


def follow_point(
    picture: Callable[[int], AnalysisPicture], frames: range, set_by_hand: Mapping[int, Float64], pattern: Pattern,
    adjusted: Mapping[int, Pattern] | None = None, stop: Callable[[], bool] = lambda: False,
    begin: Mapping[int, PointResult] | None = None,
) -> dict[int, PointResult]:  # fmt: skip
    """Follow a point over frames from every frame at which it was set by hand, and join the ways by confidence.

    Where it is hidden, it is looked for on, ever wider, and found again where it agrees surely.

    Parameters
    ----------
    picture : frame -> analysis picture
    set_by_hand : frame -> (2,) plate px; at least one
    adjusted : patterns that hold from a frame on, where pattern or search area were changed
    begin : frames at which its place is known without having been set by hand: it is followed from there as well

    Raises
    ------
    PatternProblem
        When a pattern set by hand cannot be followed.
    """
    if not set_by_hand:
        raise PatternProblem("Set the point at one frame at least.")
    keys = sorted(set_by_hand)
    for k in keys:
        check_pattern(picture(k), set_by_hand[k], pattern)
    done = {k: PointResult(k, "by_hand", set_by_hand[k], SIGMA_FLOOR_PX, 1.0) for k in keys}
    begins = {**{n: r for n, r in (begin or {}).items() if r.at is not None and n in frames}, **{k: done[k] for k in keys if k in frames}}
    ways: dict[int, list[PointResult]] = {}
    for k, from_here in sorted(begins.items()):
        # Matched with its first frame, it is that picture which is looked for, wherever the way begins.
        shown = keys[0] if pattern.against == "first" else min(keys, key=lambda x: abs(x - k))
        for step in (1, -1):
            last, known_at, known = from_here, set_by_hand[shown], picture(shown)
            if pattern.against == "previous":
                assert from_here.at is not None
                known_at, known = from_here.at, picture(k)
            speed = np.zeros(2)
            n, drift, hidden = k + step, 0.0, 0
            while n in frames and n not in begins and not stop():
                use = _pattern_at(n, pattern, adjusted)
                assert last.at is not None
                wider = min(WIDEST, 1 + WIDER * hidden)
                use = replace(use, search=(use.search[0] * wider, use.search[1] * wider))
                r = match_point(known, known_at, picture(n), last.at + speed * min(hidden + 1, 3), use, n)
                if hidden and r.at is not None and r.correlation < LEAST_CORRELATION + FOUND_AGAIN:
                    r = PointResult(n, "lost", None, None, r.correlation, "Hidden, and not surely found again here.")
                if r.at is None or r.sigma_px is None:
                    ways.setdefault(n, []).append(r)
                    # What holds two motions would be found again on the wrong one.
                    if r.reason == TWO_MOTIONS:
                        break
                    hidden, n = hidden + 1, n + step
                    continue
                if use.against == "previous":
                    drift = float(np.hypot(drift, r.sigma_px))
                    r = replace(r, sigma_px=drift)
                assert r.at is not None
                ways.setdefault(n, []).append(r)
                speed, last, hidden = (r.at - last.at if abs(n - last.frame) == 1 else np.zeros(2)), r, 0
                if use.against == "previous":
                    known, known_at = picture(n), r.at
                n += step
    for n, found in ways.items():
        done[n] = joined(n, found)
    for n in frames:
        done.setdefault(n, (begin or {}).get(n) or PointResult(n, "lost", None, None, 0.0, "Not reached: the pattern was lost before."))
    return {n: done[n] for n in sorted(done) if n in frames}


def _pattern_at(frame: int, pattern: Pattern, adjusted: Mapping[int, Pattern] | None) -> Pattern:
    before = [k for k in adjusted or {} if k <= frame]
    return (adjusted or {})[max(before)] if before else pattern


def joined(frame: int, found: list[PointResult]) -> PointResult:
    """Two ways to the same frame, weighed by their confidence; ways that contradict each other are lost."""
    good = [(r.at, r.sigma_px, r.correlation) for r in found if r.at is not None and r.sigma_px is not None]
    if not good:
        return found[0]
    weight = np.array([1 / s**2 for _, s, _ in good])
    at = np.sum([w * a for w, (a, _, _) in zip(weight, good, strict=True)], axis=0) / weight.sum()
    sigma = float(1 / np.sqrt(weight.sum()))
    apart = max(float(np.linalg.norm(a - at)) for a, _, _ in good)
    if apart > 6 * max(s for _, s, _ in good) + 1.0:
        return PointResult(frame, "lost", None, None, 0.0, f"Followed from two sides, the point is seen {2 * apart:.1f} px apart.")
    return PointResult(frame, "followed", at, float(np.hypot(sigma, 0.5 * apart)), max(c for _, _, c in good))
