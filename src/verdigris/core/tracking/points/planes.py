"""Planes that single points drive: where they put corners, how sure that is, and where they carry a point that is hidden.

References
----------
Umeyama, PAMI 13(4), 1991 (two points). Hartley and Zisserman, Multiple view geometry, 2004 (four, and how errors spread).
"""

from collections.abc import Iterator, Mapping
from dataclasses import replace

import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.motion import FREEDOMS, MOTIONS, Motion, estimate_motion, fit_motion, holds, point_jacobian
from verdigris.core.tracking.points.points import SIGMA_FLOOR_PX, PointResult, joined
from verdigris.core.types import Float64

# Doubt of a carried point grows by this share of its movement: the fewer carry it, the less they know of how it turns and grows.
CARRIED_GROWTH: dict[Motion, float] = {"translation": 0.3, "rigid": 0.15, "similarity": 0.1, "affine": 0.05, "perspective": 0.02}
CARRIED = "Hidden; carried by the plane of the other points."
# Points that are just enough to drive a plane are less sure than they say by so much.
JUST_ENOUGH = 2.0


def motion_of(count: int) -> Motion:
    """What a number of points can drive: one the position, two turn and size as well, three shear, four perspective."""
    return ("translation", "translation", "similarity", "affine", "perspective")[min(count, 4)]  # type: ignore[return-value]


def _driven(src: Float64, dst: Float64, motion: Motion | None) -> Motion:
    """The freest model, up to a wanted one, that points drive: those that lie in a line drive less than their number would."""
    wanted = motion_of(len(src)) if motion is None or len(src) < 4 else motion
    freer = MOTIONS[MOTIONS.index(wanted) :: -1]
    return next((m for m in freer if holds(src, m) and holds(dst, m)), "translation")


def just_enough(reference: Mapping[str, Float64], now: Mapping[str, PointResult], motion: Motion | None = None) -> bool:
    """Whether the points that are seen fit whatever they do, so that their errors say nothing; parameters as below."""
    names = [k for k, r in now.items() if k in reference and r.at is not None]
    if not names:
        return True
    src, dst = np.array([reference[k] for k in names]), np.array([now[k].at for k in names])
    return 2 * len(names) <= FREEDOMS[_driven(src, dst, motion)]


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
    after = dict(_next_seen(seen, frames))
    for n in frames:
        if n in seen:
            answer[n] = before = seen[n]
            continue
        ways = [c for r in (before, after.get(n)) if r is not None and (c := _carried(r, n, others)) is not None]
        lost = own.get(n) or PointResult(n, "lost", None, None, 0.0, "Not followed.")
        if not ways:
            answer[n] = lost
            continue
        both = joined(n, ways)
        answer[n] = both if both.at is None else replace(both, status="carried", correlation=0.0, reason=CARRIED)
    return answer


def _next_seen(seen: Mapping[int, PointResult], frames: range) -> Iterator[tuple[int, PointResult]]:
    """Every frame after which a point is seen again, and the result there."""
    following: PointResult | None = None
    for n in reversed(frames):
        following = seen.get(n, following)
        if following is not None:
            yield n, following


def _carried(last: PointResult, n: int, others: Mapping[str, Mapping[int, PointResult]]) -> PointResult | None:
    """A point moved from where it was seen as those move that are seen at both frames; None when there are none."""
    there = {k: at for k, t in others.items() if last.frame in t and n in t and (at := t[last.frame].at) is not None}
    moved = plane_from_points(there, {k: others[k][n] for k in there})
    if moved is None or last.at is None or last.sigma_px is None:
        return None
    h, errors = moved
    at = apply_homography(h, last.at[None])[0]
    by = _driven(np.array([there[k] for k in errors]), np.array([others[k][n].at for k in errors]), None)
    growth = CARRIED_GROWTH[by] * np.linalg.norm(at - last.at)
    spread = float(np.mean([*errors.values()])) * np.sqrt(abs(n - last.frame))
    return PointResult(n, "carried", at, float(np.sqrt(last.sigma_px**2 + spread**2 + growth**2)), 0.0)
