"""Projects and shots on the Board: named, copied, removed, put back; and what the Bench says of takes and keys."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.api.test_work import begin, track
from tests.browser.bench_page import BenchPage, document, until


def menu(window: Page, of: str, entry: str) -> None:
    window.get_by_label(f"more about {of}", exact=True).first.click()
    window.locator(".ant-dropdown:not(.ant-dropdown-hidden)").get_by_text(entry, exact=True).click()


def choose_project(window: Page, name: str) -> None:
    """From a list that may be long: typed, as somebody with many projects would."""
    window.get_by_test_id("project").click()
    window.keyboard.type(name)
    window.get_by_title(name).last.click()


@pytest.fixture
def project(live, plate, plate_film) -> dict:
    begin(live, plate, plate_film, name="of another project")
    shot = begin(live, plate, plate_film, name="Gangway sign")
    view = live.http.get(f"/api/shots/{shot}").json()
    live.http.put(f"/api/projects/{view['project_id']}", json={"name": f"Harbour {shot[:6]}"}).raise_for_status()
    return {"id": view["project_id"], "name": f"Harbour {shot[:6]}", "shot": shot}


def test_a_shot_is_renamed_copied_removed_and_put_back(window: Page, live, project):
    window.goto("/")
    choose_project(window, project["name"])
    rows = window.get_by_test_id("shot-row")
    expect(rows).to_have_count(1)
    menu(window, "Gangway sign", "Rename")
    window.get_by_label("new name of the shot").fill("Gangway, wide")
    window.keyboard.press("Enter")
    expect(rows.first).to_contain_text("Gangway, wide")
    menu(window, "Gangway, wide", "Duplicate")
    expect(rows).to_have_count(2)
    expect(rows.nth(1)).to_contain_text("Gangway, wide, copy")
    menu(window, "Gangway, wide, copy", "Remove")
    expect(rows).to_have_count(1)
    window.get_by_test_id("undo-removal").click()
    expect(rows).to_have_count(2)
    menu(window, "Gangway, wide, copy", "Remove")
    expect(rows).to_have_count(1)
    window.get_by_test_id("open-bin").click()
    line = window.get_by_test_id("bin").locator(".row", has_text="Gangway, wide, copy").first
    expect(line).to_contain_text("kept until")
    line.get_by_text("Put back").click()
    expect(rows).to_have_count(2)


def test_a_project_is_renamed_copied_and_removed(window: Page, live, project):
    window.goto("/")
    name = project["name"]
    menu(window, name, "Rename project")
    window.get_by_label("name of the project").fill(f"{name} B")
    window.keyboard.press("Enter")
    heading = window.get_by_role("heading", name=f"{name} B", exact=True)
    expect(heading).to_be_visible()
    menu(window, f"{name} B", "Duplicate project")
    expect(window.get_by_role("heading", name=f"{name} B, copy")).to_be_visible()
    menu(window, f"{name} B, copy", "Remove project")
    expect(window.get_by_role("heading", name=f"{name} B, copy")).to_have_count(0)
    expect(heading).to_be_visible()


def test_a_surface_is_removed_and_undo_brings_it_back(window: Page, live, project):
    bench = BenchPage(window).open(project["shot"])
    bench.step("outline")
    window.get_by_test_id("remove-surface").click()
    expect(window.get_by_test_id("begin-surface")).to_be_visible()
    assert document(live, project["shot"])["surfaces"] == []
    window.keyboard.press("Control+z")
    expect(window.get_by_test_id("tile-s")).to_be_visible()


def test_what_changed_since_a_take_is_named_and_can_be_taken_back(window: Page, live, plate, project):
    shot = project["shot"]
    track(live, shot, "forwards")
    revision = live.http.get(f"/api/shots/{shot}").json()["revision"]
    edits = [
        {"kind": "set_motion", "surface": "s", "motion": "affine"},
        {"kind": "set_analysis", "surface": "s", "analysis": {"blur_px": 2}},
    ]
    live.http.post(f"/api/shots/{shot}/edits", json={"base_revision": revision, "edits": edits}).raise_for_status()
    bench = BenchPage(window).open(shot)
    bench.step("track")
    expect(window.get_by_test_id("changed-since")).to_contain_text("motion, analysis picture")
    window.get_by_test_id("restore-settings").click()
    expect(window.get_by_test_id("changed-since")).to_have_count(0)
    until(window, lambda: document(live, shot)["surfaces"][0]["motion"] == "perspective")


def test_the_keys_are_listed_by_step_and_found_by_a_word(window: Page, live, project):
    BenchPage(window).open(project["shot"])
    window.keyboard.press("?")
    listed = window.get_by_test_id("key-list")
    for title in ("Anywhere", "Outline", "Track", "Inspect"):
        expect(listed.get_by_role("heading", name=title)).to_be_visible()
    box = window.get_by_role("dialog").bounding_box()
    assert box is not None
    assert box["y"] + box["height"] <= 800
    window.get_by_label("search the keys").fill("snap")
    expect(listed).to_contain_text(re.compile("snap the chosen corner"))
    expect(listed.get_by_role("heading")).to_have_count(1)


def test_a_pattern_that_reaches_beyond_the_surface_is_said_and_moved_inside(window: Page, live, plate, project):
    shot = project["shot"]
    bench = BenchPage(window).open(shot)
    bench.step("outline")
    bench.go_to(plate.reference)
    window.keyboard.press("q")
    corner = plate.corners[0]
    bench.click(corner[0] + 1, corner[1] + 1)
    expect(window.get_by_test_id("beyond")).to_contain_text("beyond the surface")
    window.get_by_test_id("move-inside").click()
    expect(window.get_by_test_id("beyond")).to_have_count(0)
    until(window, lambda: document(live, shot)["surfaces"][0]["points"][0]["keys"][0]["at"][0] > corner[0] + 10)
