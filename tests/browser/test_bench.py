"""Parts of the Bench: shapes, keys over time, refusals, nudges, undo across reloads, two tabs, playback."""

import re

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.api.test_work import begin, track
from tests.browser.bench_page import BenchPage, document, until
from verdigris.media.stills import write_still


@pytest.fixture
def outlined(live, plate, plate_film) -> str:
    return begin(live, plate, plate_film)


@pytest.fixture(scope="module")
def finished(live, plate, plate_film, art_still) -> str:
    shot = begin(live, plate, plate_film, art_still, "finished")
    assert track(live, shot)["state"] == "done"
    return shot


def test_points_move_are_put_in_and_taken_out(window: Page, live, plate, outlined):
    bench = BenchPage(window).open(outlined)
    bench.step("outline")
    bench.draw("include", [(60, 60), (420, 60), (420, 280), (60, 280)])
    expect(window.get_by_test_id("point-region:0-3")).to_be_visible()
    bench.drag((60, 60), (90, 80))
    expect(window.get_by_test_id("magnifier")).to_have_count(0)
    bench.drag((255, 70), (250, 40))
    expect(window.get_by_test_id("point-region:0-4")).to_be_visible()

    def polygon() -> list[list[float]]:
        return document(live, outlined)["surfaces"][0]["region"]["shapes"][0]["keys"][0]["points"]

    until(window, lambda: len(polygon()) == 5)
    assert np.allclose(polygon()[0], [90, 80], atol=1.5)
    window.keyboard.press("Delete")
    expect(window.get_by_test_id("point-region:0-4")).to_have_count(0)
    bench.draw("exclude", [(180, 130), (260, 130), (220, 180)])
    expect(window.get_by_test_id("step-outline")).to_contain_text("1 cut out")


def test_something_in_front_gets_keys_over_time(window: Page, live, plate, outlined):
    bench = BenchPage(window).open(outlined)
    bench.step("outline")
    bench.go_to(10)
    bench.draw("occluder", [(100, 100), (160, 100), (130, 160)])
    expect(window.get_by_test_id("tile-in-front")).to_be_visible()
    bench.go_to(20)
    bench.drag((100, 100), (140, 90))
    expect(window.get_by_test_id("tile-in-front")).to_contain_text("whole shot")
    window.wait_for_function("() => document.querySelector('[data-testid=controls]').innerText.includes('2, one here')")
    occluder = document(live, outlined)["occluders"][0]
    assert [k["frame"] for k in occluder["keys"]] == [10, 20]
    assert np.allclose(occluder["keys"][1]["points"][0], [140, 90], atol=1.5)
    assert occluder["depth"] < 1


def test_crossed_corners_are_refused_with_the_reason(window: Page, live, plate, outlined):
    bench = BenchPage(window).open(outlined)
    bench.step("outline")
    before = document(live, outlined)
    q = [tuple(p) for p in plate.corners]
    bench.draw("corners", [q[1], q[0], q[2], q[3]])
    expect(window.get_by_text("the picture would be twisted")).to_be_visible()
    assert document(live, outlined) == before


def test_a_corner_is_nudged_by_fractions_of_a_pixel(window: Page, live, plate, finished):
    bench = BenchPage(window).open(finished)
    bench.step("inspect")
    bench.go_to(42)
    bench.click(*plate.corners_at(42)[2])
    window.keyboard.press("ArrowRight")
    expect(window.get_by_text("0.10, 0.00 px")).to_be_visible()
    window.keyboard.press("Shift+ArrowDown")
    expect(window.get_by_text("0.10, 1.00 px")).to_be_visible()
    window.keyboard.press("Control+ArrowLeft")
    expect(window.get_by_text("0.09, 1.00 px")).to_be_visible()
    window.keyboard.press("Tab")
    window.keyboard.press("ArrowUp")
    window.wait_for_function("() => document.querySelector('[data-testid=controls]').innerText.includes('-0.10 px')")

    def nudged() -> set[tuple[int, int]]:
        return {(c["frame"], c["corner"]) for c in document(live, finished)["surfaces"][0]["corrections"]}

    until(window, lambda: nudged() == {(42, 2), (42, 3)})
    window.keyboard.press(".")
    expect(window.get_by_test_id("frame-number")).to_have_text("43")


def test_undo_and_redo_reach_across_a_reload(window: Page, live, outlined):
    bench = BenchPage(window).open(outlined)
    bench.step("track")
    for motion in ("affine", "similarity", "translation"):
        view = live.http.get(f"/api/shots/{outlined}").json()
        edits = [{"kind": "set_motion", "surface": "s", "motion": motion}]
        live.http.post(f"/api/shots/{outlined}/edits", json={"base_revision": view["revision"], "edits": edits})
    window.reload()
    bench = BenchPage(window).open(outlined)
    bench.step("track")
    expect(window.get_by_test_id("controls")).to_contain_text("shift")
    for wanted in ("shift, turn and size", "with shear", "full perspective"):
        window.keyboard.press("Control+z")
        expect(window.get_by_test_id("controls")).to_contain_text(wanted)
    window.reload()
    BenchPage(window).open(outlined).step("track")
    window.keyboard.press("Control+Shift+z")
    expect(window.get_by_test_id("controls")).to_contain_text("with shear")


def test_a_second_tab_sees_the_change_and_a_stale_one_is_told(window: Page, live, outlined):
    bench = BenchPage(window).open(outlined)
    bench.step("outline")
    other = window.context.new_page()
    other.route("**/api/events", lambda route: route.abort())
    BenchPage(other).open(outlined).step("outline")
    name = window.get_by_label("name of the surface")
    name.fill("Poster")
    name.press("Tab")
    expect(window.get_by_test_id("tile-s")).to_contain_text("Poster")
    stale = other.get_by_label("name of the surface")
    stale.fill("Hoarding")
    stale.press("Tab")
    expect(other.get_by_text("Changed in another window", exact=True)).to_be_visible()
    expect(other.get_by_test_id("tile-s")).to_contain_text("Poster")
    assert document(live, outlined)["surfaces"][0]["name"] == "Poster"
    other.close()


def test_tracking_arrives_live_stops_and_survives_a_reload(window: Page, live, outlined):
    bench = BenchPage(window).open(outlined)
    bench.step("track")
    window.keyboard.press("t")
    window.get_by_test_id("stop-track").wait_for()
    window.reload()
    bench.open(outlined).step("track")
    expect(window.get_by_test_id("step-track")).to_contain_text("30-59", timeout=60_000)
    window.keyboard.press("Shift+T")
    expect(window.get_by_test_id("step-track")).to_contain_text("0-59", timeout=60_000)
    window.wait_for_function("() => Number(document.querySelector('[data-testid=strip]').dataset.arrived) > 0")


def test_playback_wipe_flat_view_and_keys(window: Page, live, finished):
    bench = BenchPage(window).open(finished)
    bench.step("place")
    window.get_by_test_id("shown").get_by_text("Wipe").click()
    window.get_by_test_id("wipe").wait_for()
    bench.go_to(5)
    window.keyboard.press("Space")
    window.wait_for_function("() => Number(document.querySelector('[data-testid=transport]').dataset.played) > 30", timeout=30_000)
    window.keyboard.press("k")
    stopped = bench.frame()
    window.wait_for_timeout(300)
    assert bench.frame() == stopped
    window.keyboard.press("End")
    assert bench.frame() == 59
    window.keyboard.press("f")
    flat, viewer = window.get_by_test_id("flat-view").bounding_box(), window.get_by_test_id("viewer").bounding_box()
    assert flat is not None
    assert viewer is not None
    assert flat["width"] > 600 > viewer["width"]
    window.keyboard.press("?")
    expect(window.get_by_role("dialog")).to_contain_text("nudge the chosen corner")
    window.keyboard.press("Escape")


def test_a_frame_is_followed_again_and_every_take_is_kept(window: Page, live, plate, finished):
    bench = BenchPage(window).open(finished)
    bench.step("track")
    bench.go_to(30)
    takes = len(live.http.get(f"/api/shots/{finished}").json()["takes"])
    window.keyboard.press("a")
    until(window, lambda: len(live.http.get(f"/api/shots/{finished}").json()["takes"]) == takes + 1)
    until(window, lambda: not any(t["running"] for t in live.http.get(f"/api/shots/{finished}").json()["takes"]))
    newest = live.http.get(f"/api/shots/{finished}").json()["takes"][-1]
    assert (newest["followed"], newest["lost"]) == (60, 0)
    window.get_by_test_id("ask-motion").click()
    expect(window.get_by_test_id("motion-advice")).to_contain_text("full perspective", timeout=60_000)


def test_corners_are_held_curves_are_shown_and_frames_are_picked(window: Page, live, plate, finished):
    bench = BenchPage(window).open(finished)
    bench.step("inspect")
    bench.go_to(40)
    window.get_by_test_id("hold-frame").click()
    expect(window.get_by_text("held: 40")).to_be_visible()
    assert document(live, finished)["surfaces"][0]["held"][0]["frame"] == 40
    window.keyboard.press("h")
    expect(window.get_by_text("no frame is held")).to_be_visible()
    window.keyboard.press("g")
    expect(window.get_by_test_id("curves")).to_be_visible()
    window.get_by_label("threshold").fill("0.01")
    window.get_by_label("threshold").press("Enter")
    expect(window.get_by_test_id("above").locator("button").first).to_be_visible()
    window.get_by_test_id("above").locator("button").first.click()
    expect(window.get_by_text("are picked")).to_be_visible()
    window.get_by_test_id("leave-out").click()
    expect(window.get_by_role("button", name="Use again")).to_be_visible()
    assert document(live, finished)["surfaces"][0]["left_out"]
    # Nothing is shown of a track that is not used.
    expect(window.get_by_test_id("corners")).to_have_count(0)
    window.keyboard.press("Control+z")
    expect(window.get_by_role("button", name="Use again")).to_have_count(0)
    expect(window.get_by_test_id("corners")).to_be_visible()
    window.keyboard.press("g")
    expect(window.get_by_test_id("curves")).to_have_count(0)


def test_the_analysis_picture_and_the_held_still_view_are_shown(window: Page, live, plate, finished):
    bench = BenchPage(window).open(finished)
    bench.go_to(20)
    with window.expect_response(lambda r: "/views/analysis/20" in r.url) as grey:
        window.get_by_test_id("shown").get_by_text("Analysis").click()
    assert grey.value.ok
    with window.expect_response(lambda r: "/views/full/20" in r.url) as still:
        window.get_by_test_id("shown").get_by_text("Held still").click()
    assert still.value.ok
    bench.step("track")
    window.get_by_text("Analysis picture: luma").click()
    window.get_by_label("contrast", exact=True).fill("1.5")
    window.get_by_label("contrast", exact=True).press("Enter")
    until(window, lambda: document(live, finished)["surfaces"][0]["analysis"]["contrast"] == 1.5)
    window.get_by_test_id("undo").click()
    until(window, lambda: document(live, finished)["surfaces"][0]["analysis"]["contrast"] == 1.0)


def test_patches_are_laid_beside_each_other_and_what_is_left_is_measured(window: Page, live, plate, finished):
    bench = BenchPage(window).open(finished)
    bench.step("inspect")
    bench.go_to(10)
    window.get_by_test_id("patch-against").click()
    window.get_by_text("reference, 30").click()
    expect(window.get_by_test_id("flat-view")).to_have_attribute("data-against", "30")
    window.get_by_test_id("patch-how").get_by_text("difference").click()
    window.get_by_test_id("ask-jitter").click()
    # The first question to a process that answers such starts it.
    expect(window.get_by_test_id("jitter")).to_contain_text("each corner usually moves", timeout=30_000)
    expect(window.get_by_test_id("jitter-noise")).to_contain_text(re.compile(r"0\.\d\d.*noise"))
    window.get_by_test_id("ask-disagreements").click()
    expect(window.get_by_test_id("disagreements")).to_contain_text("moves with the surface")
    window.get_by_test_id("density").get_by_text("slits").click()
    window.keyboard.down("u")
    window.keyboard.up("u")
    bench.step("track")
    name = window.get_by_label("name of the take")
    name.fill("the first try")
    name.press("Tab")
    until(window, lambda: any(t["name"] == "the first try" for t in live.http.get(f"/api/shots/{finished}").json()["takes"]))
    window.get_by_test_id("shown").get_by_text("Held still").click()
    window.get_by_label("what it is judged by").click()
    window.get_by_title("A grid that stands still", exact=False).click()
    expect(window.get_by_test_id("still-grid")).to_be_visible()
    window.get_by_label("what it is judged by").click()
    with window.expect_response(lambda r: "/views/full/" in r.url and "stand_in=true" in r.url) as charted:
        window.get_by_title("A chart where the track says", exact=False).click()
    assert charted.value.ok
    expect(window.get_by_test_id("still-grid")).to_have_count(0)


def test_nudges_are_left_away_while_a_key_is_held(window: Page, live, plate, finished):
    bench = BenchPage(window).open(finished)
    bench.step("inspect")
    bench.go_to(20)
    bench.click(*plate.corners_at(20)[1])
    corner = window.get_by_test_id("corner-1")
    before = corner.get_attribute("transform")
    for _ in range(8):
        window.keyboard.press("Shift+ArrowRight")
        window.wait_for_timeout(150)
    until(
        window, lambda: any(c["frame"] == 20 and abs(c["dx_px"] - 8) < 0.02 for c in document(live, finished)["surfaces"][0]["corrections"])
    )
    assert corner.get_attribute("transform") != before
    window.keyboard.down("z")
    expect(corner).to_have_attribute("transform", before)
    window.keyboard.up("z")
    expect(corner).not_to_have_attribute("transform", before)


def test_the_depth_line_reorders_by_dragging(window: Page, live, outlined):
    edits = [
        {
            "kind": "add_occluder",
            "occluder": {"id": "post", "name": "Post", "depth": 0, "keys": [{"frame": 0, "points": [[1, 1], [30, 1], [9, 40]]}]},
        }
    ]
    live.http.post(f"/api/shots/{outlined}/edits", json={"base_revision": 2, "edits": edits})
    BenchPage(window).open(outlined)
    window.get_by_test_id("tile-s").drag_to(window.get_by_test_id("tile-post"), target_position={"x": 4, "y": 10})
    tiles = window.locator("[data-testid^=tile-]")
    expect(tiles.first).to_contain_text("Sign")
    until(window, lambda: document(live, outlined)["surfaces"][0]["depth"] == 0)
    shot = document(live, outlined)
    assert shot["surfaces"][0]["depth"] < shot["occluders"][0]["depth"]


def test_the_board_shows_shots_ranges_and_deliveries(window: Page, finished):
    window.goto("/")
    row = window.get_by_test_id("shot-row").filter(has_text="finished").first
    expect(row).to_contain_text("0-59")
    expect(row).to_contain_text("red.png")
    expect(row.locator("img")).to_have_count(3)
    row.click()
    window.get_by_test_id("strip").wait_for()


def test_a_refused_file_is_said_in_words(window: Page, live, tmp_path):
    live.http.post("/api/projects", json={"name": "Refusals"})
    window.goto("/")
    bad = tmp_path / "film.mp4"
    bad.write_bytes(b"#EXTM3U\n")
    window.locator("section", has_text="Refusals").locator("input[type=file][multiple]").set_input_files(bad)
    expect(window.get_by_text("is not a film, whatever its name says")).to_be_visible()


def test_a_folder_of_stills_asks_for_its_rate(window: Page, live, tmp_path):
    folder = tmp_path / "harbour"
    folder.mkdir()
    for n in range(1001, 1009):
        write_still(folder / f"harbour.{n}.png", np.full((80, 120, 3), n % 200, np.uint8))
    live.http.post("/api/projects", json={"name": "Folder of frames"})
    window.goto("/")
    window.locator("section", has_text="Folder of frames").locator("input[webkitdirectory]").set_input_files(folder)
    dialog = window.get_by_role("dialog")
    expect(dialog).to_contain_text("120 x 80, 8 f, rate not said")
    expect(dialog.get_by_role("button", name="Begin")).to_be_disabled()
    dialog.get_by_test_id("rate").fill("25")
    dialog.get_by_role("button", name="Begin").click()
    window.wait_for_url("**/shots/*")
    expect(window.locator("header")).to_contain_text("1001-1008")
    expect(window.get_by_test_id("step-prepare")).to_contain_text("25 fps")
