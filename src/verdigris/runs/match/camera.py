"""What the camera does to whatever it sees: grain, softness, halo, fringe, blur by movement; and haze before the surface."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from verdigris.core.light.encoding import to_code
from verdigris.core.match.edges import find_edges
from verdigris.core.match.fringe import FringeSeen, measure_fringe
from verdigris.core.match.grain import measure_grain
from verdigris.core.match.halo import Halo, HaloSeen, measure_halo, unsharpened
from verdigris.core.match.softness import OWN_SIGMA, edge_sigma, extra_sigma
from verdigris.core.types import Bool, Float64
from verdigris.media.frames import LUMA
from verdigris.runs.match.proposal import Found, Proposal, Stopping, rounded, three

# Frames that grain is told from.
FOR_GRAIN = 6
FEWEST_EDGES = 24
# Sharpening is seen from this share of an edge's height on, and sure where it explains so much of what softness alone does not.
LEAST_OVERSHOOT, SURE_GAIN = 0.02, 0.8
# Fringes are seen from so many px on, and sure at so many of their own deviations.
LEAST_FRINGE_PX, SURE_SPREADS = 0.12, 6.0
# Corners differ in softness from this variance on, px^2.
LEAST_CORNER_PX2 = 1.0
# Grain may be so many times the noise that following told.
NOISE_TIMES = 3.0


def measure_noise(found: Found, stop: Stopping) -> tuple[float, Proposal]:
    """Grain around and on the surface; and the noise of a px in the middle of the scale, codes."""
    stack = found.stack
    pictures = []
    for n, picture in found.kept(FOR_GRAIN, stop):
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


def measure_sharpness(found: Found, stop: Stopping) -> tuple[list[Proposal], Halo | None]:
    """What the camera's own sharpening and the lens's fringes do to edges near the surface; and the sharpening where it is sure."""
    stack = found.stack
    halos: list[HaloSeen] = []
    fringes: list[FringeSeen] = []
    for n, picture in found.near_reference(stop):
        around = stack.ring(n, picture)
        if around is None:
            continue
        box, where = around
        values = picture.values(box)
        light = picture.light_of(values)
        edges = find_edges(np.ascontiguousarray(values @ LUMA), where, max(found.noise, 0.001))
        if edges is not None:
            halos.append(measure_halo(edges, picture.values_of, picture.light_of))
        edges = find_edges(np.ascontiguousarray(light[..., 1]), where, max(found.noise, 0.001))
        told = None if edges is None else measure_fringe(edges, light, (picture.width / 2 - box[0], picture.height / 2 - box[1]))
        if told is not None:
            fringes.append(told)
    halo, sharpening = _halo_proposal(halos)
    return [halo, _fringe_proposal(fringes, found)], sharpening


def _halo_proposal(seen: Sequence[HaloSeen]) -> tuple[Proposal, Halo | None]:
    edges = sum(s.edges for s in seen)
    if edges < FEWEST_EDGES:
        return Proposal("halo", None, False, "no edge is plain enough", "none", "No straight edge near the surface tells it."), None
    over, gain = float(np.median([s.overshoot for s in seen])), float(np.median([s.gain for s in seen]))
    plate = f"{100 * over:.1f} % beyond an edge's own height"
    evidence = (tuple(round(float(v), 4) for v in np.median([s.rise for s in seen], axis=0)),)
    if over < LEAST_OVERSHOOT or gain < 0.5:
        return Proposal("halo", None, True, plate, "none", "The camera hardly sharpens: no line beside edges is to be seen."), None
    halo = Halo(float(np.median([s.halo.amount for s in seen])), float(np.median([s.halo.radius_px for s in seen])))
    value = {"amount": round(halo.amount, 3), "radius_px": round(halo.radius_px, 2)}
    sure = gain > SURE_GAIN
    said = f"The camera sharpens: a dark and a bright line beside {edges} edges near the surface."
    proposal = Proposal("halo", value, sure, plate, "none", said if sure else f"{said} Not all edges agree; judge it by eye.", evidence)
    return proposal, halo if sure else None


def _fringe_proposal(seen: Sequence[FringeSeen], found: Found) -> Proposal:
    edges = sum(s.edges for s in seen)
    if edges < FEWEST_EDGES:
        return Proposal("fringe", None, False, "no edge is plain enough", "none", "No straight edge near the surface tells it.")
    weight = np.stack([1 / np.maximum(s.error, 1e-6) ** 2 for s in seen])
    told = (weight * np.array([[s.fringe.red, s.fringe.blue] for s in seen])).sum(axis=0) / weight.sum(axis=0)
    error = 1 / np.sqrt(weight.sum(axis=0))
    width, height = found.stack.size
    farthest = float(np.linalg.norm(found.stack.quad - [width / 2, height / 2], axis=1).max())
    apart = np.abs(told) * farthest
    plate = f"red {told[0] * farthest:+.2f} px, blue {told[1] * farthest:+.2f} px at the farthest corner"
    if apart.max() < LEAST_FRINGE_PX:
        return Proposal("fringe", None, True, plate, "none", "Colours lie on each other: there is no fringe to add.")
    sure = bool((np.abs(told) / error)[np.argmax(apart)] > SURE_SPREADS)
    said = f"From {edges} edges near the surface: the lens draws colours of different size."
    value = {"red": round(float(told[0]), 6), "blue": round(float(told[1]), 6)}
    return Proposal("fringe", value, sure, plate, "none", said if sure else f"{said} They hardly agree; judge it by eye.")


def measure_softness(found: Found, stop: Stopping, halo: Halo | None = None) -> Proposal:
    """The spread of edges near the surface at frames around its reference, and from there as it was followed.

    What the camera sharpened is taken back first.
    """
    stack = found.stack
    track = stack.tracks.get(stack.surface.id, {})
    defocus = {n: r.softness.defocus_px2 for n, r in track.items() if r.softness is not None}
    squares, edges = [], 0
    at_corners: list[list[float]] = [[], [], [], []]
    noise = max(found.noise, 0.001)
    for n, picture in found.near_reference(stop):
        around = stack.ring(n, picture)
        warp = stack.warp(n)
        if around is None or warp is None:
            continue
        box, where = around
        values = picture.values(box)
        light = picture.light_of(values if halo is None else unsharpened(values, halo))
        luma = np.ascontiguousarray(light @ LUMA)
        told = edge_sigma(luma, where, noise)
        if told is None:
            continue
        own = told[0] ** 2 - defocus.get(n, 0.0)
        squares.append(own)
        edges += told[1]
        for seen, near in zip(at_corners, _quarters(warp.corners.mean(axis=0) - [box[0], box[1]], where), strict=True):
            corner = edge_sigma(luma, near, noise)
            if corner is not None and corner[1] >= FEWEST_EDGES:
                seen.append(corner[0] ** 2 - defocus.get(n, 0.0))
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
    corners = _corner_sigmas(at_corners, base)
    over = f", {min(frames):.2f} to {max(frames):.2f} px over the shot" if frames else ""
    if corners:
        over += f", {min(corners):.2f} to {max(corners):.2f} px between corners"
    value = {"sigma_px": round(sigma, 3), "frames": frames, "corners": corners}
    worth, many = sigma > 0.12 or (frames is not None and max(frames) > 0.12), edges >= FEWEST_EDGES
    said = f"From {edges} edges near the surface{'; how it changes was followed' if frames else ''}."
    return Proposal(
        "softness", value if worth else None, many, f"{np.sqrt(max(base, 0)):.2f} px{over}", f"{OWN_SIGMA} px",
        said if many else "From few edges: judge it by eye.", (tuple(frames),) if frames else (),
    )  # fmt: skip


def _quarters(corners: Float64, where: Bool) -> list[Bool]:
    """What lies nearest to each corner of a surface, (4, 2) px of the region: four parts of `where`, in corner order."""
    y, x = np.mgrid[0 : where.shape[0], 0 : where.shape[1]]
    nearest = np.argmin([(x - cx) ** 2 + (y - cy) ** 2 for cx, cy in corners], axis=0)
    return [np.asarray(where & (nearest == i), np.bool_) for i in range(4)]


def _corner_sigmas(seen: Sequence[Sequence[float]], base: float) -> list[float] | None:
    """Softness at the four corners, px; None where it is the same all over, or a corner does not tell."""
    if any(len(s) < 3 for s in seen):
        return None
    middle = np.array([np.median(s) for s in seen])
    doubt = np.array([1.4826 * np.median(np.abs(np.array(s) - np.median(s))) / np.sqrt(len(s)) for s in seen])
    if float(np.ptp(middle)) < max(LEAST_CORNER_PX2, 6 * float(doubt.max())):
        return None
    # Their mean is what all edges tell together.
    middle = middle - middle.mean() + base
    return [round(extra_sigma(float(np.sqrt(max(v, 0.0)))), 3) for v in middle]


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
