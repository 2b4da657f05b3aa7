"""Mattes as pictures for the Bench, made from proxies."""

from collections.abc import Mapping
from dataclasses import dataclass

import cv2
import numpy as np

from verdigris.core.composite.layer import Box
from verdigris.core.light.transfer import encode_array
from verdigris.core.matte.steadiness import STATIONS, Moment, Steadiness, edge_crop, stations, steadiness
from verdigris.core.types import Bool, Float32, Uint8
from verdigris.media.frames import LUMA, Frame
from verdigris.runs.errors import RunError
from verdigris.runs.render.mattes import Drawn
from verdigris.runs.scene.frame_plan import MattePlan
from verdigris.runs.scene.in_front import Tracks
from verdigris.runs.scene.mattes import plan_matte
from verdigris.runs.views.proxies import ProxyReader
from verdigris.runs.views.proxy_mattes import ProxySource, proxy_mattes
from verdigris.runs.views.recent import Recent
from verdigris.shot.model.document import Shot
from verdigris.shot.model.matte import KeyPart, Matte

# What is in front is laid over this, linear light; a matte's core is tinted in the copper of the outlines.
GROUND = 0.2
# Px around a matte that its movement is told from, and the least it is told from; px of a side of a crop, and its grey where there is none.
MARGIN, LEAST, CROP, EMPTY = 16, 16, 64, 38
# Px of the surface's own rim, inside and outside, that do not count.
RIM = 7
TINT = np.array([0.82, 0.55, 0.36], np.float32)

# From so much on a matte is solid, and up to so much it is clear.
CORE, CLEAR = 0.992, 0.008
STRIPE, GROUND_TINT, NEAR_CLEAR, NEAR_CORE = (0.38, 0.71, 0.64), (0.06, 0.11, 0.1), (0.82, 0.55, 0.36), (0.96, 0.93, 0.85)
BINS = 64


@dataclass(frozen=True)
class Spread:
    """Counts of BINS even steps of 0..1; of a key's samples their colour (sRGB 0-255) and relative deviation."""

    counts: tuple[int, ...]
    samples: tuple[tuple[tuple[int, int, int], float], ...]


class MatteViews:
    """Mattes of one revision of a shot at proxy size.

    Parameters
    ----------
    sources : proxy folder and facts by content hash, for the plate and what mattes are made from
    """

    def __init__(self, shot: Shot, tracks: Tracks, sources: Mapping[str, ProxySource]) -> None:
        self._shot, self._tracks, self._sources = shot, tracks, sources
        assert shot.plate.media is not None
        folder, facts = sources[shot.plate.media]
        self._size = (facts.width, facts.height)
        self._plate = ProxyReader(folder, facts, colour=shot.plate.colour)
        self._scale = self._plate.facts.width / facts.width
        self.mattes = proxy_mattes(shot.plate, sources)
        self._drawn: Recent[tuple[MattePlan, Drawn, Uint8]] = Recent(24)

    @property
    def count(self) -> int:
        """Frames of the plate."""
        return self._plate.facts.frame_count

    def picture(self, matte_id: str, view: str, frame: int, part: int | None = None, width: int | None = None) -> Uint8:
        """A matte at a frame, (h, w, 3) uint8 sRGB.

        Parameters
        ----------
        view : `alone`, white in front; `over`, tinted over the plate; `cut`, what is in front, over grey; `zones`, its solid core striped,
            its edge bright, and what is clear as the plate is, dark
        part : only this part of it, by number, as it is before the sign
        width : px, for small pictures
        """
        matte = self._shot.matte(matte_id)
        if part is not None:
            one = [p.model_copy(update={"combine": "add", "on": True, "span": None}) for p in matte.parts[part : part + 1]]
            matte = Matte.model_validate({**matte.model_dump(), "parts": [p.model_dump() for p in one]})
        picture = self._plate.frame(frame)
        drawn = self.mattes.draw(plan_matte(self._shot, matte, self._tracks, frame, self._size), picture)
        out = self._seen(drawn, picture, view)
        if width is not None and width < out.shape[1]:
            out = np.asarray(cv2.resize(out, (width, max(1, round(width * out.shape[0] / out.shape[1]))), interpolation=cv2.INTER_AREA))
        return out

    def steadiness(self, matte_id: str, frame: int) -> Steadiness:
        """How steady a matte is at a frame, against those beside it."""
        around = [n for n in (frame - 1, frame, frame + 1) if 0 <= n < self._plate.facts.frame_count]
        drawn = {n: self._at(matte_id, n) for n in around}
        covers = [d.cover.max() for _, d, _ in drawn.values()]
        if max(covers) <= 0:
            return Steadiness(None, None)
        h, w = drawn[frame][2].shape
        boxes = [d.box for _, d, _ in drawn.values()]
        x0, y0 = (max(0, min(b[k] for b in boxes) - MARGIN) for k in (0, 1))
        x1, y1 = min(w, max(b[2] for b in boxes) + MARGIN), min(h, max(b[3] for b in boxes) + MARGIN)
        if min(x1 - x0, y1 - y0) < LEAST:
            return Steadiness(None, None)
        moments = {n: Moment(d.within((x0, y0, x1, y1)), np.ascontiguousarray(luma[y0:y1, x0:x1])) for n, (_, d, luma) in drawn.items()}
        where = self._counting(drawn[frame][0], (x0, y0, x1, y1))
        return steadiness(moments.get(frame - 1), moments[frame], moments.get(frame + 1), where)

    def spread(self, matte_id: str, part: int, frame: int) -> Spread:
        """How often each value comes that a part's bounds are set on, and the colours of a key's samples."""
        matte = self._shot.matte(matte_id)
        if part >= len(matte.parts):
            raise RunError("not_ready", f"{matte.name or matte.id} has no such part.")
        one = matte.parts[part]
        whole = Matte.model_validate({**matte.model_dump(), "parts": [{**one.model_dump(), "on": True, "span": None}]})
        plan = plan_matte(self._shot, whole, self._tracks, frame, self._size)
        values = self.mattes.values(plan.parts[0], plan, self._plate.frame(frame))
        counts, _ = np.histogram(np.clip(values, 0, 1), bins=BINS, range=(0, 1))
        samples = []
        for sample in one.samples if isinstance(one, KeyPart) else ():
            screen = self.mattes.screen(KeyPart(samples=[sample]), sample.frame)
            r, g, b = (int(v) for v in _as_bytes(encode_array(np.array(screen.colour, np.float32))))
            samples.append(((r, g, b), round(screen.noise, 4)))
        return Spread(tuple(int(c) for c in counts), tuple(samples))

    def edges(self, matte_id: str, view: str, frame: int) -> Uint8:
        """Four places along a matte's edge side by side, each turned so that what is in front lies on the right, (64, 256, 3) uint8."""
        out = np.full((CROP, CROP * STATIONS, 3), EMPTY, np.uint8)
        plan, drawn, _ = self._at(matte_id, frame)
        x0, y0 = drawn.box[:2]
        start = np.array(plan.near[0] if plan.near else (0.0, 0.0)) * self._scale - [x0, y0]
        places = stations(drawn.cover, start, self._counting(plan, drawn.box))
        if places:
            seen = self._seen(drawn, self._plate.frame(frame), view)
            for k, (at, normal) in enumerate(places):
                out[:, k * CROP : (k + 1) * CROP] = edge_crop(seen, at + np.array([x0, y0]), normal, CROP, 1 / self._scale)
        return out

    def _counting(self, plan: MattePlan, box: Box) -> Bool | None:
        """Px of a box that lie within the matte's surface: a key fades out around it, which is no edge of anything."""
        if not plan.near or all(p.kind != "key" for p in plan.parts):
            return None
        filled = np.zeros((box[3] - box[1], box[2] - box[0]), np.uint8)
        outline = [np.round((np.array(plan.near) * self._scale - box[:2]) * 8 - 4).astype(np.int32)]
        cv2.fillPoly(filled, outline, 1, shift=3)
        cv2.polylines(filled, outline, True, 0, RIM, shift=3)
        return np.asarray(filled > 0, np.bool_)

    def _at(self, matte_id: str, frame: int) -> tuple[MattePlan, Drawn, Uint8]:
        def draw() -> tuple[MattePlan, Drawn, Uint8]:
            plan = plan_matte(self._shot, self._shot.matte(matte_id), self._tracks, frame, self._size)
            picture = self._plate.frame(frame)
            luma = np.asarray(cv2.cvtColor(np.asarray(picture.rgb_integers(), np.uint8), cv2.COLOR_RGB2GRAY), np.uint8)
            return plan, self.mattes.draw(plan, picture), luma

        return self._drawn.get((matte_id, frame), draw)

    def _seen(self, drawn: Drawn, picture: Frame, view: str) -> Uint8:
        box = (0, 0, picture.width, picture.height)
        cover = drawn.within(box)
        if view == "alone":
            return _as_bytes(np.repeat(cover[..., None], 3, axis=2))
        light = picture.light_of(picture.values(box))
        if view == "zones":
            return _zones(light @ LUMA, cover)
        if view == "over":
            # Stripes beside the tint: what is in front is seen without colour too.
            y, x = np.mgrid[0 : picture.height, 0 : picture.width]
            striped = (((x + y) // 4) % 3 == 0) * np.float32(0.35) + np.float32(0.3)
            share = (cover * striped)[..., None]
            return _as_bytes(encode_array(np.asarray(np.maximum(light * (1 - share) + TINT * share, 0), np.float32)))
        front = light * cover[..., None]
        if drawn.field is not None:
            x0, y0, x1, y1 = drawn.box
            part = light[y0:y1, x0:x1] - (1 - drawn.cover[..., None]) * drawn.field
            front[y0:y1, x0:x1] = np.where(drawn.cover[..., None] > 0, np.maximum(part, 0), 0)
        return _as_bytes(encode_array(np.asarray(front + GROUND * (1 - cover[..., None]), np.float32)))


def _zones(luma: Float32, cover: Float32) -> Uint8:
    """Core, edge and clear told apart, without colour too: stripes, brightness, and the dark plate."""
    y, x = np.mgrid[0 : luma.shape[0], 0 : luma.shape[1]]
    plain = encode_array(np.asarray(np.maximum(luma, 0) * np.float32(0.5), np.float32))[..., None]
    core, edge = cover >= CORE, (cover > CLEAR) & (cover < CORE)
    stripe, ground, near, far = (np.array(c, np.float32) for c in (STRIPE, GROUND_TINT, NEAR_CLEAR, NEAR_CORE))
    striped = np.where((((x - y) // 3) % 4 == 0)[..., None], stripe, np.float32(0.6) * plain + ground)
    # From clear to core the edge goes from copper to ivory: how far it is, is seen.
    share = ((cover - CLEAR) / (CORE - CLEAR))[..., None]
    bright = near * (1 - share) + far * share
    return _as_bytes(np.asarray(np.where(core[..., None], striped, np.where(edge[..., None], bright, plain)), np.float32))


def _as_bytes(codes: Float32) -> Uint8:
    return np.asarray(np.clip(codes * 255 + 0.5, 0, 255), np.uint8)
