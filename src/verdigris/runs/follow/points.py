"""Follow a surface by single points: each point through the plate, then the plane that they drive."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.quad import find_quad_problem
from verdigris.core.tracking.points.planes import borrow, corner_sigmas_of_points, just_enough, plane_from_points
from verdigris.core.tracking.points.points import PatternProblem, PointResult, follow_point
from verdigris.core.tracking.points.sets import PointTracks, choose_points, figures_of, trimmed
from verdigris.core.tracking.sequence.frame_result import FrameResult, Status
from verdigris.core.tracking.sequence.plane import AnalysisPicture
from verdigris.core.types import Float64
from verdigris.media.frames import Frame
from verdigris.media.reader import FrameSource
from verdigris.runs.errors import RunError
from verdigris.shot.model.surface import Surface

# A plane that is less sure than this is lost: points are few, and mostly wanted for how a thing moves.
MOST_SIGMA_PX = 20.0


@dataclass(frozen=True)
class OnlyPoint:
    """One point of a surface that is followed again by itself.

    Attributes
    ----------
    id : the point
    kept : tracks of all points of the take before
    span : first and last frame to follow it at; None: all
    begin : the frame to go on from, when a span is given
    """

    id: str
    kept: PointTracks
    span: tuple[int, int] | None = None
    begin: int = 0


def follow_by_points(
    reader: FrameSource, surface: Surface, known: Mapping[int, FrameResult], stop: Callable[[], bool], only: "OnlyPoint | None" = None
) -> Iterator[tuple[FrameResult, Frame, dict[str, PointResult]]]:
    """Frames in order, each with the plane its points give, and the points; frames that are known already are left out.

    Parameters
    ----------
    only : follow this one anew, and keep what is known of the others

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
        if only is not None and (point.id != only.id or only.span is not None) and point.id in only.kept:
            tracks[point.id] = {n: _as_seen(r) for n, r in only.kept[point.id].items()}
        if only is not None and point.id != only.id and point.id in tracks:
            continue
        by_hand = {k.frame: np.array(k.at, dtype=np.float64) for k in point.keys if k.frame in frames}
        try:
            span = only.span if only is not None and point.id == only.id else None
            here = frames if span is None else range(max(0, span[0]), min(len(frames), span[1] + 1))
            begin = (
                {}
                if only is None or span is None
                else {n: only.kept[point.id][n] for n in [only.begin] if n in only.kept.get(point.id, {})}
            )
            found = follow_point(
                lambda n: AnalysisPicture.of(reader.frame(n).luma()), here, by_hand, point.pattern(), point.adjusted(), stop, begin
            )
            tracks[point.id] = {**tracks.get(point.id, {}), **found}
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


def _as_seen(r: PointResult) -> PointResult:
    """A kept result without what the other points said of it: that may be otherwise now."""
    return r if r.status != "carried" else PointResult(r.frame, "lost", None, None, 0.0, "Hidden here.")


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
    error = None if just_enough(reference, now, surface.motion) else float(np.sqrt(np.mean(np.square(list(errors.values())))))
    sigma = corner_sigmas_of_points(reference, now, found, quad, surface.motion)
    if float(sigma.max()) > MOST_SIGMA_PX:
        return FrameResult(n, "lost", None, None, None, None, share, f"The points leave a corner unsure by {sigma.max():.0f} px here.")
    status: Status = "carried" if any(r.status == "carried" for r in now.values()) else "followed"
    return FrameResult(n, status, h, corners, sigma, error, share)
