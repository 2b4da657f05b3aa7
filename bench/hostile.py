"""Damaged and lying files at any length, from a seed: each is read as an upload is read, and must be taken or refused in words."""

import multiprocessing
import tempfile
import zipfile
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import tifffile

from verdigris.demo.write import film_facts
from verdigris.media.decoding_time import decoding_time
from verdigris.media.errors import MediaError
from verdigris.media.facts import Limits
from verdigris.media.frames import RgbFrame
from verdigris.media.reader import open_media
from verdigris.media.stills import write_exr_half, write_still
from verdigris.media.writer import FilmWriter
from verdigris.store.media_folder import unpack_stills

SECONDS = 20
LIMITS = Limits(bytes=64 * 2**20, pixels=4_000_000, frames=500, seconds=120)
Mutation = Callable[[np.random.Generator, bytearray], bytearray]


def sources(folder: Path) -> list[Path]:
    """Small sound files of every kind that is read."""
    picture = np.random.default_rng(1).integers(0, 255, (48, 64, 3)).astype(np.uint8)
    for ending in (".mp4", ".mov", ".mkv"):
        with FilmWriter(folder / f"film{ending}", film_facts(64, 48, 12, Fraction(24)), crf=20, preset="veryfast") as writer:
            for n in range(12):
                writer.write(RgbFrame(np.roll(picture, n, 1)))
    write_still(folder / "still.png", picture)
    write_exr_half(folder / "still.exr", picture.astype(np.float32) / 255)
    cv2.imwrite(str(folder / "still.jpg"), picture)
    tifffile.imwrite(folder / "still.tif", picture)
    with zipfile.ZipFile(folder / "stills.zip", "w", zipfile.ZIP_DEFLATED) as z:
        for n in range(3):
            z.write(folder / "still.png", f"f.{n:04d}.png")
    return sorted(folder.iterdir())


def _cut(rng: np.random.Generator, data: bytearray) -> bytearray:
    return data[: int(rng.integers(0, len(data)))]


def _flip(rng: np.random.Generator, data: bytearray) -> bytearray:
    for i in rng.integers(0, len(data), int(rng.integers(1, 60))):
        data[int(i)] = int(rng.integers(256))
    return data


def _zero(rng: np.random.Generator, data: bytearray) -> bytearray:
    a = int(rng.integers(0, len(data)))
    b = min(len(data), a + int(rng.integers(1, 400)))
    data[a:b] = bytes(b - a)
    return data


def _shuffle(rng: np.random.Generator, data: bytearray) -> bytearray:
    a, b = sorted(int(v) for v in rng.integers(0, len(data), 2))
    return data[:a] + data[b:] + data[a:b]


def _sizes(rng: np.random.Generator, data: bytearray) -> bytearray:
    """Large numbers where sizes and counts may stand."""
    at = int(rng.integers(0, max(1, min(len(data), 600) - 4)))
    data[at : at + 4] = rng.choice([b"\xff\xff\xff\xff", b"\x7f\xff\xff\xff", b"\x00\x01\x00\x00", b"\x80\0\0\0"])
    return data


MUTATIONS: tuple[Mutation, ...] = (_cut, _flip, _zero, _shuffle, _sizes)


def read_as_upload(path: Path) -> str:
    """Read a file whole; `taken`, or the code it was refused with."""
    try:
        with decoding_time(SECONDS), tempfile.TemporaryDirectory() as folder:
            source = path
            if path.suffix == ".zip":
                source = Path(folder) / "stills"
                unpack_stills(path, source, LIMITS)
            with open_media(source, limits=LIMITS) as reader:
                for _ in reader.verified_frames():
                    pass
    except MediaError as error:
        return error.code
    except Exception as error:  # whatever else it is, it is what this looks for
        return f"UNFORESEEN {type(error).__name__}"
    return "taken"


def run(count: int, seed: int) -> int:
    """Try so many files; returns how many ended in neither way."""
    told: Counter[str] = Counter()
    context = multiprocessing.get_context("spawn")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        originals = sources(folder)
        pool = ProcessPoolExecutor(1, mp_context=context)
        for i in range(count):
            rng = np.random.default_rng([seed, i])
            original = originals[int(rng.integers(len(originals)))]
            data = bytearray(original.read_bytes())
            for _ in range(int(rng.integers(1, 4))):
                data = MUTATIONS[int(rng.integers(len(MUTATIONS)))](rng, data) if data else data
            ending = original.suffix if rng.random() > 0.1 else originals[int(rng.integers(len(originals)))].suffix
            path = folder / f"hostile{ending}"
            path.write_bytes(bytes(data))
            try:
                outcome = pool.submit(read_as_upload, path).result()
            except BrokenProcessPool:
                outcome, pool = "ended its process", ProcessPoolExecutor(1, mp_context=context)
            told[outcome] += 1
            if outcome.startswith("UNFORESEEN"):
                kept = Path(tempfile.gettempdir()) / f"hostile-{seed}-{i}{ending}"
                kept.write_bytes(bytes(data))
                print(f"{outcome}: {kept}")
        pool.shutdown()
    for outcome, number in told.most_common():
        print(f"{number:6d}  {outcome}")
    return sum(v for k, v in told.items() if k.startswith("UNFORESEEN"))
