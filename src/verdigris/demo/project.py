"""The demo project: every shot made by the real jobs; what was begun is gone on with."""

import json
import time
import uuid
from collections.abc import Callable
from contextlib import AbstractContextManager
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from verdigris.demo.placing import CHALK, dressed, known_of, write_chalk
from verdigris.demo.shelf import fill_shelf, from_shelf
from verdigris.demo.shots import SHOTS, DemoShot, document_of_scene, kiosk_document
from verdigris.demo.write import STILLS, write_departures, write_plate, write_stills
from verdigris.jobs.intake import take_in
from verdigris.jobs.start import start_delivery, start_measuring, start_tracking
from verdigris.settings import Settings
from verdigris.shot.edits.placements import SetMatch
from verdigris.shot.model.document import Shot
from verdigris.shot.model.match import SurfaceMatch
from verdigris.shot.model.media import MediaRef, Plate
from verdigris.store.database import session
from verdigris.store.jobs import get_job, list_deliveries
from verdigris.store.media_folder import MediaFolder
from verdigris.store.models import Job, Project
from verdigris.store.proposals import list_proposals
from verdigris.store.shots import create_project, create_shot, document_of, edit_shot, get_shot, list_shots

PROJECT = "Skerry Line, spring timetable"
UNTOUCHED = "Ticket kiosk, untouched"
# Every plate of the demo has this size, px.
DEMO_SIZE = (1920, 1080)
# What is measured and taken over; shadow and glow are for the eye.
MATCHED = ("levels", "light", "reflections", "softness", "movement", "grain")
Bar = Callable[[str], AbstractContextManager[Callable[[int, int], None]]]


def demo_folder(settings: Settings) -> Path:
    """Where generated plates, artwork and truth are kept."""
    return settings.media_dir.resolve().parent / "demo"


def generate(folder: Path, bar: Bar, scene: str = "kiosk") -> None:
    """Render a plate with its truth, and the artwork, unless they are there."""
    if not ((folder / f"{scene}.mp4").exists() and (folder / f"{scene}.truth.json").exists()):
        with bar(f"rendering the plate of the {scene}") as progress:
            write_plate(scene, folder, lambda _, done, total: progress(done, total))
    if not (folder / "departures.mp4").exists():
        with bar("drawing the departures film") as progress:
            write_departures(folder, lambda _, done, total: progress(done, total))
    write_stills(folder)


def make_demo_project(settings: Settings, bar: Bar) -> None:
    """Make what is missing of the demo project; a running worker does the tracking and rendering.

    Shots that were taken away by hand do not come back once the project is whole.
    """
    folder, media = demo_folder(settings), MediaFolder(settings.media_dir)
    marker = folder / "whole"
    with session(settings.database_url) as s:
        project = s.scalar(select(Project).where(Project.name == PROJECT))
        if project is not None and marker.exists():
            return
        marker.unlink(missing_ok=True)
        project_id = create_project(s, PROJECT).id if project is None else project.id
    generate(folder, bar)
    with session(settings.database_url) as s:
        plate, film = (_brought_in(s, media, folder / name) for name in ("kiosk.mp4", "departures.mp4"))
        # All new prints lie on the shelf, those of shots in work as well.
        held = {name: _brought_in(s, media, folder / name).media or "" for name in ("departures.mp4", *STILLS)}
        fill_shelf(s, project_id, held)
        kiosk = from_shelf(s, project_id, kiosk_document(_truth(folder, "kiosk"), plate, film), held)
        finished = _shot(s, project_id, kiosk, "outlined and placed")
        _shot(s, project_id, Shot(name=UNTOUCHED, plate=Plate(path=None, media=plate.media, first_frame=1001)), "begun")
    _through(settings, finished, "screen", "kiosk", True, bar)
    for shot in SHOTS:
        _make(settings, folder, project_id, shot, held, bar)
    marker.touch()


def _make(settings: Settings, folder: Path, project_id: uuid.UUID, shot: DemoShot, held: dict[str, str], bar: Bar) -> None:
    media = MediaFolder(settings.media_dir)
    generate(folder, bar, shot.scene)
    with session(settings.database_url) as s:
        plate = _brought_in(s, media, folder / f"{shot.scene}.mp4")
        artwork = None if shot.artwork is None else _brought_in(s, media, folder / shot.artwork)
        truth = _truth(folder, shot.scene)
        corners = np.array(truth["surfaces"][shot.surface][int(truth["reference_frame"])]["corners"])
        if shot.scene == "hoarding" and not (folder / CHALK).exists():
            write_chalk(folder / CHALK, corners, DEMO_SIZE)
        document = document_of_scene(shot, truth, plate, artwork)
        document = dressed(shot.scene, document, corners, lambda name: _brought_in(s, media, folder / name))
        made = _shot(s, project_id, from_shelf(s, project_id, document, held), "outlined")
    _through(settings, made, shot.surface, shot.scene, shot.delivered, bar)


def _through(settings: Settings, shot: uuid.UUID, surface: str, scene: str, delivered: bool, bar: Bar) -> None:
    """Read what the shot needs, follow its surface, match it and hand it over, as far as that is not done yet."""
    with session(settings.database_url) as s:
        reading = [j.id for j in s.scalars(select(Job).where(Job.kind == "media"))]
    for job in reading:
        _wait(settings, job, bar)
    with session(settings.database_url) as s:
        document = document_of(s, get_shot(s, shot))
        following = None if document.surface(surface).take else start_tracking(s, shot, surface, "both").id
        still_at_it = [j.id for j in s.scalars(select(Job).where(Job.shot_id == shot, Job.state.in_(("waiting", "running"))))]
    for job in dict.fromkeys([*([following] if following else []), *still_at_it]):
        _wait(settings, job, bar)
    _match(settings, shot, surface, scene, bar)
    if not delivered:
        return
    with session(settings.database_url) as s:
        handing_over = None if list_deliveries(s, shot) else start_delivery(s, shot).id
    if handing_over:
        _wait(settings, handing_over, bar)


def _match(settings: Settings, shot: uuid.UUID, surface: str, scene: str, bar: Bar) -> None:
    """Measure how the surface sits, and take over what can be measured."""
    with session(settings.database_url) as s:
        row = get_shot(s, shot)
        document = document_of(s, row)
        if any(m.levels is not None for m in document.match):
            return
        corners = document.surface(surface).quad()
        assert corners is not None
        edit_shot(s, shot, row.head, [SetMatch(match=known_of(scene, document, corners))])
        job = start_measuring(s, shot, surface).id
    _wait(settings, job, bar)
    with session(settings.database_url) as s:
        row = get_shot(s, shot)
        match = document_of(s, row).match[0]
        found = next(p for p in list_proposals(s, shot) if p.surface == surface).found
        parts = {p["part"]: p["value"] for p in found if p["value"] is not None and p["part"] in MATCHED}
        edit_shot(s, shot, row.head, [SetMatch(match=SurfaceMatch.model_validate({**match.model_dump(), **parts}))])


def _shot(s: Session, project_id: uuid.UUID, document: Shot, label: str) -> uuid.UUID:
    """The project's shot of that name, made unless it is there."""
    for row in list_shots(s, project_id):
        if document_of(s, row).name == document.name:
            return row.id
    return create_shot(s, project_id, document, label).id


def _brought_in(s: Session, media: MediaFolder, path: Path) -> MediaRef:
    return MediaRef(path=None, media=take_in(s, media, path))


def _truth(folder: Path, scene: str) -> dict[str, Any]:
    found: dict[str, Any] = json.loads((folder / f"{scene}.truth.json").read_text())
    return found


def _wait(settings: Settings, job_id: uuid.UUID, bar: Bar) -> None:
    with session(settings.database_url) as s:
        job = get_job(s, job_id)
        title = job.title
        if job.state not in ("waiting", "running"):
            return
    with bar(title) as progress:
        while True:
            with session(settings.database_url) as s:
                job = get_job(s, job_id)
                progress(job.done, job.total)
                if job.state not in ("waiting", "running"):
                    if job.state == "failed":
                        raise RuntimeError(f"{title}: {job.message}")
                    return
            time.sleep(0.3)
