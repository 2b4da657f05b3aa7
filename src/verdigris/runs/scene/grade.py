"""A grade as a document says it, as a function of linear light."""

from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

import numpy as np

from verdigris.core.composite.look import cdl
from verdigris.core.light.curve import curve_table, curved
from verdigris.core.light.encoding import Primaries, in_primaries, to_code, to_light
from verdigris.core.types import Float32, Float64
from verdigris.media.errors import MediaError
from verdigris.media.lut import CONFIG_ENDING, read_look, read_lut
from verdigris.runs.scene.frame_plan import GradePlan
from verdigris.shot.model.keyed import value_at
from verdigris.shot.model.match import Curves, Grade
from verdigris.shot.model.media import MediaRef

# Middle grey in display codes, about which contrast turns.
MIDDLE = 0.46
Change = Callable[[Float32], Float32]
# Where a file of a document lies.
Find = Callable[[MediaRef], Path]


def plan_grade(grade: Grade | None, frame: int) -> GradePlan | None:
    """A grade at a frame; None where it changes nothing."""
    strength = 0.0 if grade is None else value_at(grade.strength, frame)
    if grade is None or strength <= 0 or grade.model_copy(update={"strength": 1.0}) == Grade():
        return None
    return GradePlan(grade.model_dump_json(exclude={"strength"}, exclude_defaults=True), strength)


def of_plan(plan: GradePlan, find: Find, primaries: Primaries) -> Change:
    """The function that a plan asks for."""
    return graded(Grade.model_validate_json(plan.told), plan.strength, find, primaries)


def graded(grade: Grade, strength: float, find: Find, primaries: Primaries = "bt709") -> Change:
    """A grade as a function of linear light (..., 3), on sRGB codes: brightness and contrast, the list, curves, and then a table.

    Parameters
    ----------
    primaries : of the light; what is graded has those of BT.709

    Raises
    ------
    MediaError
        Where its table cannot be read, or has no such look.
    """
    # Brightness and contrast are a slope and an offset before the list's own.
    r, g, b = grade.slope
    slope = (r * grade.contrast, g * grade.contrast, b * grade.contrast)
    shift = grade.brightness + MIDDLE * (1 - grade.contrast)
    offset = (grade.offset[0] + r * shift, grade.offset[1] + g * shift, grade.offset[2] + b * shift)
    listed = cdl(slope, offset, grade.power, grade.saturation)
    tables = _tables(grade.curves)
    table, look = _read(grade, find)

    def on_codes(codes: Float32) -> Float32:
        out = listed(codes)
        if tables is not None:
            out = curved(curved(out, [tables[0]] * 3), tables[1:])
        return out if table is None else table(out)

    def whole(light: Float32) -> Float32:
        out = to_light(on_codes(to_code(in_primaries(light, primaries, "bt709"), "srgb")), "srgb")
        return in_primaries(out if look is None else look(out), "bt709", primaries)

    if strength == 1:
        return whole
    return lambda light: np.asarray(light + np.float32(strength) * (whole(light) - light), np.float32)


@lru_cache(maxsize=64)
def _tables_of(told: str) -> tuple[Float64 | None, ...] | None:
    curves = Curves.model_validate_json(told)
    tables = tuple(curve_table(points) for points in (curves.all, curves.red, curves.green, curves.blue))
    return None if all(t is None for t in tables) else tables


def _tables(curves: Curves | None) -> tuple[Float64 | None, ...] | None:
    return None if curves is None else _tables_of(curves.model_dump_json())


def _read(grade: Grade, find: Find) -> tuple[Change | None, Change | None]:
    """A table on codes, and a look on light, as far as they are asked for."""
    if grade.lut is None:
        return None, None
    path = find(grade.lut)
    if path.suffix.lower() != CONFIG_ENDING:
        return read_lut(path), None
    if grade.look is None:
        raise MediaError("not_found", f"{path.name} holds looks: say which of them.")
    return None, read_look(path, grade.look)


def on_display(grade: Grade, find: Find) -> Change:
    """A whole grade as a function of display codes, for a table of it."""
    on_light = graded(grade, value_at(grade.strength, 0), find)
    return lambda codes: to_code(on_light(to_light(codes, "srgb")), "srgb")
