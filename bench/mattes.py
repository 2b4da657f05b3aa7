"""What mattes cost: a keyed shot rendered against a bare decode and encode, its previews, and a threshold or a point under the hand."""

import json
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from bench.material import FOLDER, application, quiet
from bench.render import bare
from bench.report import table, write_section
from tests.live_app import LiveApp
from verdigris.core.geometry.homography import apply_homography, homography_from_quads, unit_square_to
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.types import Float64
from verdigris.demo.project import generate
from verdigris.demo.shots import SHOTS, document_of_scene
from verdigris.runs.render.open_shot import OpenShot
from verdigris.shot.model.document import Shot, parse_shot
from verdigris.shot.model.media import MediaRef

Track = dict[int, FrameResult]


def _on(corners: Float64, *box: float) -> list[list[float]]:
    """A box by shares of the surface, plate px."""
    x0, y0, x1, y1 = box
    at = apply_homography(unit_square_to(corners), np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]]))
    return [[round(float(x), 2), round(float(y), 2)] for x, y in at]


def _material(folder: Path) -> tuple[Shot, Track, Float64]:
    """The handset's blue screen, its true track, and where it is at the reference frame."""
    generate(folder, quiet, "handset")
    truth = json.loads((folder / "handset.truth.json").read_text())
    scene = next(s for s in SHOTS if s.scene == "handset")
    shot = document_of_scene(scene, truth, MediaRef(path="handset.mp4", media=None), MediaRef(path="inspector.png", media=None))
    true = {r["frame"]: np.array(r["corners"]) for r in truth["surfaces"][scene.surface]}
    corners = np.array(shot.surfaces[0].corners)
    exact = {n: FrameResult(n, "followed", homography_from_quads(corners, at), at, np.full(4, 0.05), 0.1, 1.0) for n, at in true.items()}
    return shot, exact, corners


def _mattes(shot: Shot, corners: Float64, count: int) -> list[dict[str, Any]]:
    """So many mattes: first a key with despill held in by one shape and joined by another, then others like an artist makes."""
    surface, frame = shot.surfaces[0].id, shot.surfaces[0].reference_frame
    key = {
        "kind": "key", "samples": [{"frame": frame, "polygon": _on(corners, 0.3, 0.16, 0.7, 0.42)}], "marks_px": 30, "despill": 1.0,
    }  # fmt: skip
    around = {"kind": "shape", "combine": "intersect", "rides": surface, "soft_px": 3.0,
              "keys": [{"frame": frame, "points": _on(corners, -0.2, -0.2, 1.2, 1.2)}]}  # fmt: skip
    beside = {"kind": "shape", "rides": surface, "soft_px": 1.5, "keys": [{"frame": frame, "points": _on(corners, -0.1, 0.7, 0.08, 1.1)}]}
    bright = {"kind": "brightness", "low": [0.75, 0.95]}
    drawn = {"kind": "shape", "rides": surface, "soft_px": 2.0, "keys": [{"frame": frame, "points": _on(corners, 0.6, 0.8, 0.9, 1.05)}]}
    region = {"kind": "region", "surface": surface, "invert": True, "strength": [{"frame": 0, "value": 0.2}]}
    parts: list[list[dict[str, Any]]] = [[key, around, beside], [bright, {**around, "soft_px": 1.0}], [drawn], [region, drawn]]
    return [{"id": f"m{i}", "name": f"Matte {i}", "surface": surface, "parts": p} for i, p in enumerate(parts[:count])]


def _with_mattes(shot: Shot, corners: Float64, count: int) -> Shot:
    mattes = _mattes(shot, corners, count)
    placed = [
        {**p.model_dump(), "kept_in_front": [m["id"] for m in mattes], "covered_by_nearer": False, "fit": "stretch"}
        for p in shot.placements
    ]
    delivery = {**shot.delivery.model_dump(), "preset": "veryfast"}
    return parse_shot({**shot.model_dump(mode="json"), "placements": placed, "mattes": mattes, "delivery": delivery})


def run(quick: bool) -> None:
    """Measure and write."""
    shot, track, corners = _material(FOLDER)
    lines = _rendered(_with_mattes(shot, corners, 1), {shot.surfaces[0].id: track}, corners, 1 if quick else 3)
    with application() as (app, own):
        lines += ["", *_under_the_hand(app, own, _with_mattes(shot, corners, 4), 20 if quick else 80)]
    write_section("Mattes", lines)


def _rendered(shot: Shot, tracks: dict[str, Track], corners: Float64, turns: int) -> list[str]:
    rows, ratios = [], []
    plain = shot.model_copy(update={"placements": [p.model_copy(update={"kept_in_front": []}) for p in shot.placements], "mattes": []})
    with OpenShot(shot, FOLDER) as keyed, OpenShot(plain, FOLDER) as pinned, tempfile.TemporaryDirectory() as temporary:
        for opened in (keyed, pinned):
            for _ in opened.composed(tracks, 0, 4):
                pass  # compile kernels outside the measurement
        facts = keyed.plate.facts
        ways: dict[str, Callable[[Path], object]] = {
            "bare": lambda out: bare(keyed, out),
            "pin": lambda out: pinned.render(tracks, out),
            "key": lambda out: keyed.render(tracks, out),
        }
        for i in range(turns):
            took = []
            for name, render in ways.items():
                begun = time.perf_counter()
                render(Path(temporary) / f"{name}{i}.mp4")
                took.append(time.perf_counter() - begun)
            ratios.append(took[0] / took[2])
            rows.append([str(i + 1), *(f"{t:.1f}" for t in took), f"{took[0] / took[1]:.2f}", f"{took[0] / took[2]:.2f}"])
        (ax, ay), (bx, by) = corners[2] - corners[0], corners[3] - corners[1]
        share = 50 * abs(ax * by - ay * bx) / (facts.width * facts.height)
    return [
        f"The handset, {facts.frame_count} frames of {facts.width} x {facts.height}, H.264 veryfast, its screen {share:.0f} % of the",
        "picture: a pin alone, and with a key, its despill and two shapes.", "",
        *table(["turn", "bare decode and encode, s", "pin, s", "key and shapes, s", "pin against bare", "key against bare"], rows),
        "", f"Median with the key {np.median(ratios):.2f} of the bare speed.",
    ]  # fmt: skip


def _under_the_hand(app: LiveApp, own: Path, shot: Shot, count: int) -> list[str]:
    for name in ("handset.mp4", "inspector.png"):
        (own / name).symlink_to(FOLDER / name)
    (own / "shot.json").write_text(shot.model_dump_json(exclude_none=True))
    shot_id = app.run("import", str(own / "shot.json")).stdout.strip()
    for job in app.http.get("/api/jobs").json():
        app.wait(job["id"])
    surface = shot.surfaces[0].id
    job = app.http.post(f"/api/shots/{shot_id}/track", json={"surface": surface, "direction": "both"}).json()
    app.wait(job["id"], seconds=1800)
    revision = app.http.get(f"/api/shots/{shot_id}").json()["revision"]
    shown = []
    for n in range(count + 5):
        begun = time.perf_counter()
        app.http.get(f"/api/shots/{shot_id}/revisions/{revision}/results/{n % 84}?state=one").raise_for_status()
        shown.append(time.perf_counter() - begun)
    threshold: list[float] = []
    point: list[float] = []
    frame = shot.surfaces[0].reference_frame
    matte = json.loads(shot.mattes[0].model_dump_json())
    for n in range(count + 5):
        for took in (threshold, point):
            parts = [dict(p) for p in matte["parts"]]
            if took is threshold:
                parts[0]["clear"] = 0.05 + 0.1 * n / (count + 5)
            else:
                keys = [dict(k) for k in parts[2]["keys"]]
                (x, y), *rest = keys[0]["points"]
                parts[2]["keys"] = [{**keys[0], "points": [[x + 0.3 * n, y], *rest]}]
            begun = time.perf_counter()
            body = {"base_revision": revision, "edits": [{"kind": "set_matte", "matte": {**matte, "parts": parts}}]}
            revision = app.http.post(f"/api/shots/{shot_id}/edits", json=body).raise_for_status().json()["revision"]
            app.http.get(f"/api/shots/{shot_id}/revisions/{revision}/results/{frame}?state=one").raise_for_status()
            took.append(time.perf_counter() - begun)

    def said(times: list[float]) -> str:
        ms = 1000 * np.array(times[5:])
        return f"median {np.median(ms):.0f} ms, 95 % within {np.percentile(ms, 95):.0f} ms"

    return [
        "1280 x 720, over HTTP, one after the other, four mattes in front of the artwork:", "",
        f"- a preview of the result: {said(shown)} (40 wanted)",
        f"- the key's clear bound moved, kept as an edit, and the result of that: {said(threshold)} (100 wanted)",
        f"- a shape's point moved, kept, and the result: {said(point)} (100 wanted)",
    ]  # fmt: skip
