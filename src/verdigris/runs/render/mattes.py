"""Mattes drawn: from a plan and a picture to coverage, and what a keyed screen looks like behind it."""

import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import reduce

import cv2
import numpy as np
from pydantic import TypeAdapter

from verdigris.core.composite.layer import Box
from verdigris.core.geometry.shapes import polygon_coverage
from verdigris.core.light.transfer import srgb_to_linear
from verdigris.core.matte.key import KeySettings, key, take_spill
from verdigris.core.matte.recipe import brightness, combined, difference, grown, softened
from verdigris.core.matte.screen import Screen, mixed_screen, screen_of
from verdigris.core.matte.shape import shape_cover
from verdigris.core.types import Bool, Float32, Float64
from verdigris.media.frames import LUMA, Frame
from verdigris.problem import said_of
from verdigris.runs.errors import RunError
from verdigris.runs.scene.frame_plan import MattePlan, PartPlan
from verdigris.shot.model.matte import AnyPart, BrightnessPart, DifferencePart, KeyPart, KeySample, MatteFilePart
from verdigris.shot.model.media import MediaRef

# How far around its surface a key looks, and over how much of that it fades, plate px.
AROUND_PX, FADE_PX = 24.0, 6.0
Light = Callable[[Box], Float32]
_PART: TypeAdapter[AnyPart] = TypeAdapter(AnyPart)


@dataclass(frozen=True)
class Spill:
    """What a key says of its screen's light on what is in front."""

    screen: Screen
    field: Float32
    strength: float
    to: str | tuple[int, int, int]


@dataclass(frozen=True)
class Drawn:
    """A matte of one frame.

    Attributes
    ----------
    box : where it lies, plate px of the picture; outside nothing is in front
    cover : (h, w) float32
    field : (h, w, 3) float32, the bare screen of its first key, or None
    spills : of its keys
    """

    box: Box
    cover: Float32
    field: Float32 | None
    spills: tuple[Spill, ...]

    def within(self, box: Box) -> Float32:
        """Coverage over another box."""
        return _moved(self.cover, self.box, box)

    def surrounds(self, box: Box) -> bool:
        """Whether another box lies inside."""
        return self.box[0] <= box[0] and self.box[1] <= box[1] and self.box[2] >= box[2] and self.box[3] >= box[3]


def _moved(cover: Float32, at: Box, box: Box) -> Float32:
    out = np.zeros((box[3] - box[1], box[2] - box[0]), np.float32)
    x0, y0, x1, y1 = max(at[0], box[0]), max(at[1], box[1]), min(at[2], box[2]), min(at[3], box[3])
    if x1 > x0 and y1 > y0:
        out[y0 - box[1] : y1 - box[1], x0 - box[0] : x1 - box[0]] = cover[y0 - at[1] : y1 - at[1], x0 - at[0] : x1 - at[0]]
    return out


class Mattes:
    """Draws mattes; knows what their keys were sampled from.

    Parameters
    ----------
    plate : a frame of the plate, at the size mattes are drawn at
    source : a frame of another file, at the number of a plate's frame
    scale : px of those pictures per plate px
    """

    def __init__(self, plate: Callable[[int], Frame], source: Callable[[MediaRef, int], Frame], scale: float = 1.0) -> None:
        self._plate, self._source, self.scale = plate, source, scale
        self._screens: dict[str, Screen] = {}
        self._lock = threading.Lock()

    def draw(self, plan: MattePlan, picture: Frame, light: Light | None = None) -> Drawn:
        """A matte over a picture; `light` is a region's light where somebody reads it as well."""
        light = light or (lambda box: picture.light_of(picture.values(box)))
        box = self._box(plan, picture.width, picture.height)
        cover: Float32 | None = None
        field: Float32 | None = None
        spills: list[Spill] = []
        for part, place in zip(plan.parts, plan.places, strict=True):
            one = _PART.validate_json(part.told) if part.kind in _READ else None
            with said_of(f"{plan.matte}:{place + 1}", f"Matte {plan.matte}, part {place + 1}"):
                if isinstance(one, KeyPart):
                    value, screen, seen = self._key(one, plan, part.frame, light(box), box)
                    field = seen if field is None else field
                    if one.despill > 0:
                        spills.append(Spill(screen, seen, one.despill, one.despill_to))
                elif one is not None:
                    value = self._from_picture(one, part.frame, picture, box)
                else:
                    value = self._shapes(part, box)
            if part.invert:
                value = np.asarray(1 - value, np.float32)
            value = softened(grown(value, part.grow_px * self.scale), part.soft_px * self.scale if part.soft_points is None else 0.0)
            cover = combined(cover, value * np.float32(part.strength), part.combine)
        if cover is None:
            cover = np.zeros((box[3] - box[1], box[2] - box[0]), np.float32)
        return Drawn(box, np.ascontiguousarray(cover), None if field is None else np.ascontiguousarray(field), tuple(spills))

    def values(self, part: PartPlan, plan: MattePlan, picture: Frame) -> Float32:
        """What a part's bounds are set on, before they are: coverage of a key, code values of brightness, differences; (h, w) 0..1."""
        box = self._box(plan, picture.width, picture.height)
        one = _PART.validate_json(part.told) if part.kind in _READ else None
        if isinstance(one, KeyPart):
            where, reach = self._where(one, plan, box)
            light = picture.light_of(picture.values(box))
            raw = key(light, where, self.screen(one, part.frame), KeySettings(0.0, 1.0, 0.0, one.even, self.scale)).matte
            return raw if reach is None else raw[reach > 0.5]
        codes = picture.codes(box)
        if isinstance(one, BrightnessPart):
            return brightness(codes, one.channel, 1.0, (0.0, 1.0), (1.0, 1.0))
        if isinstance(one, DifferencePart):
            clean = self._of_size(self._source(one.clean, part.frame), picture, "The clean picture")
            return difference(codes, clean.codes(box), 0.0, 1.0)
        return np.zeros(0, np.float32)

    def _box(self, plan: MattePlan, width: int, height: int) -> Box:
        everywhere = (0, 0, width, height)
        if plan.near is None or any('"everywhere":true' in p.told for p in plan.parts):
            return everywhere
        points = [np.array(plan.near).reshape(-1, 2) * self.scale]
        reach = AROUND_PX * self.scale
        for i, part in enumerate(plan.parts):
            # What is taken away, or only kept, reaches no further than what it is taken from.
            widens = part.combine == "add" or (i == 0 and part.combine == "intersect")
            for polygon, _, feather in part.polygons if widens else ():
                points.append(np.array(polygon).reshape(-1, 2) * self.scale)
                reach = max(reach, (4 * max(feather, part.soft_px, *(part.soft_points or (0,))) + abs(part.grow_px) + 2) * self.scale)
        every = np.concatenate(points)
        if len(every) == 0:
            return (0, 0, 2, 2)
        x0, y0 = np.floor(every.min(axis=0) - reach).astype(int) // 2 * 2
        x1, y1 = -(-np.ceil(every.max(axis=0) + reach).astype(int) // 2) * 2
        x0, x1 = (int(np.clip(v, 0, width)) for v in (x0, x1))
        y0, y1 = (int(np.clip(v, 0, height)) for v in (y0, y1))
        return (x0, y0, x1, y1) if x1 > x0 and y1 > y0 else (0, 0, min(2, width), min(2, height))

    def _shapes(self, part: PartPlan, box: Box) -> Float32:
        h, w = box[3] - box[1], box[2] - box[0]
        cover = np.zeros((h, w), np.float32)
        covers = [(inside, shape_cover(np.array(p) * self.scale - box[:2], w, h, self._soft(part, f))) for p, inside, f in part.polygons]
        if part.kind == "region" and not any(inside for inside, _ in covers):
            return cover
        for inside, one in covers:
            cover = combined(cover, one, "add" if inside else "subtract")
        return cover

    def _soft(self, part: PartPlan, feather: float) -> float | Float64:
        if part.soft_points is not None:
            return np.array(part.soft_points) * self.scale
        return feather * self.scale

    def _from_picture(self, part: AnyPart, frame: int, picture: Frame, box: Box) -> Float32:
        if isinstance(part, BrightnessPart):
            return brightness(picture.codes(box), part.channel, part.contrast, part.low, part.high)
        if isinstance(part, DifferencePart):
            clean = self._of_size(self._source(part.clean, frame), picture, "The clean picture")
            return difference(picture.codes(box), clean.codes(box), part.low, part.high)
        assert isinstance(part, MatteFilePart)
        return np.asarray(np.clip(self._of_size(self._source(part.file, frame), picture, "The matte").codes(box) @ LUMA, 0, 1), np.float32)

    def _of_size(self, other: Frame, picture: Frame, what: str) -> Frame:
        if (other.width, other.height) != (picture.width, picture.height):
            sizes = f"{other.width} x {other.height} px, the plate {picture.width} x {picture.height}"
            raise RunError("wrong_size", f"{what} has {sizes}: it must have the plate's size.")
        return other

    def _key(self, part: KeyPart, plan: MattePlan, frame: int, light: Float32, box: Box) -> tuple[Float32, Screen, Float32]:
        screen = self.screen(part, frame)
        if plan.near == () and not part.everywhere:
            # Its surface is lost here: there is no screen to key.
            return np.zeros(light.shape[:2], np.float32), screen, light
        inside, reach = self._where(part, plan, box)
        settings = KeySettings(part.clear, part.core, part.marks_px, part.even, self.scale)
        keyed = key(light, inside, screen, settings)
        matte = keyed.matte if reach is None else keyed.matte * reach
        return np.asarray(matte, np.float32), screen, keyed.field

    def _where(self, part: KeyPart, plan: MattePlan, box: Box) -> tuple[Bool, Float32 | None]:
        """Where the screen's light is told from, and where the key counts."""
        h, w = box[3] - box[1], box[2] - box[0]
        if plan.near is None or part.everywhere:
            return np.ones((h, w), bool), None
        outline = np.round((np.array(plan.near) * self.scale - box[:2]) * 8 - 4).astype(np.int32)
        filled = np.zeros((h, w), np.uint8)
        cv2.fillPoly(filled, [outline], 1, shift=3)
        inside, near = filled.copy(), filled
        cv2.polylines(inside, [outline], True, 0, max(1, round(4 * self.scale)), shift=3)
        cv2.polylines(near, [outline], True, 1, max(1, round(2 * (AROUND_PX - FADE_PX) * self.scale)), shift=3)
        return inside > 0, softened(near.astype(np.float32), FADE_PX * self.scale / 3)

    def screen(self, part: KeyPart, frame: int) -> Screen:
        """The screen's colour at a frame: that of the samples around it, mixed."""
        by_frame: dict[int, list[KeySample]] = {}
        for sample in part.samples:
            by_frame.setdefault(sample.frame, []).append(sample)
        frames = sorted(by_frame)
        before = max((f for f in frames if f <= frame), default=frames[0])
        after = min((f for f in frames if f > frame), default=before)
        a = self._sampled(before, by_frame[before])
        if after <= before:
            return a
        return mixed_screen(a, self._sampled(after, by_frame[after]), (frame - before) / (after - before))

    def _sampled(self, frame: int, samples: Sequence[KeySample]) -> Screen:
        name = repr((frame, [s.polygon for s in samples]))
        with self._lock:
            if name not in self._screens:
                picture = self._plate(frame)
                pixels = [_inside(picture, np.array(s.polygon, float) * self.scale) for s in samples]
                try:
                    self._screens[name] = screen_of(np.concatenate(pixels))
                except ValueError as error:
                    raise RunError("bad_key", f"A key's sample cannot be used: {error}.") from error
            return self._screens[name]


def without_files() -> Mattes:
    """Mattes of shapes and brightness only: nothing beside the picture is read."""

    def nothing(*_: object) -> Frame:
        raise RunError("not_ready", "This matte is made from another picture, and none is open.")

    return Mattes(nothing, nothing)


_READ = ("key", "brightness", "difference", "file")


def _inside(picture: Frame, polygon: Float64) -> Float32:
    """Linear light of the pixels wholly inside a polygon, (N, 3)."""
    x0, y0 = np.clip(np.floor(polygon.min(axis=0)), 0, [picture.width, picture.height]).astype(int)
    x1, y1 = np.clip(np.ceil(polygon.max(axis=0)), 0, [picture.width, picture.height]).astype(int)
    if x1 <= x0 or y1 <= y0:
        return np.zeros((0, 3), np.float32)
    box = (int(x0) // 2 * 2, int(y0) // 2 * 2, min(picture.width, int(x1) + int(x1) % 2), min(picture.height, int(y1) + int(y1) % 2))
    light = picture.light_of(picture.values(box))
    cover = polygon_coverage(polygon - box[:2], box[2] - box[0], box[3] - box[1])
    whole = cover > 0.999
    return np.asarray(light[whole if whole.any() else cover > 0.5], np.float32)


def together(drawn: Sequence[Drawn], box: Box) -> Float32:
    """What any of some mattes covers, over a box."""
    return reduce(lambda a, b: combined(a, b, "add"), [d.within(box) for d in drawn])


def take_spill_of(light: Float32, around: Box, drawn: Drawn, artwork: Callable[[], tuple[float, float, float]], changed: Bool) -> None:
    """Take the screens' spill from what a matte keeps in front, in a region's light, in place, and say where it changed.

    `artwork` tells the mean light of the new picture, where that is what is given back.
    """
    at = (drawn.box[0] - around[0], drawn.box[1] - around[1])
    for spill in drawn.spills:
        luma = float(LUMA @ np.array(spill.screen.colour))
        if spill.to == "neutral":
            give = (luma, luma, luma)
        elif spill.to == "artwork":
            give = artwork()
        else:
            picked = srgb_to_linear(np.array(spill.to) / 255.0)
            r, g, b = (float(v) for v in picked * luma / max(float(LUMA @ picked), 1e-4))
            give = (r, g, b)
        take_spill(light, at, spill.field, drawn.cover, spill.screen, spill.strength, give, changed)
