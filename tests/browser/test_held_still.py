"""The plate held still, handed over, painted on, and the paint riding back: all of it in the window."""

import json
import zipfile

import cv2
import numpy as np
from playwright.sync_api import Page, expect

from tests.api.test_work import begin, track
from tests.browser.bench_page import BenchPage, document, until
from verdigris.media.stills import write_still


def test_what_is_painted_on_held_frames_rides_back_onto_the_plate(window: Page, live, plate, plate_film, tmp_path):
    shot = begin(live, plate, plate_film, name="held and painted")
    assert track(live, shot)["state"] == "done"
    bench = BenchPage(window).open(shot)
    bench.step("handover")
    window.get_by_test_id("deliver-what").click()
    window.get_by_title("the plate held still: Sign, fully").click()
    window.get_by_test_id("hand-over").click()
    expect(window.get_by_test_id("delivery").first).to_have_attribute("data-state", "done", timeout=60_000)
    with window.expect_download() as download:
        window.get_by_test_id("download").first.click()
    archive = tmp_path / "held.zip"
    download.value.save_as(archive)
    with zipfile.ZipFile(archive) as z:
        said = json.loads(z.read("still.json"))
        assert sum(n.endswith(".png") for n in z.namelist()) == 60

    # A red disc in the middle of the surface, painted on the empty canvas; edges of the disc are soft.
    to_canvas = np.array(said["frames"][plate.reference]["canvas_from_plate"])
    middle = to_canvas @ [*plate.corners.mean(axis=0), 1]
    at = middle[:2] / middle[2]
    cover = np.zeros((said["height"], said["width"]), np.float32)
    cv2.circle(cover, (round(at[0]), round(at[1])), 14, 255.0, -1)
    paint = np.dstack([*(np.full_like(cover, v) for v in (210, 40, 30)), cv2.GaussianBlur(cover, (0, 0), 1.0)])
    write_still(tmp_path / "paint.png", paint.astype(np.uint8))

    bench.step("place")
    window.get_by_test_id("controls").locator("input[type=file][multiple]").set_input_files(tmp_path / "paint.png")
    expect(window.get_by_test_id("step-place")).to_contain_text("paint.png")
    window.get_by_text("What it is").click()
    window.get_by_test_id("painted").click()
    window.get_by_title("over the plate held still: fully").click()
    until(window, lambda: document(live, shot)["placements"][0]["painted"] == "full")
    bench.click(6, 6)
    bench.go_to(12)
    window.get_by_test_id("shown").get_by_text("Result").click()
    h = plate.truth[12] @ [*plate.corners.mean(axis=0), 1]
    x, y = h[:2] / h[2]
    red = """([x, y]) => { const c = document.querySelector('[data-testid=picture]'); const r = c.getBoundingClientRect();
       const k = c.width / r.width; const p = c.getContext('2d').getImageData((x - r.left) * k, (y - r.top) * k, 1, 1).data;
       return p[0] > 160 && p[1] < 90; }"""
    window.wait_for_function(red, arg=list(bench.screen(x, y)))
    # Beyond the disc the plate is untouched.
    assert not window.evaluate(red, list(bench.screen(x + 40, y)))


def test_a_chart_lies_on_the_surface_that_is_held_still(window: Page, live, plate, plate_film):
    shot = begin(live, plate, plate_film, name="held with a chart")
    assert track(live, shot)["state"] == "done"
    bench = BenchPage(window).open(shot)
    bench.step("inspect")
    bench.go_to(20)
    window.get_by_test_id("shown").get_by_text("Held still").click()
    window.get_by_label("what it is judged by").click()
    with window.expect_response(lambda r: "stand_in=true" in r.url) as seen:
        window.get_by_title("A chart where the track says", exact=False).click()
    address = seen.value.url
    pictures = [live.http.get(a).content for a in (address, address.replace("&stand_in=true", ""))]
    picture, plain = (cv2.imdecode(np.frombuffer(p, np.uint8), 1) for p in pictures)
    changed = np.abs(picture.astype(int) - plain).max(axis=2) > 12
    assert 0.02 < changed.mean() < 0.4
