"""A surface's track as it is used, parts followed again, other views on it, advice: through the API."""

import os
import signal
import subprocess

import cv2
import numpy as np
import pytest

from tests.api.test_work import begin, take_frames, track


@pytest.fixture(scope="module")
def followed(live, plate, plate_film) -> str:
    shot = begin(live, plate, plate_film, name="followed")
    assert track(live, shot)["state"] == "done"
    return shot


def edit(live, shot: str, *edits: dict) -> dict:
    revision = live.http.get(f"/api/shots/{shot}").json()["revision"]
    answer = live.http.post(f"/api/shots/{shot}/edits", json={"base_revision": revision, "edits": list(edits)})
    assert answer.status_code == 200, answer.text
    return answer.json()


def used(live, shot: str) -> dict[int, dict]:
    return {f["frame"]: f for f in live.http.get(f"/api/shots/{shot}/surfaces/s/frames").json()}


def corner(plate, frame: dict, index: int = 0) -> np.ndarray:
    h = np.array(frame["homography"]).reshape(3, 3)
    p = h @ [*plate.corners[index], 1]
    return p[:2] / p[2]


def test_a_span_begins_a_take_of_its_own_and_keeps_the_rest(live, plate, followed):
    before, kept = take_frames(live, followed)
    job = live.http.post(f"/api/shots/{followed}/track", json={"surface": "s", "direction": "both", "span": [40, 45]}).json()
    assert live.wait(job["id"])["state"] == "done"
    after, frames = take_frames(live, followed)
    assert after["id"] != before["id"]
    assert len(frames) == 60
    assert all(frames[n]["homography"] == kept[n]["homography"] for n in kept if not 40 <= n <= 45)
    assert max(np.abs(corner(plate, frames[n], i) - plate.corners_at(n)[i]).max() for n in range(40, 46) for i in range(4)) < 0.15
    assert live.http.get(f"/api/takes/{after['id']}/crops/20").status_code == 200
    outside = live.http.post(f"/api/shots/{followed}/track", json={"surface": "s", "span": [50, 90]})
    assert outside.status_code == 422
    assert "60 frames" in outside.json()["title"]


def test_a_held_frame_is_passed_through_exactly_and_can_be_let_go(live, plate, followed):
    raw = used(live, followed)
    moved = (plate.corners_at(50) + [2.0, 0.0]).round(3).tolist()
    edit(live, followed, {"kind": "hold_frame", "surface": "s", "frame": 50, "corners": moved})
    held = used(live, followed)
    assert held[50]["status"] == "by_hand"
    assert np.allclose(corner(plate, held[50]), moved[0], atol=0.01)
    # Nothing jumps beside it.
    assert abs(corner(plate, held[49])[0] - corner(plate, raw[49])[0] - 2.0) < 0.5
    edit(live, followed, {"kind": "hold_frame", "surface": "s", "frame": 50})
    assert used(live, followed) == raw
    crossed = [moved[1], moved[0], moved[2], moved[3]]
    revision = live.http.get(f"/api/shots/{followed}").json()["revision"]
    refused = live.http.post(
        f"/api/shots/{followed}/edits",
        json={"base_revision": revision, "edits": [{"kind": "hold_frame", "surface": "s", "frame": 50, "corners": crossed}]},
    )
    assert refused.status_code == 422


def test_the_plate_stands_still_on_the_surface_and_analysis_is_grey(live, plate, followed):
    revision = live.http.get(f"/api/shots/{followed}").json()["revision"]

    def view(kind: str, frame: int) -> np.ndarray:
        answer = live.http.get(f"/api/shots/{followed}/revisions/{revision}/surfaces/s/views/{kind}/{frame}")
        assert answer.status_code == 200, answer.text
        return cv2.imdecode(np.frombuffer(answer.content, np.uint8), 1).astype(float)

    grey = view("analysis", 10)
    assert np.abs(grey[..., 0] - grey[..., 2]).max() <= 6
    a, b, moving = view("full", 5), view("full", 55), view("position", 55)
    h, w = a.shape[:2]
    middle = np.s_[h // 2 - 12 : h // 2 + 12, w // 2 - 12 : w // 2 + 12]
    media = live.http.get(f"/api/shots/{followed}").json()["document"]["plate"]["media"]
    loose = [
        cv2.imdecode(np.frombuffer(live.http.get(f"/api/media/{media}/proxies/{n}").content, np.uint8), 1).astype(float) for n in (5, 55)
    ]
    assert np.abs(a[middle] - b[middle]).mean() < 0.5 * np.abs(loose[0][middle] - loose[1][middle]).mean()
    assert moving.shape == a.shape
    assert live.http.get(f"/api/shots/{followed}/revisions/{revision}/surfaces/s/views/odd/5").status_code == 422


def test_the_motion_that_is_enough_is_told_with_all_figures(live, followed):
    advice = live.http.get(f"/api/shots/{followed}/surfaces/s/motions").json()
    assert advice["motion"] == "perspective"
    assert [f["motion"] for f in advice["figures"]] == ["translation", "rigid", "similarity", "affine", "perspective"]
    assert advice["figures"][0]["residual_px"] > advice["figures"][-1]["residual_px"]


def test_mending_is_undone_like_any_edit(live, followed):
    raw = used(live, followed)
    view = edit(live, followed, {"kind": "set_mending", "surface": "s", "smoothing": 5, "carry": True})
    assert used(live, followed) != raw
    undone = live.http.post(f"/api/shots/{followed}/undo", json={"base_revision": view["revision"]}).json()
    assert undone["document"]["surfaces"][0]["smoothing"] == 0
    assert used(live, followed) == raw


def test_advice_is_still_given_when_its_process_was_killed(live, followed):
    address = f"/api/shots/{followed}/surfaces/s/motions"
    first = live.http.get(address).json()
    # The web process has its decoders as children; whatever is killed is begun anew.
    found = subprocess.run(
        ["pgrep", "-P", str(live.web.pid), "-f", "spawn_main"], capture_output=True, text=True, check=True
    ).stdout.split()
    assert found
    for child in found:
        os.kill(int(child), signal.SIGKILL)
    assert live.http.get(address).json() == first
