"""Long runs: there and back, cost over frames and over the region's area, memory."""

import resource
import time
from itertools import pairwise

import cv2
import numpy as np

from bench.report import table, write_section
from bench.tracking.cases import CASES, Plate
from bench.tracking.measure import plate_of
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.tracking.sequence.plane import AnalysisPicture
from verdigris.core.types import Float64

OUT = 500


def _follower(plate: Plate, pictures: list[AnalysisPicture], include: list[Float64]) -> PlaneFollower:
    height, width = plate.frames[0].shape
    region = region_mask(include, [], None, width, height)
    return PlaneFollower(pictures[plate.reference], region, plate.truth[plate.reference], "perspective", plate.reference)


def _there_and_back(plate: Plate, pictures: list[AnalysisPicture], out: int) -> tuple[list[FrameResult], list[int], list[float], list[int]]:
    """The plate to and fro for `out` frames, and the same way back: results, frames, seconds and peak memory (kB) of each."""
    count, at, step, way = len(pictures), plate.reference, 1, [plate.reference]
    while len(way) <= out:
        step = -step if not 0 <= at + step < count else step
        at += step
        way.append(at)
    way += way[-2::-1]
    follower = _follower(plate, pictures, plate.include)
    history, seconds, memory = [follower.reference_result()], [], []
    for n, (before, now) in enumerate(pairwise(way), 1):
        begun = time.process_time()
        history.append(follower.step(n, pictures[before], pictures[now], history[-12:], None))
        seconds.append(time.process_time() - begun)
        memory.append(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)
    return history, way, seconds, memory


def _area_cost(plate: Plate, pictures: list[AnalysisPicture], share: float) -> float:
    """Seconds a frame when the region is this share of its area, about its middle."""
    middle = np.mean(plate.include[0], axis=0)
    follower = _follower(plate, pictures, [middle + np.sqrt(share) * (plate.include[0] - middle)])
    history, begun = [follower.reference_result()], time.process_time()
    for n in range(plate.reference + 1, len(pictures)):
        history.append(follower.step(n, pictures[n - 1], pictures[n], history[-12:], None))
    return (time.process_time() - begun) / (len(pictures) - plate.reference - 1)


def run(quick: bool) -> None:
    """Measure and write. `quick` goes a fifth as far."""
    cv2.setNumThreads(1)
    plate = plate_of(CASES[0], 1)
    pictures = [AnalysisPicture.of(np.asarray(f, np.float32) / np.float32(255)) for f in plate.frames]
    out = OUT // 5 if quick else OUT
    _area_cost(plate, pictures, 0.5)
    history, way, seconds, memory = _there_and_back(plate, pictures, out)
    assert all(r.corners is not None for r in history)
    apart = [
        float(np.linalg.norm(history[k].corners - history[len(way) - 1 - k].corners, axis=1).max())  # type: ignore[operator]
        for k in range(out)
    ]
    quarter = len(seconds) // 4
    costs = {share: _area_cost(plate, pictures, share) for share in (0.25, 0.5, 1.0)}
    write_section(
        "Tracking for long",
        [
            f"The clean plate to and fro for {out} frames and the same way back, {2 * out} steps.", "",
            f"- Corners back at the start: {apart[0]:.4f} px away; on the way, the same frame out and back differs by at most "
            f"{max(apart):.4f} px.",
            f"- Cost of a frame in the last quarter against the first: {np.mean(seconds[-quarter:]) / np.mean(seconds[:quarter]):.2f}.",
            f"- Peak memory after the last frame against after the first quarter: +{(memory[-1] - memory[quarter]) / 1024:.1f} MB.", "",
            *table(
                ["share of the region's area", "cost of a frame against the whole region"],
                [[f"{s:g}", f"{c / costs[1.0]:.2f}"] for s, c in costs.items()],
            ),
        ],
    )  # fmt: skip
