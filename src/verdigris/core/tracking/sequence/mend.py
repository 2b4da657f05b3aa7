"""Mending a track: frames set by hand hold it, doubtful ones are smoothed, gaps are filled, a span is tied to its ends.

All of it is one estimate. A corner moves evenly but for random accelerations; the picture says where it is, give or take its
doubt; a track that was followed may also have drifted, and drifts most where it is least sure. What a hand says is exact.
Forwards filter and backwards smoother give position and doubt of every frame from both sides.

References
----------
Rauch, Tung and Striebel, Maximum likelihood estimates of linear dynamic systems, AIAA Journal 3(8), 1965.
"""

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from verdigris.core.geometry.homography import homography_from_quads, normalised
from verdigris.core.geometry.quad import find_quad_problem
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.types import Float64

EXACT_PX = 1e-4
# Drift of a frame against its neighbour, in units of its doubt.
DRIFT = 1.0
LEAST_ACCELERATION_PX = 0.02
SHAPE_FREEDOM = 1e6
# Over so many frames the calm of a span fades in at its ends.
FADE_FRAMES = 4
LEFT_OUT = "Left out by hand."


def hold(results: Mapping[int, FrameResult], by_hand: Mapping[int, Float64], reference_corners: Float64) -> dict[int, FrameResult]:
    """A track that passes exactly through corners set by hand; between them the followed shape decides.

    Parameters
    ----------
    results : a followed track
    by_hand : frame -> (4, 2) float64 corners, plate px
    reference_corners : (4, 2) float64, corners at the reference frame, to which homographies are stated

    Raises
    ------
    ValueError
        When corners set by hand cross or collapse, or name a frame outside the track.
    """
    for frame, corners in by_hand.items():
        problem = find_quad_problem(corners)
        if problem is not None:
            raise ValueError(f"frame {frame}: {problem.reason}")
        if frame not in results:
            raise ValueError(f"frame {frame} is not in the track")
    return _estimate(results, by_hand, reference_corners, drifts=True, keep_sure=False, strength=1.0)


def smooth(results: Mapping[int, FrameResult], reference_corners: Float64, strength: float = 1.0) -> dict[int, FrameResult]:
    """A calmer track: sure frames hardly move, unsure ones follow the movement.

    Parameters
    ----------
    strength : 0 leaves everything; 1 weighs doubt as stated; more calms more
    """
    if strength <= 0:
        return dict(results)
    return _estimate(results, {}, reference_corners, drifts=False, keep_sure=False, strength=strength)


def smooth_span(
    results: Mapping[int, FrameResult], reference_corners: Float64, span: tuple[int, int], strength: float = 1.0
) -> dict[int, FrameResult]:
    """The same track with a span of frames calmer; at its ends the calm fades in, so that nothing jumps.

    Parameters
    ----------
    span : first and last frame
    strength : as for `smooth`
    """
    calm, answer = smooth(results, reference_corners, strength), dict(results)
    for n, r in results.items():
        c = calm[n]
        if not span[0] <= n <= span[1] or r.corners is None or c.corners is None:
            continue
        t = min(1.0, (1 + min(n - span[0], span[1] - n)) / (FADE_FRAMES + 1))
        corners = r.corners + t * t * (3 - 2 * t) * (c.corners - r.corners)
        if find_quad_problem(corners) is None:
            answer[n] = replace(r, corners=corners, homography=homography_from_quads(reference_corners, corners), evidence=None)
    return answer


def leave_out(results: Mapping[int, FrameResult], spans: Sequence[tuple[int, int]]) -> dict[int, FrameResult]:
    """The same track without some spans of frames: they count as lost, and may be carried."""
    return {
        n: FrameResult(n, "lost", None, None, None, None, 0.0, LEFT_OUT) if any(a <= n <= b for a, b in spans) else r
        for n, r in results.items()
    }


def fill_gaps(results: Mapping[int, FrameResult], reference_corners: Float64, frames: range) -> dict[int, FrameResult]:
    """The same track with lost frames carried: between known ones, and on beyond them, with doubt that grows.

    Parameters
    ----------
    frames : frames that shall have an answer
    """
    empty = {n: FrameResult(n, "lost", None, None, None, None, 0.0, "") for n in frames}
    return _estimate({**empty, **results}, {}, reference_corners, drifts=False, keep_sure=True, strength=1.0)


def tie_span(
    kept: Mapping[int, FrameResult], again: Mapping[int, FrameResult], reference_corners: Float64, span: tuple[int, int]
) -> dict[int, FrameResult]:
    """A span followed again, tied to what is kept on both sides of it so that nothing jumps.

    Parameters
    ----------
    kept : the track before
    again : new results of the span's frames, and of the frame on either side where that was set by hand: what the picture says
        there tells how far hand and picture differ
    span : first and last frame

    Notes
    -----
    All of it was compared with the same reference, so beside frames that were followed nothing has to give.
    """
    fresh = {n: r for n, r in again.items() if span[0] <= n <= span[1]}
    ends = {n: c for n in again if n not in fresh and n in kept and (c := kept[n].corners) is not None}
    moved = hold(again, ends, reference_corners) if ends else fresh
    return {**kept, **{n: r for n, r in moved.items() if n in fresh}}


def re_anchor(results: Mapping[int, FrameResult], frame: int) -> dict[int, FrameResult]:
    """The same track stated against another reference frame: corners stay, homographies start from there.

    Raises
    ------
    ValueError
        When the plane is lost at that frame.
    """
    anchor = results[frame]
    if anchor.homography is None or anchor.sigma_px is None:
        raise ValueError(f"the plane is lost at frame {frame}; another frame has to be the reference")
    back = np.linalg.inv(anchor.homography)
    answer = {}
    for n, r in results.items():
        if r.homography is None or r.sigma_px is None:
            answer[n] = r
            continue
        sigma = r.sigma_px if n == frame else np.hypot(r.sigma_px, anchor.sigma_px)
        answer[n] = replace(r, homography=normalised(r.homography @ back), sigma_px=sigma, evidence=None)
    return answer


def _estimate(
    results: Mapping[int, FrameResult],
    by_hand: Mapping[int, Float64],
    reference_corners: Float64,
    drifts: bool,
    keep_sure: bool,
    strength: float,
) -> dict[int, FrameResult]:
    frames = list(range(min(results), max(results) + 1))
    seen = np.full((len(frames), 4, 2), np.nan)
    sigma = np.full((len(frames), 4), np.nan)
    held = np.full((len(frames), 4, 2), np.nan)
    for i, n in enumerate(frames):
        r = results.get(n)
        if r is not None and r.corners is not None and r.sigma_px is not None:
            seen[i], sigma[i] = r.corners, np.maximum(r.sigma_px, EXACT_PX)
        if n in by_hand:
            held[i] = by_hand[n]
    if np.isfinite(seen[:, 0, 0]).sum() + np.isfinite(held[:, 0, 0]).sum() < 2:
        return dict(results)
    acceleration = _acceleration(seen, sigma)
    where, doubt = np.empty_like(seen), np.empty((len(frames), 4, 2))
    for corner in range(4):
        for axis in range(2):
            # A radial doubt is shared by two axes.
            noise = sigma[:, corner] / np.sqrt(2) * (strength if strength > 1 else 1.0)
            where[:, corner, axis], doubt[:, corner, axis] = _smoother(
                seen[:, corner, axis], noise, held[:, corner, axis], acceleration / max(strength, 1e-3), drifts
            )
    answer = {}
    for i, n in enumerate(frames):
        r = results.get(n) or FrameResult(n, "lost", None, None, None, None, 0.0, "")
        if keep_sure and r.corners is not None:
            answer[n] = r
            continue
        corners = by_hand[n].copy() if n in by_hand else where[i]
        if find_quad_problem(corners) is not None:
            answer[n] = r
            continue
        spread = np.full(4, EXACT_PX) if n in by_hand else np.sqrt(doubt[i].sum(axis=1))
        if drifts and n not in by_hand and r.corners is not None and r.sigma_px is not None:
            # Where hand and picture say the same, the frame is as sure as it was; drift is what they differ by.
            spread = np.minimum(spread, np.hypot(r.sigma_px, np.linalg.norm(corners - r.corners, axis=1)))
        status = "by_hand" if n in by_hand else "carried" if r.corners is None else r.status
        answer[n] = replace(
            r, status=status, corners=corners, homography=homography_from_quads(reference_corners, corners), sigma_px=spread, evidence=None,
            reason=r.reason if r.corners is None and n not in by_hand else "",
        )  # fmt: skip
    return answer


def _acceleration(seen: Float64, sigma: Float64) -> float:
    """How much the corners' speed changes from frame to frame, px, beyond what doubt alone would show."""
    second = seen[2:] - 2 * seen[1:-1] + seen[:-2]
    known = np.isfinite(second)
    if not known.any():
        return 1.0
    size = 1.4826 * float(np.median(np.abs(second[known])))
    own = float(np.nanmedian(sigma)) / np.sqrt(2) * np.sqrt(6.0)
    return max(float(np.sqrt(max(size**2 - own**2, 0.0))), LEAST_ACCELERATION_PX)


def _smoother(seen: Float64, noise: Float64, held: Float64, acceleration: float, drifts: bool) -> tuple[Float64, Float64]:
    """Position and its variance at every frame from both sides; state: position, velocity, drift of what is seen.

    Parameters
    ----------
    seen, held : (n,) px, NaN where nothing is known
    noise : (n,) standard deviation of `seen`, px
    acceleration : px per frame squared
    drifts : whether what is seen may have drifted away
    """
    count = len(seen)
    known = np.flatnonzero(np.isfinite(seen) | np.isfinite(held))
    first = seen[known[0]] if np.isfinite(seen[known[0]]) else held[known[0]]
    state, cov = np.array([first, 0.0, 0.0]), np.diag([1e8, 1e4, 1e6 if drifts else 0.0])
    f = np.array([[1.0, 1.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]])
    q = acceleration**2 * np.array([[1 / 3, 1 / 2, 0], [1 / 2, 1, 0], [0, 0, 0.0]])
    typical = float(np.nanmedian(noise)) if np.isfinite(noise).any() else 1.0
    states, covs = np.empty((count, 3)), np.empty((count, 3, 3))
    ahead, ahead_cov = np.empty((count, 3)), np.empty((count, 3, 3))
    for i in range(count):
        if i:
            # Where the picture shows the shape, a drifting track is not straightened: only gaps follow the even movement.
            shown = drifts and bool(np.isfinite(seen[i]))
            extra = q * (SHAPE_FREEDOM if shown else 1.0)
            extra[2, 2] = (DRIFT * (noise[i] if np.isfinite(noise[i]) else 10 * typical)) ** 2 if drifts else 0.0
            state, cov = f @ state, f @ cov @ f.T + extra
        ahead[i], ahead_cov[i] = state, cov
        if np.isfinite(seen[i]):
            state, cov = _measure(state, cov, np.array([1.0, 0.0, 1.0 if drifts else 0.0]), seen[i], noise[i] ** 2)
        if np.isfinite(held[i]):
            state, cov = _measure(state, cov, np.array([1.0, 0.0, 0.0]), held[i], EXACT_PX**2)
        states[i], covs[i] = state, cov
    for i in range(count - 2, -1, -1):
        gain = covs[i] @ f.T @ np.linalg.pinv(ahead_cov[i + 1])
        states[i] = states[i] + gain @ (states[i + 1] - ahead[i + 1])
        covs[i] = covs[i] + gain @ (covs[i + 1] - ahead_cov[i + 1]) @ gain.T
    return states[:, 0], np.maximum(covs[:, 0, 0], 0.0)


def _measure(state: Float64, cov: Float64, row: Float64, value: float, variance: float) -> tuple[Float64, Float64]:
    gain = cov @ row / (row @ cov @ row + variance)
    left = np.eye(3) - np.outer(gain, row)
    # Joseph's form keeps the covariance symmetric where a measurement is all but exact.
    return state + gain * (value - row @ state), left @ cov @ left.T + variance * np.outer(gain, gain)
