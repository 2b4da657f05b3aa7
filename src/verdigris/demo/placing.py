"""What the demo's shots carry beside their first artwork: keys, running orders, stickers, shadows, loops, text."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from verdigris.core.geometry.homography import apply_homography, unit_square_to
from verdigris.core.types import Float64
from verdigris.media.stills import write_still
from verdigris.shot.model.document import Shot
from verdigris.shot.model.match import SurfaceMatch
from verdigris.shot.model.matte import Matte
from verdigris.shot.model.media import MediaRef
from verdigris.shot.model.placement import Placement

File = Callable[[str], MediaRef]
CHALK = "chalk-arrow.png"
CREAM = [244, 236, 218]


def write_chalk(path: Path, corners: Float64, size: tuple[int, int]) -> None:
    """An arrow as if drawn with chalk over the reference frame, in the perspective of the surface; a still of the plate's size."""
    rng = np.random.default_rng(5)
    cover = np.zeros((size[1], size[0]), np.uint8)
    shaft = [(0.70, 0.93), (0.76, 0.90), (0.82, 0.905), (0.88, 0.885)]
    head = [(0.855, 0.82), (0.89, 0.88), (0.85, 0.955)]
    for line in (shaft, head):
        at = apply_homography(unit_square_to(corners), np.array(line))
        cv2.polylines(cover, [np.round(at * 16).astype(np.int32)], False, 255, 7, cv2.LINE_AA, 4)
    grain = cv2.GaussianBlur(rng.uniform(0.2, 1.5, cover.shape).astype(np.float32), (0, 0), 0.8)
    alpha = np.clip(cover * grain, 0, 255).astype(np.uint8)
    write_still(path, np.dstack([*(np.full_like(alpha, v) for v in (244, 236, 218)), alpha]))


def dressed(scene: str, shot: Shot, corners: Float64, file: File) -> Shot:
    """The document with all that is placed in it; `corners` of its surface at the reference frame, plate px."""
    dress = DRESSES.get(scene)
    if dress is None:
        return shot
    placements, mattes = dress(shot, _Surface(shot.surfaces[0].id, corners), file)
    return Shot.model_validate(
        {**shot.model_dump(), "placements": [p.model_dump() for p in placements], "mattes": [m.model_dump() for m in mattes]}
    )


class _Surface:
    """A surface, and places on it by shares of its width and height."""

    def __init__(self, surface: str, corners: Float64) -> None:
        self.id, self._to_plate = surface, unit_square_to(corners)

    def quad(self, x0: float, y0: float, x1: float, y1: float) -> list[tuple[float, float]]:
        """Corners of a box on it, plate px."""
        at = apply_homography(self._to_plate, np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]]))
        return [(round(float(x), 2), round(float(y), 2)) for x, y in at]


def _placed(**fields: Any) -> Placement:
    return Placement.model_validate(fields)


def _file(ref: MediaRef) -> dict[str, Any]:
    return {"kind": "file", "media": ref.media, "path": ref.path}


Dress = tuple[list[Placement], list[Matte]]


def _handset(shot: Shot, on: _Surface, file: File) -> Dress:
    """The blue screen keyed, thumb and hand in front; three things run on it one after the other."""
    key = {
        "kind": "key", "samples": [{"frame": shot.surfaces[0].reference_frame, "polygon": on.quad(0.3, 0.16, 0.7, 0.42)}],
        "marks_px": 30, "despill": 1.0,
    }  # fmt: skip
    hand = Matte.model_validate({"id": "hand", "name": "Hand and thumb", "surface": on.id, "parts": [key]})
    items = [
        {"artwork": _file(file("inspector.png")), "frames": 36, "fit": "fill"},
        {"artwork": _file(file("timetable.png")), "frames": 24, "dissolve": 6, "fit": "fit"},
        {
            "artwork": {"kind": "text", "text": "Aboard\nat 07:05", "rgb": CREAM, "ground": [30, 78, 86]},
            "frames": 24,
            "dissolve": 6,
        },
    ]
    order = {"kind": "order", "width": 900, "height": 1556, "items": items}
    screen = _placed(
        id="screen", name="Inspector's screen", surface=on.id, artwork=order, fit="stretch", kept_in_front=["hand"], covered_by_nearer=False
    )
    return [screen], [hand]


def _hoarding(shot: Shot, on: _Surface, file: File) -> Dress:
    """A sticker in an area of its own, and an arrow drawn over the reference frame."""
    sticker = {"kind": "text", "text": "From\n1 November", "rgb": CREAM, "ground": [176, 78, 44], "margin": 0.12}
    area = on.quad(0.80, 0.10, 0.95, 0.36)
    turned = {"layout": [{"turn_deg": -4}], "surround": "plate"}
    over = shot.surfaces[0].reference_frame
    return [
        *shot.placements,
        _placed(id="sticker", name="Sticker", surface=on.id, artwork=sticker, area=area, rounding=0.12, **turned),
        _placed(id="chalk", name="Chalk arrow", surface=on.id, artwork=_file(file(CHALK)), drawn_over=over, opacity=0.9),
    ], []


def _carton(shot: Shot, on: _Surface, file: File) -> Dress:
    """A flat logo that casts a soft shadow on the carton."""
    logo = {"kind": "text", "text": "NEW", "rgb": [201, 134, 82], "outline_rgb": [60, 32, 20], "outline": 0.05, "margin": 0.02}
    shadow = {"offset": [0.03, 0.06], "soft": 0.05, "strength": 0.6}
    return [
        *shot.placements,
        _placed(id="logo", name="Logo", surface=on.id, artwork=logo, area=on.quad(0.62, 0.04, 0.95, 0.17), shadow=shadow),
    ], []


def _tram(shot: Shot, on: _Surface, file: File) -> Dress:
    """A film that ends early: slowed down by keys, then begun again."""
    time = {"after": "loop", "frames": "blended", "retime": [{"frame": 0, "at": 0}, {"frame": 60, "at": 40}, {"frame": 95, "at": 130}]}
    return [_placed(id="film", name="Departures", surface=on.id, artwork=_file(file("departures.mp4")), fit="fill", time=time)], []


def _breakwater(shot: Shot, on: _Surface, file: File) -> Dress:
    """Clouds ride the far ridge, seen only within a soft shape over it."""
    shape = {
        "kind": "shape", "rides": on.id, "soft_points": [2.0, 2.0, 18.0, 18.0],
        "keys": [{"frame": shot.surfaces[0].reference_frame, "points": on.quad(-0.02, -0.02, 1.02, 0.99)}],
    }  # fmt: skip
    sky = Matte.model_validate({"id": "sky", "name": "Sky", "surface": on.id, "parts": [shape]})
    return [p.model_copy(update={"shown_only_in": ["sky"], "name": "Clouds"}) for p in shot.placements], [sky]


def _notice(shot: Shot, on: _Surface, file: File) -> Dress:
    """Text on its own paper."""
    text = {
        "kind": "text",
        "text": "Office closed\nthis Sunday.\nTickets on\nthe quay.",
        "rgb": [30, 58, 66],
        "ground": [240, 236, 224],
        "margin": 0.1,
    }
    return [_placed(id="text", name="Notice", surface=on.id, artwork=text)], []


DRESSES: dict[str, Callable[[Shot, _Surface, File], Dress]] = {
    "handset": _handset, "hoarding": _hoarding, "carton": _carton, "tram": _tram, "breakwater": _breakwater, "notice": _notice,
}  # fmt: skip


# What the old surface of a scene is, and what is known of it: its kind, a lit screen's white, and a spot by shares of the surface.
Spot = tuple[tuple[float, float, float, float], tuple[int, int, int]]
KNOWN: dict[str, tuple[str, float | None, Spot | None]] = {
    "kiosk": ("screen", 0.75, None),
    "handset": ("screen", 0.75, ((0.3, 0.16, 0.7, 0.42), (24, 60, 214))),
}


def known_of(scene: str, shot: Shot, corners: Float64) -> SurfaceMatch:
    """What is known of a scene's old surface before anything is measured."""
    kind, white, spot = KNOWN.get(scene, ("print", None, None))
    on = _Surface(shot.surfaces[0].id, corners)
    spots = [] if spot is None else [{"frame": shot.surfaces[0].reference_frame, "polygon": on.quad(*spot[0]), "code": spot[1]}]
    return SurfaceMatch.model_validate({"surface": on.id, "kind": kind, "white_linear": white, "spots": spots})
