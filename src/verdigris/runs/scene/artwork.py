"""Artwork of placements, opened once and read frame by frame."""

import threading
from collections.abc import Mapping
from pathlib import Path
from typing import Protocol

import numpy as np

from verdigris.core.camera.optics import Optics
from verdigris.core.composite.texture import Texture, art_from_surface
from verdigris.core.geometry.quad import surface_aspect
from verdigris.core.types import Float64
from verdigris.media.facts import MediaFacts
from verdigris.media.frames import Frame, premultiplied_linear
from verdigris.media.reader import Reader, open_media
from verdigris.runs.scene.camera import camera_of
from verdigris.runs.scene.frame_plan import LayerPlan, corners_of, points_of, polygons_of
from verdigris.runs.scene.held_still import HeldStill
from verdigris.runs.scene.in_front import Tracks, corners_around, in_front_of
from verdigris.shot.model.document import Shot
from verdigris.shot.model.media import MediaRef
from verdigris.shot.model.placement import Placement
from verdigris.shot.model.surface import Surface


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
        self._plate, self._quad = plate, quad
        self._still: tuple[Tracks, HeldStill] | None = None
        self._shown: tuple[int, Texture] | None = None
        self._lock = threading.Lock()

    def _fitted(self, facts: MediaFacts, quad: Float64, plate: MediaFacts) -> Float64:
        aspect = surface_aspect(quad, plate.width, plate.height, float(plate.pixel_aspect))
        return art_from_surface(self.placement.fit, facts.width, facts.height, float(facts.pixel_aspect), aspect)

    def plan_at(self, shot: Shot, tracks: Tracks, frame: int) -> LayerPlan | None:
        """What a frame needs of it; None where the surface is lost."""
        placement, width, height = self.placement, self._plate.width, self._plate.height
        camera = camera_of(shot, (width, height), tracks.get(self.surface.id, {}))
        if placement.painted is None:
            reference, corners = self._quad, corners_around(self.surface, tracks.get(self.surface.id, {}), frame, camera)
        else:
            # What was painted on straight canvases rides back straight.
            camera, reference, corners = Optics(width, height), self._quad, self._canvas_at(tracks, frame)
        if not corners:
            return None
        ref, nearer = placement.artwork, in_front_of(shot, self.surface, tracks, frame, (width, height))
        return LayerPlan(
            (ref.model_dump_json(), self.frame_of(frame)), tuple(self.art_from_surface.reshape(-1).tolist()), camera,
            points_of(reference), corners_of(corners), overshoot_px=0.0 if placement.painted else placement.overshoot_px,
            black_bars=placement.surround == "black", in_front=polygons_of(*nearer),
        )  # fmt: skip

    def _canvas_at(self, tracks: Tracks, frame: int) -> dict[int, Float64]:
        """Corners of the canvas that was painted on, at offset 0; empty where the surface is lost."""
        assert self.placement.painted is not None
        with self._lock:
            if self._still is None or self._still[0] is not tracks:
                size = (self._plate.width, self._plate.height)
                self._still = tracks, HeldStill(self.surface, tracks, self.placement.painted, size)
            still = self._still[1]
        at = still.canvas_in_plate(frame)
        return {} if at is None else {0: at}

    def frame_of(self, plate_frame: int) -> int:
        """Which frame of the artwork is shown at a frame of the plate."""
        return artwork_frame(plate_frame, self._reader.facts.frame_count, self.placement.after_end)

    def texture(self, frame: int) -> Texture:
        """A frame of the artwork, ready to be composed; the last one is kept."""
        # Frames are composed side by side; the reader and what it read last are shared.
        with self._lock:
            shown = self._shown
            if shown is None or shown[0] != frame:
                picture = self._reader.frame(frame)
                shown = None
        if shown is None:
            shown = (frame, Texture(premultiplied_linear(picture, self._plate.primaries)))
            with self._lock:
                self._shown = shown
        return shown[1]

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
    return open_media(resolve(ref, base, media), ref.rate, colour=ref.colour)
