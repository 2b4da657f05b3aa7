"""The real path of a first shot: upload, outline, corners, track, place, hand over, download, look at the pixels."""

import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.bench_page import BenchPage, document, until
from verdigris.media.reader import open_media, probe


def test_from_a_plate_to_a_delivered_film(window: Page, live, plate, plate_film, art_still, tmp_path):
    live.http.post("/api/projects", json={"name": "A first shot"})
    window.goto("/")
    section = window.locator("section", has_text="A first shot")
    section.locator("input[type=file][multiple]").set_input_files(plate_film)
    window.get_by_role("dialog").get_by_role("textbox").fill("Harbour sign")
    window.get_by_role("button", name="Begin").click()
    window.wait_for_url("**/shots/*")
    shot = window.url.rsplit("/", 1)[1]
    bench = BenchPage(window)
    window.get_by_test_id("viewer").wait_for()

    bench.go_to(plate.reference)
    window.get_by_test_id("begin-surface").click()
    expect(window.get_by_test_id("tool-corners")).to_be_enabled()
    quad = plate.corners
    grown = quad + np.array([[-30, -30], [30, -30], [30, 30], [-30, 30]])
    bench.draw("include", [tuple(p) for p in grown])
    expect(window.get_by_test_id("shape-region:0")).to_be_visible()
    bench.draw("corners", [tuple(p) for p in quad])
    expect(window.get_by_test_id("corner-3")).to_be_visible()
    until(window, lambda: document(live, shot)["surfaces"][0].get("corners") is not None)
    placed = np.array(document(live, shot)["surfaces"][0]["corners"])
    assert np.abs(placed - quad).max() < 1.5

    window.keyboard.press("b")
    expect(window.get_by_test_id("tile-surface")).to_contain_text("followed, 60 of 60", timeout=60_000)
    expect(window.get_by_test_id("step-track")).to_contain_text("0-59")
    expect(window.get_by_test_id("step-inspect")).to_contain_text("nothing to look at")

    bench.step("place")
    window.get_by_test_id("controls").locator("input[type=file][multiple]").set_input_files(art_still)
    expect(window.get_by_test_id("step-place")).to_contain_text("red.png")
    middle = plate.corners_at(plate.reference).mean(axis=0)
    bench.go_to(plate.reference)
    window.get_by_test_id("shown").get_by_text("Result").click()
    window.wait_for_function(
        """([x, y]) => { const c = document.querySelector('[data-testid=picture]'); const r = c.getBoundingClientRect();
           const k = c.width / r.width; const p = c.getContext('2d').getImageData((x - r.left) * k, (y - r.top) * k, 1, 1).data;
           return p[0] > 180 && p[1] < 80; }""",
        arg=list(bench.screen(*middle)),
    )

    bench.step("handover")
    window.get_by_test_id("hand-over").click()
    expect(window.get_by_test_id("delivery").first).to_have_attribute("data-state", "done", timeout=60_000)
    with window.expect_download() as download:
        window.get_by_test_id("download").first.click()
    film = tmp_path / "film.mp4"
    download.value.save_as(film)
    assert download.value.suggested_filename == "harbour-sign-result-001.mp4"
    facts, before = probe(film), probe(plate_film)
    assert (facts.frame_count, facts.rate, facts.width, facts.height, facts.sound) == (60, before.rate, 480, 320, before.sound)
    with open_media(film) as result, open_media(plate_film) as original:
        for n in (0, 30, 59):
            codes, was = result.frame(n).codes(), original.frame(n).codes()
            x, y = plate.corners_at(n).mean(axis=0).astype(int)
            assert np.allclose(codes[y, x] * 255, [210, 40, 30], atol=5)
            assert np.abs(codes[4:20, 4:60] - was[4:20, 4:60]).mean() < 0.02
