"""Composed frames of a shot: plate in, plate with everything pinned out."""

from collections.abc import Sequence

import numpy as np

from verdigris.core.composite.pin import Box, Pin, pin_region, pinned_box
from verdigris.media.frames import Frame
from verdigris.runs.errors import RunError
from verdigris.runs.scene.artwork import PlacedArtwork
from verdigris.runs.scene.in_front import Tracks, corners_at, coverage_in_front
from verdigris.shot.document import Shot

Pinned = tuple[PlacedArtwork, Pin, Box]


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
    pins: list[Pinned] = []
    for art in sorted(placed, key=lambda a: -a.surface.depth):
        corners = art.corners_at(tracks, frame)
        pin = None if corners is None else art.pin_at(frame, corners * scale, scale)
        box = None if pin is None else pinned_box(pin, picture.width, picture.height)
        if pin is not None and box is not None:
            pins.append((art, pin, box))
    for group, around in _apart(pins):
        # Read once and written once, whatever lies over each other: nothing is rounded in between.
        before = picture.values(around)
        light, touched = picture.light_of(before), np.zeros(before.shape[:2], np.bool_)
        for art, pin, (x0, y0, x1, y1) in group:
            part = np.s_[y0 - around[1] : y1 - around[1], x0 - around[0] : x1 - around[0]]
            front = coverage_in_front(shot, art.surface, tracks, frame, picture.width, picture.height, scale)
            nearer = None if front is None else np.ascontiguousarray(front[y0:y1, x0:x1])
            light[part], hit = pin_region(pin, np.ascontiguousarray(light[part]), (x0, y0, x1, y1), nearer)
            touched[part] |= hit
        picture = picture.with_region(around, before, picture.values_of(light), touched)
    return picture


def _apart(pins: Sequence[Pinned]) -> list[tuple[list[Pinned], Box]]:
    """Groups of pins whose boxes meet, in the order given, each with the box around it; groups do not meet."""
    groups: list[tuple[list[int], Box]] = []
    for i, (_, _, box) in enumerate(pins):
        members = [i]
        while meeting := [g for g in groups if _meet(g[1], box)]:
            for g in meeting:
                groups.remove(g)
                members += g[0]
                box = (min(box[0], g[1][0]), min(box[1], g[1][1]), max(box[2], g[1][2]), max(box[3], g[1][3]))
        groups.append((members, box))
    return [([pins[i] for i in sorted(members)], box) for members, box in groups]


def _meet(a: Box, b: Box) -> bool:
    return a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]


def frames_without_track(shot: Shot, tracks: Tracks, count: int) -> list[int]:
    """Frames at which some placement cannot be shown because its surface is lost or untracked."""
    missing = set()
    for placement in shot.placements:
        surface = shot.surface(placement.surface)
        track = tracks.get(surface.id, {})
        missing |= {n for n in range(count) if corners_at(surface, track, n) is None}
    return sorted(missing)
