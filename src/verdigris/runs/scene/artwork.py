"""Artwork of placements, opened once and read frame by frame."""

import threading
from collections.abc import Mapping
from pathlib import Path
from typing import Protocol

import numpy as np

from verdigris.core.composite.artwork import Artwork, art_from_surface
from verdigris.core.composite.pin import Pin
from verdigris.core.geometry.quad import surface_aspect
from verdigris.core.types import Float64
from verdigris.media.facts import MediaFacts
from verdigris.media.frames import Frame, premultiplied_linear
from verdigris.media.reader import Reader, open_media
from verdigris.runs.scene.held_still import HeldStill
from verdigris.runs.scene.in_front import Tracks, corners_at
from verdigris.shot.document import MediaRef, Placement, Surface


class ArtworkSource(Protocol):
    """What artwork is read from: the media itself, or its proxies."""

    facts: MediaFacts

    def frame(self, n: int) -> Frame:
        """Frame n, counted from 0."""
        ...

    def close(self) -> None:
        """Let go of the file."""
        ...


class PlacedArtwork:
    """One placement with its artwork open.

    Parameters
    ----------
    reader : of the artwork
    surface : with corners placed
    plate : facts of the plate
    """

    def __init__(self, placement: Placement, surface: Surface, reader: ArtworkSource, plate: MediaFacts) -> None:
        quad = surface.quad()
        if quad is None:
            raise ValueError("the surface has no corners")
        self.placement, self.surface, self._reader = placement, surface, reader
        facts = reader.facts
        if placement.painted is not None:
            # Painted on the plate held still: it lies on the whole canvas.
            self.art_from_surface = np.diag([float(facts.width), float(facts.height), 1.0])
        else:
            self.art_from_surface = self._fitted(facts, quad, plate)
        self._plate_size = (plate.width, plate.height)
        self._still: tuple[Tracks, HeldStill] | None = None
        self._shown: tuple[int, Artwork] | None = None
        self._lock = threading.Lock()

    def _fitted(self, facts: MediaFacts, quad: Float64, plate: MediaFacts) -> Float64:
        aspect = surface_aspect(quad, plate.width, plate.height, float(plate.pixel_aspect))
        return art_from_surface(self.placement.fit, facts.width, facts.height, float(facts.pixel_aspect), aspect)

    def corners_at(self, tracks: Tracks, frame: int) -> Float64 | None:
        """Where its four corners go at a frame, (4, 2) plate px; None when the surface is lost there."""
        if self.placement.painted is None:
            return corners_at(self.surface, tracks.get(self.surface.id, {}), frame)
        with self._lock:
            if self._still is None or self._still[0] is not tracks:
                self._still = tracks, HeldStill(self.surface, tracks, self.placement.painted, self._plate_size)
            still = self._still[1]
        return still.canvas_in_plate(frame)

    def frame_of(self, plate_frame: int) -> int:
        """Which frame of the artwork is shown at a frame of the plate."""
        return artwork_frame(plate_frame, self._reader.facts.frame_count, self.placement.after_end)

    def pin_at(self, plate_frame: int, corners: Float64, scale: float = 1.0) -> Pin:
        """The pin for a frame; corners (4, 2) in px of the picture, which has `scale` px per plate px."""
        n = self.frame_of(plate_frame)
        # Frames are composed side by side; the reader and what it read last are shared.
        with self._lock:
            shown = self._shown
            if shown is None or shown[0] != n:
                picture = self._reader.frame(n)
                shown = None
        if shown is None:
            shown = (n, Artwork(premultiplied_linear(picture)))
            with self._lock:
                self._shown = shown
        return Pin(
            shown[1], np.asarray(corners), self.art_from_surface,
            0.0 if self.placement.painted else self.placement.overshoot_px * scale, self.placement.surround == "black",
        )  # fmt: skip

    def close(self) -> None:
        """Close the artwork."""
        self._reader.close()


def artwork_frame(plate_frame: int, count: int, after_end: str) -> int:
    """Frame of artwork with `count` frames at a frame of the plate: held at its end, or looped."""
    return plate_frame % count if after_end == "loop" else min(plate_frame, count - 1)


def resolve(ref: MediaRef, base: Path, media: Mapping[str, Path] | None = None) -> Path:
    """Where a reference points: beside the document, or among the application's media."""
    if ref.path is not None:
        return base / ref.path
    assert ref.media is not None
    return (media or {})[ref.media]


def open_ref(ref: MediaRef, base: Path, media: Mapping[str, Path] | None = None) -> Reader:
    """Open the media of a reference."""
    return open_media(resolve(ref, base, media), ref.rate)
