"""How long the shutter is open, and where a moving outline is meanwhile."""

from collections.abc import Callable, Mapping

import numpy as np

from verdigris.core.composite.warp import exposure_of
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.types import Float64
from verdigris.shot.model.document import Shot

# Where the plane is that is seen, by surface and frame.
Tracks = Mapping[str, Mapping[int, FrameResult]]
LONGEST = 2.0


def shutter_of(shot: Shot, tracks: Tracks) -> float:
    """For how many frames the shutter is open: as set in a match, with its strength, else as found with a track; 0 where neither tells.

    Only tracks that the result needs are asked, so that it is the same wherever it is drawn.
    """
    for match in shot.match:
        if match.on and match.movement is not None:
            return match.movement.shutter * match.movement.strength
    needed = shot.surfaces_in_use()
    for surface in (x.id for x in shot.surfaces if x.id in needed):
        found = next((r.camera for r in tracks.get(surface, {}).values() if r.camera is not None), None)
        if found is not None and found.shutter is not None:
            return float(min(np.sqrt(12 * max(found.shutter, 0.0)), LONGEST))
    return 0.0


def exposed(outline_at: Callable[[int], Float64 | None], frame: int, open_for: float) -> Float64 | None:
    """An outline while the shutter is open.

    Parameters
    ----------
    outline_at : (N, 2) plate px at a frame; None where it is not there or not known
    open_for : how long the shutter is open, frames, evenly around the frame

    Returns
    -------
    (N, 2) plate px where it moves too little to be blurred, else (M, N, 2) at evenly spread moments; None where it is not there.
    Between frames points move evenly; where only one neighbour is known, the movement goes on as it does there.
    """
    here = outline_at(frame)
    if here is None or open_for <= 0:
        return here
    before, after = (None if at is None or at.shape != here.shape else at for at in (outline_at(frame - 1), outline_at(frame + 1)))
    if before is None and after is None:
        return here
    back = here - before if before is not None else after - here  # type: ignore[operator]
    on = after - here if after is not None else back
    travel = float(max(np.linalg.norm(back, axis=1).max(), np.linalg.norm(on, axis=1).max()))
    moments = exposure_of(open_for, travel)
    if len(moments) < 2:
        return here
    return np.stack([here + t * (back if t < 0 else on) for t, _ in moments])
