"""Run measurements: `python -m bench.run [what] [--quick] [--count N] [--seed S]`."""

import argparse
import sys
from collections.abc import Callable

from bench import demo_shot, demo_shots, hostile, interaction, interface, kills, mattes, render
from bench.composite import suite as composite
from bench.match import suite as match
from bench.tracking import long, suite

SECTIONS: dict[str, Callable[[bool], None]] = {
    "tracking": suite.run,
    "tracking-long": long.run,
    "demo-shot": demo_shot.run,
    "demo-shots": demo_shots.run,
    "render": render.run,
    "memory": render.run_memory,
    "composite": composite.run,
    "mattes": mattes.run,
    "match": match.run,
    "match-own": match.run_own,
    "interface": interface.run,
    "interaction": interaction.run,
}


# Trials at any length: they measure nothing, and are not part of `all`. Each with how many there are by default.
TRIALS: dict[str, tuple[Callable[[int, int], int], int]] = {"hostile": (hostile.run, 1000), "kills": (kills.run, 20)}


def main() -> int:
    """Run the sections asked for; a trial in which something went wrong ends with status 1."""
    parser = argparse.ArgumentParser()
    parser.add_argument("what", nargs="?", default="all")
    parser.add_argument("--quick", action="store_true")
    parser.add_argument("--count", type=int)
    parser.add_argument("--seed", type=int, default=1)
    args = parser.parse_args()
    what = args.what
    if what in TRIALS:
        trial, usual = TRIALS[what]
        return int(trial(args.count or usual, args.seed) > 0)
    if what != "all" and what not in SECTIONS:
        print(f"There is no measurement {what}; there are {', '.join([*SECTIONS, *TRIALS])}, and all.", file=sys.stderr)
        return 2
    for name, run in SECTIONS.items():
        if what in ("all", name):
            run(args.quick)
    return 0


if __name__ == "__main__":
    sys.exit(main())
