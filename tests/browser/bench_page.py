"""Acting on the Bench as a person does: plate px in, mouse and keys out."""

import json
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.live_app import LiveApp
from tests.plates import Plate


class BenchPage:
    """The Bench in a window."""

    def __init__(self, page: Page) -> None:
        self.page = page

    def open(self, shot: str) -> "BenchPage":
        self.page.goto(f"/shots/{shot}")
        self.page.get_by_test_id("viewer").wait_for()
        self.page.wait_for_function("document.querySelector('[data-testid=viewer]').dataset.zoom > 0.06")
        return self

    def screen(self, x: float, y: float) -> tuple[float, float]:
        """Where a plate px lies in the window."""
        viewer = self.page.get_by_test_id("viewer")
        box = viewer.bounding_box()
        assert box is not None
        zoom = float(viewer.get_attribute("data-zoom") or 1)
        pan_x, pan_y = (float(v) for v in (viewer.get_attribute("data-pan") or "0,0").split(","))
        return box["x"] + pan_x + x * zoom, box["y"] + pan_y + y * zoom

    def click(self, x: float, y: float) -> None:
        self.page.mouse.click(*self.screen(x, y))

    def drag(self, a: tuple[float, float], b: tuple[float, float]) -> None:
        self.page.mouse.move(*self.screen(*a))
        self.page.mouse.down()
        for t in (0.3, 0.7, 1.0):
            self.page.mouse.move(*self.screen(a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1])))
        self.page.mouse.up()

    def step(self, name: str) -> None:
        self.page.get_by_test_id(f"step-{name}").click()

    def frame(self) -> int:
        return int(self.page.get_by_test_id("frame-number").inner_text())

    def go_to(self, frame: int) -> None:
        """Walk to a frame with the keys."""
        self.page.keyboard.press("Escape")
        self.page.keyboard.press("Home")
        for _ in range(frame // 10):
            self.page.keyboard.press("Shift+ArrowRight")
        for _ in range(frame % 10):
            self.page.keyboard.press("ArrowRight")
        expect(self.page.get_by_test_id("frame-number")).to_have_text(str(frame))

    def draw(self, tool: str, points: list[tuple[float, float]]) -> None:
        self.page.get_by_test_id(f"tool-{tool}").click()
        for p in points:
            self.click(*p)
        if tool != "corners":
            self.page.keyboard.press("Enter")


def until(page: Page, true: Callable[[], bool], seconds: float = 30) -> None:
    """Wait until something is true: what is seen at once may reach the server a moment later."""
    for _ in range(int(seconds * 20)):
        if true():
            return
        page.wait_for_timeout(50)
    raise AssertionError("it did not come true in time")


def undo(page: Page, live: LiveApp, shot: str) -> None:
    """One step back, and wait until the server has taken it."""

    def revision() -> int:
        return int(live.http.get(f"/api/shots/{shot}").json()["revision"])

    now = revision()
    page.keyboard.press("Control+z")
    until(page, lambda: revision() != now)


def document(live: LiveApp, shot: str) -> dict:
    """The document as the server has it."""
    answer: dict = live.http.get(f"/api/shots/{shot}/document").json()
    return answer


def follow_board(window: Page, live: LiveApp, film: Path, plate: Plate, said: str) -> tuple[BenchPage, str]:
    """A film with one surface, brought in and followed until its tile says so; the Bench and the shot's id."""
    corners = [list(map(float, c)) for c in plate.corners]
    surface = {"id": "board", "name": "Board", "reference_frame": plate.reference, "corners": corners, "region": {"include": [corners]}}
    document = film.parent / "shot.json"
    document.write_text(
        json.dumps({"format": "verdigris.shot", "version": 1, "name": film.stem, "plate": {"path": str(film)}, "surfaces": [surface]})
    )
    shot = live.run("import", str(document)).stdout.strip()
    for job in live.http.get("/api/jobs").json():
        live.wait(job["id"])
    bench = BenchPage(window).open(shot)
    bench.step("track")
    window.keyboard.press("t")
    expect(window.get_by_test_id("tile-board")).to_contain_text(said, timeout=240_000)
    window.wait_for_function("() => document.body.innerText.includes('no jobs')", timeout=240_000)
    return bench, shot
