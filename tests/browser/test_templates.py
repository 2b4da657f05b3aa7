"""A plane whose picture fades to another one, through the window: followed to the end, and what it was compared with is said."""

import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.bench_page import follow_board
from tests.plates import faded, make_plate, write_plate


def test_frames_held_by_another_frame_say_by_which(window: Page, live, tmp_path):
    plate = make_plate(count=36, reference=2)
    film = write_plate(tmp_path / "fade.mp4", faded(plate, lambda n: float(np.clip((n - 6) / 18, 0, 1))))
    bench, shot = follow_board(window, live, film, plate, "followed, 34 of 36")
    bench.step("inspect")
    bench.go_to(4)
    expect(window.get_by_text("Region compared")).to_be_visible()
    expect(window.get_by_text("Compared with")).to_have_count(0)
    bench.go_to(34)
    expect(window.get_by_text("Compared with")).to_be_visible()
    take = live.http.get(f"/api/shots/{shot}/document").json()["surfaces"][0]["take"]
    frames = {f["frame"]: f for f in live.http.get(f"/api/takes/{take}/frames").json()}
    assert all(f["status"] == "followed" for f in frames.values())
    assert frames[34]["through"] > 2
    expect(window.get_by_text(f"frame {frames[34]['through']}", exact=True)).to_be_visible()
