"""One tracker over one plate: its answers, and what they are worth against the truth."""

import hashlib
import pickle
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from bench.tracking.cases import Case, Plate
from verdigris.core.types import Float64

KEPT = Path(__file__).resolve().parents[2] / "var" / "bench"
Answer = tuple[Float64, Float64] | None


@dataclass(frozen=True)
class Run:
    """Answers of a tracker.

    Attributes
    ----------
    answers : per frame corners (4, 2) and sigma (4,), plate px; None where it says lost
    cpu_s : processor seconds for all frames
    """

    answers: list[Answer]
    cpu_s: float


@dataclass(frozen=True)
class Score:
    """Errors (px) of the frames that were not lost, one number a corner, reference frame left out; and counts of frames."""

    errors: Float64
    ratios: Float64
    frames: int
    seen: int
    worst: Float64
    lost_right: int
    lost_wrong: int
    cpu_s: float


def plate_of(case: Case, seed: int) -> Plate:
    """Render a plate, or take the one rendered before by the same code."""
    code = b"".join((Path(__file__).parent / f"{n}.py").read_bytes() for n in ("render", "materials", "cases", "further_cases"))
    KEPT.mkdir(parents=True, exist_ok=True)
    path = KEPT / f"{hashlib.sha256(code + case.name.encode()).hexdigest()[:16]}-{seed}.pickle"
    if path.exists():
        return pickle.loads(path.read_bytes())
    plate = case.build(seed)
    path.write_bytes(pickle.dumps(plate))
    return plate


def timed(track: Callable[[Plate], list[Answer]], plate: Plate) -> Run:
    """Run a tracker and count its processor time."""
    begun = time.process_time()
    answers = track(plate)
    return Run(answers, time.process_time() - begun)


def score(plate: Plate, run: Run) -> Score:
    """Compare answers with truth. A frame is gone when less than 12 % of the surface shows."""
    errors, ratios, worst = [], [], []
    lost_right = lost_wrong = seen = 0
    for n, answer in enumerate(run.answers):
        if n == plate.reference:
            continue
        gone = plate.visible[n] < 0.12
        seen += not gone
        if answer is None:
            lost_right += bool(gone)
            lost_wrong += not gone
            worst.append(np.nan)
            continue
        error = np.linalg.norm(answer[0] - plate.truth[n], axis=1)
        errors.append(error)
        ratios.append(error / np.maximum(answer[1], 1e-9))
        worst.append(float(error.max()))
    return Score(
        np.array(errors).ravel(), np.array(ratios).ravel(), len(run.answers) - 1, seen, np.array(worst), lost_right, lost_wrong, run.cpu_s
    )
