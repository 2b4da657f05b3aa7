"""Something that passes in front, through the window: asked for, taken over as an occluder with keys along its way."""

import pytest
from playwright.sync_api import Page, expect

from tests.browser.bench_page import follow_board, until
from tests.plates import make_plate, passed_by, post_at, write_plate


def test_what_passes_becomes_an_occluder_with_keys_by_one_press(window: Page, live, tmp_path):
    plate = make_plate(count=16, reference=0, noise=0.003)
    film = write_plate(tmp_path / "post.mp4", passed_by(plate, 2, 15))
    bench, shot = follow_board(window, live, film, plate, "of 16")
    bench.step("inspect")
    window.get_by_test_id("ask-disagreements").click()
    expect(window.get_by_test_id("disagreements")).to_contain_text("is covered", timeout=60_000)
    # What is offered is shown in the picture first, at a frame where it is there, and riding the surface from frame to frame.
    offer = window.get_by_test_id("disagreements").get_by_role("button", name="is covered").first
    bench.go_to(0)
    offer.click()
    shown = window.get_by_test_id("shape-offered")
    expect(shown).to_be_visible()
    assert bench.frame() > 0
    offer.click()
    expect(shown).to_have_count(0)
    window.get_by_test_id("disagreements").get_by_text("It is in front").first.click()
    expect(window.get_by_test_id("tool-occluder")).to_be_visible()
    until(window, lambda: live.http.get(f"/api/shots/{shot}/document").json()["occluders"])
    (occluder,) = live.http.get(f"/api/shots/{shot}/document").json()["occluders"]
    assert occluder["rides"] == "board"
    assert len(occluder["keys"]) > 2
    assert occluder["span"][0] <= occluder["keys"][0]["frame"] <= occluder["keys"][-1]["frame"] <= occluder["span"][1]
    for key in occluder["keys"]:
        (left, right), at = post_at(key["frame"]), plate.corners_at(key["frame"])
        seen = (max(left, at[:, 0].min()) + min(right, at[:, 0].max())) / 2
        assert sum(p[0] for p in key["points"]) / len(key["points"]) == pytest.approx(seen, abs=22)
