"""The first steps from a reference frame, taken while nobody waits: whoever places corners will want them followed next.

A follower has to look at its reference frame for some tenths of a second before it can take a step. What it found then is
kept under a name made of everything it depends on, and becomes the beginning of a take with just these settings.
"""

import hashlib
import json
import shutil
import tempfile
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

from verdigris import __version__
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.formats.track_json import make_track, read_tracks, write_tracks
from verdigris.media.reader import FrameSource
from verdigris.runs.errors import RunError
from verdigris.runs.follow.evidence_crops import keep_evidence
from verdigris.runs.follow.first_looks import keep_first_look
from verdigris.runs.follow.surface import Direction, first_steps
from verdigris.shot.model.basis import tracking_key
from verdigris.shot.model.document import Shot
from verdigris.shot.model.surface import Surface

TRACK = "track.json"
# Kept for one plate at most.
MOST_KEPT = 12


def name_of_steps(shot: Shot, surface: Surface) -> str | None:
    """Fingerprint of all that a surface's first steps depend on; None when they are not to be taken ahead.

    They are not where the track of another surface has a say, which may change at any time, nor for single points.
    """
    nearer = any(x.depth < surface.depth and x.corners is not None for x in shot.surfaces if x.id != surface.id)
    ridden = any(o.depth < surface.depth and o.rides for o in shot.occluders)
    if surface.corners is None or surface.follow == "points" or nearer or ridden:
        return None
    basis = json.dumps([__version__, tracking_key(shot, surface), surface.corners])
    return hashlib.sha256(basis.encode()).hexdigest()[:24]


def take_first_steps(plate: FrameSource, shot: Shot, surface: Surface, folder: Path) -> None:
    """Follow a surface one frame each way and keep what came of it, whole or not at all.

    A surface that cannot be followed is left alone: whoever asks for it is told why.
    """
    if has_first_steps(folder):
        return
    folder.parent.mkdir(parents=True, exist_ok=True)
    work = Path(tempfile.mkdtemp(dir=folder.parent, prefix="unfinished-"))
    try:
        results = []
        for step in first_steps(plate, shot, surface):
            keep_evidence(work, surface, step)
            keep_first_look(work, step.result)
            results.append(step.result)
        write_tracks(work / TRACK, [make_track(surface.id, surface.reference_frame, results, mended=False)])
        if not has_first_steps(folder):
            work.replace(folder)
    except RunError:
        return
    finally:
        shutil.rmtree(work, ignore_errors=True)
    kept = {p: p.stat().st_mtime for p in folder.parent.iterdir() if has_first_steps(p)}
    for old in sorted(kept, key=lambda p: kept[p])[:-MOST_KEPT]:
        shutil.rmtree(old, ignore_errors=True)


def has_first_steps(folder: Path) -> bool:
    """Whether the steps of a folder's name are there."""
    return (folder / TRACK).exists()


def kept_first_steps(folder: Path, direction: Direction) -> Mapping[int, FrameResult]:
    """The reference frame and the steps in a direction, by frame; empty when they were not taken."""
    if not has_first_steps(folder):
        return {}
    (track,) = read_tracks(folder / TRACK)
    at = track.reference_frame
    wanted = {"forwards": (at, at + 1), "backwards": (at, at - 1), "both": (at, at + 1, at - 1)}[direction]
    # Closer looks may move a step; the reference frame stays.
    return {n: replace(r, first_look=n != at) for n, r in track.by_frame().items() if n in wanted}
