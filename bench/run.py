"""Run measurements: `python -m bench.run [what] [--quick]`."""

import sys
from collections.abc import Callable

from bench import demo_shot, demo_shots, interaction, interface, render
from bench.tracking import long, suite

SECTIONS: dict[str, Callable[[bool], None]] = {
    "tracking": suite.run,
    "tracking-long": long.run,
    "demo-shot": demo_shot.run,
    "demo-shots": demo_shots.run,
    "render": render.run,
    "memory": render.run_memory,
    "interface": interface.run,
    "interaction": interaction.run,
}


def main() -> int:
    """Run the sections asked for."""
    what = next((a for a in sys.argv[1:] if not a.startswith("-")), "all")
    if what != "all" and what not in SECTIONS:
        print(f"There is no measurement {what}; there are {', '.join(SECTIONS)}, and all.", file=sys.stderr)
        return 2
    for name, run in SECTIONS.items():
        if what in ("all", name):
            run("--quick" in sys.argv)
    return 0


if __name__ == "__main__":
    sys.exit(main())
