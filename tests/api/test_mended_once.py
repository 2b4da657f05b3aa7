"""Tracks that go in and out are smoothed, held and carried once, wherever they come from."""

import json

import numpy as np
import pytest

from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.formats.track_json import make_track, read_tracks, write_tracks
from verdigris.runs.scene.mending import mended, used_tracks
from verdigris.shot.model.document import read_shot

CORNERS = [[100.0, 80.0], [300.0, 90.0], [290.0, 240.0], [110.0, 230.0]]


@pytest.fixture
def folder(tmp_path, plate_film):
    (tmp_path / "plate.mp4").write_bytes(plate_film.read_bytes())
    document = {
        "format": "verdigris.shot", "version": 1, "plate": {"path": "plate.mp4"},
        "surfaces": [{"id": "sign", "name": "Sign", "reference_frame": 0, "corners": CORNERS, "smoothing": 5, "carry": True,
                      "region": {"include": [CORNERS], "exclude": []}}],
    }  # fmt: skip
    (tmp_path / "shot.json").write_text(json.dumps(document))
    rng, quad, results = np.random.default_rng(1), np.array(CORNERS), []
    for n in range(60):
        shift = np.array([0.8 * n, 0.0]) + (0 if n == 0 else rng.normal(0, 0.4, 2))
        h = np.array([[1, 0, shift[0]], [0, 1, shift[1]], [0, 0, 1.0]])
        lost = n in (30, 31)
        results.append(
            FrameResult(n, "lost", None, None, None, None, 0.0, "Covered.") if lost
            else FrameResult(n, "followed", h, quad + shift, np.full(4, 0.4), 0.1, 1.0)
        )  # fmt: skip
    write_tracks(tmp_path / "raw.json", [make_track("sign", 0, results, mended=False)])
    surface = read_shot(tmp_path / "shot.json").surface("sign")
    once = mended(surface, {r.frame: r for r in results})
    write_tracks(tmp_path / "mended.json", [make_track("sign", 0, once.values(), mended=True)])
    return tmp_path, {n: r.homography for n, r in once.items()}


def same(found: dict[int, FrameResult], wanted: dict) -> bool:
    return set(found) == set(wanted) and all(np.allclose(found[n].homography, wanted[n], atol=1e-9) for n in wanted)


def test_a_file_says_whether_it_is_mended_and_is_used_accordingly(folder):
    path, wanted = folder
    document = read_shot(path / "shot.json")
    raw, done = (read_tracks(path / f"{name}.json") for name in ("raw", "mended"))
    assert (raw[0].mended, done[0].mended) == (False, True)
    assert not np.allclose(raw[0].by_frame()[10].homography, wanted[10], atol=1e-3)
    assert same(used_tracks(document, raw)["sign"], wanted)
    assert same(used_tracks(document, done)["sign"], wanted)


@pytest.mark.parametrize("kind", ["raw", "mended"])
def test_import_and_export_leave_a_track_as_it_is_used(live, folder, kind):
    path, wanted = folder
    shot = live.run("import", str(path / "shot.json"), "--track", str(path / f"{kind}.json"), "--project", "Mended").stdout.strip()
    (take,) = live.http.get(f"/api/shots/{shot}").json()["takes"]
    assert (take["mended"], take["stale"]) == (kind == "mended", False)
    for _ in range(2):
        handed = path / "handed.json"
        handed.write_bytes(live.http.get(f"/api/shots/{shot}/tracks/sign.json").content)
        (track,) = read_tracks(handed)
        assert track.mended
        assert same(track.by_frame(), wanted)
        # Out and in again.
        live.run("export", shot, "--out", str(path / "out"))
        (exported,) = read_tracks(path / "out" / "track.json")
        assert exported.mended == (kind == "mended")
        assert same(used_tracks(read_shot(path / "out" / "shot.json"), [exported])["sign"], wanted)
        shot = live.run(
            "import", str(path / "out" / "shot.json"), "--track", str(path / "out" / "track.json"), "--project", "Mended"
        ).stdout.strip()


def test_a_copy_of_a_shot_uses_its_track_alike(live, folder):
    path, wanted = folder
    shot = live.run("import", str(path / "shot.json"), "--track", str(path / "mended.json"), "--project", "Mended").stdout.strip()
    copy = live.http.post(f"/api/shots/{shot}/copy").json()["id"]
    (take,) = live.http.get(f"/api/shots/{copy}").json()["takes"]
    assert take["mended"]
    assert not take["stale"]
    frames = live.http.get(f"/api/shots/{copy}/surfaces/sign/frames").json()
    assert all(np.allclose(np.reshape(f["homography"], (3, 3)), wanted[f["frame"]], atol=1e-6) for f in frames)


def test_followed_anew_there_is_a_take_beside_the_one_that_came_in_mended(live, folder):
    path, wanted = folder
    shot = live.run("import", str(path / "shot.json"), "--track", str(path / "mended.json"), "--project", "Mended").stdout.strip()
    job = live.http.post(f"/api/shots/{shot}/track", json={"surface": "sign", "direction": "both"}).json()
    live.http.post(f"/api/jobs/{job['id']}/stop")
    live.wait(job["id"])
    first, second = live.http.get(f"/api/shots/{shot}").json()["takes"]
    assert (first["mended"], second["mended"]) == (True, False)
    kept = live.http.get(f"/api/takes/{first['id']}/frames").json()
    assert all(np.allclose(np.reshape(f["homography"], (3, 3)), wanted[f["frame"]], atol=1e-6) for f in kept)
