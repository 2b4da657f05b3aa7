"""A surface's track with everything the document says about mending it: frames set by hand, smoothing, carrying on."""

from collections.abc import Iterable, Mapping

import numpy as np

from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.tracking.sequence.mend import fill_gaps, hold, leave_out, smooth, smooth_span, tie_span
from verdigris.formats.track_json import Track
from verdigris.runs.errors import RunError
from verdigris.shot.model.document import Shot
from verdigris.shot.model.surface import Surface


def mended(surface: Surface, track: Mapping[int, FrameResult]) -> dict[int, FrameResult]:
    """The track as it is used; the take itself stays as it was followed.

    Raises
    ------
    RunError
        `cannot_hold` when corners set by hand cross.
    """
    quad, result = surface.quad(), dict(track)
    if quad is None or not result:
        return result
    if surface.left_out:
        result = leave_out(result, surface.left_out)
    if surface.held:
        try:
            by_hand = {h.frame: np.array(h.corners, dtype=np.float64) for h in surface.held if h.frame in result}
            result = hold(result, by_hand, quad) if by_hand else result
        except ValueError as error:
            raise RunError("cannot_hold", f"{surface.name}: {error}.") from error
    if surface.smoothing > 0:
        result = smooth(result, quad, surface.smoothing)
    for calm in surface.calmed:
        result = smooth_span(result, quad, calm.span, calm.strength)
    if surface.carry:
        result = fill_gaps(result, quad, range(min(result), max(result) + 1))
    return result


def tied(
    surface: Surface, kept: Mapping[int, FrameResult], again: Mapping[int, FrameResult], span: tuple[int, int]
) -> dict[int, FrameResult]:
    """A span that was followed again, laid into what is kept so that nothing jumps where they meet."""
    quad = surface.quad()
    return dict(kept) if quad is None or not again else tie_span(kept, again, quad, span)


def used_tracks(shot: Shot, tracks: Iterable[Track]) -> dict[str, dict[int, FrameResult]]:
    """Tracks of a file as they are used for a shot: mended as it says, those excepted that say that they are."""
    surfaces = {s.id: s for s in shot.surfaces}
    return {t.surface: t.by_frame() if t.mended or t.surface not in surfaces else mended(surfaces[t.surface], t.by_frame()) for t in tracks}
