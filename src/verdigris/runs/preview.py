"""Previews of the result from proxies, fast enough to answer while somebody waits."""

from collections.abc import Mapping
from pathlib import Path

from verdigris.media.facts import MediaFacts
from verdigris.runs.artwork import PlacedArtwork
from verdigris.runs.compose import compose_frame
from verdigris.runs.fronts import Tracks
from verdigris.runs.proxies import ProxyReader, encode_jpeg
from verdigris.shot.document import Shot

ProxySource = tuple[Path, MediaFacts]


class Preview:
    """Result frames of one revision of a shot at proxy size.

    Parameters
    ----------
    sources : proxy folder and facts by content hash, for the plate and every artwork
    """

    def __init__(self, shot: Shot, tracks: Tracks, sources: Mapping[str, ProxySource]) -> None:
        self._shot, self._tracks = shot, tracks
        assert shot.plate.media is not None
        folder, facts = sources[shot.plate.media]
        self._plate = ProxyReader(folder, facts)
        self._scale = self._plate.facts.width / facts.width
        self._placed = []
        for placement in shot.placements:
            surface = shot.surface(placement.surface)
            media = placement.artwork.media
            if surface.corners is not None and media is not None and media in sources:
                reader = ProxyReader(*sources[media])
                self._placed.append(PlacedArtwork(placement, surface, reader, facts))

    def jpeg(self, frame: int) -> bytes:
        """One result frame as JPEG."""
        picture = self._plate.frame(frame)
        return encode_jpeg(compose_frame(self._shot, self._placed, self._tracks, frame, picture, self._scale).rgb_integers())
