"""Handing over survives kills at any moment: an output that has its name is whole, parts go only when that is known."""

import uuid

import pytest
from sqlalchemy import text

from tests.api.test_work import begin, track
from tests.live_app import LiveApp
from verdigris.media.reader import probe
from verdigris.store.database import session
from verdigris.store.models import Delivery, Job, Lease


@pytest.fixture(scope="module")
def app(server_url, tmp_path_factory):
    one = LiveApp(server_url, tmp_path_factory.mktemp("deliveries"))
    yield one
    one.stop()


@pytest.fixture(scope="module")
def shot(app, plate, plate_film, art_still) -> str:
    shot = begin(app, plate, plate_film, art_still, "Ferry sign")
    track(app, shot)
    return shot


def hand_over(app, shot: str, **delivery) -> str:
    view = app.http.get(f"/api/shots/{shot}").json()
    body = {"base_revision": view["revision"], "delivery": {"form": "mp4", "preset": "veryfast", **delivery}}
    answer = app.http.post(f"/api/shots/{shot}/deliveries", json=body)
    assert answer.status_code == 202, answer.text
    return answer.json()["id"]


def deliveries(app, shot: str) -> list[dict]:
    return app.http.get(f"/api/shots/{shot}").json()["deliveries"]


def again(app, job_id: str, start: int) -> None:
    """As if the worker had been killed between the commit and the end of its task, or just before the commit."""
    with session(app.url) as s:
        s.execute(
            text(
                "INSERT INTO procrastinate_jobs (queue_name, task_name, args) VALUES "
                "('work', 'verdigris.jobs.tasks.render_one_part', jsonb_build_object('job_id', :j, 'start', :s, 'stop', 60))"
            ).bindparams(j=job_id, s=start)
        )


def test_a_kill_before_the_commit_of_a_joined_film_loses_nothing(app, shot):
    job_id = hand_over(app, shot)
    assert app.wait(job_id)["state"] == "done"
    first = deliveries(app, shot)[0]
    folder = app.folder / "media" / "deliveries" / first["id"]
    assert sorted(p.name for p in folder.iterdir()) == [first["file"], "kept"]
    # The state just before the commit: the film has its name, the parts are there, the rows know nothing.
    (folder / "done-000000").touch()
    with session(app.url) as s:
        job = s.get(Job, uuid.UUID(job_id))
        job.state, job.message = "running", ""
        delivery = s.get(Delivery, job.delivery_id)
        delivery.state, delivery.file = "running", ""
        s.execute(Lease.__table__.delete().where(Lease.job_id == job.id))
    before = (folder / first["file"]).stat().st_mtime_ns
    again(app, job_id, 0)
    assert app.wait(job_id)["state"] == "done"
    after = deliveries(app, shot)[0]
    assert (after["state"], after["file"]) == ("done", first["file"])
    assert (folder / first["file"]).stat().st_mtime_ns == before
    assert probe(folder / first["file"]).frame_count == 60


def test_a_task_done_twice_after_the_end_changes_nothing(app, shot):
    job_id = hand_over(app, shot)
    app.wait(job_id)
    before = deliveries(app, shot)[0]
    again(app, job_id, 0)
    second = hand_over(app, shot)
    app.wait(second)
    assert next(d for d in deliveries(app, shot) if d["id"] == before["id"]) == before


def test_names_of_deliveries_say_what_they_show_and_never_collide(app, shot):
    for delivery in ({"form": "png"}, {"form": "png", "still": {"surface": "s", "how": "full"}}):
        assert app.wait(hand_over(app, shot, **delivery))["state"] == "done"
    names = [d["file"] for d in deliveries(app, shot)]
    assert len(set(names)) == len(names)
    assert any("-result-" in n for n in names)
    assert any("-held-s-full-" in n for n in names)


def test_a_delivery_differs_only_when_the_picture_would(app, shot):
    app.wait(hand_over(app, shot))
    assert deliveries(app, shot)[0]["differs"] is False

    def edit(*edits: dict) -> None:
        view = app.http.get(f"/api/shots/{shot}").json()
        app.http.post(f"/api/shots/{shot}/edits", json={"base_revision": view["revision"], "edits": list(edits)}).raise_for_status()

    edit({"kind": "rename", "name": "Ferry sign, renamed"}, {"kind": "rename", "target": "s", "name": "Board"})
    assert deliveries(app, shot)[0]["differs"] is False
    edit({"kind": "nudge_corner", "surface": "s", "correction": {"frame": 40, "corner": 1, "dx_px": 0.5, "dy_px": 0}})
    assert deliveries(app, shot)[0]["differs"] is True
    edit({"kind": "nudge_corner", "surface": "s", "correction": {"frame": 40, "corner": 1, "dx_px": 0, "dy_px": 0}})
    assert deliveries(app, shot)[0]["differs"] is False


def test_a_stopped_delivery_offers_what_it_has_or_says_that_there_is_nothing(app, shot):
    job_id = hand_over(app, shot, form="exr")
    app.wait(job_id, until="running")
    app.http.post(f"/api/jobs/{job_id}/stop")
    assert app.wait(job_id)["state"] == "stopped"
    for _ in range(100):
        if "taken" in app.job(job_id)["message"]:
            break
        app.http.get("/api/health")
        __import__("time").sleep(0.1)
    made = deliveries(app, shot)[0]
    assert made["state"] == "stopped"
    answer = app.http.get(f"/api/deliveries/{made['id']}/file")
    if made["file"]:
        assert "first-" in made["file"]
        assert answer.status_code == 200
        assert answer.content[:2] == b"PK"
    else:
        assert "nothing can be taken" in app.job(job_id)["message"]
        assert answer.status_code == 409
    leftovers = [p.name for p in (app.folder / "media" / "deliveries" / made["id"]).iterdir()]
    assert set(leftovers) <= {made["file"], "kept"}


def test_a_restart_of_the_database_in_the_middle_ends_no_job(app, shot, server_url):
    job_id = app.http.post(f"/api/shots/{shot}/track", json={"surface": "s", "direction": "both", "span": [0, 59]}).json()["id"]
    app.wait(job_id, until="running")
    name = app.url.rsplit("/", 1)[1]
    with session(server_url) as s:
        s.execute(
            text("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = :name AND pid <> pg_backend_pid()"), {"name": name}
        )
    assert app.wait(job_id, 240)["state"] == "done"
