"""Write a scene as a camera would deliver it, with its truth beside it."""

import json
import tempfile
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import numpy as np

from verdigris.core.types import Uint8
from verdigris.demo.board_content import departures, timetable
from verdigris.demo.print_work import cloud_bank, inspector_screen, new_notice, sailing_poster, tea_label, tram_panel
from verdigris.demo.render import render_scene
from verdigris.demo.scenes import SCENES
from verdigris.demo.sound import write_sound
from verdigris.media.facts import MediaFacts
from verdigris.media.frames import RgbFrame
from verdigris.media.stills import write_still
from verdigris.media.writer import FilmWriter, join_parts

Progress = Callable[[str, int, int], None]
DEPARTURES_FRAMES = 96


def film_facts(width: int, height: int, frames: int, rate: Fraction, pixel_format: str = "yuv420p") -> MediaFacts:
    """Facts for a film to be written: square pixels, BT.709, limited range."""
    return MediaFacts(
        kind="film", width=width, height=height, frame_count=frames, rate=rate, codec="h264", pixel_format=pixel_format,
        bit_depth=8, matrix="bt709", full_range=False, told=("matrix", "primaries", "range", "transfer"),
    )  # fmt: skip


def write_plate(name: str, folder: Path, progress: Progress | None = None, processes: int = 2) -> Path:
    """Render a scene to NAME.mp4 with sound, and NAME.truth.json; returns the film's path."""
    folder.mkdir(parents=True, exist_ok=True)
    entry = SCENES[name]
    rate = Fraction(*entry.rate)
    described, frames = render_scene(name, processes)
    with tempfile.TemporaryDirectory() as temporary:
        picture, sound = Path(temporary) / "picture.mp4", Path(temporary) / "sound.mkv"
        with FilmWriter(picture, film_facts(entry.width, entry.height, entry.frames, rate), crf=17, preset="superfast") as writer:
            for n, pixels in enumerate(frames):
                writer.write(RgbFrame(pixels))
                if progress:
                    progress(f"rendering the plate of the {name}", n + 1, entry.frames)
        write_sound(sound, entry.frames / float(rate))
        out = folder / f"{name}.mp4"
        join_parts([picture], [0], out, rate, sound)
    (folder / f"{name}.truth.json").write_text(json.dumps(described.result()))
    return out


def write_departures(folder: Path, progress: Progress | None = None) -> Path:
    """Write the departures film; returns its path."""
    folder.mkdir(parents=True, exist_ok=True)
    film = folder / "departures.mp4"
    with FilmWriter(film, film_facts(1280, 960, DEPARTURES_FRAMES, Fraction(24)), crf=16, preset="veryfast") as writer:
        for n in range(DEPARTURES_FRAMES):
            writer.write(RgbFrame(np.asarray(departures(n), np.uint8)))
            if progress:
                progress("drawing the departures film", n + 1, DEPARTURES_FRAMES)
    return film


STILLS: dict[str, Callable[[], Uint8]] = {
    "timetable.png": timetable,
    "winter-sailings.png": lambda: sailing_poster(2100, 756, True),
    "cloud-bank.png": cloud_bank,
    "inspector.png": lambda: inspector_screen(900, 1556),
    "lantern-tea.png": lambda: tea_label(1000, 1400, True),
    "tram-panel.png": lambda: tram_panel(2250, 250, True),
    "winter-hours.png": new_notice,
}


def write_stills(folder: Path) -> list[Path]:
    """Draw the artwork stills unless they are there; returns their paths."""
    folder.mkdir(parents=True, exist_ok=True)
    paths = [folder / name for name in STILLS]
    for path in paths:
        if not path.exists():
            write_still(path, STILLS[path.name]())
    return paths
