"""Files that appear under their name only when they are whole."""

import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def whole_file(path: Path) -> Iterator[Path]:
    """A place of one's own to write a file; it gets its name when all went well, and leaves nothing behind when not.

    Two processes that write the same file never write into each other's: each has another place.
    """
    unfinished = path.with_name(f"{path.stem}.{uuid.uuid4().hex[:12]}.unfinished{path.suffix}")
    try:
        yield unfinished
        unfinished.replace(path)
    finally:
        unfinished.unlink(missing_ok=True)


def sweep_unfinished(folder: Path) -> None:
    """Remove what killed processes left half-written in a folder."""
    for leftover in folder.glob("*.unfinished*"):
        leftover.unlink(missing_ok=True)
