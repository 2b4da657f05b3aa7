"""What a finished track says: which motion would be enough, and where the picture does not move with the plane."""

from collections.abc import Mapping
from dataclasses import asdict, replace
from typing import Any

import cv2
import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.tracking.calibration.calibrate import calibrate
from verdigris.core.tracking.calibration.result import Calibration
from verdigris.core.tracking.calibration.terms import BOW
from verdigris.core.tracking.reference.features import choose_features, follow_features
from verdigris.core.tracking.review.disagreement import Disagreement, OutlineKey, find_disagreements
from verdigris.core.tracking.review.propose import Proposal, propose
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.types import Bool, Float64
from verdigris.media.reader import Reader
from verdigris.runs.errors import RunError
from verdigris.runs.follow.surface import begin_run
from verdigris.runs.scene.in_front import Tracks
from verdigris.runs.scene.regions import region_at_reference
from verdigris.shot.model.document import Shot
from verdigris.shot.model.surface import Surface

MOST_FRAMES = 12
# Disagreement is told from at most this many frames.
MOST_LOOKED_AT = 24
# How often a track is asked about the camera, each time through what was found before.
MOST_ROUNDS = 4
HALF = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])


def advise_motion(reader: Reader, shot: Shot, surface: Surface, tracks: Tracks, results: Mapping[int, FrameResult]) -> Proposal:
    """Compare the motion models on points of the region, found in frames across the run.

    Raises
    ------
    RunError
        `no_evidence` when there are too few frames or points.
    """
    run = begin_run(reader, shot, surface, tracks)
    reference = run.look(run.reference)
    width, height = reader.facts.width, reader.facts.height
    points = choose_features(reference.bytes, region_at_reference(shot, surface, tracks, width, height), most=300)
    usable = [n for n, r in sorted(results.items()) if r.homography is not None and n != surface.reference_frame]
    frames: list[tuple[Bool, Float64]] = []
    for n in usable[:: max(1, -(-len(usable) // MOST_FRAMES))]:
        h = results[n].homography
        assert h is not None
        # The frame is laid back onto the reference first: what is left to find is small, whatever the movement.
        back = np.linalg.inv(HALF @ h @ np.linalg.inv(HALF))
        there = cv2.warpPerspective(run.look(reader.frame(n)).bytes, back, (width, height), flags=cv2.INTER_CUBIC)
        found, good = follow_features(reference.bytes, there, points, points)
        hidden = run.hidden(n, results)
        at = apply_homography(h, found)
        if hidden is not None:
            cell = np.clip(at.astype(int), 0, [width - 1, height - 1])
            good &= ~hidden[cell[:, 1], cell[:, 0]]
        frames.append((good, at))
    proposal = propose(points, frames) if len(points) else None
    if proposal is None:
        raise RunError("no_evidence", f"{surface.name} has too few followed frames or points to compare motions. Follow it first.")
    return proposal


def advise_camera(reader: Reader, shot: Shot, surface: Surface, tracks: Tracks, results: Mapping[int, FrameResult]) -> Calibration:
    """What a finished track says about lens, rows and shutter, with the uncertainty of each.

    Raises
    ------
    RunError
        `no_evidence` when too few frames are followed.
    """
    run = begin_run(reader, shot, surface, tracks)
    if sum(r.corners is not None for r in results.values()) < 4:
        raise RunError("no_evidence", f"{surface.name} has too few followed frames to tell a lens from. Follow it first.")

    def ask(follower: PlaneFollower, results: Mapping[int, FrameResult]) -> Calibration:
        return calibrate(follower, results, lambda n: run.look(reader.frame(n)), lambda n: run.hidden(n, results))

    found = ask(run.follower, results)
    for _ in range(MOST_ROUNDS):
        if {"k1", *BOW}.isdisjoint(found.estimates):
            break
        # Terms close in on each other, and the centre shows only through a lens that is known to bend.
        under = run.follower.under(found.optics, found.reference_movement)
        again = ask(under, under.restated(results))
        if not again.estimates or again.gain <= 0:
            break
        found = replace(again, gain=1 - (1 - found.gain) * (1 - again.gain), estimates={**found.estimates, **again.estimates})
    return found


def describe_bow(found: Calibration) -> str:
    """How far the surface stands out of the plane through its corners, as a sentence; empty when it is flat."""
    sides = [(d, side) for d, side in zip(found.optics.bow, ("width", "height"), strict=True) if d]
    if not sides:
        return ""
    parts = [f"{'stands out' if d > 0 else 'lies back'} by {100 * abs(d):.2f} % of its {side}" for d, side in sides]
    return f"The surface is bowed: its middle {' and '.join(parts)}."


def advise_exclusions(
    reader: Reader, shot: Shot, surface: Surface, tracks: Tracks, results: Mapping[int, FrameResult], first: int, last: int
) -> list[Disagreement]:
    """Patches of the region that do not move with the plane between two frames, worst first.

    Outlines are in plate px at the reference frame, keys in plate px at their own frame.

    Frames of a finished track are looked at again, as many as it takes to tell: what was found tile by tile is not kept.

    Raises
    ------
    RunError
        `no_evidence` when too few frames of the span are followed.
    """
    run = begin_run(reader, shot, surface, tracks)
    usable = [n for n, r in sorted(results.items()) if first <= n <= last and r.corners is not None and n != surface.reference_frame]
    if len(usable) < 3:
        raise RunError("no_evidence", f"Too few frames of {surface.name} are followed there to tell what does not move with it.")
    seen = {n: r for n, r in results.items() if r.evidence is not None and r.evidence.tiles is not None}
    if sum(n in seen for n in usable) < 3:
        for n in usable[:: max(1, -(-len(usable) // MOST_LOOKED_AT))]:
            seen[n] = run.follower.settle(n, run.look(reader.frame(n)), results, run.hidden(n, results), thorough=False)
    found = find_disagreements(run.follower.appearance, seen, first, last)
    lens = run.follower.optics.lens

    def seen_from(points: Float64, n: int) -> Float64:
        """Where points of the plane, ideal reference px, are seen at a frame."""
        at = points if lens is None else lens.distort(points)
        h = None if n == surface.reference_frame else results[n].homography
        return at if h is None else apply_homography(h, at)

    def on_the_plate(d: Disagreement) -> Disagreement:
        keys = tuple(OutlineKey(k.frame, seen_from(k.points, k.frame)) for k in d.keys)
        return replace(d, outline=seen_from(d.outline, surface.reference_frame), keys=keys)

    return [on_the_plate(d) for d in found]


def disagreement_facts(d: Disagreement) -> dict[str, Any]:
    """A disagreement as scripts and the interface get it, px to a tenth."""
    keys = [{"frame": k.frame, "points": k.points.round(1).tolist()} for k in d.keys]
    return {**asdict(d), "outline": d.outline.round(1).tolist(), "keys": keys}
