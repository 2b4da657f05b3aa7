"""A job's row tells the truth about what came of its task."""

import pytest

from verdigris.jobs.closing import ask_to_stop
from verdigris.jobs.running import RunningJob, run_job
from verdigris.media.errors import MediaError
from verdigris.runs.render.handover import Stopped
from verdigris.store.database import session
from verdigris.store.jobs import create_job, get_job, list_jobs


@pytest.fixture
def job(database_url) -> str:
    with session(database_url) as s:
        return str(create_job(s, "track", "Following", 10).id)


def state(database_url, job: str) -> tuple[str, str]:
    with session(database_url) as s:
        row = next(j for j in list_jobs(s, 500) if str(j.id) == job)
        return row.state, row.message


def _raise(error: Exception):
    def work(job: RunningJob) -> str:
        raise error

    return work


@pytest.mark.parametrize(
    ("work", "wanted", "word"),
    [
        (lambda job: "All done.", "done", "All done."),
        (_raise(Stopped()), "stopped", "kept"),
        (_raise(MediaError("damaged", "Frame 7 is damaged.")), "failed", "Frame 7"),
        (_raise(ZeroDivisionError("secret detail")), "failed", "worker's log"),
    ],
)
def test_every_ending_has_its_state_and_its_sentence(database_url, job, work, wanted, word):
    told: list[str] = []
    run_job(database_url, job, work, lambda s, state: told.append(state))
    found, message = state(database_url, job)
    assert found == wanted
    assert word in message
    assert "secret" not in message
    assert told == [wanted]


def test_work_that_others_finish_leaves_the_job_running(database_url, job):
    run_job(database_url, job, lambda job: None)
    assert state(database_url, job)[0] == "running"


def test_a_finished_job_is_not_run_again(database_url, job):
    run_job(database_url, job, lambda job: "first")
    run_job(database_url, job, lambda job: "second")
    assert state(database_url, job) == ("done", "first")


def test_a_job_stopped_before_it_began_never_begins(database_url, job):
    with session(database_url) as s:
        ask_to_stop(s, get_job(s, RunningJob(database_url, job).id))
    ran: list[int] = []

    def work(job: RunningJob) -> str:
        ran.append(1)
        return "ran"

    run_job(database_url, job, work)
    assert ran == []
    assert state(database_url, job)[0] == "stopped"


def test_a_running_job_hears_that_it_should_stop_and_says_so(database_url, job):
    def work(running: RunningJob) -> str:
        with session(database_url) as s:
            ask_to_stop(s, get_job(s, running.id))
        running._asked = 0.0
        assert running.stopping()
        running.progress(4, 10)
        running.progress(10, 10)
        return "4 frames followed."

    run_job(database_url, job, work)
    assert state(database_url, job) == ("stopped", "4 frames followed.")
    with session(database_url) as s:
        assert get_job(s, RunningJob(database_url, job).id).done == 10
