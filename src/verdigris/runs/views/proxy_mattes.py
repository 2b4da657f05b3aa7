"""Mattes drawn on proxies: every revision of a shot has the same plate and files, so what keys were sampled from is told once."""

from collections.abc import Mapping
from functools import partial
from pathlib import Path

from verdigris.media.facts import MediaFacts
from verdigris.media.frames import Frame
from verdigris.runs.errors import RunError
from verdigris.runs.render.mattes import Mattes
from verdigris.runs.views.proxies import ProxyReader
from verdigris.runs.views.recent import Recent
from verdigris.shot.model.media import MediaRef, Plate

ProxySource = tuple[Path, MediaFacts]

_kept: Recent[Mattes] = Recent(8)


def read_from(plate: Plate, sources: Mapping[str, ProxySource]) -> tuple[str, ...]:
    """A name for what pictures of a plate, and mattes over it, are read from."""
    return (plate.model_dump_json(), *(f"{k} {folder}" for k, (folder, _) in sorted(sources.items())))


def proxy_mattes(plate: Plate, sources: Mapping[str, ProxySource]) -> Mattes:
    """Draws mattes over a plate's proxies; `sources` are folder and facts of them by content hash."""

    def make() -> Mattes:
        assert plate.media is not None
        folder, facts = sources[plate.media]
        reader = ProxyReader(folder, facts, colour=plate.colour)
        return Mattes(reader.frame, partial(_beside, dict(sources)), reader.facts.width / facts.width)

    return _kept.get(read_from(plate, sources), make)


def _beside(sources: Mapping[str, ProxySource], ref: MediaRef, frame: int) -> Frame:
    """A frame of another file; one that is shorter holds its last."""
    if ref.media is None or ref.media not in sources:
        raise RunError("not_ready", "A file that a matte is made from is not here.")
    folder, facts = sources[ref.media]
    return ProxyReader(folder, facts, colour=ref.colour).frame(min(frame, facts.frame_count - 1))
