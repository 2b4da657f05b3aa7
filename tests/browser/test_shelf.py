"""The shelf: a slot is made, placed, given a new version, and every shot that shows it says so."""

import re
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, expect

from tests.api.test_work import begin, track
from tests.browser.bench_page import BenchPage, document, until
from verdigris.media.stills import write_still


def poster(folder: Path, name: str, rgb: tuple[int, int, int]) -> Path:
    write_still(folder / name, np.full((90, 120, 3), rgb, np.uint8))
    return folder / name


def test_a_slot_is_placed_and_a_new_version_reaches_the_shot(window: Page, live, plate, plate_film, art_still, tmp_path):
    shot = begin(live, plate, plate_film, art_still, "shelved")
    assert track(live, shot)["state"] == "done"
    bench = BenchPage(window).open(shot)
    window.get_by_test_id("open-shelf").click()
    shelf = window.get_by_test_id("shelf")
    expect(shelf).to_contain_text("Nothing on the shelf yet")
    shelf.locator("input[type=file]:not([webkitdirectory])").first.set_input_files(poster(tmp_path, "quay.png", (20, 60, 190)))
    tile = window.get_by_test_id("slot-quay")
    expect(tile).to_contain_text("in no shot yet")
    window.get_by_test_id("place-quay").click()
    until(window, lambda: [(p.get("slot"), p.get("version")) for p in document(live, shot)["placements"]] == [(None, None), ("quay", 1)])
    expect(tile).to_contain_text("shelved")
    tile.locator("input[type=file]").first.set_input_files(poster(tmp_path, "autumn.png", (190, 120, 20)))
    window.get_by_label("What is new").fill("autumn")
    window.get_by_role("button", name="Put it in").click()
    until(window, lambda: document(live, shot)["placements"][1]["version"] == 2)
    expect(window.get_by_test_id("version-quay-2")).to_have_attribute("aria-pressed", "true")
    window.get_by_role("button", name="Close").first.click()
    expect(window.get_by_test_id("placement-art")).to_contain_text("version 2")
    # This shot stays with the first one, whatever comes.
    window.get_by_label("version", exact=True).click()
    window.locator(".ant-select-item-option", has_text="stays with 1").click()
    until(window, lambda: (document(live, shot)["placements"][1]["version"], document(live, shot)["placements"][1].get("pin")) == (1, 1))
    bench.step("handover")
    window.get_by_test_id("hand-over").click()
    expect(window.get_by_test_id("made-of")).to_have_text("made of quay 1 (2 is the current one)")
    window.goto("/")
    expect(window.get_by_test_id("shows-quay")).to_have_text(re.compile(r"quay\s*1 of 2"))


def test_what_is_placed_goes_on_the_shelf_and_back_to_an_older_version(window: Page, live, plate, plate_film, art_still):
    shot = begin(live, plate, plate_film, art_still, "put up")
    BenchPage(window).open(shot).step("place")
    window.get_by_test_id("put-on-shelf").click()
    window.get_by_text("as a new slot").click()
    window.get_by_test_id("open-shelf").click()
    expect(window.get_by_test_id("slot-red")).to_be_visible()
    window.get_by_label("more about red").click()
    window.get_by_text("Rename", exact=True).click()
    window.get_by_label("name of the slot").fill("Pier sign")
    window.keyboard.press("Enter")
    expect(window.get_by_test_id("slot-red")).to_contain_text("Pier sign")
    window.get_by_label("more about Pier sign").click()
    window.get_by_text("Take off the shelf").click()
    expect(window.get_by_test_id("slot-red")).to_have_count(0)
