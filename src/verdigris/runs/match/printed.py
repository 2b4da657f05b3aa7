"""Print: paper, ink, the light on them, and highlights on gloss."""

from collections.abc import Callable, Sequence

import cv2
import numpy as np

from verdigris.core.match.known import known_print
from verdigris.core.match.levels import USUAL_INK
from verdigris.core.match.light_field import Change, Paper, clean_picture, is_local, local_change, paper_of, smooth_change
from verdigris.core.match.plane import blurred
from verdigris.core.match.shading import Shading, shading_of
from verdigris.core.types import Bool, Float32, Float64
from verdigris.media.frames import Frame
from verdigris.runs.match.proposal import FieldFiles, Found, Proposal, SpotSeen, Stopping, field_name, rounded, three
from verdigris.runs.render.handover import side_by_side

SHADOWS_PERCENTILE, STILL_PERCENTILE, GLOSS_PERCENTILE = 92.0, 50.0, 6.0
# From such a share of bare paper on, folds are told and not guessed.
SURE_PAPER = 0.3
# Folds deeper than this, standard deviation, are as likely print.
DEEPEST = 0.1
# An old picture that explains less of what is seen is another one.
LEAST_FIT = 0.6
# Px of a side of the blocks that are compared with the clean picture.
BLOCK = 8


def measure_print(found: Found, spots: Sequence[SpotSeen], step: Callable[[], None], stop: Stopping) -> list[Proposal]:
    """Levels and light of a print, and reflections where it is glossy."""
    stack = found.stack
    lights, seens = np.stack(found.lights), np.stack(found.seens)
    middle, ever = clean_picture(lights, seens, STILL_PERCENTILE)
    both = zip(lights, seens, strict=True)
    departures = list(side_by_side(both, lambda pair: smooth_change(pair[0], middle, pair[1] & ever, stack.square.scale)))
    local = is_local([d.departs for d in departures])
    gloss = local and _adds(lights, seens, middle, departures)
    found.local_light = local and not gloss
    percentile = GLOSS_PERCENTILE if gloss else SHADOWS_PERCENTILE if local else STILL_PERCENTILE
    found.clean, found.ever = clean_picture(lights, seens, percentile) if local else _lined_up(lights, seens, departures, ever)
    whites = [s for s in spots if s.code.min() > 0.6]
    known = None if found.old is None else known_print(found.clean, found.ever, found.old)
    if known is not None and known.fits < LEAST_FIT:
        known = None
    sample, picked = _paper_sample(found, whites)
    paper = paper_of(found.clean, found.ever, sample) if known is None else Paper(known.light, known.told, 0.1)
    if paper is None:
        level = np.median(sample, axis=0)
        paper = Paper(np.broadcast_to(level, found.clean.shape).astype(np.float32), found.ever, 0.1)
    white_code = np.mean([s.code for s in whites], axis=0) if whites and known is None else np.ones(3)
    gain = np.asarray(paper.light[found.ever].mean(axis=0) if found.ever.any() else paper.light.mean(axis=(0, 1)), np.float64) / white_code
    ink, ink_said = _ink(found, paper, spots) if known is None or not known.ink_told else (known.ink, "ink as well")
    told = "Paper from the spot that was picked" if picked else "The brightest paper found; pick a spot of it to be sure"
    if known is not None:
        told = f"Paper from the old picture, which explains {100 * known.fits:.0f} % of what is seen"
    elif found.old is not None:
        told = f"The old picture does not show what is on the plate and was left out. {told}"
    levels = Proposal(
        "levels", {"gain": rounded(gain), "ink": rounded(ink), "offset": [0.0, 0.0, 0.0]}, picked or known is not None,
        f"paper {three(gain)}, ink {three(gain * ink)}", "white 1.000, black 0.000", f"{told}; {ink_said}.",
    )  # fmt: skip
    shape = np.asarray(paper.light / np.maximum(gain * white_code, 1e-6), np.float32)
    written, means = _write_fields(found, shape, local and not gloss, gloss, step, stop)
    low_high = np.percentile(shape[found.ever], [2, 98]) if found.ever.any() else np.ones(2)
    flat = float(low_high[1]) / max(float(low_high[0]), 1e-4)
    how = "with edges, place by place" if local and not gloss else "smooth"
    over_time = f"{min(means, default=1):.2f} to {max(means, default=1):.2f} over time"
    light = Proposal(
        "light", {"field": {"path": written}}, True, f"{flat:.2f} : 1 over the surface, {over_time}", "1 : 1, still",
        f"The light on the surface is {how}; it is told from {'paper all over it' if known is None else 'all of the old picture'}.",
        (tuple(round(m, 4) for m in means),),
    )  # fmt: skip
    out = [levels, light, _shading(found, paper, picked, None if known is None else known.shading)]
    if gloss:
        value = {"kind": "field", "field": {"path": field_name(found, "reflections")}}
        said = "What lies above the surface's own light in single frames is laid over the new picture."
        out.append(Proposal("reflections", value, True, "moving highlights", "none", said))
    return out


def _shading(found: Found, paper: Paper, picked: bool, known: Shading | None) -> Proposal:
    """Folds and texture, as far as bare paper shows them, or the old picture does; one picture holds for all frames.

    A printed cloud looks like a fold: it is sure only where somebody said what is paper, and much of it is bare.
    """
    told = shading_of(found.clean, paper, found.ever) if known is None else known
    where = f"{100 * told.known:.0f} % of it {'is bare paper' if known is None else 'tells'}"
    if not told.is_seen:
        said = f"The old one lies flat: {where}, and its light is smooth."
        return Proposal("shading", None, False, f"{100 * told.depth:.1f} % deep", "none", said)
    files = FieldFiles(found, "shading")
    for n in found.stack.frames:
        files.write(n, told.field)
    files.fill()
    # Print that is seen softer and sharper by turns leaves marks on the paper beside it that look like folds.
    plain = not found.stack.focus_changes and told.depth < DEEPEST
    sure = told.known > SURE_PAPER and (known is not None or (picked and plain))
    if sure:
        said = f"Folds and texture of the old one, {where}."
    elif picked:
        said = f"Folds, or print beside the paper: {where}. Judge it by eye."
    else:
        said = "Folds, or a soft print such as clouds: pick a spot of paper, measure again, and judge it by eye."
    across = told.field[told.field.shape[0] // 2, :: max(1, told.field.shape[1] // 60), 1]
    value, evidence = {"field": {"path": files.name}}, (tuple(round(float(v), 4) for v in across),)
    return Proposal("shading", value, sure, f"{100 * told.depth:.1f} % deep", "none", said, evidence)


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


def _paper_sample(found: Found, whites: Sequence[SpotSeen]) -> tuple[Float32, bool]:
    for spot in whites:
        if spot.where is not None and (spot.where & found.ever).sum() >= 6:
            return found.clean[spot.where & found.ever], True
        return spot.light, True
    known = found.clean[found.ever]
    if len(known) == 0:
        return np.ones((1, 3), np.float32), False
    level = known.sum(axis=1)
    return known[level >= np.percentile(level, 92)], False


def _ink(found: Found, paper: Paper, spots: Sequence[SpotSeen]) -> tuple[Float64, str]:
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


def _smooth_field(frame: Float32, clean: Float32, seen: Bool, scale: float) -> Float32:
    return smooth_change(frame, clean, seen, scale).field


def _write_fields(
    found: Found, shape: Float32, local: bool, gloss: bool, step: Callable[[], None], stop: Stopping
) -> tuple[str, list[float]]:
    """Write the light of every frame, and reflections where there are; the folder's name, and the light over time."""
    stack, scale = found.stack, found.stack.square.scale
    files, shine = FieldFiles(found, "light"), FieldFiles(found, "reflections") if gloss else None
    means: list[float] = []
    small = max(1, round(max(shape.shape[:2]) / 96))

    def one_frame(item: tuple[int, Frame]) -> float:
        one = stack.lay(*item)
        seen = one.seen & found.ever
        change = (local_change if local else _smooth_field)(one.light, found.clean, seen, scale)
        if shine is not None:
            left = np.where(seen[..., None], np.maximum(one.light - found.clean * np.minimum(change, 1.05), 0), 0)
            soft, _ = blurred(left.astype(np.float32), seen.astype(np.float32), max(0.6, 1.2 * scale))
            shine.write(one.frame, soft)
            change = np.asarray(np.minimum(change, 1.05), np.float32)
        whole = np.asarray(shape * change, np.float32)
        if not local and small > 1:
            whole = np.asarray(cv2.resize(whole, None, fx=1 / small, fy=1 / small, interpolation=cv2.INTER_AREA), np.float32)
        files.write(one.frame, whole)
        return float(change[seen].mean()) if seen.any() else 1.0

    for mean in side_by_side(stack.pictures(stack.frames, stop), one_frame):
        means.append(mean)
        step()
    files.fill()
    if shine is not None:
        shine.fill()
    return files.name, means
