"""A worker process: runs tasks, and puts right what dead workers leave behind."""

import asyncio
import os
import resource
import signal
import sys
import time
from contextlib import suppress
from types import FrameType
from typing import NoReturn

import structlog
from procrastinate.exceptions import ConnectorException
from psycopg import OperationalError

from verdigris.jobs import running
from verdigris.jobs.queue import QUEUE, app
from verdigris.jobs.sweeping import empty_bin, give_back_stalled, mend_jobs
from verdigris.jobs.warm_up import warm_up
from verdigris.settings import Settings
from verdigris.store.database import reachable, session
from verdigris.store.errors import StoreError
from verdigris.store.jobs import forgive_death

log = structlog.get_logger()

HEARTBEAT_SECONDS = 2.0
STALLED_SECONDS = 8.0
MEND_SECONDS = 60.0


async def _sweep() -> None:
    """After a kill, a task stays marked as running for ever; whoever lives puts it back."""
    mended = -MEND_SECONDS
    while True:
        if time.monotonic() - mended > MEND_SECONDS:
            mended = time.monotonic()
            with suppress(StoreError):
                await asyncio.to_thread(mend_jobs)
                await asyncio.to_thread(empty_bin)
        await give_back_stalled(STALLED_SECONDS)
        await asyncio.sleep(HEARTBEAT_SECONDS)


async def _run(name: str) -> None:
    async with app.open_async():
        sweeper = asyncio.create_task(_sweep())
        warming = asyncio.create_task(asyncio.to_thread(warm_up))
        working = asyncio.create_task(
            app.run_worker_async(
                queues=[QUEUE], name=name, concurrency=1, fetch_job_polling_interval=1.0,
                update_heartbeat_interval=HEARTBEAT_SECONDS, stalled_worker_timeout=STALLED_SECONDS,
                delete_jobs="successful", install_signal_handlers=False,
            )
        )  # fmt: skip
        try:
            # Neither does any good without the other: when one fails, the process begins anew.
            await asyncio.wait({sweeper, working}, return_when=asyncio.FIRST_COMPLETED)
            for task in (sweeper, working):
                if task.done():
                    task.result()
        finally:
            for task in (sweeper, working, warming):
                task.cancel()


def begin_anew() -> NoReturn:
    """Replace this process by a fresh one of the same command: nothing half-done, no lost connection is carried along."""
    while not reachable(Settings().database_url):
        time.sleep(1)
    log.info("worker begins anew")
    os.execv(sys.executable, [sys.executable, *sys.orig_argv[1:]])


def _leave(*_: int | FrameType | None) -> None:
    """Work is written down frame by frame, so leaving at once loses nothing: the task goes on elsewhere or later."""
    if running.in_hand is not None:
        with suppress(StoreError), session(Settings().database_url) as s:
            forgive_death(s, running.in_hand)
    os._exit(0)


def run_worker(name: str) -> None:
    """Run until SIGTERM or SIGINT."""
    memory = Settings().decoder_memory
    # What is decoded here came from outside: a hostile file must not take the machine's memory.
    resource.setrlimit(resource.RLIMIT_DATA, (memory, memory))
    for sign in (signal.SIGTERM, signal.SIGINT):
        signal.signal(sign, _leave)
    running.superseded = begin_anew
    log.info("worker begins", name=name)
    try:
        asyncio.run(_run(name))
    except (ConnectorException, OperationalError) as error:
        log.warning("the database went away", reason=str(error))
    begin_anew()
