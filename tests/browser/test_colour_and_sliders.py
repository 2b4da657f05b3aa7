"""Colour that is said in Prepare is seen at once; a slider is live and one step to undo; a film without loss is offered."""

from playwright.sync_api import Page, expect

from tests.api.test_work import begin
from tests.browser.bench_page import BenchPage, document, until

MEAN = """() => { const c = document.querySelector('[data-testid=picture]'); const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;
   let s = 0; for (let i = 0; i < d.length; i += 4) s += d[i + 1]; return s / (d.length / 4); }"""


def test_a_curve_that_is_said_is_seen_at_once_and_taken_back(window: Page, live, plate, plate_film):
    shot = begin(live, plate, plate_film, name="a curve said")
    bench = BenchPage(window).open(shot)
    bench.step("prepare")
    controls = window.get_by_test_id("controls")
    expect(controls.get_by_test_id("colour-transfer")).to_contain_text("sRGB")
    before = window.evaluate(MEAN)
    window.get_by_test_id("colour-transfer").click()
    window.get_by_title("set to HLG").click()
    until(window, lambda: (document(live, shot)["plate"]["colour"] or {}).get("transfer") == "hlg")
    window.wait_for_function(f"(before) => Math.abs(({MEAN})() - before) > 8", arg=before)
    window.get_by_test_id("colour-transfer").click()
    window.locator(".ant-select-dropdown:visible").get_by_title("sRGB", exact=True).click()
    until(window, lambda: document(live, shot)["plate"]["colour"] is None)
    window.wait_for_function(f"(before) => Math.abs(({MEAN})() - before) < 2", arg=before)


def test_a_slider_is_live_and_one_step_to_undo(window: Page, live, plate, plate_film):
    shot = begin(live, plate, plate_film, name="a slider")
    bench = BenchPage(window).open(shot)
    bench.step("track")
    window.get_by_text("Analysis picture:").click()
    handle = window.get_by_label("contrast, slider")
    handle.wait_for()
    box = handle.bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    revision = live.http.get(f"/api/shots/{shot}").json()["revision"]
    window.mouse.move(x, y)
    window.mouse.down()
    seen = set()
    for dx in (8, 16, 24):
        window.mouse.move(x + dx, y)
        # The hand is still down, and the picture that is looked at follows.
        until(window, lambda: document(live, shot)["surfaces"][0]["analysis"]["contrast"] not in {1.0, *seen})
        seen.add(document(live, shot)["surfaces"][0]["analysis"]["contrast"])
    window.mouse.up()
    assert len(seen) == 3
    until(window, lambda: live.http.get(f"/api/shots/{shot}").json()["revision"] >= revision + 3)
    expect(window.get_by_label("contrast", exact=True)).not_to_have_value("1.0")
    window.get_by_test_id("undo").click()
    until(window, lambda: document(live, shot)["surfaces"][0]["analysis"]["contrast"] == 1.0)
    expect(window.get_by_label("contrast", exact=True)).to_have_value("1.0")


def test_what_a_film_is_written_as_is_said_and_the_column_reaches_the_bottom(window: Page, live, plate, plate_film):
    shot = begin(live, plate, plate_film, name="films offered")
    bench = BenchPage(window).open(shot)
    bench.step("handover")
    controls = window.get_by_test_id("controls")
    expect(controls).to_contain_text("Written as H.264, yuv420p.")
    controls.get_by_text("MKV", exact=True).click()
    expect(controls).to_contain_text("Written as FFV1, without loss, yuv420p.")
    box = controls.bounding_box()
    assert box is not None
    assert box["y"] + box["height"] > 780
