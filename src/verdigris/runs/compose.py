"""Composed frames of a shot: plate in, plate with everything pinned out."""

from collections.abc import Sequence

import numpy as np

from verdigris.core.composite.pin import pin_region, pinned_box
from verdigris.media.frames import Frame
from verdigris.runs.artwork import PlacedArtwork
from verdigris.runs.errors import RunError
from verdigris.runs.fronts import Tracks, corners_at, coverage_in_front
from verdigris.shot.document import Shot


def check_ready(shot: Shot, tracks: Tracks) -> None:
    """Say what is missing before rendering; RunError `nothing_placed`, `no_corners` or `not_tracked`."""
    if shot.delivery.still is not None:
        held = shot.surface(shot.delivery.still.surface)
        if not any(r.homography is not None for r in tracks.get(held.id, {}).values()):
            raise RunError("not_tracked", f"{held.name} has no track to hold the plate still by. Track it first.")
        return
    if not shot.placements:
        raise RunError("nothing_placed", "There is nothing to render yet: place artwork on a surface first.")
    for placement in shot.placements:
        surface = shot.surface(placement.surface)
        if surface.corners is None:
            raise RunError("no_corners", f"Place the four corners of {surface.name} first.")
        if not any(r.homography is not None for r in tracks.get(surface.id, {}).values()):
            raise RunError("not_tracked", f"{surface.name} has artwork but no track. Track it first.")


def compose_frame(shot: Shot, placed: Sequence[PlacedArtwork], tracks: Tracks, frame: int, picture: Frame, scale: float = 1.0) -> Frame:
    """One frame of result. Where nothing covers, it is the plate, bit for bit.

    `scale` is px of `picture` per plate px: below 1 for previews made from proxies.
    """
    for art in sorted(placed, key=lambda a: -a.surface.depth):
        corners = art.corners_at(tracks, frame)
        if corners is None:
            continue
        pin = art.pin_at(frame, corners * scale, scale)
        box = pinned_box(pin, picture.width, picture.height)
        if box is None:
            continue
        x0, y0, x1, y1 = box
        front = coverage_in_front(shot, art.surface, tracks, frame, picture.width, picture.height, scale)
        before = picture.codes(box)
        after, touched = pin_region(pin, before, box, None if front is None else np.ascontiguousarray(front[y0:y1, x0:x1]))
        picture = picture.with_region(box, before, after, touched)
    return picture


def frames_without_track(shot: Shot, tracks: Tracks, count: int) -> list[int]:
    """Frames at which some placement cannot be shown because its surface is lost or untracked."""
    missing = set()
    for placement in shot.placements:
        surface = shot.surface(placement.surface)
        track = tracks.get(surface.id, {})
        missing |= {n for n in range(count) if corners_at(surface, track, n) is None}
    return sorted(missing)
