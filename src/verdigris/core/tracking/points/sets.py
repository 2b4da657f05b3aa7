"""Sets of single points: how well each holds to the plane of all of them, and which of them are worth using."""

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass

import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.motion import Motion
from verdigris.core.tracking.points.planes import just_enough, plane_from_points
from verdigris.core.tracking.points.points import PointResult
from verdigris.core.types import Float64

PointTracks = Mapping[str, Mapping[int, PointResult]]


@dataclass(frozen=True)
class PointFigures:
    """What a point's track is worth.

    Attributes
    ----------
    seen, carried, lost : frames
    error_px : median distance from where the plane puts it; None when none was found, or for points that are just enough for it
    worst_px, worst_frame : the largest such distance, and where
    speed_px, acceleration_px : 95th percentile of what it moves from frame to frame, and of how much that changes
    sigma_px : median of its stated doubt
    """

    seen: int
    carried: int
    lost: int
    error_px: float | None = None
    worst_px: float | None = None
    worst_frame: int | None = None
    speed_px: float = 0.0
    acceleration_px: float = 0.0
    sigma_px: float | None = None


def figures_of(
    reference: Mapping[str, Float64], tracks: PointTracks, motion: Motion | None = None, left_out: Collection[str] = ()
) -> dict[str, PointFigures]:
    """Figures of every point of a set; carried frames tell nothing of a point and are left out of its errors.

    Parameters
    ----------
    reference : point -> (2,) at the reference frame, plate px; points without one are not measured against the plane
    tracks : point -> frame -> result
    motion : freest model of the plane, see `plane_from_points`
    left_out : points that drive nothing: they are measured against the plane of the others
    """
    errors: dict[str, list[tuple[float, int]]] = {k: [] for k in tracks}
    for n in sorted({n for t in tracks.values() for n in t}):
        here = {k: t[n] for k, t in tracks.items() if n in t}
        driving = {k: r for k, r in here.items() if k not in left_out}
        found = plane_from_points(reference, driving, motion)
        if found is None:
            continue
        apart = {} if just_enough(reference, driving, motion) else found[1]
        for k, r in here.items():
            if k in left_out and k in reference and r.at is not None:
                apart[k] = float(np.linalg.norm(apply_homography(found[0], reference[k][None])[0] - r.at))
            if k in apart and r.status != "carried":
                errors[k].append((apart[k], n))
    return {k: _figures(t, errors[k]) for k, t in tracks.items()}


def _figures(track: Mapping[int, PointResult], errors: list[tuple[float, int]]) -> PointFigures:
    own = {n: r.at for n, r in track.items() if r.at is not None and r.status != "carried"}
    speed = [float(np.linalg.norm(own[n] - own[n - 1])) for n in own if n - 1 in own]
    change = [float(np.linalg.norm(own[n + 1] - 2 * own[n] + own[n - 1])) for n in own if n - 1 in own and n + 1 in own]
    sigmas = [r.sigma_px for r in track.values() if r.sigma_px is not None]
    worst = max(errors, default=None)
    return PointFigures(
        len(own),
        sum(r.status == "carried" for r in track.values()),
        sum(r.status == "lost" for r in track.values()),
        float(np.median([e for e, _ in errors])) if errors else None,
        worst[0] if worst else None,
        worst[1] if worst else None,
        float(np.percentile(speed, 95)) if speed else 0.0,
        float(np.percentile(change, 95)) if change else 0.0,
        float(np.median(sigmas)) if sigmas else None,
    )


def choose_points(
    figures: Mapping[str, PointFigures], most_error_px: float = 2.0, most_acceleration_px: float = 8.0, least_seen: int = 5
) -> list[str]:
    """Points that pass the filters: error against the plane, acceleration, frames seen."""
    return [
        k for k, f in figures.items()
        if f.seen >= least_seen and f.acceleration_px <= most_acceleration_px and (f.error_px or 0.0) <= most_error_px
    ]  # fmt: skip


def trimmed(track: Mapping[int, PointResult], frames: Iterable[int], spans: Iterable[tuple[int, int]]) -> dict[int, PointResult]:
    """A track used within some spans of frames only, both ends included; all of it where no span is named."""
    kept = list(spans)
    used = {n: not kept or any(a <= n <= b for a, b in kept) for n in frames if n in track}
    return {n: track[n] if u else PointResult(n, "lost", None, None, 0.0, "It is not used at this frame.") for n, u in used.items()}
