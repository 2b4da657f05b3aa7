"""What is measured: the demo plate with its truth, made once and kept in var/demo."""

import json
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from launch.cluster import throwaway_cluster
from tests.live_app import LiveApp
from verdigris.demo.project import generate
from verdigris.demo.shots import kiosk_document
from verdigris.shot.model.document import Shot
from verdigris.shot.model.media import MediaRef

ROOT = Path(__file__).resolve().parent.parent
FOLDER = ROOT / "var" / "demo"


@contextmanager
def quiet(title: str) -> Iterator[Callable[[int, int], None]]:
    print(f"{title} ...", flush=True)
    yield lambda done, total: None


@contextmanager
def application() -> Iterator[tuple[LiveApp, Path]]:
    """An application of its own with two workers and an empty database, and a folder for its files."""
    cluster = throwaway_cluster()
    cluster.start()
    app = None
    try:
        with tempfile.TemporaryDirectory() as temporary:
            app = LiveApp(cluster.create_database("bench"), Path(temporary), workers=2)
            yield app, Path(temporary)
            app.stop()
    finally:
        if app is not None:
            app.stop()
        cluster.stop()


def demo_shot() -> tuple[Shot, dict[str, Any], Path]:
    """The kiosk document with paths, its truth, and the folder it lies in."""
    generate(FOLDER, quiet)
    truth = json.loads((FOLDER / "kiosk.truth.json").read_text())
    shot = kiosk_document(truth, MediaRef(path="kiosk.mp4", media=None), MediaRef(path="departures.mp4", media=None))
    return shot, truth, FOLDER
