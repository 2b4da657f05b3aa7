"""A limit on the time that decoding may take, which holds inside decoders too: the process ends when it is over."""

import signal
from collections.abc import Callable, Iterator
from contextlib import contextmanager


@contextmanager
def decoding_time(seconds: float) -> Iterator[Callable[[], None]]:
    """End this process by SIGALRM unless it is done, or calls what it is given, within so many seconds.

    The signal's own action is used: no decoder that is caught in a loop of its own can put it off.
    """

    def go_on() -> None:
        signal.setitimer(signal.ITIMER_REAL, seconds)

    go_on()
    try:
        yield go_on
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
