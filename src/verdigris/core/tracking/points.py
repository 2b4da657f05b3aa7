"""Single points: a pattern looked for in a search area, sub-pixel; and the plane's motion from several of them.

A pattern is compared by normalised correlation over the search area, then refined like a region (see `align`), with the
freedoms asked for. It is matched against its first frame, the frame before, or frames set by hand; between two of those it
is followed from both sides and joined by confidence.

References
----------
Lewis, Fast normalized cross-correlation, Vision Interface 1995 (search). Umeyama, PAMI 13(4), 1991 (two points).
"""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Literal

import cv2
import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.tracking.align import FROM_NEAR, align
from verdigris.core.tracking.appearance import build_appearance
from verdigris.core.tracking.doubt import corner_sigmas
from verdigris.core.tracking.fit import Conditions
from verdigris.core.tracking.follow import AnalysisPicture
from verdigris.core.tracking.motion import FREEDOMS, MOTIONS, Motion, estimate_motion, fit_motion, holds, point_jacobian
from verdigris.core.tracking.optics import STILL, Optics
from verdigris.core.types import Float64

Against = Literal["first", "previous", "by_hand"]
PointStatus = Literal["followed", "carried", "by_hand", "lost"]
LEAST_CORRELATION = 0.6
LEAST_PATTERN_PX = 15
SIGMA_FLOOR_PX = 0.02
# Doubt of a carried point grows by this share of its movement: the fewer carry it, the less they know of how it turns and grows.
CARRIED_GROWTH: dict[Motion, float] = {"translation": 0.3, "rigid": 0.15, "similarity": 0.1, "affine": 0.05, "perspective": 0.02}
CARRIED = "Hidden; carried by the plane of the other points."
# A place as far from where even movement leads as is looked has to agree by so much more than one that is there.
FAR_COSTS = 0.15
# Points that are just enough to drive a plane are less sure than they say by so much.
JUST_ENOUGH = 2.0
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
    a = None if appearance is None else align(appearance, optics, now.values, start, Conditions(STILL, STILL), pattern.motion, FROM_NEAR)
    if a is None:
        return PointResult(frame, "lost", None, None, float(best), "The pattern cannot be compared here.")
    at = apply_homography(a.h, known_at[None])[0]
    if float(np.abs(at - known_at - shift).max()) > 3.0 or a.good_share < 0.3:
        return PointResult(frame, "lost", None, None, float(best), "The pattern looks different here.")
    unlike = UNASKED * (1 - min(best, 1.0)) * max(pattern.half_size) if pattern.motion == "translation" else 0.0
    sigma = float(np.sqrt(corner_sigmas(a, at[None])[0] ** 2 + SIGMA_FLOOR_PX**2 + unlike**2))
    return PointResult(frame, "followed", at, sigma, float(best))


def follow_point(
    picture: Callable[[int], AnalysisPicture], frames: range, set_by_hand: Mapping[int, Float64], pattern: Pattern,
    adjusted: Mapping[int, Pattern] | None = None, stop: Callable[[], bool] = lambda: False,
) -> dict[int, PointResult]:  # fmt: skip
    """Follow a point over frames from every frame at which it was set by hand, and join the ways by confidence.

    Parameters
    ----------
    picture : frame -> analysis picture
    set_by_hand : frame -> (2,) plate px; at least one
    adjusted : patterns that hold from a frame on, where pattern or search area were changed

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
    ways: dict[int, list[PointResult]] = {}
    for k in keys:
        for step in (1, -1):
            last, known_at, known = done[k], set_by_hand[k], picture(k)
            speed = np.zeros(2)
            n, drift = k + step, 0.0
            while n in frames and n not in done and not stop():
                use = _pattern_at(n, pattern, adjusted)
                assert last.at is not None
                r = match_point(known, known_at, picture(n), last.at + speed, use, n)
                if r.at is None or r.sigma_px is None:
                    ways.setdefault(n, []).append(r)
                    break
                if use.against == "previous":
                    drift = float(np.hypot(drift, r.sigma_px))
                    r = replace(r, sigma_px=drift)
                assert r.at is not None
                ways.setdefault(n, []).append(r)
                speed, last = r.at - last.at if abs(n - last.frame) == 1 else np.zeros(2), r
                if use.against == "previous":
                    known, known_at = picture(n), r.at
                n += step
    for n, found in ways.items():
        done[n] = _joined(n, found)
    for n in frames:
        done.setdefault(n, PointResult(n, "lost", None, None, 0.0, "Not reached: the pattern was lost before."))
    return dict(sorted(done.items()))


def _pattern_at(frame: int, pattern: Pattern, adjusted: Mapping[int, Pattern] | None) -> Pattern:
    before = [k for k in adjusted or {} if k <= frame]
    return (adjusted or {})[max(before)] if before else pattern


def _joined(frame: int, found: list[PointResult]) -> PointResult:
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


def motion_of(count: int) -> Motion:
    """What a number of points can drive: one the position, two turn and size as well, three shear, four perspective."""
    return ("translation", "translation", "similarity", "affine", "perspective")[min(count, 4)]  # type: ignore[return-value]


def _driven(src: Float64, dst: Float64, motion: Motion | None) -> Motion:
    """The freest model, up to a wanted one, that points drive: those that lie in a line drive less than their number would."""
    wanted = motion_of(len(src)) if motion is None or len(src) < 4 else motion
    freer = MOTIONS[MOTIONS.index(wanted) :: -1]
    return next((m for m in freer if holds(src, m) and holds(dst, m)), "translation")


def plane_from_points(
    reference: Mapping[str, Float64], now: Mapping[str, PointResult], motion: Motion | None = None
) -> tuple[Float64, dict[str, float]] | None:
    """The plane's motion from the points that are seen, and the error of each, px; None when none is seen.

    Parameters
    ----------
    reference : point -> (2,) at the reference frame, plate px
    now : point -> its result at the frame
    motion : freest model to use; by default what the number of points can drive
    """
    names = [k for k, r in now.items() if k in reference and r.at is not None]
    if not names:
        return None
    src, dst = np.array([reference[k] for k in names]), np.array([now[k].at for k in names])
    model = _driven(src, dst, motion)
    h, _ = estimate_motion(src, dst, model) if len(names) >= 9 else (None, None)
    h = fit_motion(src, dst, model) if h is None else h
    if h is None:
        return None
    errors = np.linalg.norm(apply_homography(h, src) - dst, axis=1)
    return h, dict(zip(names, map(float, errors), strict=True))


def corner_sigmas_of_points(
    reference: Mapping[str, Float64], now: Mapping[str, PointResult], plane: tuple[Float64, Mapping[str, float]], corners: Float64,
    motion: Motion | None = None,
) -> Float64:  # fmt: skip
    """Radial standard deviation of corners (4, 2), plate px at the reference frame, under a plane that points drive, (4,) px.

    Parameters
    ----------
    reference, now, motion : as for `plane_from_points`, and `plane` what it answered

    Notes
    -----
    The points' own doubt through the model that they drive, and as much more as they disagree; where they are just enough,
    nothing shows whether they do.
    """
    h, errors = plane
    src, at = (np.array([p[k] for k in errors]) for p in (reference, {k: now[k].at for k in errors}))
    sigma = np.array([max(now[k].sigma_px or 0.0, SIGMA_FLOOR_PX) for k in errors])
    freedoms = FREEDOMS[_driven(src, at, motion)]
    middle = at.mean(axis=0)
    scale = max(float(np.sqrt(np.mean(np.sum((at - middle) ** 2, axis=1)))), 1.0)
    # Half of a radial variance lies along each axis.
    rows = scale * point_jacobian((at - middle) / scale, freedoms) * (np.sqrt(2) / sigma)[:, None, None]
    spare = 2 * len(at) - freedoms
    disagree = 2 * float(np.sum((np.array([*errors.values()]) / sigma) ** 2))
    times = max(1.0, disagree / spare) * (1 + 2 / spare) if spare > 0 else JUST_ENOUGH**2
    there = scale * point_jacobian((apply_homography(h, corners) - middle) / scale, freedoms)
    covariance = times * np.linalg.pinv(np.einsum("nik,nil->kl", rows, rows))
    return np.asarray(np.sqrt(np.einsum("nik,kl,nil->n", there, covariance, there)))


def borrow(tracks: Mapping[str, Mapping[int, PointResult]], point: str, frames: range) -> dict[int, PointResult]:
    """A point's track in which hidden frames are carried by the plane of the others, with doubt that grows while it is hidden.

    The plane does not put the point where it would be, it moves it from where it was seen, before and after; ways from both
    sides are joined by confidence.
    """
    own, others = tracks[point], {k: t for k, t in tracks.items() if k != point}
    seen = {n: r for n, r in own.items() if n in frames and r.at is not None}
    answer: dict[int, PointResult] = {}
    before: PointResult | None = None
    after = dict.fromkeys(frames) | {n: r for r, n in _next_seen(seen, frames)}
    for n in frames:
        if n in seen:
            answer[n] = before = seen[n]
            continue
        ways = [c for r in (before, after[n]) if r is not None and (c := _carried(r, n, others)) is not None]
        lost = own.get(n) or PointResult(n, "lost", None, None, 0.0, "Not followed.")
        if not ways:
            answer[n] = lost
            continue
        joined = _joined(n, ways)
        answer[n] = joined if joined.at is None else replace(joined, status="carried", correlation=0.0, reason=CARRIED)
    return answer


def _next_seen(seen: Mapping[int, PointResult], frames: range) -> Iterator[tuple[PointResult, int]]:
    """The next result at which a point is seen, for every frame that has one."""
    following: PointResult | None = None
    for n in reversed(frames):
        following = seen.get(n, following)
        if following is not None:
            yield following, n


def _carried(last: PointResult, n: int, others: Mapping[str, Mapping[int, PointResult]]) -> PointResult | None:
    """A point moved from where it was seen as those move that are seen at both frames; None when there are none."""
    there = {k: at for k, t in others.items() if last.frame in t and n in t and (at := t[last.frame].at) is not None}
    moved = plane_from_points(there, {k: others[k][n] for k in there})
    if moved is None or last.at is None or last.sigma_px is None:
        return None
    h, errors = moved
    at = apply_homography(h, last.at[None])[0]
    growth = CARRIED_GROWTH[motion_of(len(errors))] * np.linalg.norm(at - last.at)
    spread = float(np.mean([*errors.values()])) * np.sqrt(abs(n - last.frame))
    return PointResult(n, "carried", at, float(np.sqrt(last.sigma_px**2 + spread**2 + growth**2)), 0.0)
