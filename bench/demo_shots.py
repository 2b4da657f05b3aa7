"""Every demo plate followed as its document says, against its truth: plates of another renderer than the difficult ones."""

import json
import time
from typing import Any

import numpy as np

from bench.material import FOLDER, quiet
from bench.report import table, write_section
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.types import Float64
from verdigris.demo.project import generate
from verdigris.demo.shots import SHOTS, document_of_scene, kiosk_document
from verdigris.media.reader import open_media
from verdigris.runs.advice.judging import remaining_jitter
from verdigris.runs.follow.surface import follow_surface
from verdigris.shot.model.document import Shot
from verdigris.shot.model.media import MediaRef


def run(quick: bool) -> None:
    """Measure and write."""
    rows = []
    for name in ["kiosk", *(s.scene for s in SHOTS)][: 2 if quick else None]:
        generate(FOLDER, quiet, name)
        truth = json.loads((FOLDER / f"{name}.truth.json").read_text())
        document, surface_id = _document(name, truth)
        rows.append([name, *_measured(document, surface_id, truth, name)])
        print(*rows[-1], flush=True)
    write_section(
        "Tracking the demo shots",
        [
            "1920 x 1080, H.264 as delivered, outlined as in the demo; mean error of the four corners over all frames that were not "
            "reported lost, the reference frame left out. Left: movement measured in the plate when held still, at the worst corner.",
            "",
            *table(
                ["plate", "frames", "lost", "median px", "95 % px", "worst px", "error / sigma", "beyond 4", "left px", "frames a CPU s"],
                rows,
            ),
        ],
    )


def _document(name: str, truth: dict[str, Any]) -> tuple[Shot, str]:
    plate = MediaRef(path=f"{name}.mp4", media=None)
    if name == "kiosk":
        return kiosk_document(truth, plate, MediaRef(path="departures.mp4", media=None)), "screen"
    shot = next(s for s in SHOTS if s.scene == name)
    return document_of_scene(shot, truth, plate, None), shot.surface


def _measured(document: Shot, surface_id: str, truth: dict[str, Any], name: str) -> list[str]:
    surface = document.surface(surface_id)
    true: dict[int, Float64] = {r["frame"]: np.array(r["corners"]) for r in truth["surfaces"][surface_id]}
    results: dict[int, FrameResult] = {}
    with open_media(FOLDER / f"{name}.mp4") as reader:
        begun = time.process_time()
        for step in follow_surface(reader, document, surface):
            results[step.result.frame] = step.result
        spent = time.process_time() - begun
        left = [j.worst_px for j in remaining_jitter(reader, document, surface, {surface_id: results})]
    found = [
        (np.linalg.norm(r.corners - true[n], axis=1), r.sigma_px)
        for n, r in results.items()
        if r.corners is not None and r.sigma_px is not None and n != surface.reference_frame
    ]
    away = np.array([a for a, _ in found])
    ratio = np.array([np.median(a / s) for a, s in found])
    mean = away.mean(axis=1)
    return [
        str(len(results)), str(sum(r.corners is None for r in results.values())),
        f"{np.median(mean):.3f}", f"{np.percentile(mean, 95):.3f}",
        f"{away.max():.2f}", f"{np.median(ratio):.2f}", f"{100 * np.mean(ratio > 4):.0f} %",
        f"{np.nanmedian(left):.2f}" if np.any(np.isfinite(left)) else "-", f"{len(results) / spent:.1f}",
    ]  # fmt: skip
