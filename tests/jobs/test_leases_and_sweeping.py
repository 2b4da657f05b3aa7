"""Kills, restarts and sleeping workers: one attempt writes, no job runs for ever, no task is tried without end."""

import asyncio
import uuid
from concurrent.futures import ThreadPoolExecutor

import pytest
from sqlalchemy import text

from tests.live_app import make_database
from verdigris.jobs import running as running_module
from verdigris.jobs.closing import close_job
from verdigris.jobs.queue import enqueue_job, install_queue
from verdigris.jobs.retry import ComeBack, WhenAsked
from verdigris.jobs.running import RunningJob, run_job
from verdigris.jobs.sweeping import MOST_DEATHS, mend_jobs
from verdigris.media.errors import MediaError
from verdigris.store.database import session
from verdigris.store.errors import StoreError
from verdigris.store.jobs import count_death, create_job, forgive_death, get_job
from verdigris.store.migrate import migrate
from verdigris.store.models import Media


@pytest.fixture(scope="module")
def with_queue(server_url) -> str:
    url = make_database(server_url, "queue_test")
    migrate(url)
    for _ in range(2):
        install_queue(url)
    return url


@pytest.fixture
def url(with_queue, monkeypatch, tmp_path) -> str:
    monkeypatch.setenv("VERDIGRIS_DATABASE_URL", with_queue)
    monkeypatch.setenv("VERDIGRIS_MEDIA_DIR", str(tmp_path / "media"))
    with session(with_queue) as s:
        s.execute(text("TRUNCATE jobs CASCADE"))
        s.execute(text("TRUNCATE procrastinate_jobs CASCADE"))
    return with_queue


def new_job(url: str, **links) -> str:
    with session(url) as s:
        return str(create_job(s, "track", "Following", 10, **links).id)


def row(url: str, job: str):
    with session(url) as s:
        return get_job(s, uuid.UUID(job))


def age(url: str) -> None:
    with session(url) as s:
        s.execute(text("UPDATE jobs SET created = created - interval '1 minute'"))


def queued(url: str, job: str) -> int:
    with session(url) as s:
        return s.scalar(text("SELECT count(*) FROM procrastinate_jobs WHERE args->>'job_id' = :job AND status = 'todo'"), {"job": job})


def test_a_worker_that_slept_may_not_write_beside_its_successor(url):
    job = new_job(url)
    left: list[str] = []

    def slept(first: RunningJob) -> str:
        run_job(url, job, lambda second: left.append("second"))  # type: ignore[func-returns-value]
        first.progress(5, 10)
        left.append("written")
        return "first"

    run_job(url, job, slept)
    assert left == ["second"]
    assert row(url, job).state == "running"
    assert row(url, job).done == 0


def test_a_superseded_worker_begins_anew_and_ends_no_job(url, monkeypatch):
    job, told = new_job(url), []
    monkeypatch.setattr(running_module, "superseded", lambda: told.append("anew"))

    def slept(first: RunningJob) -> str:
        assert RunningJob(url, job).begin() == "running"
        raise MediaError("damaged", "Only the first attempt found this.")

    run_job(url, job, slept)
    assert told == ["anew"]
    assert row(url, job).state == "running"


def test_parts_of_one_job_do_not_take_each_other_over(url):
    job = new_job(url)

    def part(first: RunningJob) -> None:
        run_job(url, job, lambda other: None, part=60)
        first.progress(10, 10)

    run_job(url, job, part, part=0)
    assert row(url, job).done == 10


def test_a_lost_database_gives_the_task_back_and_a_full_disk_waits_in_words(url, monkeypatch):
    job = new_job(url)

    def lost(_: RunningJob) -> str:
        raise StoreError("no_database", "gone")

    with pytest.raises(ComeBack):
        run_job(url, job, lost)
    assert row(url, job).state == "running"

    monkeypatch.setenv("VERDIGRIS_LEAST_FREE", str(2**60))

    def full(running: RunningJob) -> str:
        running.progress(3, 10)
        return "never"

    with pytest.raises(ComeBack) as again:
        run_job(url, job, full)
    assert row(url, job).state == "waiting"
    assert "disk is full" in row(url, job).message
    assert WhenAsked().get_retry_decision(exception=again.value, job=None).retry_at is not None
    assert WhenAsked().get_retry_decision(exception=ValueError(), job=None) is None

    monkeypatch.setenv("VERDIGRIS_LEAST_FREE", "1")
    run_job(url, job, lambda running: "There is room again.")
    assert (row(url, job).state, row(url, job).message) == ("done", "There is room again.")


def test_an_open_job_without_a_task_is_queued_again_or_closed(url):
    with session(url) as s:
        jobs = [create_job(s, "track", name, 10) for name in ("known", "unknown", "asked")]
        enqueue_job(s, jobs[0], "track", revision=1)
        jobs[2].stop_asked = True
        known, unknown, asked = (str(j.id) for j in jobs)
    age(url)
    mend_jobs()
    assert queued(url, known) == 1  # it has one: nothing is added
    with session(url) as s:
        s.execute(text("DELETE FROM procrastinate_jobs"))
    mend_jobs()
    assert queued(url, known) == 1
    assert row(url, unknown).state == "failed"
    assert "Begin it again" in row(url, unknown).message
    assert row(url, asked).state == "stopped"


def test_a_job_that_ends_every_worker_is_given_up_and_one_that_gets_further_is_not(url):
    job = new_job(url)
    with session(url) as s:
        one = get_job(s, uuid.UUID(job))
        assert [count_death(s, one) for _ in range(3)] == [1, 2, 3]
        one.done = 4
        assert [count_death(s, one) for _ in range(2)] == [1, 2]
        forgive_death(s, one.id)
        assert count_death(s, one) == 0
    with session(url) as s:
        enqueue_job(s, get_job(s, uuid.UUID(job)), "track", revision=1)
    for _ in range(MOST_DEATHS + 2):
        age(url)
        with session(url) as s:
            s.execute(text("DELETE FROM procrastinate_jobs"))
        mend_jobs()
    assert row(url, job).state == "failed"
    assert "not tried again" in row(url, job).message


def test_media_that_were_not_read_to_their_end_say_so(url):
    hashes = {state: state[0] * 63 + "0" for state in ("abcstopped", "dfailed")}
    for state, media_hash in hashes.items():
        with session(url) as s:
            s.add(Media(hash=media_hash, name="plate.mp4", ending=".mp4", bytes=1, proxies=0, state="reading"))
            job = create_job(s, "media", "Reading plate.mp4", 5, media_hash=media_hash)
            close_job(s, job, state.removeprefix("abc").removeprefix("d"), "Because.")
    with session(url) as s:
        stopped = s.get(Media, hashes["abcstopped"])
        assert (stopped.state, stopped.problem) == ("stopped", "Because.")
        assert s.get(Media, hashes["dfailed"]) is None


def test_a_job_that_has_ended_is_not_ended_again(url):
    job = new_job(url)
    with session(url) as s:
        close_job(s, get_job(s, uuid.UUID(job)), "done", "first")
        close_job(s, get_job(s, uuid.UUID(job)), "failed", "second")
    assert (row(url, job).state, row(url, job).message) == ("done", "first")


def test_stalled_tasks_go_back_into_the_queue(url):
    from verdigris.jobs.queue import app
    from verdigris.jobs.sweeping import give_back_stalled

    job = new_job(url)
    with session(url) as s:
        enqueue_job(s, get_job(s, uuid.UUID(job)), "track", revision=1)
    with session(url) as s:
        s.execute(text("INSERT INTO procrastinate_workers (last_heartbeat) VALUES (now() - interval '1 hour')"))
        s.execute(text("UPDATE procrastinate_jobs SET status = 'doing', worker_id = (SELECT max(id) FROM procrastinate_workers)"))
    assert queued(url, job) == 0

    async def sweep() -> None:
        connector = app.connector.__class__(conninfo=url)
        with app.replace_connector(connector) as other:
            async with other.open_async():
                await give_back_stalled(8)

    # A thread of its own: tests of the window leave an event loop running in this one.
    with ThreadPoolExecutor(1) as own:
        own.submit(asyncio.run, sweep()).result()
    assert queued(url, job) == 1
