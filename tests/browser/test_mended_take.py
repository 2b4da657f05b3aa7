"""A track that came in calmed and held already, in the Bench: said, and nothing that would have no effect can be pressed."""

import json

import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.bench_page import BenchPage, document
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.formats.track_json import make_track, write_tracks


def test_what_would_have_no_effect_on_a_mended_take_cannot_be_pressed(window: Page, live, plate, plate_film, tmp_path):
    (tmp_path / "plate.mp4").write_bytes(plate_film.read_bytes())
    sign = {"id": "s", "name": "Sign", "reference_frame": plate.reference, "corners": plate.corners.tolist(), "smoothing": 3}
    (tmp_path / "shot.json").write_text(
        json.dumps({"format": "verdigris.shot", "version": 1, "plate": {"path": "plate.mp4"}, "surfaces": [sign]})
    )
    results = [
        FrameResult(n, "followed", h, apply_homography(h, plate.corners), np.full(4, 0.1), 0.1, 1.0) for n, h in enumerate(plate.truth)
    ]
    write_tracks(tmp_path / "track.json", [make_track("s", plate.reference, results, mended=True)])
    shot = live.run("import", str(tmp_path / "shot.json"), "--track", str(tmp_path / "track.json"), "--project", "Mended").stdout.strip()
    bench = BenchPage(window).open(shot)
    bench.step("inspect")
    expect(window.get_by_text("This take came in calmed, held and carried already")).to_be_visible()
    for name in ("calm", "carry lost frames"):
        expect(window.get_by_label(name, exact=True)).to_be_disabled()
    expect(window.get_by_test_id("hold-frame")).to_be_disabled()
    bench.go_to(20)
    before = document(live, shot)
    window.keyboard.press("h")
    window.wait_for_timeout(500)
    assert document(live, shot) == before
