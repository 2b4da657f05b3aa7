import io
import time
import zipfile
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from tests.plates import make_plate, write_plate
from verdigris.media.stills import write_still


def _files_below(live) -> int:
    """Files of media; what a worker keeps ahead for an earlier test's plate meanwhile is none of them."""
    ahead = {"near", "first-steps", "proxies"}
    return sum(p.is_file() and ahead.isdisjoint(p.parts) for p in (live.folder / "media").rglob("*"))


@pytest.mark.parametrize("host", ["evil.example", "evil.example:80", "127.0.0.1.evil.example", ""])
def test_foreign_hosts_get_no_answer(live, host):
    answer = live.http.get("/api/health", headers={"host": host})
    assert answer.status_code in (400, 403)


def test_pages_of_other_origins_are_refused_and_our_own_are_not(live):
    for origin in ("http://evil.example", "null", f"http://127.0.0.1:{live.port + 1}"):
        assert live.http.post("/api/projects", json={"name": "x"}, headers={"origin": origin}).status_code == 403
    assert live.http.get("/api/health", headers={"origin": live.address}).status_code == 200
    assert live.http.get("/api/health", headers={"sec-fetch-site": "cross-site"}).status_code == 403
    assert "access-control-allow-origin" not in live.http.get("/api/health").headers


def test_the_web_process_listens_on_loopback_only(live):
    with open("/proc/net/tcp") as f:
        lines = [line.split() for line in f.readlines()[1:]]
    listening = [line[1] for line in lines if line[3] == "0A" and line[1].endswith(f":{live.port:04X}")]
    assert listening
    assert all(address.startswith("0100007F:") for address in listening)


@pytest.mark.parametrize(
    ("name", "content", "status", "word"),
    [
        ("film.exe", b"MZ", 415, "not read here"),
        ("film.mp4", b"#EXTM3U\nhttp://127.0.0.1/x", 415, "not a film"),
        ("still.png", b"GIF89a", 415, "not a still"),
        ("film.mp4", b"", 422, "empty"),
    ],
)
def test_hostile_uploads_are_refused_at_once_and_leave_nothing(live, name, content, status, word):
    before = _files_below(live)
    answer = live.http.post("/api/uploads/file", params={"name": name}, content=content)
    assert answer.status_code == status
    assert answer.headers["content-type"] == "application/problem+json"
    assert word in answer.json()["title"]
    assert _files_below(live) == before


def test_an_upload_over_the_limit_is_refused_while_it_is_sent(live):
    before = _files_below(live)

    def endless():
        yield b"\0\0\0\x20ftypisom"
        for _ in range(60):
            yield b"\0" * (1 << 20)

    for content in (endless(), b"\0\0\0\x20ftypisom" + b"\0" * (41 * 2**20)):
        answer = live.http.post("/api/uploads/file", params={"name": "big.mp4"}, content=content)
        assert answer.status_code == 413
        assert "40 MB" in answer.json()["title"]
    assert _files_below(live) == before


def test_a_damaged_film_is_refused_by_the_worker_and_leaves_nothing(live, tmp_path):
    path = write_plate(tmp_path / "p.mp4", make_plate(count=30, size=(320, 200)))
    data = bytearray(path.read_bytes())
    middle = data.find(b"mdat") + 400
    data[middle : middle + 4000] = np.random.default_rng(1).bytes(4000)
    sent = live.http.post("/api/uploads/file", params={"name": "bad.mp4"}, content=bytes(data)).json()
    job = live.wait(sent["job"])
    assert job["state"] == "failed"
    assert "bad" in job["message"] or "source" in job["message"]
    assert live.http.get(f"/api/media/{sent['media']['hash']}").status_code == 404
    assert not any(sent["media"]["hash"] in str(p) for p in (live.folder / "media").rglob("*"))


def test_a_zip_of_stills_asks_for_its_rate(live, tmp_path):
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as z:
        for n in range(1001, 1007):
            still = tmp_path / "s.png"
            write_still(still, np.full((64, 96, 3), n % 200, np.uint8))
            z.write(still, f"shot/plate.{n}.png")
    sent = live.http.post("/api/uploads/file", params={"name": "plate.zip"}, content=packed.getvalue()).json()
    assert live.wait(sent["job"])["state"] == "done"
    media = live.http.get(f"/api/media/{sent['media']['hash']}").json()
    assert (media["facts"]["kind"], media["facts"]["frame_count"], media["facts"]["first_frame"]) == ("sequence", 6, 1001)
    assert media["facts"]["rate"] is None
    project = live.http.post("/api/projects", json={"name": "stills"}).json()["id"]
    refused = live.http.post(f"/api/projects/{project}/shots", json={"name": "s", "plate": media["hash"]})
    assert refused.status_code == 422
    assert refused.json()["code"] == "rate_needed"
    made = live.http.post(f"/api/projects/{project}/shots", json={"name": "s", "plate": media["hash"], "rate": "25/1"})
    assert made.status_code == 201
    assert made.json()["document"]["plate"]["first_frame"] == 1001


def test_stills_sent_one_by_one_are_one_sequence(live, tmp_path):
    files = []
    for n in range(3):
        still = tmp_path / f"p.{n:04d}.png"
        write_still(still, np.full((40, 60, 3), 50 + n, np.uint8))
        files.append(("files", (still.name, still.read_bytes(), "image/png")))
    sent = live.http.post("/api/uploads/stills", params={"name": "p"}, files=files).json()
    assert live.wait(sent["job"])["state"] == "done"
    assert live.http.get(f"/api/media/{sent['media']['hash']}").json()["facts"]["frame_count"] == 3


def test_the_same_file_twice_is_kept_once_and_proxies_arrive(live, plate_film):
    first, second = live.upload(plate_film), live.upload(plate_film)
    assert first["hash"] == second["hash"]
    assert (first["state"], first["proxies"]) == ("ready", 60)
    proxy = live.http.get(f"/api/media/{first['hash']}/proxies/59")
    assert proxy.headers["content-type"] == "image/jpeg"
    assert "immutable" in proxy.headers["cache-control"]
    assert live.http.get(f"/api/media/{first['hash']}/proxies/60").status_code == 404
    full = live.http.get(f"/api/media/{first['hash']}/frames/10")
    assert full.status_code == 200
    assert full.content[:2] == b"\xff\xd8"


def test_small_requests_are_answered_while_frames_are_decoded(live, plate_film):
    media = live.upload(plate_film)
    with ThreadPoolExecutor(6) as pool:
        heavy = [pool.submit(live.http.get, f"/api/media/{media['hash']}/frames/{n}") for n in range(1, 30)]
        answered = 0
        while not all(h.done() for h in heavy):
            assert live.http.get("/api/health").status_code == 200
            answered += 1
            time.sleep(0.01)
    assert all(h.result().status_code == 200 for h in heavy)
    assert answered > 3


def test_unknown_things_are_said_in_words(live):
    nothing = "00000000-0000-0000-0000-000000000000"
    for url in (f"/api/shots/{nothing}", f"/api/takes/{nothing}/frames", f"/api/jobs/{nothing}", "/api/nonsense", f"/api/media/{'0' * 64}"):
        answer = live.http.get(url)
        assert answer.status_code == 404
        assert answer.json()["title"].endswith(".")
    assert live.http.get("/api/media/..%2f..%2fetc/proxies/1").status_code in (404, 422)
    assert live.http.get("/api/shots/not-an-id").json()["code"] == "invalid_request"


def test_the_client_is_served_at_deep_addresses(live):
    page = live.http.get("/shots/whatever")
    assert page.status_code == 200
    assert '<div id="root">' in page.text
    assert "http://" not in page.text.replace("http://www.w3.org", "")
