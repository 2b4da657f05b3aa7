"""Progress on a terminal, results on standard output, errors in plain words with exit codes fit for scripts."""

import json
import signal
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, Protocol

from rich.console import Console
from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn, TimeRemainingColumn

EXIT_CODES = {
    0: "done",
    1: "something went wrong; the message says what",
    2: "wrong use of the command",
    3: "the document or a file it names is not valid",
    4: "the plane cannot be followed, or nothing is ready to render",
    130: "stopped, by Ctrl-C or a request to end; what was done is kept",
}

console = Console(stderr=True, highlight=False)


class Tell(Protocol):
    """Says how far something is, and in words what is being done now."""

    def __call__(self, done: int, total: int, phase: str = "") -> None:
        """Tell it."""
        ...


@contextmanager
def progress_bar(title: str) -> Iterator[Tell]:
    """A bar with the time left on a terminal; a line every tenth elsewhere."""
    if not console.is_terminal:
        told = (-1, "")

        def line(done: int, total: int, phase: str = "") -> None:
            nonlocal told
            now = (10 * done // max(1, total), phase)
            if now != told:
                told = now
                console.print(f"{title}{', ' + phase if phase else ''}: {100 * done // max(1, total)} %")

        yield line
        return
    columns = (TextColumn("{task.description}"), BarColumn(), TaskProgressColumn(), TimeRemainingColumn())
    with Progress(*columns, console=console) as bar:
        task = bar.add_task(title, total=None)

        def tell(done: int, total: int, phase: str = "") -> None:
            bar.update(task, completed=done, total=total, description=f"{title}{', ' + phase if phase else ''}")

        yield tell


@contextmanager
def stopping() -> Iterator[Callable[[], bool]]:
    """Whether Ctrl-C, or a request to end, has come: asked between frames, so that none is cut off. A second one ends at once."""
    asked = False

    def ask(*_: object) -> None:
        nonlocal asked
        if asked:
            raise KeyboardInterrupt
        asked = True

    before = {s: signal.signal(s, ask) for s in (signal.SIGINT, signal.SIGTERM)}
    try:
        yield lambda: asked
    finally:
        for s, handler in before.items():
            signal.signal(s, handler)


def print_json(data: Any) -> None:
    """Plain data as JSON on standard output."""
    json.dump(data, sys.stdout, indent=1, ensure_ascii=False)
    sys.stdout.write("\n")


def fail(sentence: str, code: int) -> int:
    """Say what went wrong; returns the exit code."""
    console.print(f"verdigris: {sentence}", style="bold", markup=False, soft_wrap=True)
    return code
