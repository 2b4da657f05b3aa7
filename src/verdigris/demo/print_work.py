"""Printed and shown matter of the further shots: old prints on their surfaces, and the new artwork for them."""

from functools import lru_cache

import numpy as np

from verdigris.core.light.transfer import srgb_to_linear
from verdigris.core.types import Float32, Uint8
from verdigris.demo.board_content import ROWS, Board
from verdigris.demo.textures import Rng, fractal_noise

INK, IVORY, COPPER, SEA = (0.10, 0.18, 0.20), (0.95, 0.92, 0.85), (0.80, 0.50, 0.30), (0.12, 0.36, 0.40)


def linear(codes: Uint8, gain: float = 0.8) -> Float32:
    """A drawn board as linear light, (h, w, 3)."""
    return np.asarray(srgb_to_linear(codes.astype(np.float64) / 255) * gain, np.float32)


def worn(rng: Rng, rgb: Float32, cell: float = 60.0, strength: float = 0.10) -> Float32:
    """Paper or paint that has hung outside: stains, fine grain."""
    h, w = rgb.shape[:2]
    stain = 1 + strength * fractal_noise(rng, h, w, cell, 6, 0.6) + 0.03 * fractal_noise(rng, h, w, 4, 2)
    return np.asarray(np.clip(rgb * stain[..., None], 0, None), np.float32)


def sailing_poster(width: int, height: int, winter: bool) -> Uint8:
    """A wide poster of the ferry line; the winter one is new."""
    s = height / 600
    sky, low = ((0.72, 0.78, 0.80), (0.86, 0.84, 0.78)) if not winter else ((0.16, 0.23, 0.34), (0.55, 0.62, 0.70))
    board = Board(width, height, sky, low)
    if winter:
        rng = np.random.default_rng(4)
        for x, y, r in zip(rng.uniform(0, width, 90), rng.uniform(0, height * 0.7, 90), rng.uniform(2, 6, 90), strict=True):
            board.box(x - r * s, y - r * s, x + r * s, y + r * s, (0.93, 0.95, 0.97), r * s)
    for i in range(4):
        tone = 0.10 + 0.07 * i
        board.wave(height * (0.66 + 0.075 * i), 16 * s, width * (0.42 - 0.05 * i), 1.1 * i, (tone * 0.6, tone + 0.14, tone + 0.2))
    hull = np.array([[0.50, 0.60], [0.88, 0.58], [0.84, 0.70], [0.54, 0.70]]) * [width, height]
    deck = np.array([[0.55, 0.50], [0.79, 0.50], [0.82, 0.59], [0.55, 0.60]]) * [width, height]
    board.polygon(hull, (0.13, 0.24, 0.33) if not winter else (0.58, 0.24, 0.16))
    board.polygon(deck, IVORY)
    for i in range(6):
        x = width * (0.575 + 0.036 * i)
        board.box(x, height * 0.53, x + width * 0.02, height * 0.562, (0.2, 0.3, 0.36), 4 * s)
    board.box(width * 0.66, height * 0.40, width * 0.70, height * 0.50, COPPER)
    board.text("Winter sailings" if winter else "See the islands", 50 * s, 150 * s, 118 * s, 700, IVORY if winter else INK)
    board.text("every hour until the ice" if winter else "by boat, from pier two", 54 * s, 232 * s, 56 * s, 400, IVORY if winter else INK)
    board.text("SKERRY LINE", 54 * s, height - 50 * s, 62 * s, 700, IVORY)
    return board.pixels


def tea_label(width: int, height: int, new: bool) -> Uint8:
    """The front of a carton of tea."""
    s = height / 900
    board = Board(
        width, height, (0.13, 0.33, 0.30) if not new else (0.60, 0.22, 0.15), (0.09, 0.24, 0.23) if not new else (0.42, 0.14, 0.10)
    )
    board.box(40 * s, 40 * s, width - 40 * s, height - 40 * s, IVORY, 26 * s)
    board.box(54 * s, 54 * s, width - 54 * s, height - 54 * s, (0.16, 0.38, 0.34) if not new else (0.66, 0.27, 0.18), 18 * s)
    leaf = np.array([[0, -1], [0.45, -0.4], [0.5, 0.2], [0, 1], [-0.5, 0.2], [-0.45, -0.4]], float)
    for i, (cx, cy, r) in enumerate([(0.5, 0.33, 120), (0.36, 0.39, 80), (0.64, 0.39, 80)]):
        board.polygon(leaf * r * s + [cx * width, cy * height], (0.55 + 0.1 * i, 0.68, 0.40) if not new else (0.93, 0.76 - 0.1 * i, 0.42))
    board.text("Gannet" if not new else "Lantern", width / 2, height * 0.60, 112 * s, 700, IVORY, centred=True)
    board.text("harbour tea" if not new else "evening tea", width / 2, height * 0.685, 66 * s, 400, IVORY, centred=True)
    board.box(width * 0.2, height * 0.75, width * 0.8, height * 0.755, COPPER)
    board.text("twenty bags, no hurry", width / 2, height * 0.82, 44 * s, 400, IVORY, centred=True)
    return board.pixels


def tram_panel(width: int, height: int, new: bool) -> Uint8:
    """The long panel on a tram's flank."""
    s = height / 200
    board = Board(
        width, height, (0.90, 0.86, 0.77) if not new else (0.11, 0.25, 0.28), (0.86, 0.81, 0.71) if not new else (0.09, 0.20, 0.23)
    )
    for i in range(3):
        board.wave(
            height * (0.70 + 0.1 * i),
            7 * s,
            width * 0.16,
            1.3 * i,
            (0.75 - 0.1 * i, 0.52 - 0.06 * i, 0.34) if not new else (0.14, 0.36 + 0.06 * i, 0.38),
        )
    board.text("North Mole bakery" if not new else "Change here for the islands", 40 * s, 96 * s, 92 * s, 700, INK if not new else IVORY)
    board.text(
        "warm from five o'clock" if not new else "tram to boat in four minutes", 46 * s, 152 * s, 44 * s, 400, INK if not new else IVORY
    )
    board.box(width - 170 * s, 44 * s, width - 50 * s, 156 * s, COPPER, 60 * s)
    return board.pixels


def inspector_screen(width: int, height: int) -> Uint8:
    """What the inspector's handset is to show."""
    s = height / 1200
    board = Board(width, height, (0.95, 0.93, 0.88), (0.90, 0.87, 0.80))
    board.box(0, 0, width, 150 * s, SEA)
    board.text("Tickets aboard", 46 * s, 100 * s, 62 * s, 700, IVORY)
    for i, (time, name, pier) in enumerate(ROWS[:6]):
        y = (270 + 140 * i) * s
        board.box(30 * s, y - 84 * s, width - 30 * s, y + 36 * s, (0.99, 0.98, 0.95), 16 * s)
        board.text(f"{time} {name}", 54 * s, y, 44 * s, 500, INK)
        board.text(pier, width - 90 * s, y, 50 * s, 700, COPPER)
    board.box(30 * s, height - 150 * s, width - 30 * s, height - 40 * s, COPPER, 24 * s)
    board.text("Scan the next", width / 2, height - 76 * s, 56 * s, 700, IVORY, centred=True)
    return board.pixels


def door_notice(width: int, height: int) -> Uint8:
    """The pale notice behind the glass of the office door."""
    s = height / 1000
    board = Board(width, height, (0.80, 0.79, 0.76), (0.77, 0.76, 0.73))
    pale = (0.66, 0.655, 0.64)
    board.text("Office", width / 2, 200 * s, 150 * s, 600, pale, centred=True)
    for i, line in enumerate(("open when a boat", "is in, and one", "hour before it.")):
        board.text(line, width / 2, (340 + 86 * i) * s, 64 * s, 400, pale, centred=True)
    board.box(width * 0.18, 600 * s, width * 0.82, 606 * s, pale)
    for i, line in enumerate(("Parcels at the side", "door. Ring twice.")):
        board.text(line, width / 2, (700 + 80 * i) * s, 58 * s, 400, pale, centred=True)
    board.box(24 * s, 24 * s, width - 24 * s, 30 * s, pale)
    board.box(24 * s, height - 30 * s, width - 24 * s, height - 24 * s, pale)
    return board.pixels


def new_notice(width: int = 900, height: int = 1200) -> Uint8:
    """The notice that replaces it."""
    s = height / 1200
    board = Board(width, height, (0.96, 0.94, 0.89), (0.94, 0.91, 0.85))
    board.box(0, 0, width, 220 * s, SEA)
    board.text("Winter hours", width / 2, 150 * s, 110 * s, 700, IVORY, centred=True)
    for i, line in enumerate(("Monday to Friday", "six to eight", "Saturday", "seven to noon", "Sunday", "ask a gull")):
        board.text(line, width / 2, (380 + 120 * i) * s, 76 * s, 700 if i % 2 == 0 else 400, INK, centred=True)
    board.box(width * 0.2, 1060 * s, width * 0.8, 1068 * s, COPPER)
    board.text("Skerry Line office", width / 2, 1140 * s, 50 * s, 400, INK, centred=True)
    return board.pixels


@lru_cache(maxsize=1)
def cloud_bank(width: int = 1700, height: int = 390) -> Uint8:
    """A bank of cloud with transparency, (height, width, 4) straight alpha."""
    rng = np.random.default_rng(31)
    y, x = np.linspace(0, 1, height)[:, None], np.linspace(0, 1, width)[None, :]
    body = fractal_noise(rng, height, width, 210, 8, 0.58)
    crest = 0.34 + 0.10 * np.sin(7 * x + 1) + 0.06 * np.sin(17 * x) + 0.10 * body
    cover = np.clip((y - crest) * 5.5 + 0.35 * body, 0, 1) * np.clip((1 - y) * 5, 0, 1) * np.clip(np.minimum(x, 1 - x) * 7, 0, 1)
    lit = np.clip(0.90 - 0.34 * (y - crest) + 0.06 * body, 0.6, 1.0)
    rgb = np.stack([lit, lit * 0.965, lit * 0.94 + 0.03], axis=2)
    return np.clip(np.dstack([rgb, cover * 0.94]) * 255 + 0.5, 0, 255).astype(np.uint8)
