"""Plain words to the terminal, and commands run with their output kept for when they fail."""

import subprocess
import sys
import time
from collections.abc import Sequence
from pathlib import Path


class LaunchError(Exception):
    """Something is missing or failed; the message says what to do."""


def say(text: str) -> None:
    """Print one line to standard error, so that standard output stays free for results."""
    print(text, file=sys.stderr, flush=True)


def run_step(
    title: str,
    command: Sequence[str],
    log: Path,
    cwd: Path | None = None,
    env: dict[str, str] | None = None,
    remedy: str = "",
) -> None:
    """Run a set-up command, showing that it is alive; on failure show the end of its output.

    Raises
    ------
    LaunchError
        When the command cannot be started or ends with a non-zero status.
    """
    log.parent.mkdir(parents=True, exist_ok=True)
    started = time.monotonic()
    live = sys.stderr.isatty()
    if not live:
        say(f"  {title} ...")
    with log.open("wb") as out:
        try:
            process = subprocess.Popen(command, cwd=cwd, env=env, stdin=subprocess.DEVNULL, stdout=out, stderr=out)
        except FileNotFoundError as error:
            raise LaunchError(f"{title}: {command[0]} is not there. {remedy}".strip()) from error
        while process.poll() is None:
            time.sleep(0.2)
            if live:
                print(f"\r  {title} ... {time.monotonic() - started:4.0f} s", end="", file=sys.stderr)
    took = time.monotonic() - started
    if process.returncode != 0:
        tail = "\n".join(log.read_text(errors="replace").splitlines()[-15:])
        raise LaunchError(f"{title} failed (status {process.returncode}).\n{tail}\nWhole output: {log}\n{remedy}")
    say(f"\r  {title}: done in {took:.0f} s   " if live else f"  {title}: done in {took:.0f} s")
