"""A surface's track as it is used, parts followed again, other views on it, advice: through the API."""

import json
import os
import signal
import subprocess
import time
import zipfile

import cv2
import numpy as np
import pytest

from tests.api.test_work import begin, take_frames, track
from verdigris.runs.follow.first_steps import has_first_steps, name_of_steps
from verdigris.shot.model.document import parse_shot
from verdigris.store.media_folder import MediaFolder


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


def test_coverage_of_what_is_only_tried_is_shown_and_nothing_is_kept(live, plate, followed):
    before = live.http.get(f"/api/shots/{followed}").json()
    middle = plate.corners.mean(axis=0)
    hole = (middle + [[-30, -20], [30, -20], [30, 20], [-30, 20]]).round(1).tolist()
    region = {"include": [], "exclude": [hole], "shapes": []}
    address = f"/api/shots/{followed}/revisions/{before['revision']}/surfaces/s"
    body = {"edits": [{"kind": "set_region", "surface": "s", "region": region}], "width": 480}
    tried = live.http.post(f"{address}/drafts/coverage/20", json=body)
    assert tried.status_code == 200
    as_it_is = live.http.get(f"{address}/views/coverage/20")
    draft, plain = (cv2.imdecode(np.frombuffer(r.content, np.uint8), 1).astype(int) for r in (tried, as_it_is))
    assert draft.shape == plain.shape
    at = plate.truth[20] @ [*middle, 1]
    x, y = (int(v) for v in at[:2] / at[2])
    assert plain[y - 8 : y + 8, x - 8 : x + 8, 1].mean() - draft[y - 8 : y + 8, x - 8 : x + 8, 1].mean() > 15
    assert np.abs(plain - draft).mean() < 12
    assert live.http.get(f"/api/shots/{followed}").json()["revision"] == before["revision"]
    crossed = {"edits": [{"kind": "set_corners", "surface": "s", "corners": [[10, 10], [90, 90], [90, 10], [10, 90]]}]}
    refused = live.http.post(f"{address}/drafts/coverage/20", json=crossed)
    assert refused.status_code == 422
    assert "cross" in refused.json()["title"]


def test_pictures_get_another_address_once_a_job_is_through(live, plate, followed):
    take = live.http.get(f"/api/shots/{followed}").json()["takes"][0]
    assert take["version"]
    assert not take["running"]
    job = live.http.post(f"/api/shots/{followed}/track", json={"surface": "s", "direction": "both"}).json()
    assert job["shot"]["id"] == followed
    assert live.wait(job["id"])["state"] == "done"
    after = next(t for t in live.http.get(f"/api/shots/{followed}").json()["takes"] if t["id"] == take["id"])
    assert after["version"] != take["version"] or job["take_id"] != take["id"]


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


def test_a_take_gets_a_name_and_loses_it_again(live, followed):
    take = live.http.get(f"/api/shots/{followed}").json()["takes"][0]
    named = live.http.put(f"/api/takes/{take['id']}/name", json={"name": "  before the post  "})
    assert named.json()["name"] == "before the post"
    assert live.http.get(f"/api/shots/{followed}").json()["takes"][0]["name"] == "before the post"
    assert live.http.put(f"/api/takes/{take['id']}/name", json={"name": ""}).json()["name"] == ""
    assert live.http.put(f"/api/takes/{take['id']}/name", json={"name": "x" * 99}).status_code == 422


def test_all_surfaces_are_followed_the_nearest_first(live, plate, plate_film):
    shot = begin(live, plate, plate_film, name="two surfaces")
    near = (plate.corners.mean(axis=0) + 0.4 * (plate.corners - plate.corners.mean(axis=0))).round(2).tolist()
    edit(
        live,
        shot,
        {"kind": "add_surface", "surface": {"id": "near", "name": "Card", "depth": 0, "reference_frame": plate.reference, "corners": near}},
    )
    jobs = live.http.post(f"/api/shots/{shot}/track-all", json={"direction": "forwards"})
    assert jobs.status_code == 202
    assert [j["title"] for j in jobs.json()] == ["Following Card, take A", "Following Sign, take A"]
    done = [live.wait(j["id"]) for j in jobs.json()]
    assert [j["state"] for j in done] == ["done", "done"]
    # One after the other: the second knows where the first was.
    assert done[1]["finished"] > done[0]["finished"]
    assert {t["surface"]: t["followed"] for t in live.http.get(f"/api/shots/{shot}").json()["takes"]} == {"s": 30, "near": 30}
    empty = begin(live, plate, plate_film, name="nothing to follow")
    edit(live, empty, {"kind": "remove", "target": "s"})
    refused = live.http.post(f"/api/shots/{empty}/track-all", json={})
    assert refused.status_code == 409
    assert "Place the corners" in refused.json()["title"]


def test_points_drive_a_surface_and_are_kept_with_every_frame(live, short_plate, short_film):
    shot = begin(live, short_plate, short_film, name="points")
    middle = short_plate.corners.mean(axis=0)
    at = [(middle + 0.6 * (c - middle)).round(1).tolist() for c in short_plate.corners]
    points = [{"id": f"p{i}", "keys": [{"frame": short_plate.reference, "at": p}]} for i, p in enumerate(at)]
    edit(live, shot, {"kind": "set_points", "surface": "s", "points": points, "follow": "points"})
    assert track(live, shot)["state"] == "done"
    take, frames = take_frames(live, shot)
    found = live.http.get(f"/api/takes/{take['id']}/points").json()
    assert len(found) == len(frames) == 24
    h = short_plate.truth[12] @ [*at[0], 1]
    assert np.allclose([found["12"]["p0"]["x"], found["12"]["p0"]["y"]], h[:2] / h[2], atol=0.4)
    crops = cv2.imdecode(np.frombuffer(live.http.get(f"/api/takes/{take['id']}/crops/12").content, np.uint8), 1)
    assert crops.shape == (64, 64 * 8, 3)
    figures = {f["id"]: f for f in live.http.get(f"/api/takes/{take['id']}/point-figures").json()}
    assert set(figures) == {"p0", "p1", "p2", "p3"}
    assert all(f["seen"] + f["carried"] + f["lost"] == 24 and f["speed_px"] > 0.1 for f in figures.values()), figures
    assert sum(f["seen"] for f in figures.values()) > 80
    # A fifth point on the surround, which stands still, does not move with the others; left out, it drives nothing.
    astray = {"id": "astray", "keys": [{"frame": n, "at": [30, 30]} for n in range(0, 24, 4)], "left_out": True}
    edit(live, shot, {"kind": "set_points", "surface": "s", "points": [*points, astray], "follow": "points"})
    assert live.http.get(f"/api/shots/{shot}").json()["takes"][-1]["stale"]
    assert track(live, shot)["state"] == "done"
    again, with_astray = take_frames(live, shot)
    assert again["id"] != take["id"]
    assert np.allclose(with_astray[20]["homography"], frames[20]["homography"], atol=1e-6)
    assert live.http.get(f"/api/takes/{again['id']}/point-figures").json()[0]["id"] == "astray"
    same = live.http.post(f"/api/shots/{shot}/edits", json={"base_revision": live.http.get(f"/api/shots/{shot}").json()["revision"], "edits": [
        {"kind": "set_points", "surface": "s", "points": [points[0], points[0]], "follow": "points"}]})  # fmt: skip
    assert same.status_code == 409


def test_a_surface_followed_by_its_region_has_no_points(live, plate, followed):
    take, _ = take_frames(live, followed)
    answer = live.http.get(f"/api/takes/{take['id']}/points")
    assert answer.status_code == 200
    assert answer.json() == {}


def test_a_corner_is_offered_the_crossing_of_edges(live, plate, followed):
    media = live.http.get(f"/api/shots/{followed}/document").json()["plate"]["media"]
    # Soft noise has no edges to cross.
    none = live.http.get(f"/api/media/{media}/frames/20/crossing", params={"x": 240, "y": 160})
    assert none.status_code == 200
    assert none.json() is None
    assert live.http.get(f"/api/media/{media}/frames/999/crossing", params={"x": 240, "y": 160}).status_code == 404


def test_frames_are_weighed_and_what_moves_is_measured(live, plate, followed):
    rows = live.http.get(f"/api/shots/{followed}/references", params={"surface": "s"}).json()
    assert [r["frame"] for r in rows] == list(range(60))
    assert max(r["worth"] for r in rows) == 1.0
    assert rows[0]["size_px"] > 50
    left = live.http.get(f"/api/shots/{followed}/surfaces/s/jitter").json()
    lengths = [np.hypot(*d) for r in left for d in r["shift_px"] if d is not None]
    assert np.median(lengths) < 0.2
    assert 0 < np.median([v for r in left for v in r["noise_px"] if v is not None]) < 0.2
    assert live.http.get(f"/api/shots/{followed}/surfaces/s/disagreements", params={"first": 0, "last": 59}).json() == []


def test_a_lens_comes_from_drawn_lines_and_its_picture_is_shown(live, plate, plate_film):
    shot = begin(live, plate, plate_film, name="lens")
    refused = live.http.get(f"/api/shots/{shot}/lens")
    assert refused.status_code == 409
    assert "No lines are drawn" in refused.json()["title"]
    t = np.linspace(-1, 1, 9)
    lines = []
    for y in (-130, -70, 70, 130):
        ideal = np.stack([220 * t, np.full(9, float(y))], axis=1)
        r2 = (ideal**2).sum(axis=1) / (480**2 + 320**2) * 4
        lines.append((ideal * (1 - 0.1 * r2)[:, None] + [240, 160]).round(3).tolist())
    view = edit(live, shot, {"kind": "set_lens", "lens": {"mode": "estimate", "lines": lines}})
    found = live.http.get(f"/api/shots/{shot}/lens").json()
    assert found["k1"] == pytest.approx(-0.1, abs=0.01)
    assert found["terms"][0]["sigma"] > 0
    shown = live.http.get(f"/api/shots/{shot}/revisions/{view['revision']}/straight/5")
    assert shown.status_code == 200
    assert cv2.imdecode(np.frombuffer(shown.content, np.uint8), 1).shape == (320, 480, 3)


def test_the_plate_held_still_is_handed_over_as_a_zip_of_stills(live, plate, followed, tmp_path):
    revision = live.http.get(f"/api/shots/{followed}").json()["revision"]
    wanted = {"form": "png", "still": {"surface": "s", "how": "size"}}
    job = live.http.post(f"/api/shots/{followed}/deliveries", json={"base_revision": revision, "delivery": wanted})
    assert job.status_code == 202, job.text
    assert live.wait(job.json()["id"])["state"] == "done"
    delivery = live.http.get(f"/api/shots/{followed}").json()["deliveries"][0]
    path = tmp_path / "held.zip"
    path.write_bytes(live.http.get(f"/api/deliveries/{delivery['id']}/file").content)
    with zipfile.ZipFile(path) as archive:
        names = archive.namelist()
        said = json.loads(archive.read("still.json"))
        still = cv2.imdecode(np.frombuffer(archive.read(next(n for n in names if n.endswith("0030.png"))), np.uint8), cv2.IMREAD_UNCHANGED)
    assert sum(n.endswith(".png") for n in names) == 60
    assert still.shape == (said["height"], said["width"], 4)
    assert said["how"] == "size"


def test_crops_of_many_frames_come_on_one_sheet(live, followed):
    take = live.http.get(f"/api/shots/{followed}").json()["takes"][0]["id"]
    sheet = live.http.get(f"/api/takes/{take}/crop-sheet", params={"frames": [3, 999, 4]})
    picture = cv2.imdecode(np.frombuffer(sheet.content, np.uint8), 1)
    assert picture.shape == (192, 256, 3)
    one = cv2.imdecode(np.frombuffer(live.http.get(f"/api/takes/{take}/crops/4").content, np.uint8), 1)
    assert np.abs(picture[128:].astype(int) - one).mean() < 3
    assert np.abs(picture[66:126].astype(int) - 44).max() < 12
    assert live.http.get(f"/api/takes/{take}/crop-sheet", params={"frames": [999]}).status_code == 404
    assert live.http.get(f"/api/takes/{take}/crop-sheet", params={"frames": list(range(80))}).status_code == 422


def test_a_take_begins_with_what_was_followed_while_nobody_waited(live, plate, plate_film):
    shot = begin(live, plate, plate_film, name="made ready")
    document = parse_shot(live.http.get(f"/api/shots/{shot}/document").json())
    folder = MediaFolder(live.folder / "media").first_steps(document.plate.media)
    deadline = time.monotonic() + 60
    while not has_first_steps(folder / name_of_steps(document, document.surfaces[0])):
        assert time.monotonic() < deadline
        time.sleep(0.1)
    begun = live.http.post(f"/api/shots/{shot}/track", json={"surface": "s", "direction": "forwards"}).json()
    at = plate.reference
    assert [f["frame"] for f in begun["frames"]] == [at, at + 1]
    assert live.http.get(f"/api/takes/{begun['take_id']}/crops/{at + 1}").status_code == 200
    assert np.abs(corner(plate, begun["frames"][1]) - plate.corners_at(at + 1)[0]).max() < 0.15
    assert live.wait(begun["id"])["state"] == "done"
    _, frames = take_frames(live, shot)
    assert sorted(frames) == list(range(at, 60))
    # Other settings are another beginning.
    edit(live, shot, {"kind": "set_motion", "surface": "s", "motion": "translation"})
    again = live.http.post(f"/api/shots/{shot}/track", json={"surface": "s", "direction": "forwards"}).json()
    assert again["take_id"] != begun["take_id"]
    live.http.post(f"/api/jobs/{again['id']}/stop")
    live.wait(again["id"])
