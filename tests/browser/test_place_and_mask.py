"""Placing several things on a surface, and keeping things in front of them, by hand."""

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.api.test_work import begin, track
from tests.browser.bench_page import BenchPage, document, undo, until


@pytest.fixture(scope="module")
def finished(live, plate, plate_film, art_still) -> str:
    shot = begin(live, plate, plate_film, art_still, "placing")
    assert track(live, shot)["state"] == "done"
    return shot


def pick(window: Page, label: str, option: str) -> None:
    window.get_by_label(label, exact=True).click()
    window.locator(f".ant-select-item-option[title='{option}']").last.click()


def drag_from(window: Page, handle: str, dx: float, dy: float) -> None:
    box = window.get_by_test_id(handle).bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    window.mouse.move(x, y)
    window.mouse.down()
    window.mouse.move(x + dx / 2, y + dy / 2)
    window.mouse.move(x + dx, y + dy)
    window.mouse.up()


def test_a_stack_is_built_ordered_blended_and_taken_apart(window: Page, live, finished):
    BenchPage(window).open(finished).step("place")
    stack = window.get_by_test_id("stack")
    expect(stack.locator(".stack-row")).to_have_count(1)
    window.get_by_test_id("add-placement").click()
    window.get_by_text("Text", exact=True).click()
    until(window, lambda: len(document(live, finished)["placements"]) == 2)
    expect(stack.locator(".stack-row").first).to_contain_text("Lantern Bay")
    window.get_by_test_id("text").fill("Skerry\nHolm")
    window.get_by_test_id("text").blur()
    until(window, lambda: document(live, finished)["placements"][1]["artwork"]["text"] == "Skerry\nHolm")
    window.get_by_text("With what is below").click()
    pick(window, "blend", "multiply")
    until(window, lambda: document(live, finished)["placements"][1]["blend"] == "multiply")
    expect(stack.locator(".stack-row").first).to_contain_text("multiply")
    window.get_by_label("Skerry farther").click()
    until(window, lambda: [p["artwork"]["kind"] for p in document(live, finished)["placements"]] == ["text", "file"])
    window.get_by_label("Skerry is seen").click()
    until(window, lambda: document(live, finished)["placements"][0]["on"] is False)
    window.get_by_text("Take it off").click()
    until(window, lambda: [p["artwork"]["kind"] for p in document(live, finished)["placements"]] == ["file"])


def test_artwork_is_laid_otherwise_with_figures_and_by_an_area_of_its_own(window: Page, live, finished, plate):
    bench = BenchPage(window).open(finished)
    bench.step("place")
    window.get_by_text("In the plane").click()
    window.get_by_label("turn", exact=True).fill("12")
    window.get_by_label("turn", exact=True).press("Enter")
    until(window, lambda: [k["turn_deg"] for k in document(live, finished)["placements"][0]["layout"]] == [12])
    window.get_by_test_id("tool-area").click()
    (x0, y0), _, (x1, y1), _ = plate.corners_at(plate.reference)
    for u, v in ((0.2, 0.2), (0.6, 0.2), (0.6, 0.6), (0.2, 0.6)):
        bench.click(x0 + u * (x1 - x0), y0 + v * (y1 - y0))
    until(window, lambda: document(live, finished)["placements"][0]["area"] is not None)
    window.get_by_text("Whole", exact=True).click()
    until(window, lambda: document(live, finished)["placements"][0].get("area") is None)
    window.get_by_text("Lay back").click()
    until(window, lambda: document(live, finished)["placements"][0]["layout"] == [])


def test_handles_move_turn_and_scale_it_in_the_flat_view_and_in_the_picture(window: Page, live, finished):
    BenchPage(window).open(finished).step("place")

    def layout() -> dict:
        return (document(live, finished)["placements"][0]["layout"] or [{}])[0]

    before = live.http.get(f"/api/shots/{finished}").json()["revision"]
    drag_from(window, "flat-layout-body", 30, 12)
    until(window, lambda: layout().get("move", [0, 0])[0] > 0.05)
    assert live.http.get(f"/api/shots/{finished}").json()["undo_label"] == "artwork placed"
    drag_from(window, "layout-turn", 40, 20)
    until(window, lambda: abs(layout().get("turn_deg", 0)) > 3)
    drag_from(window, "layout-0", 16, 10)
    until(window, lambda: layout().get("scale", [1, 1])[0] < 0.97)
    # Each drag is one step to undo, however often it was told.
    for _ in range(3):
        undo(window, live, finished)
    until(window, lambda: document(live, finished)["placements"][0]["layout"] == [])
    assert live.http.get(f"/api/shots/{finished}").json()["revision"] == before


def test_a_running_order_is_made_of_blocks(window: Page, live, finished):
    BenchPage(window).open(finished).step("place")
    window.get_by_test_id("add-placement").click()
    window.get_by_text("Running order", exact=True).click()
    until(window, lambda: document(live, finished)["placements"][-1]["artwork"]["kind"] == "order")
    window.get_by_test_id("add-item").click()
    window.locator(".ant-dropdown-menu-item").get_by_text("Text", exact=True).last.click()
    until(window, lambda: len(document(live, finished)["placements"][-1]["artwork"]["items"]) == 2)
    expect(window.get_by_test_id("order").locator(".block")).to_have_count(2)
    window.get_by_label("fades in over").fill("4")
    window.get_by_label("fades in over").press("Enter")
    until(window, lambda: document(live, finished)["placements"][-1]["artwork"]["items"][1]["dissolve"] == 4)
    window.get_by_label("earlier").click()
    until(window, lambda: document(live, finished)["placements"][-1]["artwork"]["items"][0]["artwork"]["kind"] == "text")
    window.get_by_text("Take it off").click()
    until(window, lambda: len(document(live, finished)["placements"]) == 1)


def test_a_matte_is_drawn_seen_used_and_taken_out(window: Page, live, finished, plate):
    bench = BenchPage(window).open(finished)
    bench.step("mask")
    window.get_by_test_id("add-part").click()
    window.get_by_text("Shape: draw it").click()
    (x0, y0), _, (x1, y1), _ = plate.corners_at(plate.reference)
    for u, v in ((0.3, 0.3), (0.7, 0.3), (0.7, 0.9)):
        bench.click(x0 + u * (x1 - x0), y0 + v * (y1 - y0))
    window.keyboard.press("Enter")
    until(window, lambda: len(document(live, finished)["mattes"]) == 1)
    kept = document(live, finished)
    matte = kept["mattes"][0]["id"]
    assert kept["placements"][0]["kept_in_front"] == [matte]
    expect(window.get_by_test_id("shape-matte:0")).to_be_visible()
    with window.expect_response(lambda r: "/alone/" in r.url and "part" not in r.url) as answer:
        window.get_by_test_id("transport").get_by_text("Matte", exact=True).click()
    assert answer.value.ok
    with window.expect_response(lambda r: "/zones/" in r.url) as answer:
        window.get_by_test_id("transport").get_by_text("Core, edge", exact=True).click()
    told = cv2.imdecode(np.frombuffer(live.http.get(answer.value.url).content, np.uint8), 1).astype(int)
    scale = told.shape[1] / plate.frames[0].shape[1]
    middle = told[int((y0 + 0.5 * (y1 - y0)) * scale), int((x0 + 0.45 * (x1 - x0)) * scale) :][:12]
    # The core is striped: not one colour, and not grey.
    assert np.ptp(middle, axis=0).max() > 40
    window.get_by_test_id("transport").get_by_text("Matte", exact=True).click()
    # The strip shows its edge over time, with bars of its flicker.
    window.get_by_test_id("strip-rows").get_by_text("the edge").click()
    expect(window.get_by_test_id("strip")).to_have_attribute("data-told", "60", timeout=60_000)
    crops = live.http.get(
        f"/api/shots/{finished}/revisions/{live.http.get(f'/api/shots/{finished}').json()['revision']}/mattes/{matte}/edges/alone/{plate.reference}"
    )
    seen = cv2.imdecode(np.frombuffer(crops.content, np.uint8), 0)
    assert seen.shape == (64, 256)
    left, right = (seen.reshape(64, 4, 64)[26:38, :, a:b].mean(axis=(0, 2)) for a, b in ((18, 28), (36, 46)))
    assert (right - left).min() > 80, (left, right)
    window.get_by_test_id("strip-rows").get_by_text("corners").click()
    window.get_by_test_id("add-part").click()
    window.get_by_text("Brightness", exact=True).click()
    until(window, lambda: [p["kind"] for p in document(live, finished)["mattes"][0]["parts"]] == ["shape", "brightness"])
    window.get_by_test_id("part-1").get_by_label("sign: added").click()
    until(window, lambda: document(live, finished)["mattes"][0]["parts"][1]["combine"] == "subtract")
    window.get_by_text("What it is for").click()
    use = window.get_by_test_id(f"use-{kept['placements'][0]['id']}")
    use.get_by_text("seen within").click()
    until(window, lambda: document(live, finished)["placements"][0]["shown_only_in"] == [matte])
    window.get_by_text("Take the matte out").click()
    until(window, lambda: document(live, finished)["mattes"] == [])
    assert document(live, finished)["placements"][0]["shown_only_in"] == []


def test_a_key_is_sampled_in_the_picture_at_several_frames(window: Page, live, finished, plate):
    bench = BenchPage(window).open(finished)
    bench.step("mask")
    (x0, y0), _, (x1, y1), _ = plate.corners_at(plate.reference)

    def around(u: float) -> None:
        for a, b in ((u, 0.1), (u + 0.2, 0.1), (u + 0.2, 0.3), (u, 0.3)):
            bench.click(x0 + a * (x1 - x0), y0 + b * (y1 - y0))
        window.keyboard.press("Enter")

    window.get_by_test_id("add-part").click()
    window.get_by_text("Key: draw around bare screen").click()
    around(0.1)
    until(window, lambda: len(document(live, finished)["mattes"]) == 1)
    window.keyboard.press("ArrowRight")
    window.get_by_test_id("tool-sample").click()
    around(0.5)
    until(window, lambda: len(document(live, finished)["mattes"][0]["parts"][0]["samples"]) == 2)
    part = document(live, finished)["mattes"][0]["parts"][0]
    assert part["samples"][1]["frame"] == part["samples"][0]["frame"] + 1
    # Its bounds lie over a histogram, and each sample has its colour.
    expect(window.get_by_test_id("bands")).to_have_attribute("aria-label", "clear up to 3 of 100, solid from 97")
    revision = live.http.get(f"/api/shots/{finished}").json()["revision"]
    spread = live.http.get(
        f"/api/shots/{finished}/revisions/{revision}/mattes/{document(live, finished)['mattes'][0]['id']}/parts/0/spread/{plate.reference}"
    ).json()
    assert len(spread["counts"]) == 64
    assert sum(spread["counts"]) > 1000
    assert len(spread["samples"]) == 2
    matte = document(live, finished)["mattes"][0]["id"]
    for beyond in (f"{matte}/parts/7/spread/3", "none/parts/0/spread/3", f"{matte}/steadiness/900", f"{matte}/edges/alone/900"):
        assert live.http.get(f"/api/shots/{finished}/revisions/{revision}/mattes/{beyond}").status_code < 500, beyond
    window.get_by_label("despill", exact=True).fill("40")
    window.get_by_label("despill", exact=True).press("Enter")
    until(window, lambda: document(live, finished)["mattes"][0]["parts"][0]["despill"] == pytest.approx(0.4))
    window.keyboard.press("Control+z")
    until(window, lambda: document(live, finished)["mattes"][0]["parts"][0]["despill"] == 1)
    bench.step("handover")
    window.get_by_test_id("deliver-what").click()
    window.get_by_title("the matte: In front").last.click()
    window.get_by_test_id("hand-over").click()
    expect(window.get_by_test_id("delivery").first).to_have_attribute("data-state", "done", timeout=60_000)
    expect(window.get_by_test_id("delivery").first).to_contain_text("matte-matte")


def test_edges_crop_and_arrows_nudge_what_was_taken_hold_of(window: Page, live, plate, plate_film, art_still):
    shot = begin(live, plate, plate_film, art_still, "cropped")
    BenchPage(window).open(shot).step("place")

    def layout() -> dict:
        return (document(live, shot)["placements"][0]["layout"] or [{}])[0]

    drag_from(window, "flat-layout-left", 30, 0)
    until(window, lambda: layout().get("crop", [0])[0] > 0.02)
    assert layout()["crop"][1:] == [0, 0, 0]
    before = layout()["move"]
    for _ in range(3):
        window.keyboard.press("Shift+ArrowRight")
    until(window, lambda: layout()["move"][0] > before[0])
    (x0, y0), (x1, y1), (x2, y2), (x3, y3) = plate.corners_at(plate.reference)
    width = (np.hypot(x1 - x0, y1 - y0) + np.hypot(x2 - x3, y2 - y3)) / 2
    until(window, lambda: abs((layout()["move"][0] - before[0]) * width - 3) < 0.01)
    # Esc lets go of it: the arrows go through frames again.
    frame = BenchPage(window).frame()
    window.keyboard.press("Escape")
    window.keyboard.press("ArrowRight")
    expect(window.get_by_test_id("frame-number")).to_have_text(str(frame + 1))
    window.keyboard.press("Control+z")
    until(window, lambda: layout()["move"] == before)


def test_the_lane_under_the_ruler_says_when_artwork_is_seen_and_its_ends_are_dragged(window: Page, live, plate, plate_film, art_still):
    shot = begin(live, plate, plate_film, art_still, "laned")
    BenchPage(window).open(shot).step("place")
    lane = window.get_by_test_id("lane-p1")
    expect(lane).to_have_attribute("data-last", "59")
    drag_from(window, "lane-last-p1", -200, 0)
    until(window, lambda: (document(live, shot)["placements"][0].get("span") or [0, 59])[1] < 59)
    last = document(live, shot)["placements"][0]["span"][1]
    expect(lane).to_have_attribute("data-last", str(last))
    drag_from(window, "lane-last-p1", 600, 0)
    until(window, lambda: document(live, shot)["placements"][0].get("span") is None)


def test_a_frame_is_taken_for_drawing_and_what_comes_back_is_placed_on_it(window: Page, live, plate, plate_film, art_still, tmp_path):
    shot = begin(live, plate, plate_film, art_still, "drawn")
    BenchPage(window).open(shot).step("place")
    window.get_by_test_id("take-frame").click()
    taken = {}
    for what in ("take-png", "take-guides"):
        with window.expect_download() as download:
            window.get_by_test_id(what).click()
        taken[what] = tmp_path / download.value.suggested_filename
        download.value.save_as(taken[what])
    frame = cv2.imread(str(taken["take-png"]), cv2.IMREAD_UNCHANGED)
    guides = cv2.imread(str(taken["take-guides"]), cv2.IMREAD_UNCHANGED)
    assert (frame.dtype, frame.shape[:2], guides.shape) == (np.uint16, guides.shape[:2], (*frame.shape[:2], 4))
    files = window.get_by_test_id("draw-over").locator("input[type=file]:not([webkitdirectory])")
    cv2.imwrite(str(tmp_path / "small.png"), frame[: frame.shape[0] // 2])
    files.set_input_files(tmp_path / "small.png")
    expect(window.get_by_text("has the plate's size", exact=False)).to_be_visible()
    assert frame is not None
    drawn = np.dstack([frame, np.zeros(frame.shape[:2], np.uint16)])
    drawn[60:80, 100:140] = (0, 0, 65535, 65535)
    cv2.imwrite(str(tmp_path / "drawn.png"), drawn)
    files.set_input_files(tmp_path / "drawn.png")
    until(window, lambda: [p.get("drawn_over") for p in document(live, shot)["placements"]] == [None, plate.reference])


def test_artwork_that_cannot_be_drawn_says_so_over_the_picture_and_the_rest_goes_on_without_it(
    window: Page, live, finished, plate, tmp_path
):
    narrow = tmp_path / "narrow-matte.png"
    cv2.imwrite(str(narrow), np.full((40, 400), 255, np.uint8))
    media = live.upload(narrow)["hash"]
    first = document(live, finished)["placements"][0]
    sticker = {**first, "id": "sticker", "name": "Sticker", "artwork": {**first["artwork"], "matte": {"media": media}}}
    revision = live.http.get(f"/api/shots/{finished}").json()["revision"]
    change = {"base_revision": revision, "edits": [{"kind": "set_placement", "placement": sticker}]}
    live.http.post(f"/api/shots/{finished}/edits", json=change).raise_for_status()
    bench = BenchPage(window).open(finished)
    bench.step("place")
    window.get_by_test_id("shown").get_by_text("Result", exact=True).click()
    trouble = window.get_by_test_id("trouble")
    expect(trouble).to_contain_text("Sticker: ")
    expect(trouble).to_contain_text("other proportions")
    window.get_by_test_id("go-on-without").click()
    until(window, lambda: [p["on"] for p in document(live, finished)["placements"]] == [True, False])
    expect(trouble).to_have_count(0)
    undo(window, live, finished)
    expect(trouble).to_be_visible()
    undo(window, live, finished)
    assert len(document(live, finished)["placements"]) == 1
