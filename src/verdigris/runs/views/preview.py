"""Previews of the result from proxies, fast enough to answer while somebody waits."""

from collections.abc import Callable, Hashable, Mapping
from functools import cached_property, partial
from pathlib import Path

import numpy as np

from verdigris.core.composite.texture import Texture
from verdigris.core.types import Float32
from verdigris.media.facts import MediaFacts
from verdigris.media.frames import Frame
from verdigris.media.reader import Reader, open_media
from verdigris.runs.errors import RunError
from verdigris.runs.render.compose import draw_frame, plan_frame
from verdigris.runs.render.mattes import Drawn
from verdigris.runs.scene.artwork import PlacedArtwork
from verdigris.runs.scene.frame_plan import FramePlan, MattePlan
from verdigris.runs.scene.in_front import Tracks
from verdigris.runs.scene.match import Fields
from verdigris.runs.views.proxies import ProxyReader, encode_jpeg, proxy_size
from verdigris.runs.views.proxy_mattes import ProxySource, proxy_mattes, read_from
from verdigris.runs.views.recent import Recent
from verdigris.shot.model.document import Shot, files_of
from verdigris.shot.model.media import MediaRef
from verdigris.shot.model.placement import Placement
from verdigris.shot.model.surface import Surface

# About 30 MB of JPEG.
_drawn: Recent[bytes] = Recent(200)
# Each revision has previews of its own. What they share is kept here: pictures of artwork, and mattes of the frames worked on.
_artwork: Recent[Texture] = Recent(6)
_mattes: Recent[dict[MattePlan, Drawn]] = Recent(4)
# Longer side of pictures that are made for a preview.
MADE_PX = 1024


class Preview:
    """Result frames of one revision of a shot at proxy size.

    Parameters
    ----------
    sources : proxy folder and facts by content hash, for the plate and every artwork
    fields : light fields and tables by content hash: they are small, and read as they are
    """

    def __init__(self, shot: Shot, tracks: Tracks, sources: Mapping[str, ProxySource], fields: Mapping[str, Path] | None = None) -> None:
        self._shot, self._tracks = shot, tracks
        assert shot.plate.media is not None
        folder, facts = sources[shot.plate.media]
        self._plate = ProxyReader(folder, facts, colour=shot.plate.colour)
        self._scale = self._plate.facts.width / facts.width
        # Composed as they are shown: in the light of an sRGB screen.
        shown = facts.model_copy(update={"transfer": "srgb", "primaries": "bt709"})
        self._sources = sources
        self._read_from, self.mattes = read_from(shot.plate, sources), proxy_mattes(shot.plate, sources)
        self._folders = fields or {}
        self._fields = Fields(self._open_field, self._find)
        self._placed = []
        self._codes: Recent[Float32] = Recent(4)
        for placement in shot.placements:
            surface = None if placement.surface is None else shot.surface(placement.surface)
            if not placement.on or (surface is not None and surface.corners is None):
                continue
            if all(r.media in sources for r in files_of(placement)):
                open_file = partial(self._open, placement, surface)
                keep = partial(self._keep, placement, surface)
                self._placed.append(PlacedArtwork(placement, surface, open_file, shown, MADE_PX, keep))

    def _open(self, placement: Placement, surface: Surface | None, ref: MediaRef) -> ProxyReader:
        assert ref.media is not None
        folder, facts = self._sources[ref.media]
        return ProxyReader(folder, facts, reduce=self._reduction(placement, surface, facts), colour=ref.colour)

    def _keep(self, placement: Placement, surface: Surface | None, name: Hashable, make: Callable[[], Texture]) -> Texture:
        facts = [self._sources[r.media][1] for r in files_of(placement) if r.media is not None]
        return _artwork.get((name, *(self._reduction(placement, surface, f) for f in facts)), make)

    def _open_field(self, ref: MediaRef) -> Reader:
        return open_media(self._find(ref))

    def _find(self, ref: MediaRef) -> Path:
        if ref.media is None or ref.media not in self._folders:
            raise RunError("not_ready", "A light field, or a table, is still being read.")
        return self._folders[ref.media]

    def _reduction(self, placement: Placement, surface: Surface | None, facts: MediaFacts) -> int:
        """How many times smaller artwork may be read and still be half as large again as it is seen."""
        # What is a small part of the surface is seen larger than the surface tells.
        if surface is None or placement.artwork.kind != "file" or placement.layout or placement.drawn_over is not None:
            return 1
        quad = surface.quad()
        assert quad is not None
        side = np.linalg.norm(np.roll(quad, -1, axis=0) - quad, axis=1) * self._scale * 1.5
        width, height = proxy_size(facts.width, facts.height)
        room = min(width / max(side[0], side[2]), height / max(side[1], side[3]))
        return max(r for r in (1, 2, 4, 8) if r <= max(1.0, float(room)))

    @cached_property
    def whole(self) -> bool:
        """Whether every file is there that the document names."""
        known = {*self._sources, *self._folders}
        return all(r.media in known for r in files_of(self._shot))

    @property
    def shot(self) -> Shot:
        """The document."""
        return self._shot

    @property
    def tracks(self) -> Tracks:
        """Where its surfaces are."""
        return self._tracks

    @property
    def scale(self) -> float:
        """Px of a preview per plate px."""
        return self._scale

    @property
    def plate_size(self) -> tuple[int, int]:
        """Of the plate, px."""
        facts = self._sources[self._shot.plate.media or ""][1]
        return facts.width, facts.height

    @property
    def count(self) -> int:
        """Frames of the plate."""
        return self._plate.facts.frame_count

    def plan(self, frame: int) -> FramePlan:
        """What a frame needs."""
        return plan_frame(self._shot, self._placed, self._tracks, frame)

    def plate_codes(self, frame: int) -> Float32:
        """A frame of the plate at preview size, (h, w, 3) display codes."""
        return self._plate.frame(frame).codes()

    def codes(self, plan: FramePlan) -> Float32:
        """A frame drawn from a plan, (h, w, 3) display codes."""
        return self._codes.get(plan.key, lambda: self._draw(plan).codes())

    def _draw(self, plan: FramePlan) -> Frame:
        at = (*self._read_from, plan.frame)
        drawn = dict(_mattes.get(at, dict))
        picture = draw_frame(plan, self._placed, self._plate.frame(plan.frame), self.mattes, self._fields, drawn)
        _mattes.put(at, {k: drawn[k] for k in plan.mattes if k in drawn})
        return picture

    def jpeg(self, frame: int) -> bytes:
        """One result frame as JPEG; one whose plan was drawn before, by whichever revision, is at hand."""
        plan = self.plan(frame)
        return _drawn.get(plan.key, lambda: encode_jpeg(self._draw(plan).rgb_integers()))
