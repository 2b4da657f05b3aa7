"""bench/RESULTS.md: one section a measurement, replaced when it is measured again."""

import datetime as dt
import platform
import re
from pathlib import Path

RESULTS = Path(__file__).with_name("RESULTS.md")
HEAD = """# Figures

Measured by `./verdigris bench`. Ratios are taken within one run on one machine; absolute times say little elsewhere.
"""


def write_section(title: str, lines: list[str]) -> None:
    """Put a section into RESULTS.md, replacing the one of the same title, and print it."""
    body = (
        f"## {title}\n\n"
        + "\n".join(lines)
        + f"\n\nMeasured {dt.date.today().isoformat()}, {platform.machine()}, Python {platform.python_version()}.\n"
    )
    text = RESULTS.read_text() if RESULTS.exists() else HEAD
    pattern = re.compile(rf"## {re.escape(title)}\n.*?(?=\n## |\Z)", re.DOTALL)
    text = pattern.sub(lambda _: body, text) if pattern.search(text) else text.rstrip() + "\n\n" + body
    RESULTS.write_text(text.rstrip() + "\n")
    print(body)


def table(head: list[str], rows: list[list[str]]) -> list[str]:
    """A Markdown table."""
    return ["| " + " | ".join(head) + " |", "|" + "---|" * len(head), *("| " + " | ".join(r) + " |" for r in rows)]
