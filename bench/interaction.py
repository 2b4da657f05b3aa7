"""Answers under the hand, measured in Chromium on a shot of 240 frames: opening, dragging, first result, strip, requests."""

import json
import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright

from bench.material import application, demo_shot
from bench.report import table, write_section
from tests.browser.bench_page import BenchPage
from tests.browser.chromium import ARGUMENTS, CHROMIUM
from tests.live_app import LiveApp
from verdigris.demo.write import film_facts
from verdigris.media.reader import open_media
from verdigris.media.writer import FilmWriter

FRAMES = 240
# Marks every pointer move, when the picture that it led to has been painted, how far apart painted frames are, when the flat
# view was drawn, and which answers about coverage were asked for when and drawn when.
WATCH = """() => { window.paints = []; window.moves = []; window.drawn = []; window.apart = []; window.flat = []; let due = null, last = 0;
  addEventListener('pointermove', () => { const t = performance.now(); window.moves.push(t);
  requestAnimationFrame(() => { const c = new MessageChannel(); c.port1.onmessage = () => window.paints.push(performance.now() - t);
  c.port2.postMessage(0); }); }, true);
  const tick = (t) => { if (last) window.apart.push(t - last); last = t; requestAnimationFrame(tick); }; requestAnimationFrame(tick);
  const ask = window.fetch; window.fetch = async (url, how) => { if (!String(url).includes('/drafts/coverage/')) return ask(url, how);
  const t = performance.now(), answer = await ask(url, how); due = t; return answer; };
  const draw = CanvasRenderingContext2D.prototype.drawImage;
  CanvasRenderingContext2D.prototype.drawImage = function (...a) {
  if (this.canvas.closest('[data-testid=flat-view]')) window.flat.push(performance.now());
  if (due !== null && this.canvas.dataset.testid === 'picture') {
  window.drawn.push([due, performance.now()]); due = null; } return draw.apply(this, a); }; }"""


# Share of the slits' places in the first row that show something else than an empty place.
FILLED = """() => { const c = document.querySelector('[data-testid=strip] canvas'), k = c.width / c.clientWidth, n = 200;
  const d = c.getContext('2d').getImageData(36 * k, 26 * k, c.width - 44 * k, 1).data; let filled = 0;
  for (let i = 0; i < n; i++) { const j = 4 * Math.floor((i + 0.5) / n * (d.length / 4)); if (d[j] !== 38 || d[j + 1] !== 41) filled++; }
  return filled / n; }"""


def run(quick: bool) -> None:
    """Bring the demo plate in, to its end and back, follow it, then measure."""
    shot, _, folder = demo_shot()
    with application() as (app, own):
        film, document = own / "to-and-fro.mp4", own / "shot.json"
        _to_and_fro(folder / "kiosk.mp4", film)
        plain = {**json.loads(shot.model_dump_json(exclude_none=True)), "placements": []}
        plain["plate"] = {"path": str(film), "first_frame": 1001}
        document.write_text(json.dumps(plain))
        shot_id = app.run("import", str(document)).stdout.strip()
        for job in app.http.get("/api/jobs").json():
            app.wait(job["id"])
        job = app.http.post(f"/api/shots/{shot_id}/track", json={"surface": "screen", "direction": "both"}).json()
        app.wait(job["id"], seconds=1800)
        with sync_playwright() as p:
            browser = p.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
            page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=app.address)
            rows = [_opening(page, shot_id), _strip(page, shot_id), *_dragging(page), *_first_result(app, page, shot_id)]
            browser.close()
        rows.append(_requests(app, shot_id, 40 if quick else 200))
    told = f"{FRAMES} frames of 1920 x 1080, followed; headless Chromium, no graphics card."
    write_section("Answers under the hand", [told, "", *table(["what", "measured", "wanted"], [list(r) for r in rows])])


def _to_and_fro(plate: Path, film: Path) -> None:
    """The demo plate to its end and back: 240 frames."""
    with open_media(plate) as reader, FilmWriter(film, film_facts(1920, 1080, FRAMES, Fraction(24)), 17, "superfast") as writer:
        half = reader.facts.frame_count
        for frame in reader.frames(0, half):
            writer.write(frame)
        for frame in reader.frames(half - 1, -1, -1):
            writer.write(frame)


def _seconds(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def _percentiles(values: list[float]) -> str:
    return f"median {np.median(values):.0f} ms, 95 % within {np.percentile(values, 95):.0f} ms"


def _opening(page: Page, shot_id: str) -> tuple[str, str, str]:
    """From asking for the address until the picture stands and controls answer."""

    def once() -> None:
        BenchPage(page).open(shot_id)
        page.wait_for_function(
            "() => { const c = document.querySelector('[data-testid=picture]'); const p = c && c.getContext('2d')"
            ".getImageData(c.width / 2, c.height / 2, 1, 1).data; return p && (p[0] !== 44 || p[1] !== 44); }"
        )

    once()
    times = [_seconds(once) for _ in range(5)]
    return "opening the shot, until its picture stands", f"{np.median(times):.2f} s", "1.5 s"


def _strip(page: Page, shot_id: str) -> tuple[str, str, str]:
    """A slit for every frame: all crops of the take, none of them in the browser's memory."""
    page.goto("about:blank")
    arrived: set[str] = set()
    page.on("response", lambda r: arrived.add(r.url) if "/crop" in r.url else None)
    BenchPage(page).open(shot_id)
    page.get_by_test_id("step-inspect").click()
    page.get_by_test_id("density").wait_for()
    arrived.clear()
    cdp = page.context.new_cdp_session(page)
    cdp.send("Network.clearBrowserCache")
    begun = time.perf_counter()
    page.get_by_test_id("density").get_by_text("slits").click()
    while time.perf_counter() - begun < 20:
        page.wait_for_timeout(20)
        strip = page.evaluate(FILLED)
        if strip > 0.97 and arrived:
            break
    return f"strip of {FRAMES} x 4 crops complete", f"{time.perf_counter() - begun:.2f} s", "1.5 s"


def _dragging(page: Page) -> list[tuple[str, str, str]]:
    """A corner dragged at the reference frame, then a point of the region with the coverage shown."""
    page.get_by_test_id("step-outline").click()
    for key in ("Escape", "Home", *["Shift+ArrowRight"] * 2, *["ArrowRight"] * 4):
        page.keyboard.press(key)
    page.wait_for_timeout(800)
    page.evaluate(WATCH)
    at = page.get_by_test_id("corner-2").bounding_box()
    assert at is not None
    x, y = at["x"] + at["width"] / 2, at["y"] + at["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate("window.paints = [], window.apart = [], window.moves = [], window.flat = []")
    _circle(page, x, y)
    paints, apart = page.evaluate("window.paints"), page.evaluate("window.apart")
    page.wait_for_timeout(300)
    bends, cells = page.evaluate("window.moves"), page.evaluate("window.flat")
    # The view is drawn cell by cell. What is being drawn next may still be of the move before: the one after that counts.
    flats = [t for before, t in zip([0.0, *cells], cells, strict=False) if t - before > 3]
    flat = [[t for t in flats if t > at][1] - at for at in bends[:-3]]
    page.mouse.move(x, y)
    page.mouse.up()
    page.get_by_test_id("shown").get_by_text("Coverage").click()
    page.wait_for_timeout(2500)
    shape = page.get_by_test_id("point-region:0-2").bounding_box()
    assert shape is not None
    x, y = shape["x"] + shape["width"] / 2, shape["y"] + shape["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate("window.moves = [], window.drawn = []")
    _circle(page, x, y)
    page.wait_for_timeout(500)
    moves, drawn = page.evaluate("window.moves"), page.evaluate("window.drawn")
    page.mouse.move(x, y)
    page.mouse.up()
    # From a move to the first picture that was asked for after it.
    follow = [min(shown for asked, shown in drawn if asked >= at) - at for at in moves if any(asked >= at for asked, _ in drawn)]
    assert len(follow) > 0.9 * len(moves)
    return [
        ("dragging a corner, from a move to its overlay painted", _percentiles(paints), "16 ms"),
        ("dragging a corner, between painted frames", _percentiles(apart), "16.7 ms: every frame"),
        ("dragging a corner, from a move to the flat view with it", _percentiles(flat), "95 % within 100 ms"),
        ("dragging a point, from a move to coverage with it", _percentiles(follow), "95 % within 100 ms"),
    ]


def _circle(page: Page, x: float, y: float) -> None:
    for i in range(90):
        page.mouse.move(x + 12 * np.sin(i / 6), y + 9 * np.cos(i / 5))
        page.wait_for_timeout(16)


def _first_result(app: LiveApp, page: Page, shot_id: str) -> list[tuple[str, str, str]]:
    """From the key until a new take shows its reference frame, and its first followed frame."""
    # As an artist has it who presses the key: the plate is shown, not the coverage of the measurement before.
    page.get_by_test_id("shown").get_by_text("Plate").click()
    rows = []
    # First with a pause, in which the first steps are taken ahead, as between placing corners and following them; then without.
    for pause, when in ((1500, "settings let be for 1.5 s"), (0, "settings just changed")):
        times: list[list[float]] = [[], [], []]
        for motion in ("affine", "similarity", "perspective") * 3:
            page.get_by_test_id("step-track").click()
            moved = round(float(np.random.default_rng(pause + sum(map(len, times))).uniform(0.2, 0.4)), 3)
            view = app.http.get(f"/api/shots/{shot_id}").json()
            (surface,) = view["document"]["surfaces"]
            edits = [
                {"kind": "set_motion", "surface": "screen", "motion": motion},
                {"kind": "set_corners", "surface": "screen", "corners": [[x + moved, y] for x, y in surface["corners"]]},
                {"kind": "choose_take", "surface": "screen", "take": None},
            ]
            app.http.post(f"/api/shots/{shot_id}/edits", json={"base_revision": view["revision"], "edits": edits}).raise_for_status()
            page.wait_for_timeout(300 + pause)
            begun = time.perf_counter()
            page.keyboard.press("t")
            for kept, some in zip(times, ("[1-9]", "([2-9]|[1-9][0-9])", "([3-9]|[1-9][0-9])"), strict=True):
                said = f"() => /following, {some}/.test(document.querySelector('[data-testid=tile-screen]').innerText)"
                page.wait_for_function(said, polling=10)
                kept.append(1000 * (time.perf_counter() - begun))
            page.keyboard.press("Escape")
            page.wait_for_function("() => document.body.innerText.includes('no jobs')", timeout=60_000)
        what = ("reference frame", "first followed frame", "second followed frame")
        rows += [
            (f"{name} of a track shown after the key, {when}", _percentiles(found), wanted)
            for name, found, wanted in zip(what, times, ("400 ms", "400 ms", ""), strict=True)
        ]
    return rows


def _requests(app: LiveApp, shot_id: str, count: int) -> tuple[str, str, str]:
    """What the interface asks for, over HTTP, one after the other."""
    view = app.http.get(f"/api/shots/{shot_id}").json()
    take, media = view["takes"][0]["id"], view["document"]["plate"]["media"]
    asked = [
        "/api/projects", "/api/jobs", "/api/media", f"/api/shots/{shot_id}", f"/api/takes/{take}/frames", f"/api/takes/{take}/crops/30",
        f"/api/media/{media}/proxies/77", f"/api/media/{media}/frames/50",
    ]  # fmt: skip
    times = []
    for i in range(count):
        path = asked[i % len(asked)]
        times.append(1000 * _seconds(lambda p=path: app.http.get(p).raise_for_status()))  # type: ignore[misc]
        if i % 8 == 0:
            view = app.http.get(f"/api/shots/{shot_id}").json()
            edit = {"kind": "set_reach", "surface": "screen", "reach_frames": 10 + i}
            body = {"base_revision": view["revision"], "edits": [edit]}
            times.append(1000 * _seconds(lambda b=body: app.http.post(f"/api/shots/{shot_id}/edits", json=b).raise_for_status()))  # type: ignore[misc]
    return "requests other than jobs", _percentiles(times), "95 % within 200 ms"
