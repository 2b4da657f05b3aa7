"""What is measured: the demo plate with its truth, made once and kept in var/demo."""

import json
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from verdigris.demo.project import generate
from verdigris.demo.shots import kiosk_document
from verdigris.shot.document import MediaRef, Shot

ROOT = Path(__file__).resolve().parent.parent
FOLDER = ROOT / "var" / "demo"


@contextmanager
def quiet(title: str) -> Iterator[Callable[[int, int], None]]:
    print(f"{title} ...", flush=True)
    yield lambda done, total: None


def demo_shot() -> tuple[Shot, dict[str, Any], Path]:
    """The kiosk document with paths, its truth, and the folder it lies in."""
    generate(FOLDER, quiet)
    truth = json.loads((FOLDER / "kiosk.truth.json").read_text())
    shot = kiosk_document(truth, MediaRef(path="kiosk.mp4", media=None), MediaRef(path="departures.mp4", media=None))
    return shot, truth, FOLDER
