"""What changed, as server-sent events over PostgreSQL's LISTEN and NOTIFY."""

import asyncio
import time
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

import psycopg
import structlog
from fastapi import APIRouter, FastAPI, Request
from sse_starlette import EventSourceResponse, ServerSentEvent

from verdigris.api.decoding import close_decoding_pool
from verdigris.settings import Settings
from verdigris.store.database import CHANNEL

router = APIRouter(prefix="/api", tags=["events"])
log = structlog.get_logger()
TOGETHER_SECONDS = 0.04


class Events:
    """One listening connection for all open pages."""

    def __init__(self) -> None:
        self._queues: set[asyncio.Queue[str]] = set()

    async def listen(self) -> None:
        """Listen for ever, connecting again when the database goes away."""
        while True:
            try:
                async with await psycopg.AsyncConnection.connect(Settings().database_url, autocommit=True) as connection:
                    await connection.execute(f"LISTEN {CHANNEL}")
                    self._tell('{"kind": "again"}')
                    async for note in connection.notifies():
                        self._tell(note.payload)
            except psycopg.OperationalError as error:
                log.warning("listening to the database again", reason=str(error))
                await asyncio.sleep(1)

    def _tell(self, payload: str) -> None:
        for queue in self._queues:
            queue.put_nowait(payload)

    async def stream(self, request: Request) -> AsyncIterator[ServerSentEvent]:
        """Events for one page; those that pile up are sent together."""
        queue: asyncio.Queue[str] = asyncio.Queue()
        self._queues.add(queue)
        try:
            yield ServerSentEvent('{"kind": "again"}')
            told = -TOGETHER_SECONDS
            while True:
                payloads = [await queue.get()]
                # At once when it was quiet; what follows shortly after goes together.
                await asyncio.sleep(max(0.0, told + TOGETHER_SECONDS - time.monotonic()))
                told = time.monotonic()
                while not queue.empty():
                    payloads.append(queue.get_nowait())
                for payload in dict.fromkeys(payloads):
                    yield ServerSentEvent(payload)
        finally:
            self._queues.discard(queue)


events = Events()


@asynccontextmanager
async def listening(app: FastAPI) -> AsyncIterator[None]:
    """Listen while the application runs; at its end nothing it started is left."""
    task = asyncio.create_task(events.listen())
    try:
        yield
    finally:
        task.cancel()
        close_decoding_pool()


@router.get("/events", response_class=EventSourceResponse)
async def event_stream(request: Request) -> EventSourceResponse:
    """`kind` is job, frame, shot, media, delivery, or again (read everything again)."""
    return EventSourceResponse(events.stream(request), ping=15)
