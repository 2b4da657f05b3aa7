"""A task's link to its job row: progress, asking whether to stop, and what came of it."""

import time
import uuid
from collections.abc import Callable

import structlog
from sqlalchemy.orm import Session

from verdigris.jobs.closing import Consequence, close_job
from verdigris.jobs.retry import ComeBack
from verdigris.problem import Problem
from verdigris.runs.render.handover import Stopped
from verdigris.settings import Settings
from verdigris.store.database import session
from verdigris.store.errors import StoreError
from verdigris.store.jobs import OPEN_STATES, get_job, update_job
from verdigris.store.leases import hold_lease, take_lease
from verdigris.store.media_folder import MediaFolder

log = structlog.get_logger()

PROGRESS_SECONDS = 0.2
DATABASE_AGAIN_SECONDS = 3
ROOM_AGAIN_SECONDS = 10
# The job this process works on at the moment.
in_hand: uuid.UUID | None = None
KEPT = "Stopped; what was done is kept."


def superseded() -> None:
    """Nothing more to do here; a worker's process begins anew instead."""


class NoRoom(Exception):
    """The disk is as good as full: the work waits until there is room."""


class RunningJob:
    """One attempt at a task, or at one part of it, on behalf of a job row.

    Every write goes through `writing`, which refuses an attempt that was given to another worker meanwhile.
    """

    def __init__(self, url: str, job_id: str, part: int = 0) -> None:
        self.url, self.id, self.part = url, uuid.UUID(job_id), part
        self.attempt = uuid.uuid4()
        self._told = 0.0
        self._asked = 0.0
        self._stop = False
        self._phase = ""
        self._phase_began = (time.monotonic(), 0)

    def begin(self) -> str:
        """Take it up and mark it running; returns its state: `running`, or why there is nothing to do."""
        with session(self.url) as s:
            job = get_job(s, self.id)
            if job.state in OPEN_STATES:
                take_lease(s, self.id, self.part, self.attempt)
                if job.stop_asked:
                    close_job(s, job, "stopped", KEPT)
                else:
                    update_job(s, self.id, state="running", message="")
            return job.state

    def writing(self, s: Session) -> None:
        """See within a transaction that this attempt is still the one that may write; StoreError `superseded` if not."""
        hold_lease(s, self.id, self.part, self.attempt)

    def progress(self, done: int, total: int, phase: str = "") -> None:
        """Tell how far it is, a few times a second at most.

        Parameters
        ----------
        phase : what is being done now, in words; `seconds_left` is worked out from how fast it went since it began
        """
        now = time.monotonic()
        if phase != self._phase or self._phase_began[1] > done:
            self._phase, self._phase_began = phase, (now, done)
        if now - self._told < PROGRESS_SECONDS and done != total:
            return
        self._told = now
        began, first = self._phase_began
        left = (total - done) * (now - began) / (done - first) if done > first and now - began > 1 else None
        if _free() < Settings().least_free:
            raise NoRoom
        with session(self.url) as s:
            self.writing(s)
            update_job(s, self.id, done=done, total=total, phase=phase, seconds_left=left)

    def stopping(self) -> bool:
        """Whether it is to stop: somebody asked, or it was closed; the database is asked a few times a second at most."""
        now = time.monotonic()
        if not self._stop and now - self._asked > PROGRESS_SECONDS:
            self._asked = now
            with session(self.url) as s:
                job = get_job(s, self.id)
                self._stop = job.stop_asked or job.state not in OPEN_STATES
        return self._stop

    def finish(self, state: str, message: str, consequence: Consequence | None) -> None:
        """Write down what came of it and what follows from that, in one transaction."""
        with session(self.url) as s:
            self.writing(s)
            close_job(s, get_job(s, self.id), state, message, consequence)


def run_job(url: str, job_id: str, work: Callable[[RunningJob], str | None], consequence: Consequence | None = None, part: int = 0) -> None:
    """Run a task's work; expected errors end the job with their sentence, others as well, and are logged whole.

    Parameters
    ----------
    work : does it; returns a message when it is finished, or None when others will finish it
    consequence : what a final state means for other rows, done in the same transaction
    part : which part of the job this is, for those done in several

    Raises
    ------
    ComeBack
        When the database went away or the disk is full: the queue gives the task out again after a while.
    """
    global in_hand
    job = RunningJob(url, job_id, part)
    in_hand = job.id
    try:
        _attempt(job, work, consequence)
    except StoreError as error:
        if error.code == "superseded":
            log.info("another worker has this task by now", job=job_id, part=part)
            superseded()
            return
        if error.code != "no_database":
            raise
        log.warning("the database went away; the task goes back into the queue", job=job_id)
        raise ComeBack(DATABASE_AGAIN_SECONDS) from error
    finally:
        in_hand = None


def _attempt(job: RunningJob, work: Callable[[RunningJob], str | None], consequence: Consequence | None) -> None:
    if job.begin() != "running":
        return
    try:
        message = work(job)
        if message is None:
            return
        if job.stopping():
            job.finish("stopped", message or KEPT, consequence)
        else:
            job.finish("done", message, consequence)
    except Stopped:
        job.finish("stopped", KEPT, consequence)
    except Exception as error:
        _end_with(job, error, consequence)


def _end_with(job: RunningJob, error: Exception, consequence: Consequence | None) -> None:
    if isinstance(error, StoreError) and error.code in ("superseded", "no_database"):
        raise error
    if _is_full(error):
        _wait_for_room(job, error)
    if isinstance(error, Problem):
        log.info("job failed", job=str(job.id), code=error.code, sentence=error.sentence)
        job.finish("failed", error.sentence, consequence)
        return
    log.error("job failed unexpectedly", job=str(job.id), exc_info=error)
    sentence = "Something unexpected went wrong; the worker's log has the details. Nothing done so far is lost."
    job.finish("failed", sentence, consequence)


def _free() -> int:
    return MediaFolder(Settings().media_dir).free()


def _is_full(error: Exception) -> bool:
    """Whether there is no room: decoders and encoders each have their own way to say so, or none."""
    full = isinstance(error, NoRoom) or (isinstance(error, StoreError) and error.code == "disk_full")
    return full or _free() < Settings().least_free


def _wait_for_room(job: RunningJob, error: Exception) -> None:
    free = _free()
    log.warning("the disk is full", job=str(job.id), free=free)
    with session(job.url) as s:
        job.writing(s)
        sentence = f"The disk is full: {free // 2**20} MB are free. Make room; this goes on by itself, and nothing done is lost."
        if not get_job(s, job.id).stop_asked:
            update_job(s, job.id, state="waiting", message=sentence)
    raise ComeBack(ROOM_AGAIN_SECONDS) from error
