"""Grades as ASC CDL: a colour correction in XML.

References
----------
American Society of Cinematographers, ASC Color Decision List, version 1.2 (ColorCorrection, ColorCorrectionCollection, ColorDecisionList).
"""

import re
from dataclasses import dataclass
from xml.etree import ElementTree

from verdigris.formats.errors import FormatError

LARGEST = 1 << 20
Three = tuple[float, float, float]


@dataclass(frozen=True)
class Cdl:
    """Slope, offset and power of red, green and blue, and saturation."""

    slope: Three = (1.0, 1.0, 1.0)
    offset: Three = (0.0, 0.0, 0.0)
    power: Three = (1.0, 1.0, 1.0)
    saturation: float = 1.0


def read_cdl(text: str) -> Cdl:
    """The first colour correction of a .cc, .ccc or .cdl file.

    Raises
    ------
    FormatError
        `bad_format` with what is missing.
    """
    if len(text) > LARGEST or "<!ENTITY" in text.upper():
        raise FormatError("the grade", "file", "a colour decision list", "something too large, or with entities")
    try:
        root = ElementTree.fromstring(text)
    except (ElementTree.ParseError, ValueError) as error:
        raise FormatError("the grade", "file", "a colour decision list in XML", str(error)) from error
    plain = {re.sub(r"^\{.*\}", "", e.tag): (e.text or "") for e in reversed(list(root.iter()))}
    if "Slope" not in plain and "Saturation" not in plain:
        raise FormatError("the grade", "file", "a slope or a saturation", "neither")
    slope, offset, power = _three(plain, "Slope", 1.0), _three(plain, "Offset", 0.0), _three(plain, "Power", 1.0)
    found = Cdl(slope, offset, power, _numbers(plain, "Saturation", 1, 1.0)[0])
    if min(*found.slope, found.saturation) < 0 or min(found.power) <= 0:
        raise FormatError("the grade", "numbers", "slope and saturation from 0 up and power above 0", "one that is lower")
    return found


def write_cdl(grade: Cdl, name: str = "verdigris") -> str:
    """A grade as a ColorCorrection (.cc)."""
    root = ElementTree.Element("ColorCorrection", {"id": name, "xmlns": "urn:ASC:CDL:v1.2"})
    sop = ElementTree.SubElement(root, "SOPNode")
    for tag, values in (("Slope", grade.slope), ("Offset", grade.offset), ("Power", grade.power)):
        ElementTree.SubElement(sop, tag).text = " ".join(f"{v:.6g}" for v in values)
    sat = ElementTree.SubElement(root, "SatNode")
    ElementTree.SubElement(sat, "Saturation").text = f"{grade.saturation:.6g}"
    ElementTree.indent(root)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ElementTree.tostring(root, encoding="unicode") + "\n"


def _three(plain: dict[str, str], name: str, otherwise: float) -> Three:
    r, g, b = _numbers(plain, name, 3, otherwise)
    return r, g, b


def _numbers(plain: dict[str, str], name: str, count: int, otherwise: float) -> list[float]:
    words = plain.get(name, "").split()
    if not words:
        return [otherwise] * count
    try:
        found = [float(w) for w in words]
    except ValueError:
        found = []
    if len(found) != count or not all(abs(v) < 1000 for v in found):
        raise FormatError("the grade", name, f"{count} {'number' if count == 1 else 'numbers'}", " ".join(words)[:60])
    return found
