"""Tracking the demo shot against truth, beside OpenCV's findTransformECC on the same region in the same run."""

import time

import cv2
import numpy as np

from bench.material import demo_shot
from bench.report import table, write_section
from verdigris.core.geometry.homography import apply_homography
from verdigris.runs.follow.surface import follow_surface, region_at_reference
from verdigris.runs.render.open_shot import OpenShot


def _ecc(pictures: list[np.ndarray], mask: np.ndarray, reference: int, order: list[int], iterations: int) -> dict[int, np.ndarray | None]:
    """Warm-started alignment of every frame against the reference; half pixels as OpenCV counts them."""
    half = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])
    ys, xs = np.nonzero(mask)
    x0, x1, y0, y1 = xs.min(), xs.max() + 1, ys.min(), ys.max() + 1
    template = pictures[reference][y0:y1, x0:x1]
    shift = np.array([[1, 0, x0], [0, 1, y0], [0, 0, 1.0]])
    region, size = mask.astype(np.uint8) * 255, (mask.shape[1], mask.shape[0])
    found: dict[int, np.ndarray | None] = {}
    warp = shift.astype(np.float32)
    for n in order:
        if abs(n - reference) == 1:
            warp = shift.astype(np.float32)
        criteria = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, iterations, 1e-6)
        # Its mask belongs to the frame: the region where the last frame had it.
        seen = cv2.warpPerspective(region, warp.astype(float) @ np.linalg.inv(shift), size, flags=cv2.INTER_NEAREST)
        try:
            score, warp = cv2.findTransformECC(template, pictures[n], warp, cv2.MOTION_HOMOGRAPHY, criteria, seen, 5)
            full = np.linalg.inv(half) @ warp.astype(float) @ np.linalg.inv(shift) @ half
            found[n] = full if score > 0.5 else None
        except cv2.error:
            found[n] = None
    return found


def run(quick: bool) -> None:
    """Measure and write."""
    shot, truth, folder = demo_shot()
    surface = shot.surfaces[0]
    reference, quad = surface.reference_frame, surface.quad()
    assert quad is not None
    rows = {int(r["frame"]): np.array(r["corners"]) for r in truth["surfaces"]["screen"]}
    with OpenShot(shot, folder) as opened:
        count = opened.plate.facts.frame_count
        for _ in zip(range(3), follow_surface(opened.plate, shot, surface), strict=False):
            pass  # compile kernels outside the measurement
        cpu, wall = time.process_time(), time.perf_counter()
        results = {s.result.frame: s.result for s in follow_surface(opened.plate, shot, surface)}
        ours_cpu, ours_wall = time.process_time() - cpu, time.perf_counter() - wall
        mask = region_at_reference(shot, surface, {}, opened.plate.facts.width, opened.plate.facts.height)
        cpu, wall = time.process_time(), time.perf_counter()
        decoded = [f.luma() for f in opened.plate.frames(0, count)]
        decode_cpu, decode_wall = time.process_time() - cpu, time.perf_counter() - wall
    order = [*range(reference + 1, count), *range(reference - 1, -1, -1)]
    if quick:
        order = order[:20]
    eight_bit = [np.clip(p * 255 + 0.5, 0, 255).astype(np.uint8) for p in decoded]
    lines = []
    ours_wall_ms, ours_cpu_ms = ours_wall / count * 1000, ours_cpu / count * 1000
    for iterations in (15, 50):
        cpu, wall = time.process_time(), time.perf_counter()
        ecc = _ecc(eight_bit, mask, reference, order, iterations)
        ecc_cpu, ecc_wall = time.process_time() - cpu, time.perf_counter() - wall
        share = len(order) / (count - 1)
        wall_ms, cpu_ms = ((own + decode * share) / len(order) * 1000 for own, decode in ((ecc_wall, decode_wall), (ecc_cpu, decode_cpu)))
        errors = [np.linalg.norm(apply_homography(h, quad) - rows[n], axis=1) for n, h in ecc.items() if h is not None]
        all_errors = np.concatenate(errors) if errors else np.array([np.nan])
        lines.append(
            [
                f"findTransformECC, {iterations} iterations", f"{np.median(all_errors):.3f}", f"{np.percentile(all_errors, 95):.3f}",
                str(sum(h is None for h in ecc.values())),
                f"{wall_ms:.0f}", f"{cpu_ms:.0f}",
                f"{wall_ms / ours_wall_ms:.1f} x / {cpu_ms / ours_cpu_ms:.1f} x",
            ]
        )  # fmt: skip
    ours = [np.linalg.norm(r.corners - rows[n], axis=1) for n, r in results.items() if r.corners is not None and n != reference]
    ratio = [e / r.sigma_px for n, r in results.items() if r.corners is not None and n != reference
             for e in [np.linalg.norm(r.corners - rows[n], axis=1)]]  # fmt: skip
    flat, lost = np.concatenate(ours), sum(r.status == "lost" for r in results.values())
    lines.insert(
        0,
        [
            "Verdigris",
            f"{np.median(flat):.3f}",
            f"{np.percentile(flat, 95):.3f}",
            str(lost),
            f"{ours_wall_ms:.0f}",
            f"{ours_cpu_ms:.0f}",
            "1",
        ],
    )
    head = ["tracker", "median px", "95 % px", "lost", "ms a frame", "CPU ms a frame", "time against Verdigris (wall / CPU)"]
    write_section(
        "Tracking the demo shot",
        [
            f"{count} frames of 1920 x 1080, decoding included, moving content cut out, the arm outlined.", "",
            *table(head, lines), "",
            f"Actual error over stated sigma: median {np.median(np.concatenate(ratio)):.2f}, "
            f"{100 * np.mean(np.concatenate(ratio) > 4):.1f} % beyond 4.",
        ],
    )  # fmt: skip
