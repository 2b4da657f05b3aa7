"""A task's link to its job row: progress, asking whether to stop, and what came of it."""

import time
import uuid
from collections.abc import Callable

import structlog

from verdigris.formats.errors import FormatError
from verdigris.media.errors import MediaError
from verdigris.runs.errors import RunError
from verdigris.runs.handover import Stopped
from verdigris.shot.errors import ShotError
from verdigris.store.database import session
from verdigris.store.errors import StoreError
from verdigris.store.jobs import OPEN_STATES, get_job, update_job

log = structlog.get_logger()

PROGRESS_SECONDS = 0.2
EXPECTED = (MediaError, ShotError, RunError, StoreError, FormatError)


class RunningJob:
    """One run of a task on behalf of a job row."""

    def __init__(self, url: str, job_id: str) -> None:
        self.url, self.id = url, uuid.UUID(job_id)
        self._told = 0.0
        self._asked = 0.0
        self._stop = False

    def begin(self) -> str:
        """Mark it running; returns its state: `running`, or why there is nothing to do."""
        with session(self.url) as s:
            job = get_job(s, self.id)
            if job.state in OPEN_STATES:
                if job.stop_asked:
                    update_job(s, self.id, state="stopped", message="Stopped; what was done is kept.")
                else:
                    update_job(s, self.id, state="running")
            return job.state

    def progress(self, done: int, total: int) -> None:
        """Tell how far it is, a few times a second at most."""
        now = time.monotonic()
        if now - self._told < PROGRESS_SECONDS and done != total:
            return
        self._told = now
        with session(self.url) as s:
            update_job(s, self.id, done=done, total=total)

    def stopping(self) -> bool:
        """Whether somebody asked it to stop; the database is asked a few times a second at most."""
        now = time.monotonic()
        if not self._stop and now - self._asked > PROGRESS_SECONDS:
            self._asked = now
            with session(self.url) as s:
                self._stop = get_job(s, self.id).stop_asked
        return self._stop

    def finish(self, state: str, message: str = "") -> None:
        """Write down what came of it."""
        with session(self.url) as s:
            update_job(s, self.id, state=state, message=message)


def run_job(url: str, job_id: str, work: Callable[[RunningJob], str | None], on_end: Callable[[str], None] | None = None) -> None:
    """Run a task's work; expected errors end the job with their sentence, others as well, and are logged whole.

    Parameters
    ----------
    work : does it; returns a message when it is finished, or None when others will finish it
    on_end : told the final state when the job did not simply go on
    """
    job = RunningJob(url, job_id)
    begun = job.begin()
    if begun != "running":
        if on_end:
            on_end(begun)
        return
    state, message = "done", ""
    try:
        answer = work(job)
        if answer is None:
            return
        message = answer
        if job.stopping():
            state, message = "stopped", message or "Stopped; what was done is kept."
    except Stopped:
        state, message = "stopped", "Stopped; what was done is kept."
    except EXPECTED as error:
        state, message = "failed", error.sentence
        log.info("job failed", job=job_id, code=error.code, sentence=error.sentence)
    except Exception:
        state, message = (
            "failed",
            "Something unexpected went wrong; the worker's log has the details. Nothing done so far is lost.",
        )
        log.exception("job failed unexpectedly", job=job_id)
    job.finish(state, message)
    if on_end:
        on_end(state)
