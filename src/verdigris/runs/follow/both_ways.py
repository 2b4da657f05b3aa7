"""Two ways at once: one is gone here, the other on a thread of its own; what comes is handed on as it comes."""

import queue
import threading
from collections.abc import Callable, Generator, Iterator
from typing import TypeVar

T = TypeVar("T")
# So many steps of the other way may wait to be handed on.
WAITING = 4
# Seconds after which a full queue is looked at again, to see whether it is still wanted.
LOOK = 0.2


class _Over:
    """The end of the other way, with what went wrong there."""

    def __init__(self, error: BaseException | None) -> None:
        self.error = error


def both_ways(here: Iterator[T], there: Callable[[Callable[[], bool]], Iterator[T]]) -> Iterator[T]:
    """What two ways yield, each in its own order.

    Parameters
    ----------
    here : gone on the caller's thread
    there : makes the other way, on a thread of its own; it is given a question to ask before each step: whether to stop

    Raises
    ------
    BaseException
        What either way raises; the other one is stopped and waited for.
    """
    waiting: queue.Queue[T | _Over] = queue.Queue(WAITING)
    ended = threading.Event()

    def put(item: T | _Over) -> None:
        while not ended.is_set():
            try:
                waiting.put(item, timeout=LOOK)
                return
            except queue.Full:
                continue

    def run() -> None:
        error: BaseException | None = None
        try:
            for item in there(ended.is_set):
                put(item)
        except BaseException as raised:
            error = raised
        put(_Over(error))

    other = threading.Thread(target=run, name="the other way", daemon=True)
    other.start()
    over = False
    try:
        for item in here:
            yield item
            while not over and not waiting.empty():
                over = yield from _handed_on(waiting)
        while not over:
            over = yield from _handed_on(waiting)
    finally:
        ended.set()
        other.join()


def _handed_on(waiting: "queue.Queue[T | _Over]") -> Generator[T, None, bool]:
    """Hand one step on; returns whether that was the end."""
    item = waiting.get()
    if isinstance(item, _Over):
        if item.error is not None:
            raise item.error
        return True
    yield item
    return False
