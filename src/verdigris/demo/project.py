"""The demo project: the kiosk shot finished by the real jobs, and once more untouched."""

import json
import time
import uuid
from collections.abc import Callable
from contextlib import AbstractContextManager
from pathlib import Path

import numpy as np
from sqlalchemy import select

from verdigris.core.geometry.quad import grow_quad
from verdigris.core.types import Float64
from verdigris.demo.write import write_artwork, write_plate
from verdigris.jobs.intake import take_in
from verdigris.jobs.start import start_delivery, start_tracking
from verdigris.settings import Settings
from verdigris.shot.document import MediaRef, Occluder, Placement, Plate, Region, ShapeKey, Shot, Surface
from verdigris.store.database import session
from verdigris.store.jobs import get_job
from verdigris.store.media_folder import MediaFolder
from verdigris.store.models import Job, Project
from verdigris.store.shots import create_project, create_shot

PROJECT = "Skerry Line, spring timetable"
Bar = Callable[[str], AbstractContextManager[Callable[[int, int], None]]]


def demo_folder(settings: Settings) -> Path:
    """Where generated plates, artwork and truth are kept."""
    return settings.media_dir.resolve().parent / "demo"


def generate(folder: Path, bar: Bar) -> None:
    """Render plate and artwork unless they are there."""
    if (folder / "kiosk.mp4").exists() and (folder / "kiosk.truth.json").exists() and (folder / "departures.mp4").exists():
        return
    with bar("rendering the demo plate") as progress:
        write_plate("kiosk", folder, lambda _, done, total: progress(done, total))
    with bar("drawing the departures film") as progress:
        write_artwork(folder, lambda _, done, total: progress(done, total))


def kiosk_document(truth: dict[str, object], plate: MediaRef, artwork: MediaRef) -> Shot:
    """The kiosk shot as an artist would outline it; corners and outlines are rounded as hands do."""
    reference = int(truth["reference_frame"])  # type: ignore[call-overload]
    corners = np.array(truth["surfaces"]["screen"][reference]["corners"])  # type: ignore[index]
    outlines: list[list[list[float]] | None] = truth["occluders"]["arm"]  # type: ignore[index]
    there = [n for n, outline in enumerate(outlines) if outline]
    keys = [
        ShapeKey(frame=n, points=_as_tuples(_even_points(np.array(outlines[n]), 48)))
        for n in sorted({*there[::4], there[-1]})
    ]  # fmt: skip
    return Shot(
        name="Ticket kiosk",
        plate=Plate(path=plate.path, media=plate.media, first_frame=1001),
        surfaces=[
            Surface(
                id="screen", name="Screen", depth=1, reference_frame=reference,
                corners=tuple((round(float(x), 2), round(float(y), 2)) for x, y in corners),  # type: ignore[arg-type]
                region=Region(include=[_as_tuples(grow_quad(corners, 34))], exclude=[_as_tuples(grow_quad(corners, 1))]),
            )
        ],
        occluders=[Occluder(id="arm", name="Arm", depth=0, keys=keys, span=(there[0], there[-1]), feather_px=1.2)],
        placements=[Placement(surface="screen", artwork=artwork, fit="fill", overshoot_px=1.0, after_end="loop")],
    )  # fmt: skip


def _as_tuples(points: Float64) -> list[tuple[float, float]]:
    return [(round(float(x), 1), round(float(y), 1)) for x, y in points]


def _even_points(outline: Float64, count: int) -> Float64:
    """Points at even distances along a closed outline, (count, 2)."""
    closed = np.vstack([outline, outline[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(closed, axis=0), axis=1))])
    at = np.linspace(0, along[-1], count, endpoint=False)
    return np.stack([np.interp(at, along, closed[:, 0]), np.interp(at, along, closed[:, 1])], axis=1)


def make_demo_project(settings: Settings, bar: Bar) -> None:
    """Make the demo project unless it is there; a running worker does the tracking and rendering."""
    with session(settings.database_url) as s:
        if s.scalar(select(Project).where(Project.name == PROJECT)) is not None:
            return
    folder, media = demo_folder(settings), MediaFolder(settings.media_dir)
    generate(folder, bar)
    truth = json.loads((folder / "kiosk.truth.json").read_text())
    with session(settings.database_url) as s:
        plate = MediaRef(path=None, media=take_in(s, media, folder / "kiosk.mp4"))
        film = MediaRef(path=None, media=take_in(s, media, folder / "departures.mp4"))
        take_in(s, media, folder / "timetable.png")
        project = create_project(s, PROJECT)
        finished = create_shot(s, project.id, kiosk_document(truth, plate, film), "outlined and placed").id
        untouched = Shot(name="Ticket kiosk, untouched", plate=Plate(path=None, media=plate.media, first_frame=1001))
        create_shot(s, project.id, untouched)
        reading = [j.id for j in s.scalars(select(Job).where(Job.kind == "media"))]
    for job in reading:
        _wait(settings, job, bar)
    with session(settings.database_url) as s:
        following = start_tracking(s, finished, "screen", "both").id
    _wait(settings, following, bar)
    with session(settings.database_url) as s:
        handing_over = start_delivery(s, finished).id
    _wait(settings, handing_over, bar)


def _wait(settings: Settings, job_id: uuid.UUID, bar: Bar) -> None:
    with session(settings.database_url) as s:
        title = get_job(s, job_id).title
    with bar(title) as progress:
        while True:
            with session(settings.database_url) as s:
                job = get_job(s, job_id)
                progress(job.done, job.total)
                if job.state not in ("waiting", "running"):
                    if job.state != "done":
                        raise RuntimeError(f"{title}: {job.message}")
                    return
            time.sleep(0.3)
