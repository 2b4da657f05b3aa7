"""Pictures that are made here: the mark chart, and text."""

from typing import Literal

import cv2
import numpy as np

from verdigris.core.light.transfer import decode_array
from verdigris.core.types import Float32, Uint8

LIGHT, DARK, MARK, COPPER = (244, 236, 218), (38, 42, 42), (98, 181, 163), (201, 134, 82)
FACE = "sans"
Colour = tuple[float, float, float]


def chart_picture(width: int, height: int, squares: int) -> Float32:
    """The mark chart: numbered squares, corners told apart by their shapes, a circle and two diagonals.

    A number is as wide as high where the surface's proportions are right; the shapes are those of the corners everywhere else:
    disc top-left, triangle top-right, square bottom-right, diamond bottom-left.

    Returns
    -------
    (height, width, 4) float32 linear light, opaque
    """
    longer = max(width, height)
    cell = longer / squares
    cols, rows = max(1, round(width / cell)), max(1, round(height / cell))
    x, y = np.arange(width) * cols // width, np.arange(height) * rows // height
    odd = (np.add.outer(y, x) % 2).astype(bool)
    codes = np.where(odd[..., None], np.array(DARK, np.uint8), np.array(LIGHT, np.uint8)).astype(np.uint8)
    codes = np.ascontiguousarray(codes)
    line = max(2, round(longer / 300))
    cv2.line(codes, (0, 0), (width, height), MARK, line, cv2.LINE_AA)
    cv2.line(codes, (width, 0), (0, height), MARK, line, cv2.LINE_AA)
    cv2.circle(codes, (width // 2, height // 2), round(0.46 * min(width, height)), MARK, line, cv2.LINE_AA)
    cw, ch = width / cols, height / rows
    size = round(0.34 * min(cw, ch))
    for r in range(rows):
        for c in range(cols):
            colour = LIGHT if (r + c) % 2 else DARK
            _write(codes, str(r * cols + c + 1), ((c + 0.5) * cw, (r + 0.5) * ch), size, colour)
    reach = round(0.3 * min(cw, ch))
    left, right, top, bottom = 0.5 * cw, width - 0.5 * cw, 0.5 * ch, height - 0.5 * ch
    for i, (cx, cy) in enumerate(((left, top), (right, top), (right, bottom), (left, bottom))):
        _mark(codes, i, (round(cx), round(cy)), reach, max(2, line))
    cv2.rectangle(codes, (0, 0), (width - 1, height - 1), COPPER, 2 * line)
    light = decode_array(codes.astype(np.float32) / np.float32(255))
    return np.dstack([light, np.ones((height, width), np.float32)])


def _write(codes: Uint8, text: str, at: tuple[float, float], size: int, colour: tuple[int, int, int]) -> None:
    face = cv2.FontFace(FACE)
    x, y, w, h = cv2.getTextSize((0, 0), text, (0, 0), face, size, 600)
    cv2.putText(codes, text, (round(at[0] - w / 2 - x), round(at[1] - h / 2 - y)), colour, face, size, 600)


def _mark(codes: Uint8, corner: int, at: tuple[int, int], reach: int, line: int) -> None:
    x, y = at
    if corner == 0:
        cv2.circle(codes, at, reach, COPPER, line * 2, cv2.LINE_AA)
        return
    shapes = {
        1: [(x, y - reach), (x + reach, y + reach), (x - reach, y + reach)],
        2: [(x - reach, y - reach), (x + reach, y - reach), (x + reach, y + reach), (x - reach, y + reach)],
        3: [(x, y - reach), (x + reach, y), (x, y + reach), (x - reach, y)],
    }
    cv2.polylines(codes, [np.array(shapes[corner], np.int32)], True, COPPER, line * 2, cv2.LINE_AA)


def text_picture(
    text: str, size: tuple[int, int], light: Colour, bold: bool, align: Literal["left", "middle", "right"], margin: float,
    line: Colour | None = None, line_width: float = 0.0, ground: Colour | None = None,
) -> Float32:  # fmt: skip
    """Text as large as fits.

    Parameters
    ----------
    size : width and height, px
    light : linear light of the letters
    margin : room around them, share of the shorter side
    line, line_width : light of a line around the letters, and its width as a share of their size
    ground : light behind; without it nothing is there

    Returns
    -------
    (height, width, 4) float32 linear light, premultiplied
    """
    width, height = size
    lines = text.split("\n")
    face, weight = cv2.FontFace(FACE), 700 if bold else 400
    room = margin * min(width, height)
    probe = 200
    widest = max(max(cv2.getTextSize((0, 0), one, (0, 0), face, probe, weight)[2] for one in lines), 1)
    step = 1.25
    letters = int(max(4, min((width - 2 * room) * probe / (widest * 1.02), (height - 2 * room) / (step * len(lines)))))
    grow = round(line_width * letters) if line is not None else 0
    cover = np.zeros((height, width, 3), np.uint8)
    top = (height - step * letters * len(lines)) / 2
    for i, one in enumerate(lines):
        x, _, w, _ = cv2.getTextSize((0, 0), one, (0, 0), face, letters, weight)
        left = {"left": room, "middle": (width - w) / 2, "right": width - room - w}[align] - x
        cv2.putText(cover, one, (round(left), round(top + (i + 0.82 * step) * letters)), (255, 255, 255), face, letters, weight)
    inside = cover[..., :1].astype(np.float32) / np.float32(255)
    out = np.zeros((height, width, 4), np.float32)
    if ground is not None:
        out[:] = (*ground, 1.0)
    if line is not None and grow > 0:
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * grow + 1, 2 * grow + 1))
        around = cv2.GaussianBlur(cv2.dilate(inside[..., 0], disc), (0, 0), 0.7)[..., None]
        out = out * (1 - around) + around * np.array((*line, 1.0), np.float32)
    return np.asarray(out * (1 - inside) + inside * np.array((*light, 1.0), np.float32), np.float32)
