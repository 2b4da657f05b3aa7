"""Kills at any length, from a seed: workers die while they read, follow and render; every job must end, and end right."""

import hashlib
import tempfile
import time
from pathlib import Path

import httpx
import numpy as np

from launch.cluster import throwaway_cluster
from tests.live_app import LiveApp
from tests.plates import make_plate, write_plate
from verdigris.media.reader import probe
from verdigris.media.stills import write_still

FRAMES = 90
LONGEST_SECONDS = 600


def _begin(app: LiveApp, plate_path: Path, art: Path, corners: list[list[float]], reference: int) -> str:
    media, artwork = app.upload(plate_path), app.upload(art)
    project = app.http.post("/api/projects", json={"name": "kills"}).json()["id"]
    shot: str = app.http.post(f"/api/projects/{project}/shots", json={"name": "kills", "plate": media["hash"]}).json()["id"]
    surface = {"id": "s", "name": "Sign", "reference_frame": reference, "corners": corners}
    placement = {"surface": "s", "artwork": {"media": artwork["hash"]}}
    edits = [{"kind": "add_surface", "surface": surface}, {"kind": "set_placement", "placement": placement}]
    app.http.post(f"/api/shots/{shot}/edits", json={"base_revision": 1, "edits": edits}).raise_for_status()
    return shot


def _track_of(app: LiveApp, shot: str) -> str:
    take = app.http.get(f"/api/shots/{shot}").json()["takes"][-1]["id"]
    frames = app.http.get(f"/api/takes/{take}/frames").json()
    return hashlib.sha256(repr([(f["frame"], f["status"], f["homography"]) for f in frames]).encode()).hexdigest()[:12]


def _wait_killing(app: LiveApp, job: str, rng: np.random.Generator, left: int) -> tuple[str, int]:
    """Wait for a job, killing a worker now and then while kills are left; its state, and how many are left."""
    began, due = time.monotonic(), time.monotonic() + float(rng.uniform(0.3, 3.0))
    while time.monotonic() - began < LONGEST_SECONDS:
        try:
            state: str = app.job(job)["state"]
        except httpx.HTTPError:
            state = "running"
        if state not in ("waiting", "running"):
            return state, left
        if left and time.monotonic() > due:
            app.kill_workers()
            app.workers = [app.start_worker()]
            left, due = left - 1, time.monotonic() + float(rng.uniform(8.0, 14.0))
        time.sleep(0.1)
    return "did not end", left


def run(count: int, seed: int) -> int:
    """Kill so many workers while one shot after the other is followed and handed over; returns how often something was wrong."""
    rng, wrong, cluster = np.random.default_rng(seed), 0, throwaway_cluster()
    cluster.start()
    try:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            plate = make_plate(count=FRAMES, reference=FRAMES // 2, noise=0.006)
            film, art = write_plate(folder / "plate.mp4", plate), folder / "art.png"
            write_still(art, np.full((90, 120, 3), (210, 40, 30), np.uint8))
            app = LiveApp(cluster.create_database("kills"), folder / "live")
            try:
                wrong = _rounds(app, rng, count, film, art, plate.corners.round(3).tolist(), plate.reference)
            finally:
                app.stop()
    finally:
        cluster.stop()
    print(f"{count} kills, {wrong} wrong endings")
    return wrong


def _rounds(app: LiveApp, rng: np.random.Generator, left: int, film: Path, art: Path, corners: list[list[float]], reference: int) -> int:
    wrong, known, first = 0, "", True
    while left or first:
        shot = _begin(app, film, art, corners, reference)
        job = app.http.post(f"/api/shots/{shot}/track", json={"surface": "s"}).json()["id"]
        # The first run is left alone: what it says, all others have to say.
        if first:
            state = app.wait(job, LONGEST_SECONDS)["state"]
        else:
            state, left = _wait_killing(app, job, rng, left)
        track = _track_of(app, shot)
        known = known or track
        wrong += state != "done" or track != known
        revision = app.http.get(f"/api/shots/{shot}").json()["revision"]
        body = {"base_revision": revision, "delivery": {"form": "mp4", "preset": "medium"}}
        job = app.http.post(f"/api/shots/{shot}/deliveries", json=body).json()["id"]
        state, left = _wait_killing(app, job, rng, left)
        made = app.http.get(f"/api/shots/{shot}").json()["deliveries"][0]
        path = app.folder / "media" / "deliveries" / made["id"] / made["file"]
        whole = state == "done" and path.is_file() and probe(path).frame_count == FRAMES
        wrong += not whole
        print(
            f"track {track}{'' if track == known else ' DIFFERS'}, delivery {state}{'' if whole else ' NOT WHOLE'}, {left} kills left",
            flush=True,
        )
        first = False
    return wrong
