"""What a document says of how things sit, as a frame needs it."""

import json
from collections.abc import Callable, Mapping
from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np

from verdigris.core.composite.look import Cast, Glow, Look, Rgb
from verdigris.core.composite.texture import Texture
from verdigris.core.composite.through_lens import Vignette
from verdigris.core.composite.warp import exposure_of
from verdigris.core.light.encoding import Primaries
from verdigris.core.match.fringe import Fringe
from verdigris.core.match.grain import Grain
from verdigris.core.match.halo import Halo
from verdigris.core.types import Float32, Float64
from verdigris.media.frames import linear_light
from verdigris.media.reader import Reader
from verdigris.runs.errors import RunError
from verdigris.runs.scene.frame_plan import MatchPlan
from verdigris.runs.scene.grade import Find, graded
from verdigris.shot.model.keyed import value_at
from verdigris.shot.model.match import GrainLook, Softness, SurfaceMatch
from verdigris.shot.model.media import MediaRef

KEYED = ("levels", "light", "shading", "reflections", "veil", "grade")
# What is measured from, and what the plan tells for each frame by itself.
NOT_DRAWN = {"old", "spots", "white_linear", "kind", "surface"}


def plan_match(match: SurfaceMatch | None, frame: int) -> MatchPlan | None:
    """A match at a frame; None where it changes nothing."""
    if match is None:
        return None
    strengths = tuple((k, value_at(part.strength, frame)) for k in KEYED if (part := getattr(match, k)) is not None)
    soft, corners = (0.0, None) if match.softness is None else softness_at(match.softness, frame)
    plain = match.model_dump(mode="json", exclude=NOT_DRAWN | {"softness", "movement", "on"}, exclude_none=True)
    drawn = {k: v for k, v in plain.items() if dict(strengths).get(k, 1.0) > 0 and v.get("strength") != 0}
    if not drawn and soft <= 0 and not any(corners or ()):
        return None
    return MatchPlan(json.dumps(drawn), frame, strengths, soft, corners)


def softness_at(part: Softness, frame: int) -> tuple[float, tuple[float, float, float, float] | None]:
    """Softness at a frame, px: all over, and at the four corners where it differs between them."""
    soft = part.frames[min(frame, len(part.frames) - 1)] if part.frames else part.sigma_px
    if part.corners is None:
        return soft * part.strength, None
    grown = soft**2 - part.sigma_px**2
    a, b, c, d = (float(max(s**2 + grown, 0.0)) ** 0.5 * part.strength for s in part.corners)
    return soft * part.strength, (a, b, c, d)


def exposure_for(match: SurfaceMatch | None, corners: Mapping[int, Float64]) -> tuple[tuple[float, float], ...] | None:
    """Moments of the exposure of a surface with these corners around a frame; None where movement is not blurred."""
    if match is None or match.movement is None or len(corners) < 2:
        return None
    open_for = match.movement.shutter * match.movement.strength
    low, high = min(k for k in corners if k >= -1), max(k for k in corners if k <= 1)
    if high == low or open_for <= 0:
        return None
    travel = float(np.linalg.norm(corners[high] - corners[low], axis=1).max()) / (high - low)
    moments = exposure_of(open_for, travel)
    return moments if len(moments) > 1 else None


class Fields:
    """Pictures that lie over a surface, read frame by frame.

    Parameters
    ----------
    open_file : opens a folder of stills
    find : tells where any other file lies that a match or a grade names
    """

    def __init__(self, open_file: Callable[[MediaRef], Reader], find: Find) -> None:
        self.find = find
        self._open, self._readers = open_file, dict[str, Reader]()
        self._texture = lru_cache(maxsize=12)(self._read)

    def texture(self, ref: MediaRef, frame: int) -> Texture:
        """A picture at a frame; where there are fewer, the last holds."""
        return self._texture(ref.model_dump_json(), frame)

    def _read(self, told: str, frame: int) -> Texture:
        if told not in self._readers:
            self._readers[told] = self._open(MediaRef.model_validate_json(told))
        reader = self._readers[told]
        light = linear_light(reader.frame(min(frame, reader.facts.frame_count - 1)))[..., :3]
        return Texture(np.dstack([light, np.ones(light.shape[:2], np.float32)]).astype(np.float32))

    def close(self) -> None:
        """Close what is open."""
        for reader in self._readers.values():
            reader.close()


def look_of(
    plan: MatchPlan, fields: Fields, codes_of: Callable[[Float32], Float32], light_of: Callable[[Float32], Float32], number: int,
    primaries: Primaries, size: tuple[float, float],
) -> Look:  # fmt: skip
    """The look of a layer in a picture of such primaries and size, plate px; `number` tells layers of one frame apart."""
    match = SurfaceMatch.model_validate({"surface": "x", **json.loads(plan.told)})
    strength = dict(plan.strengths)
    gain, ink, offset = np.ones(3), np.zeros(3), np.zeros(3)
    if match.levels is not None:
        s = strength["levels"]
        gain = np.maximum(np.array(match.levels.gain), 1e-6) ** s
        ink, offset = np.array(match.levels.ink) * s, np.array(match.levels.offset) * s
    if match.veil is not None:
        offset = offset + np.array(match.veil.light) * strength["veil"]
    light = reflection = None
    light_strength = 1.0
    for name in ("light", "shading"):
        part = getattr(match, name)
        if part is not None:
            texture = fields.texture(part.field, plan.frame)
            light, light_strength = (
                (texture, strength[name]) if light is None else (_times(light, light_strength, texture, strength[name]), 1.0)
            )
    keep_old = False
    if match.reflections is not None:
        keep_old = match.reflections.kind == "plate"
        if match.reflections.field is not None and not keep_old:
            reflection = fields.texture(match.reflections.field, plan.frame)
    shadow, glow, wrap = match.shadow, match.glow, match.wrap
    vignette, fringe, halo, middle = match.vignette, match.fringe, match.halo, (size[0] / 2, size[1] / 2)
    return Look(
        gain=_rgb(gain),
        ink=_rgb(ink),
        offset=_rgb(offset),
        light=light,
        light_strength=light_strength,
        reflection=reflection,
        reflection_strength=strength.get("reflections", 1.0),
        keep_old=keep_old,
        soft_px=plan.soft_px,
        soft_corners=plan.soft_corners,
        vignette=None if vignette is None else Vignette(vignette.amount * vignette.strength, middle, float(np.hypot(*middle))),
        fringe=None if fringe is None else Fringe(fringe.red * fringe.strength, fringe.blue * fringe.strength),
        middle=middle,
        halo=None if halo is None else Halo(halo.amount * halo.strength, halo.radius_px),
        grain=None if match.grain is None else grain_of(match.grain),
        grain_strength=match.grain.strength if match.grain else 1.0,
        seed=(match.grain.seed if match.grain else 1, plan.frame, number),
        glow=None if glow is None else Glow(glow.strength, glow.radius_px, glow.instead),
        cast=None if shadow is None else Cast(shadow.offset_px, shadow.soft_px, shadow.strength),
        wrap=None if wrap is None else (wrap.strength, wrap.radius_px),
        grade=None if match.grade is None else graded(match.grade, strength["grade"], fields.find, primaries),
        codes_of=codes_of,
        light_of=light_of,
    )


def _times(a: Texture, p: float, b: Texture, q: float) -> Texture:
    w, h = max(a.size[0], b.size[0]), max(a.size[1], b.size[1])
    one, two = (cv2.resize(t.pixels, (w, h), interpolation=cv2.INTER_LINEAR) if t.size != (w, h) else t.pixels for t in (a, b))
    return Texture(np.asarray(np.maximum(one, 0) ** np.float32(p) * np.maximum(two, 0) ** np.float32(q), np.float32))


def _rgb(v: Float64) -> Rgb:
    return float(v[0]), float(v[1]), float(v[2])


def grain_of(part: GrainLook) -> Grain:
    """Grain as the core makes it."""
    return Grain(np.array(part.codes), np.array(part.deviation), np.array(part.spatial), np.array(part.channels))


def no_fields() -> Fields:
    """Where nothing lies over a surface: no file is read."""

    def nothing(ref: MediaRef) -> Reader:
        raise RunError("not_ready", "A light field is named, and none is open.")

    def nowhere(ref: MediaRef) -> Path:
        raise RunError("not_ready", "A table is named, and none is open.")

    return Fields(nothing, nowhere)
