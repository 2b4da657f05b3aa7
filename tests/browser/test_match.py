"""Match in the Bench: measured, taken over with one click, changed by hand, undone."""

import cv2
import numpy as np
from playwright.sync_api import Page, expect

from tests.api.test_work import begin, track
from tests.browser.bench_page import BenchPage, document, undo, until


def test_the_plate_is_measured_and_what_is_sure_is_taken_over_in_one_step(window: Page, live, plate, plate_film, art_still, tmp_path):
    shot = begin(live, plate, plate_film, art_still, "matched")
    bench = BenchPage(window).open(shot)
    window.keyboard.press("8")
    expect(window.get_by_test_id("controls")).to_contain_text("Nothing to measure yet")
    assert track(live, shot)["state"] == "done"
    window.get_by_test_id("tool-spot").click()
    (x0, y0), _, (x1, y1), _ = plate.corners_at(plate.reference)
    for u, v in ((0.1, 0.1), (0.3, 0.1), (0.3, 0.3)):
        bench.click(x0 + u * (x1 - x0), y0 + v * (y1 - y0))
    window.keyboard.press("Enter")
    until(window, lambda: len((document(live, shot)["match"] or [{"spots": []}])[0]["spots"]) == 1)
    window.get_by_test_id("measure").click()
    window.get_by_test_id("take-all").click()
    until(window, lambda: document(live, shot)["match"][0].get("levels") is not None)
    taken = document(live, shot)["match"][0]
    assert taken["light"]["field"]["media"]
    assert live.http.get("/api/media").json() == [
        m for m in live.http.get("/api/media").json() if m["hash"] != taken["light"]["field"]["media"]
    ]
    expect(window.get_by_test_id("step-match")).to_contain_text("taken over")
    # The result is drawn with it.
    expect(window.get_by_test_id("shown").locator(".ant-segmented-item-selected")).to_have_text("Result")
    revision = live.http.get(f"/api/shots/{shot}").json()["revision"]
    picture = live.http.get(f"/api/shots/{shot}/revisions/{revision}/results/{plate.reference}")
    assert picture.status_code == 200
    window.get_by_test_id("match-levels").get_by_role("button").first.click()
    window.get_by_label("strength of levels", exact=True).fill("0.5")
    window.get_by_label("strength of levels", exact=True).press("Enter")
    until(window, lambda: document(live, shot)["match"][0]["levels"]["strength"] == 0.5)
    window.get_by_label("Levels is on").click()
    until(window, lambda: document(live, shot)["match"][0].get("levels") is None)
    for _ in range(3):
        undo(window, live, shot)
    until(window, lambda: document(live, shot)["match"][0].get("light") is None and len(document(live, shot)["match"][0]["spots"]) == 1)
    window.get_by_label("Grade is on").click()
    until(window, lambda: document(live, shot)["match"][0].get("grade") is not None)
    window.get_by_test_id("match-grade").get_by_role("button").first.click()
    cdl = tmp_path / "look.cc"
    cdl.write_text("<ColorCorrection><SOPNode><Slope>1.2 1 0.8</Slope></SOPNode></ColorCorrection>")
    window.get_by_test_id("match-grade").locator("input[type=file][accept='.cc,.ccc,.cdl']").set_input_files(cdl)
    until(window, lambda: document(live, shot)["match"][0]["grade"]["slope"] == [1.2, 1.0, 0.8])
    with window.expect_download() as download:
        window.get_by_test_id("write-cdl").click()
    assert "<Slope>1.2 1 0.8</Slope>" in download.value.path().read_text()


def test_the_whole_picture_is_graded_by_a_curve_and_a_table(window: Page, live, plate, plate_film, art_still, tmp_path):
    shot = begin(live, plate, plate_film, art_still, "graded")
    assert track(live, shot)["state"] == "done"
    BenchPage(window).open(shot).step("match")

    def result():
        revision = live.http.get(f"/api/shots/{shot}").json()["revision"]
        data = live.http.get(f"/api/shots/{shot}/revisions/{revision}/results/{plate.reference}").content
        return cv2.imdecode(np.frombuffer(data, np.uint8), 1)

    plain = result()
    whole = window.get_by_test_id("match-whole")
    window.get_by_label("Grade of the whole picture is on").click()
    until(window, lambda: document(live, shot).get("grade") is not None)
    whole.get_by_label("curve after, point 2").fill("128")
    whole.get_by_label("curve after, point 2").press("Enter")
    until(window, lambda: document(live, shot)["grade"]["curves"] is not None)
    assert result().mean() < 0.65 * plain.mean()
    table = tmp_path / "upside.cube"
    table.write_text("LUT_1D_SIZE 2\n1 1 1\n0 0 0\n")
    whole.locator("input[type=file][accept*='.cube']").first.set_input_files(table)
    until(window, lambda: (document(live, shot)["grade"]["lut"] or {}).get("media") is not None)
    expect(whole).to_contain_text("upside.cube")
    # It is there once the worker has read it.
    until(window, lambda: result() is not None)
    assert result().mean() > 120
    with window.expect_download() as download:
        whole.get_by_test_id("write-cube").click()
    assert "LUT_3D_SIZE 33" in download.value.path().read_text()
    window.get_by_label("Grade of the whole picture is on").click()
    until(window, lambda: document(live, shot).get("grade") is None)
    assert np.array_equal(result(), plain)


def test_a_spot_is_read_scopes_are_shown_and_the_difference_is_grey_where_nothing_was_touched(
    window: Page, live, plate, plate_film, art_still
):
    shot = begin(live, plate, plate_film, art_still, "compared")
    assert track(live, shot)["state"] == "done"
    bench = BenchPage(window).open(shot)
    bench.step("match")
    middle = plate.corners_at(plate.reference).mean(axis=0)
    window.mouse.move(*bench.screen(*middle))
    reader = window.get_by_test_id("spot-reader")
    expect(reader).to_contain_text("artwork")
    red = [int(v) for v in reader.locator("tr", has_text="artwork").locator("td").all_inner_texts()[:3]]
    assert red[0] > 180
    assert max(red[1:]) < 60
    window.get_by_test_id("scopes").get_by_text("waveform").click()
    window.wait_for_function("() => document.querySelector('[data-testid=scope]')?.naturalWidth === 324")
    revision = live.http.get(f"/api/shots/{shot}").json()["revision"]
    seen = live.http.get(f"/api/shots/{shot}/revisions/{revision}/differences/{plate.reference}").content
    apart = cv2.imdecode(np.frombuffer(seen, np.uint8), 1).astype(int)
    assert np.abs(apart[:40, :40] - 128).max() <= 3
    assert np.abs(apart[int(middle[1]), int(middle[0])] - 128).max() > 60
    for beyond in ("spot/3?x=60000&y=1", "surfaces/none/scopes/waveform/3", "surfaces/s/scopes/waveform/900", "differences/900"):
        assert 400 <= live.http.get(f"/api/shots/{shot}/revisions/{revision}/{beyond}").status_code < 500, beyond
    with window.expect_response(lambda r: "/differences/" in r.url) as answer:
        window.get_by_test_id("shown").get_by_text("Difference", exact=True).click()
    assert answer.value.ok


def test_the_strip_shows_plate_above_and_result_below_with_their_difference(window: Page, live, plate, plate_film, art_still):
    shot = begin(live, plate, plate_film, art_still, "in pairs")
    assert track(live, shot)["state"] == "done"
    BenchPage(window).open(shot).step("match")
    strip = window.get_by_test_id("strip")
    expect(strip).not_to_have_attribute("data-made", "pairs")
    window.get_by_test_id("strip-pairs").get_by_text("plate and result").click()
    expect(strip).to_have_attribute("data-made", "pairs")
    expect(strip).to_have_attribute("data-told", "60", timeout=60_000)
    surface = document(live, shot)["surfaces"][0]["id"]
    revision = live.http.get(f"/api/shots/{shot}").json()["revision"]
    at = f"/api/shots/{shot}/revisions/{revision}/surfaces/{surface}"
    told = live.http.get(f"{at}/pair-differences/{plate.reference}", params={"count": 2}).json()
    assert [t["frame"] for t in told] == [plate.reference, plate.reference + 1]
    # Middles of edges: half of each crop is artwork, and there the two differ.
    assert all(d is not None and d > 1 for t in told for d in t["differences"])
    picture = cv2.imdecode(np.frombuffer(live.http.get(f"{at}/pairs/{plate.reference}").content, np.uint8), 1).astype(int)
    assert picture.shape == (64, 256, 3)
    seams = [np.abs(picture[33, i * 64 : (i + 1) * 64] - picture[30, i * 64 : (i + 1) * 64]).mean() for i in range(4)]
    assert max(seams) > 8
    off = {"kind": "set_placement", "placement": {**document(live, shot)["placements"][0], "on": False}}
    live.http.post(f"/api/shots/{shot}/edits", json={"base_revision": revision, "edits": [off]}).raise_for_status()
    revision = live.http.get(f"/api/shots/{shot}").json()["revision"]
    plain = live.http.get(f"/api/shots/{shot}/revisions/{revision}/surfaces/{surface}/pair-differences/{plate.reference}").json()
    assert all(d == 0 for d in plain[0]["differences"])
    window.get_by_test_id("strip-pairs").get_by_text("corners").click()
    expect(strip).not_to_have_attribute("data-made", "pairs")
