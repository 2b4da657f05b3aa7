"""Screens: their white, what their glass reflects, and how evenly they shine."""

from collections.abc import Callable, Sequence

import cv2
import numpy as np

from verdigris.core.light.transfer import srgb_to_linear
from verdigris.core.match.known import evenness, known_screen, reflection_of
from verdigris.core.match.levels import line_of, neutral_gain
from verdigris.core.match.light_field import chroma_of, clean_picture
from verdigris.core.match.smooth import degree_for, field_of, fit_log
from verdigris.core.types import Bool, Float32, Float64
from verdigris.media.frames import Frame
from verdigris.runs.errors import RunError
from verdigris.runs.match.proposal import FieldFiles, Found, Proposal, SpotSeen, Stopping, rounded, three
from verdigris.runs.render.handover import side_by_side

STILL_PERCENTILE = 50.0
# An old picture that explains less of what is seen is another one.
LEAST_FIT = 0.6
# A screen whose spots have no code above this was dark.
DARK_CODE = 12


def measure_screen(found: Found, spots: Sequence[SpotSeen], step: Callable[[], None], stop: Stopping) -> list[Proposal]:
    """White, reflection and evenness of a screen; all of its reflections where it was dark."""
    lights, seens = np.stack(found.lights), np.stack(found.seens)
    found.clean, found.ever = clean_picture(lights, seens, STILL_PERCENTILE)
    white = None if found.match.white_linear is None else np.array(found.match.white_linear, np.float64)
    codes = np.array([s.code for s in spots]) if spots else np.zeros((0, 3))
    if found.old is not None:
        return _known_screen(found, found.old, white, step, stop)
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
            "reflections", {"kind": "plate"}, True, f"{three(_median(found))} where the screen is dark", "none",
            "The screen was dark: all that is seen on it is reflection, and stays over the new picture.",
        )  # fmt: skip
        for _ in found.stack.frames:
            step()
        value = {"gain": rounded(gain), "ink": [0.0] * 3, "offset": [0.0] * 3}
        return [reflections, Proposal("levels", value, white is not None, f"white {three(gain)}", "white 1.000", f"White: {said}.")]
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
    if white is not None:
        # What dark channels show beyond the screen's own light is reflection; bright ones are taken to have as much.
        beyond = np.clip(seen.mean(axis=0) - white * codes.mean(axis=0), 0, None)
        dim = codes.mean(axis=0) < 0.3
        offset = np.where(dim, beyond, beyond[dim].min() if dim.any() else 0.0)
    emits = int(np.argmax(codes.mean(axis=0)))
    written, low, high = _write_emission(found, spots, emits, float(offset[emits]), step, stop)
    sure: bool = white is not None or bool(np.isfinite(own).all())
    levels = Proposal(
        "levels", {"gain": rounded(gain), "ink": [0.0] * 3, "offset": rounded(offset)}, sure,
        f"white {three(gain)}, reflection {three(offset)}", "white 1.000, black 0.000",
        "White as told." if white is not None else "White from the old screen's own code." if sure
        else "The old screen lit some channels only; its white is taken for neutral. Say its white to be sure.",
    )  # fmt: skip
    light = Proposal(
        "light", {"field": {"path": written}}, True, f"{low:.2f} to {high:.2f} over screen and time", "1, still",
        "How evenly the screen shines, and how that changes, from the bare screen itself.",
    )  # fmt: skip
    return [levels, light]


def _known_screen(found: Found, old: Float32, white: Float64 | None, step: Callable[[], None], stop: Stopping) -> list[Proposal]:
    """A screen whose picture is known: white and reflection are a line through all of it; how evenly it shines is told everywhere."""
    known = known_screen(found.clean, found.ever, old)
    if known is None:
        raise RunError("not_ready", "Too little of the old screen is seen to compare it with its picture.")
    line = known.line
    offset = reflection_of(line)
    gain = neutral_gain(line.gain) if white is None else white
    fits, matches = known.fits, known.fits > LEAST_FIT
    levels = Proposal(
        "levels", {"gain": rounded(gain), "ink": [0.0] * 3, "offset": rounded(offset)}, matches and (line.sure or white is not None),
        f"white {three(gain)}, reflection {three(offset)}", "white 1.000, black 0.000",
        f"White and reflection from the old picture, which explains {100 * fits:.0f} % of what is seen."
        if matches else "The old picture does not show what is on the plate. Choose another, or take it out.",
    )  # fmt: skip
    files = FieldFiles(found, "light")
    h, w = found.ever.shape
    small = (max(8, w // 6), max(8, h // 6))

    def one_frame(item: tuple[int, Frame]) -> tuple[float, float]:
        one = found.stack.lay(*item)
        values, told = evenness(one.light, np.asarray(gain * old, np.float32), offset)
        return _write_even(files, one.frame, values, np.asarray(one.seen & known.bright & told & (values > 0.1), np.bool_), small)

    name, low, high = _write_all(found, files, one_frame, step, stop)
    light = Proposal(
        "light", {"field": {"path": name}}, matches, f"{low:.2f} to {high:.2f} over screen and time", "1, still",
        "How evenly the screen shines, and how that changes, from the old picture.",
    )  # fmt: skip
    return [levels, light]


def _median(found: Found) -> Float64:
    known = found.clean[found.ever]
    return np.asarray(np.median(known, axis=0), np.float64) if len(known) else np.zeros(3)


def _write_emission(
    found: Found, spots: Sequence[SpotSeen], channel: int, offset: float, step: Callable[[], None], stop: Stopping
) -> tuple[str, float, float]:
    """Write how brightly the bare screen shines over itself and over time, as a smooth ratio."""
    files = FieldFiles(found, "light")
    spot = next((w for s in spots if (w := s.where) is not None and (w & found.ever).sum() > 3), found.ever)
    at_spot = float(np.median(found.clean[spot & found.ever][:, channel])) - offset if (spot & found.ever).any() else 1.0
    h, w = found.ever.shape
    small = (max(8, w // 6), max(8, h // 6))

    def one_frame(item: tuple[int, Frame]) -> tuple[float, float]:
        one = found.stack.lay(*item)
        values = (one.light[..., channel] - offset) / max(at_spot, 1e-4)
        near = chroma_of(one.light) - chroma_of(np.median(one.light[one.seen], axis=0)[None] if one.seen.any() else one.light[:1, 0])
        bare = one.seen & (np.linalg.norm(near, axis=2) < 0.04) & (values > 0.3)
        return _write_even(files, one.frame, values, bare, small)

    return _write_all(found, files, one_frame, step, stop)


def _write_even(files: FieldFiles, frame: int, values: Float32, bare: Bool, small: tuple[int, int]) -> tuple[float, float]:
    """Write how evenly a screen shines at a frame, smooth through what is bare; its least and its most."""
    h, w = bare.shape
    whole = np.ones((h, w), np.float32)
    if bare.sum() > 60:
        whole = field_of(fit_log(values, bare, degree_for(bare))[0], w, h)
    now = np.repeat(cv2.resize(whole, small, interpolation=cv2.INTER_AREA)[..., None], 3, axis=2)
    files.write(frame, now)
    return float(now.min()), float(now.max())


def _write_all(
    found: Found, files: FieldFiles, one_frame: Callable[[tuple[int, Frame]], tuple[float, float]], step: Callable[[], None], stop: Stopping
) -> tuple[str, float, float]:
    """Write every frame; the folder's name, and the least and the most of all."""
    lows, highs = [], []
    for low, high in side_by_side(found.stack.pictures(found.stack.frames, stop), one_frame):
        lows.append(low)
        highs.append(high)
        step()
    files.fill()
    return files.name, min(lows, default=1.0), max(highs, default=1.0)
