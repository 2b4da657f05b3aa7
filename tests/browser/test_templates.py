"""A plane whose picture fades to another one, through the window: followed to the end, and what it was compared with is said."""

import json

import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.bench_page import BenchPage
from tests.plates import faded, make_plate, write_plate


def test_frames_held_by_another_frame_say_by_which(window: Page, live, tmp_path):
    plate = make_plate(count=36, reference=2)
    film = write_plate(tmp_path / "fade.mp4", faded(plate, lambda n: float(np.clip((n - 6) / 18, 0, 1))))
    corners = [list(map(float, c)) for c in plate.corners]
    surface = {"id": "board", "name": "Board", "reference_frame": 2, "corners": corners, "region": {"include": [corners]}}
    document = tmp_path / "shot.json"
    document.write_text(
        json.dumps({"format": "verdigris.shot", "version": 1, "name": "Fade", "plate": {"path": str(film)}, "surfaces": [surface]})
    )
    shot = live.run("import", str(document)).stdout.strip()
    for job in live.http.get("/api/jobs").json():
        live.wait(job["id"])
    bench = BenchPage(window).open(shot)
    bench.step("track")
    window.keyboard.press("t")
    expect(window.get_by_test_id("tile-board")).to_contain_text("followed, 34 of 36", timeout=120_000)
    window.wait_for_function("() => document.body.innerText.includes('no jobs')", timeout=120_000)
    bench.step("inspect")
    bench.go_to(4)
    expect(window.get_by_text("Region used")).to_be_visible()
    expect(window.get_by_text("Compared with")).to_have_count(0)
    bench.go_to(34)
    expect(window.get_by_text("Compared with")).to_be_visible()
    take = live.http.get(f"/api/shots/{shot}/document").json()["surfaces"][0]["take"]
    frames = {f["frame"]: f for f in live.http.get(f"/api/takes/{take}/frames").json()}
    assert all(f["status"] == "followed" for f in frames.values())
    assert frames[34]["through"] > 2
    expect(window.get_by_text(f"frame {frames[34]['through']}", exact=True)).to_be_visible()
