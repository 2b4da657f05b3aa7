"""Outline as a person does it: keys over time, smooth curves, several points, points, lens lines, snapping."""

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.api.test_work import begin, track
from tests.browser.bench_page import BenchPage, document, until


@pytest.fixture
def outlined(live, plate, plate_film) -> str:
    return begin(live, plate, plate_film)


@pytest.fixture(scope="module")
def followed(live, plate, plate_film) -> str:
    shot = begin(live, plate, plate_film, name="followed for outlining")
    assert track(live, shot)["state"] == "done"
    return shot


def shapes(live, shot: str) -> list[dict]:
    return document(live, shot)["surfaces"][0]["region"]["shapes"]


BOX = [(60.0, 60.0), (160.0, 60.0), (160.0, 140.0), (60.0, 140.0)]


def test_a_shape_gets_keys_that_are_stepped_through_and_deleted(window: Page, live, plate, followed):
    bench = BenchPage(window).open(followed)
    bench.step("outline")
    bench.go_to(plate.reference)
    bench.draw("exclude", BOX)
    until(window, lambda: len(shapes(live, followed)) == 1)
    panel = window.get_by_test_id("chosen-shape")
    panel.get_by_text("by its keys").click()
    until(window, lambda: shapes(live, followed)[0]["rides"] == "picture")
    bench.go_to(50)
    bench.drag(BOX[0], (40, 50))
    until(window, lambda: [k["frame"] for k in shapes(live, followed)[0]["keys"]] == [plate.reference, 50])
    expect(window.get_by_test_id("keys-said")).to_have_text("2, one here")
    window.keyboard.press("[")
    expect(window.get_by_test_id("frame-number")).to_have_text(str(plate.reference))
    panel.get_by_text("eased").click()
    until(window, lambda: shapes(live, followed)[0]["keys"][0]["ease"] == "eased")
    # For the whole shot: both keys move alike, and there is no third.
    window.get_by_test_id("scope").get_by_text("whole shot").click()
    bench.go_to(40)
    x, y = 160.0, 140.0
    bench.drag((x, y), (x + 20, y))
    until(window, lambda: np.isclose(shapes(live, followed)[0]["keys"][1]["points"][2][0], 180, atol=1.5))
    assert len(shapes(live, followed)[0]["keys"]) == 2
    bench.go_to(50)
    bench.click(180, 140)
    window.keyboard.press("d")
    until(window, lambda: len(shapes(live, followed)[0]["keys"]) == 1)
    window.keyboard.press("Shift+Delete")
    until(window, lambda: shapes(live, followed) == [])


def test_a_line_becomes_smooth_and_gets_a_soft_edge(window: Page, live, plate, outlined):
    bench = BenchPage(window).open(outlined)
    bench.step("outline")
    window.get_by_test_id("new-line").get_by_text("smooth").click()
    bench.draw("include", BOX)
    shape = window.get_by_test_id("shape-region:0")
    expect(shape).to_have_attribute("data-smooth", "true")
    assert shapes(live, outlined)[0]["outline"] == "smooth"
    window.get_by_test_id("shape-line").get_by_text("straight").click()
    expect(shape).to_have_attribute("data-smooth", "false")
    edge = window.get_by_test_id("chosen-shape").get_by_label("soft edge", exact=True)
    edge.fill("6")
    edge.press("Enter")
    until(window, lambda: shapes(live, outlined)[0]["feather_px"] == 6)
    with window.expect_response(lambda r: "/views/coverage/" in r.url) as seen:
        window.get_by_test_id("shown").get_by_text("Coverage").click()
    assert seen.value.ok


def test_several_points_move_together_and_a_whole_shape_is_scaled(window: Page, live, plate, outlined):
    bench = BenchPage(window).open(outlined)
    bench.step("outline")
    bench.draw("include", BOX)
    until(window, lambda: len(shapes(live, outlined)) == 1)
    window.keyboard.press("Escape")

    def points() -> np.ndarray:
        return np.array(shapes(live, outlined)[0]["keys"][0]["points"])

    # A frame around the two upper points.
    window.keyboard.down("Shift")
    bench.drag((45, 45), (200, 90))
    window.keyboard.up("Shift")
    expect(window.get_by_test_id("viewer").locator("[data-picked=true]")).to_have_count(2)
    bench.drag(BOX[0], (60, 40))
    until(window, lambda: np.allclose(points()[:, 1], [40, 40, 140, 140], atol=1.5))
    window.keyboard.press("Control+a")
    expect(window.get_by_test_id("viewer").locator("[data-picked=true]")).to_have_count(4)
    still = points()
    window.keyboard.press("Shift+ArrowRight")
    until(window, lambda: np.allclose(points(), still + [1, 0], atol=0.05))
    before = points()
    handle = window.get_by_test_id("scale-2").bounding_box()
    assert handle is not None
    at = (handle["x"] + handle["width"] / 2, handle["y"] + handle["height"] / 2)
    zoom = float(window.get_by_test_id("viewer").get_attribute("data-zoom") or 1)
    window.mouse.move(*at)
    window.mouse.down()
    window.mouse.move(at[0] + 25 * zoom, at[1] + 25 * zoom, steps=4)
    window.mouse.up()
    until(window, lambda: np.ptp(points()[:, 0]) > 1.15 * np.ptp(before[:, 0]))
    assert np.allclose(points()[0], before[0], atol=0.3)
    assert np.ptp(points()[:, 0]) / np.ptp(before[:, 0]) == pytest.approx(np.ptp(points()[:, 1]) / np.ptp(before[:, 1]), abs=0.03)
    for _ in range(3):
        window.keyboard.press("Control+z")
    until(window, lambda: np.allclose(points(), BOX, atol=1.5))


def test_shapes_are_copied_to_another_surface(window: Page, live, plate, followed):
    near = (plate.corners * 0.5 + 20).round(2).tolist()
    view = live.http.get(f"/api/shots/{followed}").json()
    edits = [{"kind": "add_surface", "surface": {"id": "near", "name": "Card", "depth": 2, "reference_frame": 40, "corners": near}}]
    assert live.http.post(f"/api/shots/{followed}/edits", json={"base_revision": view["revision"], "edits": edits}).status_code == 200
    bench = BenchPage(window).open(followed)
    bench.step("outline")
    bench.go_to(plate.reference)
    bench.draw("exclude", BOX)
    window.get_by_test_id("chosen-shape").get_by_role("button", name="Copy to").hover()
    window.get_by_role("menuitem", name="Card").click()

    def copied() -> list[dict]:
        return document(live, followed)["surfaces"][1]["region"]["shapes"]

    until(window, lambda: len(copied()) == 1)
    h = plate.truth[40] @ [*BOX[0], 1]
    assert copied()[0]["keys"][0]["frame"] == 40
    assert np.allclose(copied()[0]["keys"][0]["points"][0], h[:2] / h[2], atol=1.5)


def test_a_point_is_set_sized_and_drives_the_surface(window: Page, live, plate, outlined):
    bench = BenchPage(window).open(outlined)
    bench.step("outline")
    window.keyboard.press("q")
    bench.click(200, 120)
    until(window, lambda: len(document(live, outlined)["surfaces"][0]["points"]) == 1)
    expect(window.get_by_test_id("mark-p1")).to_have_attribute("data-status", "by_hand")

    def point() -> dict:
        return document(live, outlined)["surfaces"][0]["points"][0]

    assert np.allclose(point()["keys"][0]["at"], [200, 120], atol=1.5)
    bench.drag((212, 132), (220, 136))
    until(window, lambda: point()["half_size_px"][0] > 16)
    bench.drag((200, 120), (205, 118))
    until(window, lambda: np.allclose(point()["keys"][0]["at"], [205, 118], atol=1.5))
    window.keyboard.press("Control+ArrowRight")
    until(window, lambda: point()["keys"][0]["at"][0] > 205 - 1.5)
    window.get_by_test_id("follow-by").get_by_text("points").click()
    until(window, lambda: document(live, outlined)["surfaces"][0]["follow"] == "points")
    window.keyboard.press("t")
    until(window, lambda: any(t["followed"] for t in live.http.get(f"/api/shots/{outlined}").json()["takes"]), 60)
    until(window, lambda: not any(t["running"] for t in live.http.get(f"/api/shots/{outlined}").json()["takes"]), 60)
    expect(window.get_by_text("no jobs")).to_be_visible()
    bench.go_to(36)
    window.get_by_test_id("mark-list").get_by_text("p1").click()
    expect(window.get_by_test_id("mark-p1")).to_have_attribute("data-status", "followed")


def test_lines_make_a_lens_that_can_be_taken_over_and_seen(window: Page, live, plate, outlined):
    bench = BenchPage(window).open(outlined)
    bench.step("outline")
    window.get_by_text("Lens: found by itself").click()
    window.get_by_test_id("tool-line").click()
    t = np.linspace(-1, 1, 7)
    for y in (-125.0, 125.0, -70.0):
        ideal = np.stack([210 * t, np.full(7, y)], axis=1)
        r2 = (ideal**2).sum(axis=1) / (480**2 + 320**2) * 4
        for p in ideal * (1 - 0.12 * r2)[:, None] + [240, 160]:
            bench.click(*p)
        window.keyboard.press("Enter")
    until(window, lambda: len(document(live, outlined)["lens"]["lines"]) == 3)
    window.keyboard.press("Escape")
    window.get_by_test_id("lens-from-lines").click()
    expect(window.get_by_test_id("lens-found")).to_contain_text("k1")
    window.get_by_test_id("take-lens").click()
    until(window, lambda: document(live, outlined)["lens"]["mode"] == "given")
    assert document(live, outlined)["lens"]["k1"] == pytest.approx(-0.12, abs=0.05)
    with window.expect_response(lambda r: "/straight/" in r.url) as shown:
        window.get_by_label("show the corrected frame").click()
    assert shown.value.ok


def test_the_best_frame_is_named_and_gone_to(window: Page, live, followed):
    bench = BenchPage(window).open(followed)
    bench.step("outline")
    window.get_by_test_id("ask-reference").click()
    advice = window.get_by_test_id("reference-advice")
    expect(advice).to_contain_text("serves best", timeout=60_000)
    best = int(advice.inner_text().split("Frame ")[1].split()[0])
    advice.get_by_role("button", name="Go there").click()
    expect(window.get_by_test_id("frame-number")).to_have_text(str(best))


def test_shapes_are_drawn_and_moved_in_the_flat_view(window: Page, live, plate, outlined):
    bench = BenchPage(window).open(outlined)
    bench.step("outline")
    bench.go_to(plate.reference)
    window.keyboard.press("f")
    flat = window.get_by_test_id("flat-view").bounding_box()
    assert flat is not None
    window.get_by_test_id("tool-exclude").click()
    middle = (flat["x"] + flat["width"] / 2, flat["y"] + flat["height"] / 2)
    for dx, dy in ((-60, -40), (60, -40), (60, 40), (-60, 40)):
        window.mouse.click(middle[0] + dx, middle[1] + dy)
    window.keyboard.press("Enter")
    until(window, lambda: len(shapes(live, outlined)) == 1)

    def points() -> np.ndarray:
        return np.array(shapes(live, outlined)[0]["keys"][0]["points"])

    # What was drawn evenly around the middle of the flat view lies around the middle of the surface.
    drawn = points()
    diagonals = np.cross([*plate.corners[0], 1], [*plate.corners[2], 1]), np.cross([*plate.corners[1], 1], [*plate.corners[3], 1])
    centre = np.cross(*diagonals)
    assert np.allclose(drawn.mean(axis=0), centre[:2] / centre[2], atol=4)
    point = window.get_by_test_id("flat-point-region:0-2").bounding_box()
    assert point is not None
    at = (point["x"] + point["width"] / 2, point["y"] + point["height"] / 2)
    window.mouse.move(*at)
    window.mouse.down()
    window.mouse.move(at[0] + 25, at[1], steps=4)
    window.mouse.up()
    until(window, lambda: points()[2, 0] > drawn[2, 0] + 5)
    assert np.allclose(points()[[0, 1, 3]], drawn[[0, 1, 3]], atol=0.02)


def test_coverage_follows_a_point_while_it_is_dragged(window: Page, live, plate, followed):
    bench = BenchPage(window).open(followed)
    bench.step("outline")
    bench.go_to(plate.reference)
    there = len(shapes(live, followed))
    bench.draw("exclude", BOX)
    until(window, lambda: len(shapes(live, followed)) == there + 1)
    with window.expect_response(lambda r: "/views/coverage/" in r.url):
        window.get_by_test_id("shown").get_by_text("Coverage").click()
    revision = live.http.get(f"/api/shots/{followed}").json()["revision"]
    green = """([x, y]) => { const c = document.querySelector('[data-testid=picture]'); const r = c.getBoundingClientRect();
       const k = c.width / r.width; const p = c.getContext('2d').getImageData((x - r.left) * k - 8, (y - r.top) * k - 8, 16, 16).data;
       let g = 0; for (let i = 0; i < p.length; i += 4) if (p[i + 1] > p[i] + 15) g++; return g / (p.length / 4); }"""
    inside = bench.screen(180, 150)
    window.wait_for_function(f"(p) => ({green})(p) > 0.7", arg=list(inside))
    x, y = bench.screen(*BOX[2])
    window.mouse.move(x, y)
    window.mouse.down()
    window.mouse.move(*bench.screen(215, 185), steps=6)
    # The button is still down, and what is cut out shows already.
    window.wait_for_function(f"(p) => ({green})(p) < 0.4", arg=list(inside))
    assert live.http.get(f"/api/shots/{followed}").json()["revision"] == revision
    window.mouse.up()
    until(window, lambda: live.http.get(f"/api/shots/{followed}").json()["revision"] > revision)
    window.wait_for_function(f"(p) => ({green})(p) < 0.4", arg=list(inside))


def test_points_of_a_set_are_sifted_by_their_figures(window: Page, live, short_plate, short_film):
    shot = begin(live, short_plate, short_film, name="a set of points")
    middle = short_plate.corners.mean(axis=0)
    around = [middle + t * (c - middle) for t in (0.3, 0.5, 0.7) for c in short_plate.corners]
    points = [{"id": f"p{i}", "keys": [{"frame": short_plate.reference, "at": p.round(1).tolist()}]} for i, p in enumerate(around)]
    points.append({"id": "astray", "keys": [{"frame": n, "at": [30, 30]} for n in range(0, 24, 4)]})
    revision = live.http.get(f"/api/shots/{shot}").json()["revision"]
    edits = [{"kind": "set_points", "surface": "s", "points": points, "follow": "points"}]
    assert live.http.post(f"/api/shots/{shot}/edits", json={"base_revision": revision, "edits": edits}).status_code == 200
    assert track(live, shot)["state"] == "done"
    bench = BenchPage(window).open(shot)
    bench.step("inspect")
    listed = window.get_by_test_id("point-set")
    expect(listed.locator("tbody tr[data-row-key]")).to_have_count(13)
    expect(listed.locator("tbody tr[data-row-key]").first).to_have_attribute("data-row-key", "astray")
    limit = listed.get_by_label("error above")
    limit.fill("6")
    limit.press("Enter")
    expect(listed.get_by_label("choose astray")).to_be_checked()
    listed.get_by_test_id("points-out").click()
    until(window, lambda: any(p["left_out"] for p in document(live, shot)["surfaces"][0]["points"]))
    assert [p["id"] for p in document(live, shot)["surfaces"][0]["points"] if p["left_out"]] == ["astray"]
    listed.get_by_role("button", name="Track again").click()
    until(window, lambda: not live.http.get(f"/api/shots/{shot}").json()["takes"][-1]["stale"])
    until(window, lambda: not live.http.get(f"/api/shots/{shot}").json()["takes"][-1]["running"], 60)
    expect(listed.locator("tbody tr[data-row-key]").first).to_have_attribute("data-row-key", "astray")
    window.keyboard.press("Control+z")
    window.keyboard.press("Control+z")
    until(window, lambda: not any(p["left_out"] for p in document(live, shot)["surfaces"][0]["points"]))
