"""Mattes as pictures for the Bench, made from proxies."""

from collections.abc import Mapping

import cv2
import numpy as np

from verdigris.core.light.transfer import encode_array
from verdigris.core.types import Float32, Uint8
from verdigris.media.frames import Frame
from verdigris.runs.errors import RunError
from verdigris.runs.render.mattes import Drawn, Mattes
from verdigris.runs.scene.in_front import Tracks
from verdigris.runs.scene.mattes import plan_matte
from verdigris.runs.views.preview import ProxySource
from verdigris.runs.views.proxies import ProxyReader
from verdigris.shot.model.document import Shot
from verdigris.shot.model.matte import Matte
from verdigris.shot.model.media import MediaRef

# What is in front is laid over this, linear light; a matte's core is tinted in the copper of the outlines.
GROUND = 0.2
TINT = np.array([0.82, 0.55, 0.36], np.float32)


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
        self.mattes = Mattes(self._plate.frame, self._beside, self._plate.facts.width / facts.width)

    def _beside(self, ref: MediaRef, frame: int) -> Frame:
        if ref.media is None or ref.media not in self._sources:
            raise RunError("not_ready", "A file that a matte is made from is not here.")
        folder, facts = self._sources[ref.media]
        return ProxyReader(folder, facts, colour=ref.colour).frame(min(frame, facts.frame_count - 1))

    def picture(self, matte_id: str, view: str, frame: int, part: int | None = None, width: int | None = None) -> Uint8:
        """A matte at a frame, (h, w, 3) uint8 sRGB.

        Parameters
        ----------
        view : `alone`, white in front; `over`, tinted over the plate; `cut`, what is in front, over grey
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

    def _seen(self, drawn: Drawn, picture: Frame, view: str) -> Uint8:
        box = (0, 0, picture.width, picture.height)
        cover = drawn.within(box)
        if view == "alone":
            return _as_bytes(np.repeat(cover[..., None], 3, axis=2))
        light = picture.light_of(picture.values(box))
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


def _as_bytes(codes: Float32) -> Uint8:
    return np.asarray(np.clip(codes * 255 + 0.5, 0, 255), np.uint8)
