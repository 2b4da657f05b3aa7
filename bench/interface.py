"""The running application: preview frames measured in the web process's answers, playback measured in Chromium."""

import time

import numpy as np
from playwright.sync_api import sync_playwright

from bench.material import application, demo_shot
from bench.report import write_section
from tests.browser.chromium import ARGUMENTS, CHROMIUM
from tests.live_app import LiveApp

PLAY_SECONDS = 15


def run(quick: bool) -> None:
    """Import the demo shot into an application of its own, track it, then measure."""
    shot, _, folder = demo_shot()
    with application() as (app, _):
        document = folder / "bench-shot.json"
        document.write_text(shot.model_dump_json(exclude_none=True))
        shot_id = app.run("import", str(document)).stdout.strip()
        for job in app.http.get("/api/jobs").json():
            app.wait(job["id"])
        job = app.http.post(f"/api/shots/{shot_id}/track", json={"surface": "screen", "direction": "both"}).json()
        app.wait(job["id"])
        _previews(app, shot_id, quick)
        _playback(app, shot_id)


def _previews(app: LiveApp, shot_id: str, quick: bool) -> None:
    revision = app.http.get(f"/api/shots/{shot_id}").json()["revision"]
    times = []
    for n in range(30 if quick else 120):
        begun = time.perf_counter()
        answer = app.http.get(f"/api/shots/{shot_id}/revisions/{revision}/results/{n}", params={"frames": 120})
        answer.raise_for_status()
        times.append(time.perf_counter() - begun)
    ms = 1000 * np.array(times[5:])
    write_section(
        "Preview frames of the result view",
        [
            "1280 x 720, film artwork, one after the other over HTTP: "
            f"median {np.median(ms):.0f} ms, 95 % within {np.percentile(ms, 95):.0f} ms."
        ],
    )


def _playback(app: LiveApp, shot_id: str) -> None:
    lines = []
    with sync_playwright() as p:
        browser = p.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        for shown in ("Plate", "Result"):
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.goto(f"{app.address}/shots/{shot_id}")
            page.wait_for_selector("[data-testid=strip]")
            page.get_by_text(shown, exact=True).click()
            time.sleep(2)
            page.click("[data-testid=play]")
            time.sleep(PLAY_SECONDS)
            figures = page.locator("[data-testid=transport]")
            played, dropped = int(figures.get_attribute("data-played") or 0), int(figures.get_attribute("data-dropped") or 0)
            total = played + dropped
            lines.append(f"- {shown}: {played} of {total} frames shown at 24 a second, {100 * dropped / max(1, total):.1f} % dropped.")
            page.close()
        browser.close()
    write_section("Playback in headless Chromium", [f"{PLAY_SECONDS} s of the demo shot at 1280 x 800.", "", *lines])
