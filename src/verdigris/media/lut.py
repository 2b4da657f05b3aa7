"""Look-up tables, and looks of a colour configuration, read by OpenColorIO.

References
----------
OpenColorIO 2: formats that `FileTransform` reads, and archives of a configuration with its files (.ocioz).
"""

from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio  # noqa: N813

from verdigris.core.types import Float32
from verdigris.media.errors import MediaError
from verdigris.media.facts import MediaFacts

CONFIG_ENDING = ".ocioz"
LUT_ENDINGS = (".cube", ".clf", ".csp", ".spi1d", ".spi3d", ".3dl", CONFIG_ENDING)
LARGEST = 64 * 2**20
# What light with the primaries of BT.709 is called in configurations.
LINEAR = ("lin_rec709_srgb", "lin_rec709", "Linear Rec.709 (sRGB)", "lin_srgb", "scene_linear")

Change = Callable[[Float32], Float32]


def lut_facts(path: Path, name: str) -> MediaFacts:
    """Facts of a table or a configuration, read to its end.

    Raises
    ------
    MediaError
        `too_large`, `damaged`.
    """
    if path.stat().st_size > LARGEST:
        raise MediaError("too_large", f"{name} is larger than {LARGEST // 2**20} MB; that is more than is read here of a table.")
    looks = looks_of(path, name) if path.suffix.lower() == CONFIG_ENDING else ()
    if not looks:
        read_lut(path, name)
    return MediaFacts(
        kind="lut", width=1, height=1, frame_count=1, rate=None, codec=path.suffix.lower().lstrip("."), pixel_format="table", bit_depth=32,
        looks=looks,
    )  # fmt: skip


def looks_of(path: Path, name: str | None = None) -> tuple[str, ...]:
    """Names of the looks in a configuration; MediaError `damaged` where there are none, or it cannot be read."""
    try:
        looks = tuple(ocio.Config.CreateFromFile(str(path)).getLookNames())
    except ocio.Exception as error:
        raise _damaged(path, name, error) from error
    if not looks:
        raise MediaError("damaged", f"{name or path.name} has no looks in it.")
    return looks


@lru_cache(maxsize=16)
def read_lut(path: Path, name: str | None = None) -> Change:
    """A table as a function of code values (..., 3) float32; MediaError `damaged`."""
    transform = ocio.FileTransform(src=str(path), interpolation=ocio.INTERP_BEST)
    try:
        return _applied(ocio.Config.CreateRaw().getProcessor(transform))
    except ocio.Exception as error:
        raise _damaged(path, name, error) from error


@lru_cache(maxsize=16)
def read_look(path: Path, look: str) -> Change:
    """A look of a configuration as a function of linear light with the primaries of BT.709, (..., 3) float32; MediaError `damaged`."""
    known = looks_of(path)
    if look not in known:
        raise MediaError("not_found", f"{path.name} has no look {look}. It has {', '.join(known)}.")
    try:
        config = ocio.Config.CreateFromFile(str(path))
        space = next((n for n in LINEAR if config.getColorSpace(n) is not None), None)
        if space is None:
            raise MediaError("damaged", f"{path.name} does not say what linear light is: it needs a role scene_linear.")
        return _applied(config.getProcessor(ocio.LookTransform(src=space, dst=space, looks=look)))
    except ocio.Exception as error:
        raise _damaged(path, None, error) from error


def _applied(processor: "ocio.Processor") -> Change:
    cpu = processor.getDefaultCPUProcessor()

    def change(values: Float32) -> Float32:
        out = np.array(values, np.float32, order="C")
        cpu.applyRGB(out.reshape(-1, 3))
        return out

    return change


def _damaged(path: Path, name: str | None, error: Exception) -> MediaError:
    first = str(error).strip().splitlines()[0][:200].replace(str(path), name or path.name)
    return MediaError("damaged", f"{name or path.name} cannot be read as a table: {first}")
