"""What the camera does to whatever it sees: grain, softness, blur by movement; and what lies before and around the surface."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from verdigris.core.light.encoding import to_code
from verdigris.core.match.grain import measure_grain
from verdigris.core.match.softness import OWN_SIGMA, edge_sigma, extra_sigma
from verdigris.core.types import Float64
from verdigris.media.frames import LUMA
from verdigris.runs.match.proposal import Found, Proposal, Stopping, rounded, three
from verdigris.runs.match.stack import spread

# Frames that grain and softness are told from.
FOR_GRAIN, FOR_SOFT = 6, 5
# Grain may be so many times the noise that following told.
NOISE_TIMES = 3.0


def measure_noise(found: Found, stop: Stopping) -> tuple[float, Proposal]:
    """Grain around and on the surface; and the noise of a px in the middle of the scale, codes."""
    stack = found.stack
    pictures = []
    for n, picture in stack.pictures(spread(stack.frames, FOR_GRAIN), stop):
        near = stack.ring(n, picture)
        if near is not None:
            box, where = near
            pictures.append((picture.codes(box), where))
    # Following tells the noise of single px where it looked; grain that is far above it is fine print.
    told = [r.softness.noise for r in stack.tracks.get(stack.surface.id, {}).values() if r.softness is not None and r.softness.noise]
    grain = measure_grain(pictures, NOISE_TIMES * (float(np.median(told)) if told else _over_time(found)))
    if grain is None:
        return 0.0, Proposal(
            "grain", None, False, "too little is flat to tell", "none", "Nothing flat enough is near the surface. Judge it by eye."
        )
    value = {
        "codes": rounded(grain.codes), "deviation": [rounded(d) for d in grain.deviation],
        "spatial": [rounded(r) for r in grain.spatial], "channels": [rounded(r) for r in grain.channels],
    }  # fmt: skip
    middle = grain.deviation[len(grain.deviation) // 2]
    noise = float(middle.mean())
    worth = noise > 0.0006
    return noise, Proposal(
        "grain", value if worth else None, worth, f"{255 * middle[0]:.2f}, {255 * middle[1]:.2f}, {255 * middle[2]:.2f} of 255", "0",
        "Told from flat parts near the surface, level by level." if worth else "The plate has hardly any grain: none is added.",
    )  # fmt: skip


def _over_time(found: Found) -> float:
    """Noise of a px from frame to frame where the surface is held still, codes; laying it square softens it, which is made up for."""
    steps = []
    for a, b, u, v in zip(found.lights, found.lights[1:], found.seens, found.seens[1:], strict=False):
        both = u & v
        if both.sum() > 100:
            one, two = (to_code(np.maximum(x[both], 0), "srgb") for x in (a, b))
            steps.append(1.4826 * float(np.median(np.abs(one - two))) / np.sqrt(2))
    return 1.6 * float(np.median(steps)) if steps else 1.0


def measure_softness(found: Found, stop: Stopping) -> Proposal:
    """The spread of edges near the surface at frames around its reference, and from there as it was followed."""
    stack = found.stack
    reference = stack.surface.reference_frame
    near = sorted(stack.frames, key=lambda n: abs(n - reference))[: 3 * FOR_SOFT : 3] or [reference]
    track = stack.tracks.get(stack.surface.id, {})
    defocus = {n: r.softness.defocus_px2 for n, r in track.items() if r.softness is not None}
    squares, edges = [], 0
    for n, picture in stack.pictures(sorted(near), stop):
        around = stack.ring(n, picture)
        if around is None:
            continue
        box, where = around
        light = picture.light_of(picture.values(box))
        told = edge_sigma(np.ascontiguousarray(light @ LUMA), where, max(found.noise, 0.001))
        if told is not None:
            squares.append(told[0] ** 2 - defocus.get(n, 0.0))
            edges += told[1]
    if not squares:
        return Proposal(
            "softness",
            None,
            False,
            "no edge is plain enough",
            f"{OWN_SIGMA} px",
            "No straight edge near the surface tells it. Judge it by eye.",
        )
    base = float(np.median(squares))
    count = stack.plate.facts.frame_count
    frames = None
    if len(defocus) > 2 and float(np.ptp(list(defocus.values()))) > 0.2:
        known = sorted(defocus)
        squares_at = np.interp(np.arange(count), known, [base + defocus[n] for n in known])
        frames = [round(extra_sigma(float(np.sqrt(max(v, 0.0)))), 3) for v in squares_at]
    sigma = extra_sigma(float(np.sqrt(max(base, 0.0))))
    over = f", {min(frames):.2f} to {max(frames):.2f} px over the shot" if frames else ""
    value = {"sigma_px": round(sigma, 3), "frames": frames}
    worth, many = sigma > 0.12 or (frames is not None and max(frames) > 0.12), edges >= 24
    said = f"From {edges} edges near the surface{'; how it changes was followed' if frames else ''}."
    return Proposal(
        "softness", value if worth else None, many, f"{np.sqrt(max(base, 0)):.2f} px{over}", f"{OWN_SIGMA} px",
        said if many else "From few edges: judge it by eye.", (tuple(frames),) if frames else (),
    )  # fmt: skip


def measure_movement(found: Found) -> Proposal:
    """Blur by movement, where the shutter was found with the track."""
    stack = found.stack
    track = stack.tracks.get(stack.surface.id, {})
    pairs = [(_corners(track, n), _corners(track, n + 1)) for n in stack.frames]
    moved = [float(np.linalg.norm(b - a, axis=1).max()) for a, b in pairs if a is not None and b is not None]
    fastest, evidence = max(moved, default=0.0), (tuple(round(m, 2) for m in moved),)
    if stack.camera.shutter is None:
        worth = fastest > 4
        said = "The track does not tell the shutter; half a frame is usual. Judge it by eye."
        return Proposal(
            "movement", {"shutter": 0.5} if worth else None, False, f"{fastest:.1f} px a frame at most, shutter not told", "none",
            said if worth else "It hardly moves: there is no blur to add.", evidence,
        )  # fmt: skip
    shutter = float(np.sqrt(12 * stack.camera.shutter))
    worth = shutter * fastest > 0.5
    return Proposal(
        "movement", {"shutter": round(min(shutter, 2.0), 3)} if worth else None, True,
        f"shutter {shutter:.2f} frames, {fastest:.1f} px a frame at most", "none",
        "The shutter was found with the track." if worth else "It moves too little for its blur to be seen.", evidence,
    )  # fmt: skip


def _corners(track: Any, n: int) -> Float64 | None:
    r = track.get(n)
    return None if r is None or r.homography is None else r.corners


def measure_veil(found: Found, proposals: Sequence[Proposal]) -> Proposal:
    """Haze: the darkest that is seen around, which nothing in the scene should be."""
    known = found.clean[found.ever]
    dark = np.percentile(known, 0.3, axis=0) if len(known) else np.zeros(3)
    return Proposal(
        "veil", None, False, f"darkest {three(np.asarray(dark, np.float64))}", "0.000",
        "The darkest on the surface is taken for ink or reflection already. Add a veil by hand where haze lies before it.",
    )  # fmt: skip


def measure_shadow(found: Found) -> Proposal:
    """A shadow under what stays in front: offered, not measured."""
    kept = any(p.kept_in_front for p in found.stack.shot.placements if p.surface == found.stack.surface.id)
    said = "A matte stays in front: a soft shadow under it can be added. Judge it by eye." if kept else "Nothing in front has a matte."
    value = {"offset_px": [4.0, 6.0], "soft_px": 6.0, "strength": 0.25} if kept else None
    return Proposal("shadow", value, False, "not measured", "none", said)


def measure_glow(found: Found, proposals: Sequence[Proposal]) -> Proposal:
    """Light that a bright screen throws around it: offered, not measured."""
    levels = next((p for p in proposals if p.part == "levels"), None)
    bright = found.match.kind == "screen" and levels is not None and levels.value is not None and max(levels.value["gain"]) > 0.5
    return Proposal(
        "glow", {"radius_px": 24.0, "strength": 0.04} if bright else None, False, "not measured", "none",
        "A bright screen throws light around it. Judge it by eye." if bright else "Nothing here shines.",
    )  # fmt: skip
