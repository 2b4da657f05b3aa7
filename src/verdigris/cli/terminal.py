"""Progress on a terminal, results on standard output, errors in plain words with exit codes fit for scripts."""

import json
import signal
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

EXIT_CODES = {
    0: "done",
    1: "something went wrong; the message says what",
    2: "wrong use of the command",
    3: "the document or a file it names is not valid",
    4: "the plane cannot be followed, or nothing is ready to render",
    130: "stopped, by Ctrl-C or a request to end; what was done is kept",
}

console = Console(stderr=True, highlight=False)


@contextmanager
def progress_bar(title: str) -> Iterator[Callable[[int, int], None]]:
    """A bar on a terminal; a line every tenth elsewhere."""
    if not console.is_terminal:
        told = -1

        def line(done: int, total: int) -> None:
            nonlocal told
            tenth = 10 * done // max(1, total)
            if tenth != told:
                told = tenth
                console.print(f"{title}: {done} of {total}")

        yield line
        return
    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with Progress(*columns, console=console) as bar:
        task = bar.add_task(title, total=None)
        yield lambda done, total: bar.update(task, completed=done, total=total)


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
    console.print(f"verdigris: {sentence}", style="bold", markup=False)
    return code
