"""How a surface sits in its plate: everything measured, each as a proposal with its figures and how sure it is."""

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from verdigris.core.light.transfer import srgb_to_linear
from verdigris.core.match.grain import measure_grain
from verdigris.core.match.levels import USUAL_INK, line_of, neutral_gain
from verdigris.core.match.light_field import (
    Change,
    Paper,
    chroma_of,
    clean_picture,
    is_local,
    local_change,
    paper_of,
    smooth_change,
)
from verdigris.core.match.plane import blurred
from verdigris.core.match.smooth import degree_for, field_of, fit_log
from verdigris.core.match.softness import edge_sigma, extra_sigma
from verdigris.core.types import Bool, Float32, Float64
from verdigris.media.frames import LUMA, Frame
from verdigris.media.stills import write_exr_half
from verdigris.runs.match.stack import SurfaceStack, spread
from verdigris.runs.scene.in_front import Tracks
from verdigris.shot.model.document import Shot
from verdigris.shot.model.match import SurfaceMatch
from verdigris.shot.model.surface import Surface

Progress = Callable[[int, int], None]
Stopping = Callable[[], bool]
# Frames that the clean picture is told from, and that grain and softness are.
FOR_CLEAN, FOR_GRAIN, FOR_SOFT = 48, 6, 5
SHADOWS_PERCENTILE, STILL_PERCENTILE, GLOSS_PERCENTILE = 92.0, 50.0, 6.0
DARK_CODE = 12
# Grain may be so many times the noise that following told.
NOISE_TIMES = 3.0
# Px of a side of the blocks that are compared with the clean picture.
BLOCK = 8


@dataclass(frozen=True)
class Proposal:
    """One thing that was measured.

    Attributes
    ----------
    part : which part of a match it is
    value : the part as a document has it; None where there is nothing to take over
    sure : whether it can be taken over without a look
    plate, artwork : what was found, and what the artwork has of it now, in words and figures
    said : a sentence: what it is, or why it is not sure and what would help
    evidence : figures for a small picture: light over time, softness over time, travel
    """

    part: str
    value: dict[str, Any] | None
    sure: bool
    plate: str
    artwork: str
    said: str
    evidence: tuple[tuple[float, ...], ...] = ()


@dataclass(frozen=True)
class Measured:
    """All proposals for a surface, sure ones first; fields are written beside, one folder each, named in their values."""

    surface: str
    proposals: tuple[Proposal, ...]

    def part(self, name: str) -> Proposal | None:
        """A proposal by its part."""
        return next((p for p in self.proposals if p.part == name), None)


@dataclass
class _Found:
    """What the parts share while they are measured."""

    stack: SurfaceStack
    match: SurfaceMatch
    folder: Path
    noise: float = 0.0
    clean: Float32 = field(default_factory=lambda: np.zeros((1, 1, 3), np.float32))
    ever: Bool = field(default_factory=lambda: np.zeros((1, 1), np.bool_))
    lights: list[Float32] = field(default_factory=list)
    seens: list[Bool] = field(default_factory=list)
    frames: list[int] = field(default_factory=list)


def measure_key(shot: Shot, surface: Surface, tracks: Tracks) -> str:
    """Fingerprint of what a measurement is made from: plate, track, spots, and what is in front."""
    spots = [m.model_dump_json(include={"kind", "spots", "white_linear"}) for m in shot.match if m.surface == surface.id]
    track = [(n, None if r.homography is None else r.homography.tolist()) for n, r in sorted(tracks.get(surface.id, {}).items())]
    kept = sorted({k for p in shot.placements if p.surface == surface.id for k in p.kept_in_front})
    front = [o.model_dump_json() for o in shot.occluders] + [shot.matte(k).model_dump_json() for k in kept]
    told = [
        shot.plate.model_dump_json(),
        surface.model_dump_json(include={"corners", "corrections", "reference_frame"}),
        spots,
        track,
        front,
    ]
    return hashlib.sha256(repr(told).encode()).hexdigest()[:16]


def measure(
    stack: SurfaceStack, match: SurfaceMatch, folder: Path, progress: Progress = lambda d, t: None, stop: Stopping = lambda: False
) -> Measured:
    """Measure a surface.

    Parameters
    ----------
    match : its kind, spots, and a screen's white, as far as they are said
    folder : where light fields and reflections are written to, a folder each
    """
    found = _Found(stack, match, folder)
    count = len(stack.frames)
    total = 2 * count + FOR_CLEAN
    done = 0

    def step() -> None:
        nonlocal done
        done += 1
        progress(min(done, total), total)

    for one in stack.laid(spread(stack.frames, FOR_CLEAN), stop):
        found.lights.append(one.light)
        found.seens.append(one.seen)
        found.frames.append(one.frame)
        step()
    noise, grain = _grain(found, stop)
    found.noise = noise
    spots = _spots(found)
    proposals = [*(_print(found, spots, step, stop) if match.kind == "print" else _screen(found, spots, step, stop))]
    proposals += [_softness(found, stop), _movement(found), grain, _veil(found, proposals), _shadow(found), _glow(found, proposals)]
    progress(total, total)
    order = sorted(range(len(proposals)), key=lambda i: (proposals[i].value is None, not proposals[i].sure, i))
    return Measured(stack.surface.id, tuple(proposals[i] for i in order))


@dataclass(frozen=True)
class _SpotSeen:
    """A spot: its code as linear light, what is seen there on the plate (N, 3), and where that is on the square."""

    code: Float64
    light: Float32
    where: Bool | None


def _spots(found: _Found) -> list[_SpotSeen]:
    out = []
    stack = found.stack
    for spot in found.match.spots:
        polygon = np.array(spot.polygon, np.float64)
        picture = stack.plate.frame(spot.frame)
        light = _inside(picture, polygon)
        if len(light) == 0:
            continue
        where = stack.polygon_on_square(polygon, spot.frame)
        out.append(_SpotSeen(srgb_to_linear(np.array(spot.code) / 255.0), light, where))
    return out


def _inside(picture: Frame, polygon: Float64) -> Float32:
    x0, y0 = np.clip(np.floor(polygon.min(axis=0)), 0, [picture.width, picture.height]).astype(int) // 2 * 2
    x1, y1 = np.clip(np.ceil(polygon.max(axis=0)), 0, [picture.width, picture.height]).astype(int)
    x1, y1 = min(picture.width, int(x1) + int(x1) % 2), min(picture.height, int(y1) + int(y1) % 2)
    if x1 <= x0 or y1 <= y0:
        return np.zeros((0, 3), np.float32)
    light = picture.light_of(picture.values((int(x0), int(y0), x1, y1)))
    mask = np.zeros(light.shape[:2], np.uint8)
    cv2.fillPoly(mask, [np.round((polygon - [x0, y0]) * 16 - 8).astype(np.int32)], 1, shift=4)
    return np.asarray(light[mask > 0], np.float32)


# Print.


def _print(found: _Found, spots: Sequence[_SpotSeen], step: Callable[[], None], stop: Stopping) -> list[Proposal]:
    stack = found.stack
    lights, seens = np.stack(found.lights), np.stack(found.seens)
    middle, ever = clean_picture(lights, seens, STILL_PERCENTILE)
    departures = [smooth_change(s, middle, v & ever, stack.square.scale) for s, v in zip(lights, seens, strict=True)]
    local = is_local([d.departs for d in departures])
    gloss = local and _adds(lights, seens, middle, departures)
    percentile = GLOSS_PERCENTILE if gloss else SHADOWS_PERCENTILE if local else STILL_PERCENTILE
    found.clean, found.ever = clean_picture(lights, seens, percentile) if local else _lined_up(lights, seens, departures, ever)
    whites = [s for s in spots if s.code.min() > 0.6]
    sample, picked = _paper_sample(found, whites)
    paper = paper_of(found.clean, found.ever, sample)
    if paper is None:
        level = np.median(sample, axis=0)
        paper = Paper(np.broadcast_to(level, found.clean.shape).astype(np.float32), found.ever, 0.1)
    white_code = np.mean([s.code for s in whites], axis=0) if whites else np.ones(3)
    gain = np.asarray(paper.light[found.ever].mean(axis=0) if found.ever.any() else paper.light.mean(axis=(0, 1)), np.float64) / white_code
    ink, ink_said = _ink(found, paper, spots)
    levels = Proposal(
        "levels", {"gain": _round(gain), "ink": _round(ink), "offset": [0.0, 0.0, 0.0]}, picked,
        f"paper {_three(gain)}, ink {_three(gain * ink)}", "white 1.000, black 0.000",
        f"{'Paper from the spot that was picked' if picked else 'The brightest paper found; pick a spot of it to be sure'}; {ink_said}.",
    )  # fmt: skip
    shape = np.asarray(paper.light / np.maximum(gain * white_code, 1e-6), np.float32)
    written, darkest, brightest = _write_fields(found, shape, local and not gloss, gloss, step, stop)
    low_high = np.percentile(shape[found.ever], [2, 98]) if found.ever.any() else np.ones(2)
    flat = float(low_high[1]) / max(float(low_high[0]), 1e-4)
    how = "with edges, place by place" if local and not gloss else "smooth"
    light = Proposal(
        "light", {"field": {"path": written}}, True, f"{flat:.2f} : 1 over the surface, {darkest:.2f} to {brightest:.2f} over time", "1 : 1, still",
        f"The light on the surface is {how}; it is told from paper all over it.",
    )  # fmt: skip
    out = [levels, light]
    if gloss:
        out.append(
            Proposal(
                "reflections",
                {"kind": "field", "field": {"path": _name(found, "reflections")}},
                True,
                "moving highlights",
                "none",
                "What lies above the surface's own light in single frames is laid over the new picture.",
            )  # fmt: skip
        )
    return out


def _lined_up(lights: Float32, seens: Bool, departures: Sequence[Change], ever: Bool) -> tuple[Float32, Bool]:
    """The mean of all frames, each without its own smooth change of light: less noise than any percentile."""
    total, count = np.zeros(lights.shape[1:], np.float64), np.zeros(lights.shape[1:3], np.float64)
    for light, seen, change in zip(lights, seens, departures, strict=True):
        total += np.where(seen[..., None], light / np.maximum(change.field, 1e-3), 0)
        count += seen
    return (total / np.maximum(count, 1)[..., None]).astype(np.float32), ever & (count > 0)


def _adds(lights: Float32, seens: Bool, clean: Float32, departures: Sequence[Change]) -> bool:
    """Whether what departs is light that lies over the surface, rather than more or less light on it.

    In a small block the frame is a line of the clean picture: light on it makes the line steeper, light over it lifts it.
    """
    added, steeper = 0.0, 0.0
    base, (rows, cols) = clean.mean(axis=2), (clean.shape[0] // BLOCK, clean.shape[1] // BLOCK)
    x = _blocks(base, rows, cols)
    middle = x.mean(axis=1)
    spread = ((x - middle[:, None]) ** 2).mean(axis=1)
    printed = spread > (0.12 * np.maximum(middle, 1e-4)) ** 2
    for light, seen, change in zip(lights, seens, departures, strict=True):
        if change.departs < 0.012:
            continue
        y = _blocks(light.mean(axis=2), rows, cols)
        whole = _blocks(seen.astype(np.float32), rows, cols).min(axis=1) > 0
        mean = y.mean(axis=1)
        ratio = mean / np.maximum(middle, 1e-4)
        use = printed & whole & (np.abs(ratio - 1) > 0.1)
        if use.sum() < 3:
            continue
        slope = ((x - middle[:, None]) * (y - mean[:, None])).mean(axis=1)[use] / spread[use]
        added += float(np.abs(slope - 1).clip(0, 1).sum())
        steeper += float(np.abs(slope - ratio[use]).clip(0, 1).sum())
    return added < 0.7 * steeper


def _blocks(values: Float32, rows: int, cols: int) -> Float32:
    cut = values[: rows * BLOCK, : cols * BLOCK].reshape(rows, BLOCK, cols, BLOCK).transpose(0, 2, 1, 3)
    return np.asarray(cut.reshape(rows * cols, BLOCK * BLOCK), np.float32)


def _paper_sample(found: _Found, whites: Sequence[_SpotSeen]) -> tuple[Float32, bool]:
    for spot in whites:
        if spot.where is not None and (spot.where & found.ever).sum() >= 6:
            return found.clean[spot.where & found.ever], True
        return spot.light, True
    known = found.clean[found.ever]
    if len(known) == 0:
        return np.ones((1, 3), np.float32), False
    level = known.sum(axis=1)
    return known[level >= np.percentile(level, 92)], False


def _ink(found: _Found, paper: Paper, spots: Sequence[_SpotSeen]) -> tuple[Float64, str]:
    """What black sends back of what paper does: from a spot, or from the darkest that is printed."""
    for spot in spots:
        if spot.code.max() < 0.05 and spot.where is not None and (spot.where & found.ever).sum() >= 4:
            at = spot.where & found.ever
            ratio = np.median(found.clean[at] / np.maximum(paper.light[at], 1e-5), axis=0)
            code = spot.code
            return np.clip((ratio - code) / (1 - code), 0, 0.5), "ink from a spot"
    ratio = found.clean / np.maximum(paper.light, 1e-5)
    known = ratio[found.ever]
    if len(known) > 200:
        order = np.argsort(known.mean(axis=1))
        darkest = np.median(known[order[: max(20, len(known) // 200)]], axis=0)
        if darkest.max() < 0.14:
            return np.clip(darkest, 0, 0.5), "ink from the darkest that is printed"
    return np.full(3, USUAL_INK), "ink as it usually is, for nothing black is printed here"


def _write_fields(
    found: _Found, shape: Float32, local: bool, gloss: bool, step: Callable[[], None], stop: Stopping
) -> tuple[str, float, float]:
    """Write the light of every frame, and reflections where there are; the folder's name, and the range of light over time."""
    stack, scale = found.stack, found.stack.square.scale
    name = _name(found, "light")
    target = found.folder / name
    target.mkdir(parents=True, exist_ok=True)
    shine = found.folder / _name(found, "reflections")
    if gloss:
        shine.mkdir(parents=True, exist_ok=True)
    means: list[float] = []
    last: Float32 | None = None
    count = stack.plate.facts.frame_count
    fields: dict[int, Float32] = {}
    small = max(1, round(max(shape.shape[:2]) / 96))
    for one in stack.laid(stack.frames, stop):
        seen = one.seen & found.ever
        if local:
            change = local_change(one.light, found.clean, seen, scale)
        else:
            change = smooth_change(one.light, found.clean, seen, scale).field
        if gloss:
            left = np.where(seen[..., None], np.maximum(one.light - found.clean * np.minimum(change, 1.05), 0), 0)
            soft, _ = blurred(left.astype(np.float32), seen.astype(np.float32), max(0.6, 1.2 * scale))
            write_exr_half(shine / f"reflections.{one.frame:06d}.exr", soft)
            change = np.minimum(change, 1.05)
        whole = np.asarray(shape * change, np.float32)
        if not local and small > 1:
            whole = np.asarray(cv2.resize(whole, None, fx=1 / small, fy=1 / small, interpolation=cv2.INTER_AREA), np.float32)
        fields[one.frame] = whole
        write_exr_half(target / f"light.{one.frame:06d}.exr", whole)
        means.append(float(change[seen].mean()) if seen.any() else 1.0)
        last = whole
        step()
    # Where the surface is lost there is nothing to light; files are numbered without gaps all the same.
    for n in range(count):
        path = target / f"light.{n:06d}.exr"
        if not path.exists() and last is not None:
            near = min(fields, key=lambda k: abs(k - n))
            write_exr_half(path, fields[near])
            if gloss:
                write_exr_half(shine / f"reflections.{n:06d}.exr", np.zeros_like(shape))
    return name, min(means, default=1.0), max(means, default=1.0)


# Screens.


def _screen(found: _Found, spots: Sequence[_SpotSeen], step: Callable[[], None], stop: Stopping) -> list[Proposal]:
    lights, seens = np.stack(found.lights), np.stack(found.seens)
    found.clean, found.ever = clean_picture(lights, seens, STILL_PERCENTILE)
    white = None if found.match.white_linear is None else np.array(found.match.white_linear, np.float64)
    codes = np.array([s.code for s in spots]) if spots else np.zeros((0, 3))
    dark = len(spots) > 0 and bool(codes.max() < float(srgb_to_linear(np.array(DARK_CODE / 255.0))))
    if not spots and found.ever.any():
        dark = float(np.median(found.clean[found.ever].max(axis=1))) < 0.06
    if dark:
        gain = white if white is not None else np.full(3, 0.8)
        said = (
            "the screen's white is as told"
            if white is not None
            else "what the screen's white would be is not known: say it, or judge by eye"
        )
        reflections = Proposal(
            "reflections", {"kind": "plate"}, True, f"{_three(_median(found))} where the screen is dark", "none",
            "The screen was dark: all that is seen on it is reflection, and stays over the new picture.",
        )  # fmt: skip
        for _ in found.stack.frames:
            step()
        value = {"gain": _round(gain), "ink": [0.0] * 3, "offset": [0.0] * 3}
        return [reflections, Proposal("levels", value, white is not None, f"white {_three(gain)}", "white 1.000", f"White: {said}.")]
    seen = np.array([np.median(s.light, axis=0) for s in spots]) if spots else np.array([_median(found)])
    weight = np.array([float(len(s.light)) for s in spots]) if spots else np.ones(1)
    if not spots:
        codes = np.ones((1, 3))
    line = line_of(codes, seen.astype(np.float64), weight)
    offset = np.where(np.isfinite(line.gain) & (line.offset == 0) & ~line.sure, np.nan, line.offset)
    # Channels that the old screen left dark show what it reflects; others are taken to reflect as much.
    reflects = float(np.nanmin(offset)) if np.isfinite(offset).any() else 0.0
    offset = np.where(np.isfinite(offset), offset, max(reflects, 0.0))
    own = np.where(codes.max(axis=0) > 0.05, (seen.mean(axis=0) - offset) / np.maximum(codes.mean(axis=0), 1e-3), np.nan)
    gain = neutral_gain(own) if white is None else white
    emits = int(np.argmax(codes.mean(axis=0)))
    field_name, low, high = _write_emission(found, emits, float(offset[emits]), step, stop)
    sure: bool = white is not None or bool(np.isfinite(own).all())
    levels = Proposal(
        "levels", {"gain": _round(gain), "ink": [0.0] * 3, "offset": _round(offset)}, sure,
        f"white {_three(gain)}, reflection {_three(offset)}", "white 1.000, black 0.000",
        "White as told." if white is not None else "White from the old screen's own code." if sure
        else "The old screen lit some channels only; its white is taken for neutral. Say its white to be sure.",
    )  # fmt: skip
    light = Proposal(
        "light", {"field": {"path": field_name}}, True, f"{low:.2f} to {high:.2f} over screen and time", "1, still",
        "How evenly the screen shines, and how that changes, from the bare screen itself.",
    )  # fmt: skip
    return [levels, light]


def _median(found: _Found) -> Float64:
    known = found.clean[found.ever]
    return np.asarray(np.median(known, axis=0), np.float64) if len(known) else np.zeros(3)


def _write_emission(found: _Found, channel: int, offset: float, step: Callable[[], None], stop: Stopping) -> tuple[str, float, float]:
    """Write how brightly the bare screen shines over itself and over time, as a smooth ratio."""
    name = _name(found, "light")
    target = found.folder / name
    target.mkdir(parents=True, exist_ok=True)
    spot = next((w for s in _spots(found) if (w := s.where) is not None and (w & found.ever).sum() > 3), found.ever)
    at_spot = float(np.median(found.clean[spot & found.ever][:, channel])) - offset if (spot & found.ever).any() else 1.0
    h, w = found.ever.shape
    small = (max(8, w // 6), max(8, h // 6))
    low, high, fields = [], [], {}
    for one in found.stack.laid(found.stack.frames, stop):
        values = (one.light[..., channel] - offset) / max(at_spot, 1e-4)
        near = chroma_of(one.light) - chroma_of(np.median(one.light[one.seen], axis=0)[None] if one.seen.any() else one.light[:1, 0])
        bare = one.seen & (np.linalg.norm(near, axis=2) < 0.04) & (values > 0.3)
        whole = np.ones((h, w), np.float32)
        if bare.sum() > 60:
            whole = field_of(fit_log(values, bare, degree_for(bare))[0], w, h)
        field_now = np.repeat(cv2.resize(whole, small, interpolation=cv2.INTER_AREA)[..., None], 3, axis=2)
        fields[one.frame] = field_now
        low.append(float(field_now.min()))
        high.append(float(field_now.max()))
        step()
    for n in range(found.stack.plate.facts.frame_count):
        near_frame = min(fields, key=lambda k: abs(k - n)) if fields else None
        write_exr_half(target / f"light.{n:06d}.exr", fields[near_frame] if near_frame is not None else np.ones((8, 8, 3), np.float32))
    return name, min(low, default=1.0), max(high, default=1.0)


# What print and screens share.


def _grain(found: _Found, stop: Stopping) -> tuple[float, Proposal]:
    """Grain around and on the surface; and the noise of a px in the middle of the scale, codes."""
    stack = found.stack
    pictures = []
    for n, picture in stack.pictures(spread(stack.frames, FOR_GRAIN), stop):
        near = stack.ring(n, picture)
        if near is not None:
            box, where = near
            pictures.append((picture.codes(box), where))
    # Following tells the noise of single px where it looked; grain that is far above it is fine print.
    told = [r.softness.noise for r in stack.tracks.get(stack.surface.id, {}).values() if r.softness is not None and r.softness.noise]
    grain = measure_grain(pictures, NOISE_TIMES * float(np.median(told)) if told else 1.0)
    if grain is None:
        return 0.0, Proposal(
            "grain", None, False, "too little is flat to tell", "none", "Nothing flat enough is near the surface. Judge it by eye."
        )
    value = {
        "codes": _round(grain.codes), "deviation": [_round(d) for d in grain.deviation],
        "spatial": [_round(r) for r in grain.spatial], "channels": [_round(r) for r in grain.channels],
    }  # fmt: skip
    middle = grain.deviation[len(grain.deviation) // 2]
    noise = float(middle.mean())
    worth = noise > 0.0006
    return noise, Proposal(
        "grain", value if worth else None, worth, f"{255 * middle[0]:.2f}, {255 * middle[1]:.2f}, {255 * middle[2]:.2f} of 255", "0",
        "Told from flat parts near the surface, level by level." if worth else "The plate has hardly any grain: none is added.",
    )  # fmt: skip


def _softness(found: _Found, stop: Stopping) -> Proposal:
    """The spread of edges near the surface at frames around its reference, and from there as it was followed."""
    stack = found.stack
    reference = stack.surface.reference_frame
    near = sorted(stack.frames, key=lambda n: abs(n - reference))[: 3 * FOR_SOFT : 3] or [reference]
    track = stack.tracks.get(stack.surface.id, {})
    defocus = {n: r.softness.defocus_px2 for n, r in track.items() if r.softness is not None}
    squares, edges = [], 0
    for n, picture in stack.pictures(sorted(near), stop):
        around = stack.ring(n, picture)
        if around is None:
            continue
        box, where = around
        light = picture.light_of(picture.values(box))
        told = edge_sigma(np.ascontiguousarray(light @ LUMA), where, max(found.noise, 0.001))
        if told is not None:
            squares.append(told[0] ** 2 - defocus.get(n, 0.0))
            edges += told[1]
    if not squares:
        return Proposal(
            "softness", None, False, "no edge is plain enough", "0.55 px", "No straight edge near the surface tells it. Judge it by eye."
        )
    base = float(np.median(squares))
    count = stack.plate.facts.frame_count
    frames = None
    if len(defocus) > 2 and float(np.ptp(list(defocus.values()))) > 0.05:
        known = sorted(defocus)
        squares_at = np.interp(np.arange(count), known, [base + defocus[n] for n in known])
        frames = [round(extra_sigma(float(np.sqrt(max(v, 0.0)))), 3) for v in squares_at]
    sigma = extra_sigma(float(np.sqrt(max(base, 0.0))))
    over = f", {min(frames):.2f} to {max(frames):.2f} px over the shot" if frames else ""
    value = {"sigma_px": round(sigma, 3), "frames": frames}
    worth = sigma > 0.12 or (frames is not None and max(frames) > 0.12)
    return Proposal(
        "softness", value if worth else None, edges >= 24, f"{np.sqrt(max(base, 0)):.2f} px{over}", "0.55 px",
        f"From {edges} edges near the surface{'; how it changes was followed' if frames else ''}." if edges >= 24 else "From few edges: judge it by eye.",
    )  # fmt: skip


def _movement(found: _Found) -> Proposal:
    """Blur by movement, where the shutter was found with the track."""
    stack = found.stack
    camera = stack.camera
    track = stack.tracks.get(stack.surface.id, {})
    moved = [
        float(np.linalg.norm(b - a, axis=1).max())
        for n in stack.frames
        if (a := _corners(track, n)) is not None and (b := _corners(track, n + 1)) is not None
    ]
    fastest = max(moved, default=0.0)
    shutter = float(np.sqrt(12 * camera.shutter)) if camera.shutter else None
    if shutter is None:
        worth = fastest > 4
        return Proposal(
            "movement", {"shutter": 0.5} if worth else None, False, f"{fastest:.1f} px a frame at most, shutter not told", "none",
            "The track does not tell the shutter; half a frame is usual. Judge it by eye." if worth else "It hardly moves: there is no blur to add.",
        )  # fmt: skip
    worth = shutter * fastest > 0.5
    return Proposal(
        "movement", {"shutter": round(min(shutter, 2.0), 3)} if worth else None, True, f"shutter {shutter:.2f} frames, {fastest:.1f} px a frame at most", "none",
        "The shutter was found with the track." if worth else "It moves too little for its blur to be seen.",
    )  # fmt: skip


def _corners(track: Any, n: int) -> Float64 | None:
    r = track.get(n)
    return None if r is None or r.homography is None else r.corners


def _veil(found: _Found, proposals: Sequence[Proposal]) -> Proposal:
    """Haze: the darkest that is seen around, which nothing in the scene should be."""
    known = found.clean[found.ever]
    dark = np.percentile(known, 0.3, axis=0) if len(known) else np.zeros(3)
    return Proposal(
        "veil", None, False, f"darkest {_three(np.asarray(dark, np.float64))}", "0.000",
        "The darkest on the surface is taken for ink or reflection already. Add a veil by hand where haze lies before it.",
    )  # fmt: skip


def _shadow(found: _Found) -> Proposal:
    kept = any(p.kept_in_front for p in found.stack.shot.placements if p.surface == found.stack.surface.id)
    return Proposal(
        "shadow", {"offset_px": [4.0, 6.0], "soft_px": 6.0, "strength": 0.25} if kept else None, False,
        "not measured", "none", "A matte stays in front: a soft shadow under it can be added. Judge it by eye." if kept else "Nothing in front has a matte.",
    )  # fmt: skip


def _glow(found: _Found, proposals: Sequence[Proposal]) -> Proposal:
    levels = next((p for p in proposals if p.part == "levels"), None)
    bright = found.match.kind == "screen" and levels is not None and levels.value is not None and max(levels.value["gain"]) > 0.5
    return Proposal(
        "glow", {"radius_px": 24.0, "strength": 0.04} if bright else None, False, "not measured", "none",
        "A bright screen throws light around it. Judge it by eye." if bright else "Nothing here shines.",
    )  # fmt: skip


def _name(found: _Found, what: str) -> str:
    return f"{found.stack.surface.id}.{what}"


def _round(values: Any) -> list[float]:
    return [round(float(v), 5) for v in values]


def _three(values: Float64) -> str:
    return " ".join(f"{v:.3f}" for v in values)


def with_proposals(match: SurfaceMatch, measured: Measured, parts: Sequence[str]) -> SurfaceMatch:
    """The match with some proposals taken over."""
    taken = {p.part: p.value for p in measured.proposals if p.part in parts and p.value is not None}
    return SurfaceMatch.model_validate({**match.model_dump(), **taken})


def only_sure(measured: Measured) -> list[str]:
    """Parts that can be taken over without a look."""
    return [p.part for p in measured.proposals if p.sure and p.value is not None]
