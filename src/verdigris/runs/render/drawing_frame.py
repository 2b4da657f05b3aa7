"""A frame of the plate as a still to draw over, and the guides that go with it."""

from pathlib import Path
from typing import Literal

import cv2
import numpy as np
import tifffile

from verdigris.core.composite.warp import outline_from_surface, warp_of
from verdigris.core.light.encoding import in_primaries, to_code
from verdigris.core.types import Float64
from verdigris.media.facts import MediaFacts
from verdigris.media.frames import Frame, linear_light, to_integers
from verdigris.media.stills import write_exr_half, write_still
from verdigris.runs.scene.camera import camera_of
from verdigris.runs.scene.in_front import Tracks, corners_around
from verdigris.shot.model.document import Shot

DrawingForm = Literal["png", "tif", "exr"]
FORMS: tuple[DrawingForm, ...] = ("png", "tif", "exr")
# Lines over a surface, shares of its sides: edges, thirds and middles.
LINES = (0.0, 1 / 3, 0.5, 2 / 3, 1.0)
STEPS = 48
IVORY, DARK = (244, 236, 218), (18, 20, 20)


def write_for_drawing(path: Path, frame: Frame, form: DrawingForm) -> None:
    """Write a frame as a still that a painting program opens as it looks: PNG or TIFF with 16 bits, sRGB; or EXR, linear light.

    What is brighter than white, or outside the colours of sRGB, is kept by EXR alone.
    """
    light = linear_light(frame)[..., :3]
    if form == "exr":
        write_exr_half(path, light, frame.primaries)
        return
    codes = to_code(np.clip(in_primaries(light, frame.primaries, "bt709"), 0, 1).astype(np.float32), "srgb")
    pixels = to_integers(codes, True)
    if form == "png":
        write_still(path, pixels)
    else:
        tifffile.imwrite(path, pixels, photometric="rgb", compression="zlib")


def write_guides(path: Path, shot: Shot, tracks: Tracks, frame: int, facts: MediaFacts) -> None:
    """Write the surfaces' edges, thirds and middles at a frame as a transparent PNG of the plate's size."""
    ink, halo = np.zeros((facts.height, facts.width), np.uint8), np.zeros((facts.height, facts.width), np.uint8)
    width = max(1, round(facts.width / 1200))
    for line, edge in _lines(shot, tracks, frame, facts):
        at = np.round((line - 0.5) * 16).astype(np.int32)
        cv2.polylines(halo, [at], False, 150, width + 2, cv2.LINE_AA, 4)
        cv2.polylines(ink, [at], False, 255 if edge else 150, width, cv2.LINE_AA, 4)
    cover, shade = ink / np.float32(255), halo / np.float32(255)
    alpha = cover + (1 - cover) * shade
    straight = (
        cover[..., None] * np.array(IVORY, np.float32) + ((1 - cover) * shade)[..., None] * np.array(DARK, np.float32)
    ) / np.maximum(alpha, 1e-6)[..., None]
    write_still(path, np.dstack([straight, alpha * 255]).round().astype(np.uint8))


def _lines(shot: Shot, tracks: Tracks, frame: int, facts: MediaFacts) -> list[tuple[Float64, bool]]:
    """Lines over every surface that is seen at a frame, (N, 2) plate px, and whether each is an edge."""
    found = []
    along = np.linspace(0, 1, STEPS)
    for surface in shot.surfaces:
        quad, track = surface.quad(), tracks.get(surface.id, {})
        camera = camera_of(shot, (facts.width, facts.height), track)
        corners = None if quad is None else corners_around(surface, track, frame, camera)
        if quad is None or not corners:
            continue
        warp = warp_of(camera, quad, corners)
        for at in LINES:
            for u, v in ((along, np.full(STEPS, at)), (np.full(STEPS, at), along)):
                found.append((outline_from_surface(np.stack([u, v], axis=1), warp), at in (0.0, 1.0)))
    return found
