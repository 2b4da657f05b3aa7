"""Drawings (SVG), drawn in px by a library at the size that is asked for.

References
----------
W3C, Scalable Vector Graphics 2, 2018 (size and viewBox of the root).
"""

import re
from pathlib import Path
from xml.etree import ElementTree

import cv2
import numpy as np
import resvg_py

from verdigris.core.types import Uint8
from verdigris.media.errors import MediaError

# Px of the longer side where nothing else is asked.
DRAWN_PX = 2048
LARGEST = 8 * 2**20
_LENGTH = re.compile(r"^\s*([0-9]*\.?[0-9]+)\s*(px|pt|mm|cm|in|pc)?\s*$")
# CSS Values and Units 3, px a unit.
_UNITS = {None: 1.0, "px": 1.0, "pt": 4 / 3, "pc": 16.0, "mm": 96 / 25.4, "cm": 96 / 2.54, "in": 96.0}
OUTSIDE = re.compile(rb"""(?:href|src)\s*=\s*["']\s*(?!#|data:)[^"'\s]""", re.IGNORECASE)
FONT_NOTE = "Letters in this drawing are set in fonts of this machine. Turn them into outlines, and they look the same everywhere."


def is_drawing(head: bytes) -> bool:
    """Whether the first bytes of a file are those of an SVG."""
    text = head.lstrip(b"\xef\xbb\xbf \t\r\n")
    return text.startswith(b"<") and b"<svg" in text


def read_source(path: Path, name: str) -> bytes:
    """The text of a drawing, checked.

    Raises
    ------
    MediaError
        `too_large`; `damaged`; `unsupported` where it names other files or entities, which are not read.
    """
    if path.stat().st_size > LARGEST:
        raise MediaError("too_large", f"{name} is larger than {LARGEST // 2**20} MB; that is more than is read here of a drawing.")
    data = path.read_bytes()
    if b"<!ENTITY" in data.upper():
        raise MediaError("unsupported", f"{name} defines entities; save it as plain SVG.")
    if OUTSIDE.search(data) or b"@import" in data:
        raise MediaError("unsupported", f"{name} names other files, which are not read. Embed its pictures, and save it again.")
    return data


def drawing_aspect(data: bytes, name: str) -> float:
    """Width : height of a drawing; MediaError `damaged` where its size makes none."""
    try:
        root = ElementTree.fromstring(data)
    except ElementTree.ParseError as error:
        raise MediaError("damaged", f"{name} cannot be read: {error}.") from error
    width, height = (_px(root.get(side)) for side in ("width", "height"))
    box = [float(v) for v in re.split(r"[\s,]+", (root.get("viewBox") or "").strip()) if _number(v)]
    if (width is None or height is None) and len(box) == 4:
        width, height = box[2], box[3]
    width, height = width or 100.0, height or 100.0
    if not (width > 0 and height > 0 and 1 / 200 <= width / height <= 200):
        raise MediaError("damaged", f"{name} has no size that can be drawn.")
    return width / height


def has_letters(data: bytes) -> bool:
    """Whether a drawing has text that is set in a font."""
    return b"<text" in data


def draw(data: bytes, longest: int, name: str) -> Uint8:
    """A drawing as (H, W, 4) uint8, sRGB with straight alpha, its longer side `longest` px.

    Raises
    ------
    MediaError
        `damaged` where it cannot be drawn.
    """
    aspect = drawing_aspect(data, name)
    width, height = (longest, None) if aspect >= 1 else (None, longest)
    try:
        png = resvg_py.svg_to_bytes(svg_string=data.decode("utf-8"), dpi=96.0, width=width, height=height)
    except (ValueError, RuntimeError) as error:
        raise MediaError("damaged", f"{name} cannot be drawn: {error}.") from error
    read = cv2.imdecode(np.frombuffer(bytes(png), np.uint8), cv2.IMREAD_UNCHANGED)
    if read is None or read.ndim != 3 or read.shape[2] != 4:
        raise MediaError("damaged", f"{name} cannot be drawn.")
    return np.ascontiguousarray(read[..., [2, 1, 0, 3]])


def _px(length: str | None) -> float | None:
    found = _LENGTH.match(length or "")
    return float(found.group(1)) * _UNITS[found.group(2)] if found else None


def _number(text: str) -> bool:
    return re.fullmatch(r"[+-]?[0-9]*\.?[0-9]+(e[+-]?[0-9]+)?", text, re.IGNORECASE) is not None
