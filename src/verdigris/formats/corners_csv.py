"""Corners as CSV (RFC 4180): one line a frame, corners in order, plate px, frame numbers as people quote them."""

import csv
from pathlib import Path

import numpy as np

from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.types import Float64
from verdigris.formats.errors import FormatError

_CORNERS = ("top_left", "top_right", "bottom_right", "bottom_left")
HEADER = ["frame", "status"] + [f"{c}_{axis}" for c in _CORNERS for axis in "xy"] + [f"{c}_sigma_px" for c in _CORNERS] + ["residual_px"]


def write_corners_csv(path: Path, results: list[FrameResult], first_frame: int = 0) -> None:
    """Write corners; positions of lost frames stay empty."""
    with path.open("w", newline="", encoding="utf-8") as f:
        out = csv.writer(f)
        out.writerow(HEADER)
        for r in sorted(results, key=lambda r: r.frame):
            corners = [""] * 8 if r.corners is None else [f"{v:.4f}" for v in r.corners.reshape(-1)]
            sigma = [""] * 4 if r.sigma_px is None else [f"{v:.4f}" for v in r.sigma_px]
            residual = "" if r.residual_px is None else f"{r.residual_px:.4f}"
            out.writerow([r.frame + first_frame, r.status, *corners, *sigma, residual])


def read_corners_csv(path: Path) -> dict[int, Float64 | None]:
    """Corners (4, 2) float64, plate px, by the frame number in the file; None where lost.

    Raises
    ------
    FormatError
        For another header or a value that is not a number.
    """
    with path.open(newline="", encoding="utf-8") as f:
        rows = list(csv.reader(f))
    if not rows or rows[0] != HEADER:
        raise FormatError(path.name, "line 1", "the header " + ",".join(HEADER[:4]) + ",...", ",".join(rows[0][:4]) if rows else "nothing")
    answer: dict[int, Float64 | None] = {}
    for i, row in enumerate(rows[1:], start=2):
        try:
            answer[int(row[0])] = None if row[2] == "" else np.array([float(v) for v in row[2:10]]).reshape(4, 2)
        except (ValueError, IndexError) as error:
            raise FormatError(path.name, f"line {i}", "numbers", ",".join(row)[:60]) from error
    return answer
