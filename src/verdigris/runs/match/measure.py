"""How a surface sits in its plate: everything measured, each as a proposal with its figures and how sure it is."""

import hashlib
from collections.abc import Sequence
from pathlib import Path

import cv2
import numpy as np

from verdigris.core.match.known import softened
from verdigris.core.match.softness import OWN_SIGMA
from verdigris.core.types import Float32
from verdigris.runs.match.around import measure_glow, measure_shadow
from verdigris.runs.match.camera import measure_movement, measure_noise, measure_sharpness, measure_softness, measure_veil
from verdigris.runs.match.printed import measure_print
from verdigris.runs.match.proposal import Found, Measured, Progress, Stopping, spots_seen
from verdigris.runs.match.screens import measure_screen
from verdigris.runs.match.stack import SurfaceStack, spread
from verdigris.runs.render.handover import Stopped, side_by_side
from verdigris.runs.scene.in_front import Tracks
from verdigris.shot.model.document import Shot
from verdigris.shot.model.match import SurfaceMatch
from verdigris.shot.model.surface import Surface

# Frames that the clean picture is told from.
FOR_CLEAN = 32


def measure_key(shot: Shot, surface: Surface, tracks: Tracks) -> str:
    """Fingerprint of what a measurement is made from: plate, track, spots, and what is in front."""
    match = next((m for m in shot.match if m.surface == surface.id), SurfaceMatch(surface=surface.id))
    spots = match.model_dump_json(include={"kind", "spots", "white_linear", "old"}, exclude_none=True)
    track = [(n, None if r.homography is None else r.homography.tolist()) for n, r in sorted(tracks.get(surface.id, {}).items())]
    kept = sorted({k for p in shot.placements if p.surface == surface.id for k in p.kept_in_front})
    front = [part.model_dump_json(exclude_none=True) for part in (*shot.occluders, *(shot.matte(k) for k in kept))]
    told = [
        shot.plate.model_dump_json(),
        surface.model_dump_json(include={"corners", "corrections", "reference_frame"}),
        spots,
        track,
        front,
    ]
    return hashlib.sha256(repr(told).encode()).hexdigest()[:16]


def measure(
    stack: SurfaceStack,
    match: SurfaceMatch,
    folder: Path,
    progress: Progress = lambda d, t: None,
    stop: Stopping = lambda: False,
    old: Float32 | None = None,
) -> Measured:
    """Measure a surface.

    Parameters
    ----------
    match : its kind, spots, and a screen's white, as far as they are said
    folder : where light fields and reflections are written to, a folder each
    old : (H, W, 3) float32, what the old surface shows, linear 0..1 in the plate's primaries, where it is known as a file

    Raises
    ------
    Stopped
        When it was asked to stop.
    """
    found = Found(stack, match, folder, old=None if old is None else _on_square(old, stack))
    count = len(stack.frames)
    total = count + min(count, FOR_CLEAN)
    done = 0

    def step() -> None:
        nonlocal done
        done += 1
        progress(min(done, total), total)

    wanted = spread(stack.frames, FOR_CLEAN)
    for one in side_by_side(found.keep(wanted, stop), lambda item: stack.lay(*item)):
        found.lights.append(one.light)
        found.seens.append(one.seen)
        step()
    if stop() or not found.lights:
        raise Stopped
    noise, grain = measure_noise(found, stop)
    found.noise = noise
    spots = spots_seen(found)
    proposals = [*(measure_print(found, spots, step, stop) if match.kind == "print" else measure_screen(found, spots, step, stop))]
    sharpness, halo = measure_sharpness(found, stop)
    proposals += [
        measure_softness(found, stop, halo),
        measure_movement(found),
        *sharpness,
        grain,
        measure_veil(found, proposals),
        measure_shadow(found, stop),
        measure_glow(found, proposals, stop),
    ]
    if stop():
        raise Stopped
    progress(total, total)
    order = sorted(range(len(proposals)), key=lambda i: (proposals[i].value is None, not proposals[i].sure, i))
    return Measured(stack.surface.id, tuple(proposals[i] for i in order))


def _on_square(old: Float32, stack: SurfaceStack) -> Float32:
    """The old picture brought to the square, as soft as a plate's picture is by itself."""
    square = stack.square
    smaller = old.shape[0] * old.shape[1] > square.width * square.height
    laid = cv2.resize(old, (square.width, square.height), interpolation=cv2.INTER_AREA if smaller else cv2.INTER_LINEAR)
    return softened(np.asarray(laid, np.float32), OWN_SIGMA * square.scale)


def with_proposals(match: SurfaceMatch, measured: Measured, parts: Sequence[str]) -> SurfaceMatch:
    """The match with some proposals taken over."""
    taken = {p.part: p.value for p in measured.proposals if p.part in parts and p.value is not None}
    return SurfaceMatch.model_validate({**match.model_dump(), **taken})


def only_sure(measured: Measured) -> list[str]:
    """Parts that can be taken over without a look."""
    return [p.part for p in measured.proposals if p.sure and p.value is not None]
