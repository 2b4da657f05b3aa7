"""Keys after clicks on controls: the Bench's keys are the Bench's, whatever was clicked before."""

import pytest
from playwright.sync_api import Page, expect

from tests.api.test_work import begin, track
from tests.browser.bench_page import BenchPage, document, until

STEPS = ("prepare", "outline", "track", "inspect", "place", "handover")
PRESSED = ("ArrowRight", "ArrowLeft", "ArrowDown", "ArrowUp", "End", "Home", ".", ",")


@pytest.fixture(scope="module")
def finished(live, plate, plate_film, art_still) -> str:
    shot = begin(live, plate, plate_film, art_still, "keys")
    assert track(live, shot)["state"] == "done"
    return shot


def test_after_a_click_on_a_switch_the_arrows_step_the_frame_and_change_nothing(window: Page, live, finished):
    bench = BenchPage(window).open(finished)
    bench.step("place")
    controls = window.get_by_test_id("controls")
    controls.get_by_text("fill", exact=True).click()
    until(window, lambda: document(live, finished)["placements"][0]["fit"] == "fill")
    before, frame = document(live, finished), bench.frame()
    for _ in range(3):
        window.keyboard.press("ArrowRight")
    expect(window.get_by_test_id("frame-number")).to_have_text(str(frame + 3))
    window.keyboard.press("ArrowLeft")
    expect(window.get_by_test_id("frame-number")).to_have_text(str(frame + 2))
    window.wait_for_timeout(400)
    assert document(live, finished) == before


def test_after_a_choice_from_a_list_the_keys_are_the_benchs_again(window: Page, live, finished):
    bench = BenchPage(window).open(finished)
    bench.step("track")
    window.get_by_label("motion", exact=True).click()
    window.get_by_title("full perspective").last.click()
    frame = bench.frame()
    window.keyboard.press("ArrowRight")
    expect(window.get_by_test_id("frame-number")).to_have_text(str(frame + 1))
    window.keyboard.press("End")
    expect(window.get_by_test_id("frame-number")).to_have_text("59")
    window.keyboard.press("3")
    expect(window.get_by_test_id("track-both")).to_be_visible()


@pytest.mark.parametrize("step", STEPS)
def test_no_control_keeps_a_key_of_the_bench(window: Page, live, finished, step):
    bench = BenchPage(window).open(finished)
    bench.step(step)
    bench.go_to(20)
    controls = window.get_by_test_id("controls")
    # What only opens, chooses or shows: the document must stay as it is, whichever key follows.
    choices = controls.locator(".ant-segmented-item-selected, .ant-select").filter(visible=True)
    window.wait_for_timeout(300)
    before = document(live, finished)
    for i in range(choices.count()):
        one = choices.nth(i)
        if "disabled" in (one.get_attribute("class") or ""):
            continue
        one.click()
        window.keyboard.press("Escape")
        at = bench.frame()
        window.keyboard.press("ArrowRight")
        expect(window.get_by_test_id("frame-number"), f"after {one.inner_text()}").to_have_text(str(at + 1))
        for key in PRESSED:
            window.keyboard.press(key)
        bench.go_to(20)
        assert document(live, finished) == before, one.inner_text()


def test_a_control_that_was_reached_with_tab_keeps_its_own_keys(window: Page, live, finished):
    bench = BenchPage(window).open(finished)
    bench.step("place")
    window.get_by_label("overshoot", exact=True).click()
    window.get_by_label("overshoot", exact=True).press("Enter")
    frame = bench.frame()
    window.keyboard.press("ArrowRight")
    expect(window.get_by_test_id("frame-number")).to_have_text(str(frame + 1))
    button = window.get_by_test_id("step-track")
    window.get_by_test_id("step-outline").focus()
    window.keyboard.press("Tab")
    expect(button).to_be_focused()
    window.keyboard.press("Enter")
    expect(window.get_by_test_id("track-both")).to_be_visible()


def test_a_nudge_that_is_held_is_one_step_to_undo(window: Page, live, plate, finished):
    bench = BenchPage(window).open(finished)
    bench.step("inspect")
    bench.go_to(42)
    before = live.http.get(f"/api/shots/{finished}").json()["revision"]
    bench.click(*plate.corners_at(42)[1])
    for _ in range(12):
        window.keyboard.press("ArrowRight")
    expect(window.get_by_text("1.20, 0.00 px")).to_be_visible()
    until(window, lambda: len(document(live, finished)["surfaces"][0]["corrections"]) == 1)
    assert live.http.get(f"/api/shots/{finished}").json()["revision"] == before + 1
    window.keyboard.press("Shift+ArrowDown")
    window.keyboard.press("Control+z")
    until(window, lambda: document(live, finished)["surfaces"][0]["corrections"][0]["dy_px"] == 0)
    window.keyboard.press("Control+z")
    until(window, lambda: document(live, finished)["surfaces"][0]["corrections"] == [])
