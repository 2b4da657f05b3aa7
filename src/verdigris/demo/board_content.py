"""What made-up screens show: the kiosk's old running content, the new timetable, the departures film."""

import cv2
import numpy as np

from verdigris.core.light.transfer import srgb_to_linear
from verdigris.core.types import Float32, Float64, Uint8

ROWS = [
    ("06:40", "Skerry Holm", "1"), ("07:05", "North Mole", "2"), ("07:20", "Lantern Bay", "1"), ("07:55", "Skerry Holm", "1"),
    ("08:10", "Gannet Sound", "3"), ("08:35", "Kelp Island", "2"), ("09:00", "North Mole", "2"), ("09:25", "Lantern Bay", "1"),
]  # fmt: skip

Colour = tuple[float, float, float]
_DECODE = np.asarray(srgb_to_linear(np.arange(256) / 255), np.float32)


class Board:
    """A picture drawn in 8-bit code values with smooth edges; sizes as shares of its height."""

    def __init__(self, width: int, height: int, top: Colour, bottom: Colour) -> None:
        ramp = np.linspace(0, 1, height, dtype=np.float32)[:, None, None]
        codes = np.array(top, np.float32) * (1 - ramp) + np.array(bottom, np.float32) * ramp
        self.pixels: Uint8 = np.ascontiguousarray(np.broadcast_to((codes * 255 + 0.5).astype(np.uint8), (height, width, 3)))
        self.width, self.height = width, height

    def polygon(self, points: Float64, colour: Colour) -> None:
        """Fill a polygon (N, 2) px."""
        cv2.fillPoly(self.pixels, [np.round((points - 0.5) * 16).astype(np.int32)], _bytes(colour), cv2.LINE_AA, 4)

    def box(self, x0: float, y0: float, x1: float, y1: float, colour: Colour, radius: float = 0.0) -> None:
        """Fill a rounded rectangle, px."""
        if radius <= 0:
            self.polygon(np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]]), colour)
            return
        turn = np.linspace(0, np.pi / 2, 9)
        arcs = [
            np.stack([cx + radius * np.cos(turn + a), cy + radius * np.sin(turn + a)], axis=1)
            for cx, cy, a in (
                (x1 - radius, y1 - radius, 0.0), (x0 + radius, y1 - radius, np.pi / 2),
                (x0 + radius, y0 + radius, np.pi), (x1 - radius, y0 + radius, 1.5 * np.pi),
            )
        ]  # fmt: skip
        self.polygon(np.concatenate(arcs), colour)

    def wave(self, base: float, amplitude: float, length: float, phase: float, colour: Colour, floor: float | None = None) -> None:
        """Fill below a moving crest, px."""
        x = np.linspace(0, self.width, 120)
        y = base + amplitude * np.sin(2 * np.pi * x / length + phase) + 0.4 * amplitude * np.sin(4.6 * np.pi * x / length - 1.7 * phase)
        bottom = self.height if floor is None else floor
        ends = np.array([[self.width, bottom], [0, bottom]])
        self.polygon(np.concatenate([np.stack([x, np.minimum(y, bottom)], axis=1), ends]), colour)

    def text(self, text: str, x: float, y: float, size: float, weight: int, colour: Colour, centred: bool = False) -> None:
        """Write a line of type from its baseline, px."""
        if centred:
            rect = cv2.getTextSize((0, 0), text, (0, 0), cv2.FontFace("sans"), round(size), weight)
            x -= rect[2] / 2
        cv2.putText(self.pixels, text, (round(x), round(y)), _bytes(colour), cv2.FontFace("sans"), round(size), weight)


def _bytes(colour: Colour) -> tuple[int, int, int]:
    r, g, b = (round(c * 255) for c in colour)
    return r, g, b


def old_screen(width: int, height: int, frame: int) -> Float32:
    """The running content of the kiosk before replacement, (height, width, 3) linear light."""
    big_w, big_h = width * 2, height * 2
    board = Board(big_w, big_h, (0.16, 0.42, 0.50), (0.11, 0.28, 0.34))
    for i in range(3):
        colour = (0.105 + 0.03 * i, 0.31 + 0.05 * i, 0.39 + 0.05 * i)
        board.wave(big_h * (0.66 + 0.10 * i), 28, big_w * (0.7 - 0.1 * i), frame * (0.11 + 0.05 * i), colour)
    step = big_h * 0.13
    first, shift = divmod(frame * 2.6, step)
    for i in range(7):
        at = big_h * (0.20 + 0.13 * (i + 1)) - shift
        time, name, _ = ROWS[(int(first) + i) % len(ROWS)]
        board.text(time, big_w * 0.05, at, big_h * 0.072, 500, (0.95, 0.93, 0.84))
        board.text(name, big_w * 0.27, at, big_h * 0.072, 400, (0.95, 0.93, 0.84))
    board.box(0, 0, big_w, big_h * 0.17, (0.07, 0.22, 0.27))
    board.text("Welcome aboard", big_w * 0.05, big_h * 0.115, big_h * 0.085, 600, (0.95, 0.93, 0.84))
    along = (frame * 12.0) % (big_w + 320) - 160
    board.box(along - 120, big_h * 0.955, along + 120, big_h * 0.97, (0.95, 0.72, 0.35), 5)
    codes = cv2.resize(board.pixels, (width, height), interpolation=cv2.INTER_AREA)
    return _DECODE[codes] * np.float32(0.78)


def timetable(width: int = 1600, height: int = 1200) -> Uint8:
    """The new timetable, (height, width, 3) uint8 sRGB."""
    s = height / 1200
    board = Board(width, height, (0.957, 0.925, 0.855), (0.945, 0.910, 0.835))
    board.box(0, 0, width, 250 * s, (0.105, 0.235, 0.255))
    for i in range(3):
        colour = (0.12 + 0.06 * i, 0.30 + 0.09 * i, 0.32 + 0.08 * i)
        board.wave((196 + 20 * i) * s, 9 * s, 420 * s, 0.9 * i, colour, floor=250 * s)
    board.text("Spring timetable", 80 * s, 120 * s, 88 * s, 700, (0.97, 0.95, 0.89))
    board.text("Skerry Line, from the first of April", 84 * s, 172 * s, 36 * s, 400, (0.97, 0.95, 0.89))
    for i, (time, name, pier) in enumerate(ROWS):
        y = (350 + i * 96) * s
        if i % 2 == 0:
            board.box(56 * s, y - 64 * s, width - 56 * s, y + 26 * s, (0.905, 0.870, 0.790), 10 * s)
        board.text(time, 90 * s, y, 60 * s, 600, (0.13, 0.20, 0.21))
        board.text(name, 350 * s, y, 60 * s, 400, (0.13, 0.20, 0.21))
        board.box(width - 260 * s, y - 50 * s, width - 90 * s, y + 12 * s, (0.79, 0.50, 0.30), 30 * s)
        board.text(f"Pier {pier}", width - 175 * s, y - 6 * s, 36 * s, 600, (1, 0.97, 0.92), centred=True)
    board.text("Bicycles travel free. Gulls at their own risk.", 84 * s, height - 46 * s, 34 * s, 400, (0.40, 0.42, 0.40))
    return board.pixels


def departures(frame: int, width: int = 1280, height: int = 960) -> Uint8:
    """One frame of the departures film, (height, width, 3) uint8 sRGB."""
    board = Board(width, height, (0.075, 0.115, 0.145), (0.105, 0.205, 0.235))
    for i in range(3):
        colour = (0.10, 0.22 + 0.07 * i, 0.25 + 0.05 * i)
        board.wave(height * (0.80 + 0.055 * i), 18, width * (0.6 - 0.1 * i), frame * (0.10 + 0.04 * i), colour)
    boat, bob = (frame * 7.0) % (width + 400) - 200, 6 * np.sin(frame * 0.26)
    for shape in ([[-90, 762], [110, 756], [84, 800], [-70, 800]], [[-50, 722], [56, 722], [66, 760], [-54, 762]]):
        board.polygon(np.array(shape, np.float64) + np.array([boat, bob]), (0.93, 0.89, 0.78))
    ivory, copper = (0.95, 0.93, 0.86), (0.93, 0.64, 0.40)
    board.text("Next departures", 70, 118, 72, 700, ivory)
    board.text(f"06:{31 + frame // 24:02d}:{(frame * 60 // 24) % 60:02d}", width - 330, 116, 62, 500, copper)
    turn = (frame // 48) % len(ROWS)
    slide = max(0.0, 1 - (frame % 48) / 10) ** 2 * 90
    for i in range(5):
        time, name, pier = ROWS[(i + turn) % len(ROWS)]
        at = 246 + i * 104
        board.text(time, 70 + slide, at, 62, 600, ivory)
        board.text(name, 320 + slide, at, 62, 400, ivory)
        board.text(f"Pier {pier}", width - 250 + slide, at, 50, 600, copper)
    board.box(70, 152, 70 + (width - 140) * ((frame % 48) + 1) / 48, 159, (0.384, 0.710, 0.639), 3)
    return board.pixels
