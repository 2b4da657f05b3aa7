"""A worker process: runs tasks, and puts tasks of dead workers back into the queue."""

import asyncio
import os
import resource
import signal

import structlog

from verdigris.jobs.queue import QUEUE, app
from verdigris.jobs.warm_up import warm_up
from verdigris.settings import Settings

log = structlog.get_logger()

HEARTBEAT_SECONDS = 2.0
STALLED_SECONDS = 8.0


async def _sweep() -> None:
    """After a kill, a task stays marked as running for ever; whoever lives puts it back."""
    while True:
        await asyncio.sleep(HEARTBEAT_SECONDS)
        for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_SECONDS):
            log.info("job of a dead worker goes back into the queue", queue_job=job.id, task=job.task_name)
            await app.job_manager.retry_job(job)


async def _run(name: str) -> None:
    async with app.open_async():
        sweeper = asyncio.create_task(_sweep())
        warming = asyncio.create_task(asyncio.to_thread(warm_up))
        try:
            await app.run_worker_async(
                queues=[QUEUE], name=name, concurrency=1, fetch_job_polling_interval=1.0,
                update_heartbeat_interval=HEARTBEAT_SECONDS, stalled_worker_timeout=STALLED_SECONDS,
                delete_jobs="successful", install_signal_handlers=False,
            )  # fmt: skip
        finally:
            sweeper.cancel()
            warming.cancel()


def run_worker(name: str) -> None:
    """Run until SIGTERM or SIGINT."""
    memory = Settings().decoder_memory
    # What is decoded here came from outside: a hostile file must not take the machine's memory.
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    # Work is written down frame by frame, so leaving at once loses nothing: the task goes on elsewhere or later.
    for sign in (signal.SIGTERM, signal.SIGINT):
        signal.signal(sign, lambda *_: os._exit(0))
    log.info("worker begins", name=name)
    asyncio.run(_run(name))
