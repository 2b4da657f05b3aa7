"""What a still says of its colour: cICP, sRGB and gAMA chunks of PNG, ICC profiles, chromaticities of OpenEXR.

References
----------
W3C PNG, third edition (cICP, sRGB, gAMA; their order of precedence). ICC.1:2022 (profiles). ITU-T H.273 (numbers in cICP).
"""

import io
import struct
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import OpenEXR
from PIL import Image, ImageCms

from verdigris.core.light.encoding import (
    PRIMARIES,
    PRIMARIES_NUMBER,
    PRIMARIES_OF,
    TRANSFER_NUMBER,
    TRANSFER_OF,
    Primaries,
    Transfer,
    nearest_primaries,
    to_code,
    to_light,
    xyz_for_d50,
)

# How far a profile's curve may lie from a known one, code values.
ALIKE = 1.6 / 255
# How far its primaries may lie from known ones, CIE XYZ.
NEAR = 0.004
CURVES: tuple[Transfer, ...] = ("srgb", "gamma22", "gamma24", "bt709", "linear")


@dataclass(frozen=True)
class StillColour:
    """Colour of a still; `told` names what the file itself says, `profile` a profile that was used, `note` what could not be."""

    transfer: Transfer = "srgb"
    primaries: Primaries = "bt709"
    told: tuple[str, ...] = ()
    profile: str = ""
    note: str = ""


BOTH = ("primaries", "transfer")


def still_colour(path: Path, kind: str) -> StillColour:
    """Colour of a still of a kind that `still_kind` knows; sRGB where it says nothing."""
    if kind == "exr":
        return _of_exr(path)
    if kind == "svg":
        # SVG 2, 13.1: colours are sRGB.
        return StillColour("srgb", "bt709", BOTH)
    chunks = dict(_chunks(path)) if kind == "png" else {}
    if (cicp := chunks.get(b"cICP")) and len(cicp) == 4 and cicp[0] in PRIMARIES_OF and cicp[1] in TRANSFER_OF:
        return StillColour(TRANSFER_OF[cicp[1]], PRIMARIES_OF[cicp[0]], BOTH)
    with Image.open(path) as picture:
        profile = picture.info.get("icc_profile")
    if profile:
        return _of_profile(profile)
    if b"sRGB" in chunks:
        return StillColour(told=BOTH)
    if len(gamma := chunks.get(b"gAMA", b"")) == 4:
        power = 100000 / max(1, struct.unpack(">I", gamma)[0])
        known: dict[Transfer, float] = {"linear": 1.0, "gamma22": 2.2, "gamma24": 2.4, "gamma28": 2.8}
        nearest = min(known, key=lambda t: abs(known[t] - power))
        if abs(known[nearest] - power) < 0.03:
            # 1/2.2 is what writers of sRGB put there.
            return StillColour("srgb" if nearest == "gamma22" else nearest, told=("transfer",))
    return StillColour()


def _of_exr(path: Path) -> StillColour:
    with OpenEXR.File(str(path), header_only=True) as exr:
        said = exr.header().get("chromaticities")
    if said is None:
        return StillColour("linear")
    primaries = nearest_primaries(np.array([float(v) for v in said]).reshape(4, 2))
    if primaries is None:
        return StillColour("linear", note="Its primaries are none that are known here; they were taken as those of BT.709.")
    return StillColour("linear", primaries, ("primaries",))


def _of_profile(data: bytes) -> StillColour:
    """The known curve and primaries that a profile comes down to."""
    try:
        profile = ImageCms.ImageCmsProfile(io.BytesIO(data))
        name = ImageCms.getProfileDescription(profile).strip()
        inside = profile.profile
        columns = [c[0] for c in (inside.red_colorant, inside.green_colorant, inside.blue_colorant) if c is not None]
        if len(columns) < 3:
            raise ValueError("not red, green and blue")
        seen = np.array(columns, np.float64).T
        ramp = Image.fromarray(np.repeat(np.arange(256, dtype=np.uint8)[None, :, None], 3, axis=2))
        shown = ImageCms.profileToProfile(ramp, profile, ImageCms.createProfile("sRGB"))
        if shown is None:
            raise ValueError("no way to sRGB")
        middle = np.asarray(shown, np.float64)[0].mean(axis=1) / 255
    except (ImageCms.PyCMSError, OSError, ValueError, TypeError):
        return StillColour(note="Its colour profile is of a kind that is not read here; it was taken as sRGB.")
    off = {p: float(np.abs(xyz_for_d50(p) - seen).max()) for p in PRIMARIES}
    primaries = min(PRIMARIES, key=lambda p: off[p])
    code = np.arange(256, dtype=np.float32) / 255
    away = {t: float(np.abs(to_code(to_light(np.asarray(code, np.float32), t), "srgb") - middle).max()) for t in CURVES}
    transfer = min(CURVES, key=lambda t: away[t])
    if off[primaries] > NEAR or away[transfer] > ALIKE:
        return StillColour(note=f"Its colour profile, {name}, is none that is known here; it was taken as sRGB.")
    return StillColour(transfer, primaries, BOTH, name)


def _chunks(path: Path) -> Iterator[tuple[bytes, bytes]]:
    """Small chunks of a PNG that stand before its picture."""
    with path.open("rb") as f:
        f.seek(8)
        while len(head := f.read(8)) == 8:
            size, kind = struct.unpack(">I4s", head)
            if kind == b"IDAT":
                return
            data = f.read(size) if size < 4096 else b""
            f.seek(size - len(data) + 4, 1)
            yield kind, data


def png_with_colour(data: bytes, transfer: Transfer, primaries: Primaries) -> bytes:
    """A PNG with a cICP chunk that says what its code values mean, where that has a number."""
    if transfer not in TRANSFER_NUMBER or primaries not in PRIMARIES_NUMBER:
        return data
    body = b"cICP" + bytes([PRIMARIES_NUMBER[primaries], TRANSFER_NUMBER[transfer], 0, 1])
    chunk = struct.pack(">I", 4) + body + struct.pack(">I", zlib.crc32(body))
    # After the header, which is always as long.
    return data[:33] + chunk + data[33:]
