"""Follow a surface by single points: each point through the plate, then the plane that they drive."""

from collections.abc import Callable, Iterator, Mapping

import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.quad import find_quad_problem
from verdigris.core.tracking.follow import AnalysisPicture
from verdigris.core.tracking.frame_result import FrameResult, Status
from verdigris.core.tracking.point_planes import borrow, corner_sigmas_of_points, plane_from_points
from verdigris.core.tracking.point_sets import PointTracks, choose_points, figures_of, trimmed
from verdigris.core.tracking.points import PatternProblem, PointResult, follow_point
from verdigris.core.types import Float64
from verdigris.media.frames import Frame
from verdigris.media.reader import FrameSource
from verdigris.runs.errors import RunError
from verdigris.shot.document import Surface

# A plane that is less sure than this is lost: points are few, and mostly wanted for how a thing moves.
MOST_SIGMA_PX = 20.0


def follow_by_points(
    reader: FrameSource, surface: Surface, known: Mapping[int, FrameResult], stop: Callable[[], bool]
) -> Iterator[tuple[FrameResult, Frame, dict[str, PointResult]]]:
    """Frames in order, each with the plane its points give, and the points; frames that are known already are left out.

    Raises
    ------
    RunError
        `no_corners`, or `cannot_follow` with the reason.
    """
    quad = surface.quad()
    if quad is None:
        raise RunError("no_corners", f"Place the four corners of {surface.name} first.")
    if not surface.points:
        raise RunError("cannot_follow", f"{surface.name} is to be followed by points, and has none. Set a point.", problem="no_points")
    frames = range(reader.facts.frame_count)
    tracks: dict[str, dict[int, PointResult]] = {}
    for point in surface.points:
        by_hand = {k.frame: np.array(k.at, dtype=np.float64) for k in point.keys if k.frame in frames}
        try:
            tracks[point.id] = follow_point(
                lambda n: AnalysisPicture.of(reader.frame(n).luma()), frames, by_hand, point.pattern(), point.adjusted(), stop
            )
        except PatternProblem as error:
            raise RunError("cannot_follow", f"{surface.name}, point {point.id}: {error}", problem="pattern") from error
        if stop():
            return
    reference = reference_of(tracks, surface.reference_frame)
    if not reference:
        raise RunError("cannot_follow", f"No point of {surface.name} is seen at its reference frame.", problem="no_points")
    used = _used(surface, tracks, reference, frames)
    if len(used) > 2:
        used = {k: borrow(used, k, frames) for k in used}
    for n, picture in zip(frames, reader.frames(0, len(frames), 1), strict=False):
        if stop():
            return
        if n not in known:
            driving = {k: t[n] for k, t in used.items() if n in t}
            # Points that drive nothing are kept as they were seen: they may be wanted again.
            yield _plane_at(n, surface, quad, reference, driving), picture, {k: t[n] for k, t in tracks.items() if n in t} | driving


def reference_of(tracks: PointTracks, frame: int) -> dict[str, Float64]:
    """Where points are at the reference frame, those that are seen there."""
    return {k: at for k, t in tracks.items() if frame in t and (at := t[frame].at) is not None}


def _used(surface: Surface, tracks: PointTracks, reference: Mapping[str, Float64], frames: range) -> dict[str, dict[int, PointResult]]:
    """Tracks that drive the plane: as far as people say, and of many without those that jerk, hardly last or disagree."""
    wanted = {p.id: trimmed(tracks[p.id], frames, p.used_spans) for p in surface.points if not p.left_out}
    if len(wanted) < 6:
        return wanted
    kept = choose_points(figures_of(reference, wanted))
    return {k: wanted[k] for k in kept} if len(kept) >= 4 else wanted


def _plane_at(n: int, surface: Surface, quad: Float64, reference: Mapping[str, Float64], now: Mapping[str, PointResult]) -> FrameResult:
    found = plane_from_points(reference, now, surface.motion)
    share = sum(r.at is not None for r in now.values()) / max(1, len(now))
    if found is None or (share < 1 and len(reference) < 3):
        return FrameResult(n, "lost", None, None, None, None, share, "Too few of the points are seen here.")
    h, errors = found
    corners = apply_homography(h, quad)
    problem = find_quad_problem(corners)
    if problem is not None:
        return FrameResult(n, "lost", None, None, None, None, share, "The points do not hold the corners here.")
    error = float(np.sqrt(np.mean(np.square(list(errors.values())))))
    sigma = corner_sigmas_of_points(reference, now, found, quad, surface.motion)
    if float(sigma.max()) > MOST_SIGMA_PX:
        return FrameResult(n, "lost", None, None, None, None, share, f"The points leave a corner unsure by {sigma.max():.0f} px here.")
    status: Status = "carried" if any(r.status == "carried" for r in now.values()) else "followed"
    return FrameResult(n, status, h, corners, sigma, error, share)
