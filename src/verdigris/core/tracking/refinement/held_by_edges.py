"""Frames of a surface in which the picture is known to move by itself: its edges have the last word."""

from collections.abc import Callable, Iterator, Mapping

import numpy as np

from verdigris.core.geometry.homography import apply_homography, normalised
from verdigris.core.tracking.reference.rim import APART
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import FrameResult, lost
from verdigris.core.tracking.sequence.plane import AnalysisPicture
from verdigris.core.types import Bool, Float64

# What was found is kept where it is so many stated deviations, together, from where the edges are.
AGREES_SIGMAS = 3.0
# Frames in which the edges are not found before nothing says where to look for them.
MOST_UNSEEN = 3


def held_by_edges(
    follower: PlaneFollower, results: Mapping[int, FrameResult], picture: Callable[[int], AnalysisPicture],
    hidden: Callable[[int, Mapping[int, FrameResult]], Bool | None], stop: Callable[[], bool] = lambda: False,
) -> Iterator[FrameResult]:  # fmt: skip
    """Yield what changes of a run, from the reference outwards: frames put where the edges are, and those they contradict, as lost.

    Parameters
    ----------
    results : by frame, of a run in which the edges were seen to stay behind
    picture : one frame's analysis picture
    hidden : frame and results so far -> pixels that something nearer covers, (H, W) bool or None
    stop : asked between frames
    """
    start = follower.reference_frame
    for step in (1, -1):
        last, before, unseen = np.eye(3), np.eye(3), 0
        n = start + step
        while n in results and not stop():
            r, now, front = results[n], picture(n).bytes, hidden(n, results)
            expected = normalised(last @ np.linalg.inv(before) @ last) if unseen == 0 else last
            found = follower.rim.plane(now, expected, front) if unseen <= MOST_UNSEEN else None
            if found is None and r.homography is not None:
                found = follower.rim.plane(now, r.homography, front)
            held = None if found is None else _result(n, follower.corners, *found)
            goes_along = r.homography is not None and follower.rim.goes_along(now, r.homography, front)
            if goes_along and (held is None or _agree(r, held)):
                held = r
            elif held is None and r.status != "lost":
                held = lost(n, r.share_used, APART)
            if held is not None and held is not r:
                yield held
            known = held or r
            if known.homography is None:
                unseen += 1
            else:
                before, last, unseen = (last if unseen == 0 else known.homography), known.homography, 0
            n += step


def _result(frame: int, corners: Float64, homography: Float64, sigma: Float64, left: float) -> FrameResult:
    return FrameResult(frame, "followed", homography, apply_homography(homography, corners), sigma, left, 1.0)


def _agree(a: FrameResult, b: FrameResult) -> bool:
    assert a.corners is not None
    assert b.corners is not None
    assert a.sigma_px is not None
    assert b.sigma_px is not None
    away = np.linalg.norm(a.corners - b.corners, axis=1)
    return bool((away < AGREES_SIGMAS * np.hypot(a.sigma_px, b.sigma_px)).all())
