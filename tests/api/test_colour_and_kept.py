"""Colour that is said anew is seen at once; a film without loss keeps the plate; what was composed before is not composed again."""

import json

import cv2
import numpy as np

from tests.api.test_work import begin, track
from tests.live_app import LiveApp
from verdigris.media.frames import YuvFrame
from verdigris.media.reader import open_media


def edit(live: LiveApp, shot: str, **said) -> None:
    revision = live.http.get(f"/api/shots/{shot}").json()["revision"]
    answer = live.http.post(f"/api/shots/{shot}/edits", json={"base_revision": revision, "edits": [said]})
    assert answer.status_code == 200, answer.text


def deliver(live: LiveApp, shot: str, form: str) -> dict:
    revision = live.http.get(f"/api/shots/{shot}").json()["revision"]
    job = live.http.post(f"/api/shots/{shot}/deliveries", json={"base_revision": revision, "delivery": {"form": form}})
    assert job.status_code == 202, job.text
    assert live.wait(job.json()["id"])["state"] == "done"
    return live.http.get(f"/api/shots/{shot}").json()["deliveries"][0]


def kept(live: LiveApp, delivery: dict) -> dict[str, int]:
    """Composed frames that are kept, with the inode of each: the same file is the same work."""
    folder = live.folder / "media" / "deliveries" / delivery["id"] / "kept"
    return {p.name: p.stat().st_ino for p in folder.glob("*.npz")}


def test_a_film_without_loss_keeps_the_plate_and_a_second_one_composes_only_what_changed(live, plate, plate_film, art_still, tmp_path):
    shot = begin(live, plate, plate_film, art_still, "kept")
    assert track(live, shot)["state"] == "done"
    first = deliver(live, shot, "mkv")
    film = tmp_path / first["file"]
    assert film.suffix == ".mkv"
    film.write_bytes(live.http.get(f"/api/deliveries/{first['id']}/file").content)
    with open_media(film) as ours, open_media(plate_film) as theirs:
        assert ours.facts.codec == "ffv1"
        assert ours.facts.told == theirs.facts.told == ("matrix", "primaries", "range", "transfer")
        assert ours.facts.sound is not None
        for n in (0, 31, 59):
            a, b = ours.frame(n), theirs.frame(n)
            assert isinstance(a, YuvFrame)
            assert isinstance(b, YuvFrame)
            corners = plate.corners_at(n)
            outside = cv2.fillConvexPoly(np.zeros(a.planes[0].shape, np.uint8), np.round(corners).astype(np.int32), 1)
            outside = cv2.dilate(outside, np.ones((9, 9))) == 0
            assert np.array_equal(a.planes[0][outside], b.planes[0][outside])
            assert not np.array_equal(a.planes[0], b.planes[0])
    before = kept(live, first)
    assert len(before) == 60
    # One corner of one frame is nudged: the others are put back, in another form of film too.
    edit(live, shot, kind="nudge_corner", surface="s", correction={"frame": 40, "corner": 0, "dx_px": 2.0, "dy_px": 0.0})
    edit(live, shot, kind="set_reach", surface="s", reach_frames=0)
    second = deliver(live, shot, "mp4")
    after = kept(live, second)
    assert len(after) == 60
    assert {k for k, v in after.items() if before.get(k) != v} == {k for k in after if k.startswith("000040")}
    assert kept(live, first) == {}


def test_colour_that_is_said_is_in_the_document_the_pictures_and_the_film(live, plate, plate_film, art_still):
    shot = begin(live, plate, plate_film, art_still, "coloured")
    assert track(live, shot)["state"] == "done"
    media = live.http.get(f"/api/shots/{shot}").json()["document"]["plate"]["media"]
    colour = {"transfer": "hlg", "primaries": "bt2020"}
    edit(live, shot, kind="set_colour", placement=None, colour=colour)
    view = live.http.get(f"/api/shots/{shot}").json()
    assert {k: view["document"]["plate"]["colour"][k] for k in colour} == colour
    # Code values stay: what was followed is not followed on other pictures.
    assert view["takes"][-1]["stale"] is False
    pictures = [
        live.http.get(f"/api/media/{media}/{kind}/12", params=p).content
        for kind in ("proxies", "frames")
        for p in ({}, {"colour": json.dumps(colour)})
    ]
    plain, seen, full_plain, full_seen = (cv2.imdecode(np.frombuffer(p, np.uint8), 1).astype(int) for p in pictures)
    assert np.abs(plain - full_plain).mean() < 3
    assert np.abs(seen - full_seen).mean() < 3
    assert np.abs(plain - seen).mean() > 8
    edit(live, shot, kind="set_colour", placement=None, colour={"full_range": True})
    assert live.http.get(f"/api/shots/{shot}").json()["takes"][-1]["stale"] is True
    edit(live, shot, kind="set_colour", placement=None, colour=None)
    view = live.http.get(f"/api/shots/{shot}").json()
    assert view["document"]["plate"]["colour"] is None
    assert view["takes"][-1]["stale"] is False
    bad = live.http.get(f"/api/media/{media}/proxies/12", params={"colour": '{"transfer": "sepia"}'})
    assert bad.status_code == 415
    assert "colour" in bad.json()["title"]
