"""Without a pointer: outline, corners, track and nudge by keys alone; and what assistive technology is told."""

import json
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.api.test_work import begin, track
from tests.browser.bench_page import BenchPage, document, until

AXE = Path(__file__).resolve().parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"


def hand_to(window: Page, at: tuple[float, float], target: tuple[float, float]) -> tuple[float, float]:
    """Bring the drawing hand to a place with arrow keys; returns where it is then."""
    x, y = at
    for size, modifier in ((40, "Shift+"), (8, ""), (1, "Control+")):
        while abs(target[0] - x) >= size / 2 + 1e-6 or (size == 1 and abs(target[0] - x) >= 0.5):
            step = size if target[0] > x else -size
            window.keyboard.press(f"{modifier}Arrow{'Right' if step > 0 else 'Left'}")
            x += step
        while abs(target[1] - y) >= size / 2 + 1e-6 or (size == 1 and abs(target[1] - y) >= 0.5):
            step = size if target[1] > y else -size
            window.keyboard.press(f"{modifier}Arrow{'Down' if step > 0 else 'Up'}")
            y += step
    return x, y


def test_outline_corners_track_and_nudge_by_keys_alone(window: Page, live, plate, plate_film):
    shot = begin(live, plate, plate_film, name="by keys")
    view = live.http.get(f"/api/shots/{shot}").json()
    bare = {"id": "t", "name": "Poster", "depth": 1, "reference_frame": plate.reference}
    edits = [{"kind": "remove", "target": "s"}, {"kind": "add_surface", "surface": bare}]
    assert live.http.post(f"/api/shots/{shot}/edits", json={"base_revision": view["revision"], "edits": edits}).status_code == 200
    BenchPage(window).open(shot)
    window.keyboard.press("2")

    def surface() -> dict:
        return document(live, shot)["surfaces"][0]

    # What is followed: five presses of Enter, the last one on the last point closes.
    window.keyboard.press("i")
    quad = plate.corners
    at = (240.0, 160.0)
    for p in quad + np.array([[-24, -24], [24, -24], [24, 24], [-24, 24]]):
        at = hand_to(window, at, tuple(p))
        expect(window.get_by_test_id("hand")).to_be_visible()
        window.keyboard.press("Enter")
    window.keyboard.press("Enter")
    until(window, lambda: len(surface()["region"]["shapes"]) == 1)
    window.keyboard.press("Escape")
    window.keyboard.press("p")
    at = (240.0, 160.0)
    for p in quad:
        at = hand_to(window, at, tuple(p))
        window.keyboard.press("Enter")
    until(window, lambda: surface()["corners"] is not None)
    assert np.abs(np.array(surface()["corners"]) - quad).max() <= 0.51
    window.keyboard.press("v")
    window.keyboard.press("Tab")
    window.keyboard.press("ArrowRight")
    until(window, lambda: abs(surface()["corners"][1][0] % 1 - 0.1) < 0.01 or abs(surface()["corners"][1][0] % 1 - 0.6) < 0.01)
    window.keyboard.press("Escape")
    window.keyboard.press("b")
    expect(window.get_by_test_id("step-track")).to_contain_text("0-59", timeout=60_000)
    window.keyboard.press("4")
    window.keyboard.press("End")
    window.keyboard.press("v")
    window.keyboard.press("Shift+ArrowDown")
    until(window, lambda: [(c["frame"], c["corner"], c["dy_px"]) for c in surface()["corrections"]] == [(59, 0, 1.0)])
    window.keyboard.press("Control+z")
    until(window, lambda: surface()["corrections"] == [])


@pytest.fixture(scope="module")
def finished(live, plate, plate_film, art_still) -> str:
    shot = begin(live, plate, plate_film, art_still, "read aloud")
    assert track(live, shot)["state"] == "done"
    return shot


def serious(window: Page) -> list[str]:
    window.evaluate(AXE.read_text())
    # What lies over the picture is drawing; everything it does has a control with a name.
    found = window.evaluate("axe.run({exclude: ['.overlay']}, {resultTypes: ['violations']}).then(r => JSON.stringify(r.violations))")
    return [f"{v['id']}: {v['help']}: {v['nodes'][0]['html'][:160]}" for v in json.loads(found) if v["impact"] in ("serious", "critical")]


@pytest.mark.parametrize("step", ["board", "prepare", "outline", "track", "inspect", "place", "handover"])
def test_nothing_serious_stands_in_the_way(window: Page, finished, step):
    if step == "board":
        window.goto("/")
        window.get_by_test_id("shot-row").first.wait_for()
    else:
        BenchPage(window).open(finished).step(step)
        window.get_by_test_id("controls").wait_for()
    window.wait_for_timeout(400)
    assert serious(window) == []
