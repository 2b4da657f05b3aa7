"""What the track itself says about the camera, read-out in rows, lens, shutter, and about a surface that is bowed.

Nothing is kept that does not help: a term (`terms`) has to be many times its uncertainty, and frames have to fit
better with it than without and than with simpler explanations.
"""

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np

from verdigris.core.camera.bow import focal_of
from verdigris.core.camera.optics import flow
from verdigris.core.tracking.alignment.frame_pictures import KeptPictures
from verdigris.core.tracking.alignment.grain import Grain, common_grain
from verdigris.core.tracking.calibration.camera_covariance import covariance_of_lens, with_doubt
from verdigris.core.tracking.calibration.comparison import LEAST_GAIN, Comparison
from verdigris.core.tracking.calibration.equations import Asked, Equations, linearise
from verdigris.core.tracking.calibration.readout_likelihood import rows_may_be_read, rows_show
from verdigris.core.tracking.calibration.result import Calibration
from verdigris.core.tracking.calibration.terms import BOW, CENTRE, LENS, TONE, Term, value_of
from verdigris.core.tracking.calibration.weighing import Weighing
from verdigris.core.tracking.sequence.follow import PlaneFollower, widened
from verdigris.core.tracking.sequence.frame_result import FrameResult, trust_of
from verdigris.core.tracking.sequence.plane import AnalysisPicture
from verdigris.core.types import Bool, Float64

MOST_FRAMES = 9
# Fewer frames than this say nothing of a camera.
LEAST_FRAMES = 3
# In stronger noise, as variance of a pixel, a tone curve is asked for that hides some of the noise, where there is none to be found.
MOST_GRAIN = (8.0 / 255) ** 2
# A seventh of a frame; and a blur that would show.
LEAST_SHUTTER, LEAST_BLUR_PX2 = 0.14**2 / 12, 1.0


def calibrate(
    follower: PlaneFollower, results: Mapping[int, FrameResult], picture: Callable[[int], AnalysisPicture],
    hidden: Callable[[int], Bool | None], lens: bool = True, readout: bool = True, stop: Callable[[], bool] = lambda: False,
) -> Calibration:  # fmt: skip
    """Estimate read-out, lens and shutter from a followed run.

    Parameters
    ----------
    picture, hidden : frame -> analysis picture, and what something nearer covers there
    lens, readout : which of them may be estimated
    stop : asked between frames
    """
    reference_movement = follower.movement_at(follower.reference_frame, results)
    frames = choose_frames(follower, results)
    start = replace(follower.optics, shutter=_shutter(results))
    if len(frames) < LEAST_FRAMES:
        return Calibration(start, reference_movement, {}, 0.0)
    # Where frames disagree, noise looks like more than it is: the best of them say how much there is.
    grain, trust = common_grain(r.evidence.grain for r in results.values() if r.evidence is not None), trust_of_run(follower, results)
    pictures = {n: Asked(KeptPictures(picture(n).values), widened(hidden(n)), trust, grain) for n in frames}
    # From here on only these frames are needed, and those that tell how they move.
    results = {n: r for n, r in results.items() if any(n + k in pictures for k in (-2, -1, 0, 1, 2))}
    if not any(start.bow):
        poses = [e.pose for n in frames if (e := follower.evidence_of(results[n])) is not None]
        start = replace(start, focal=focal_of(follower.plane_corners, poses, (start.width, start.height)))
    base = follower.under(start, reference_movement)
    comparison = Comparison(base, base.restated(results), results, pictures, stop)
    # Later rounds go on from what steps have found.
    if follower.optics.shutter is None:
        comparison = _with_likely_shutter(comparison)
    allowed = _terms_to_ask(comparison, grain, lens, readout)
    equations = linearise(comparison.base, comparison.stated, pictures, allowed, stop)
    if equations is None:
        return Calibration(comparison.base.optics, reference_movement, {}, 0.0)
    if {*CENTRE} <= {*allowed}:
        comparison = _with_doubt_of_lens(comparison, equations)
    optics = comparison.base.optics
    if follower.optics.is_plain and equations.promise < 2 * LEAST_GAIN:
        # In noise nothing can take much of what is left away; rows that are read later may show all the same.
        if not rows_show(equations, optics) and not rows_may_be_read(equations, optics):
            return Calibration(optics, reference_movement, {}, 0.0)
        allowed = ("shutter", "readout")
    weighing = Weighing(comparison, equations, allowed, reference_movement)
    weighing.geometry()
    if not stop() and "readout" in allowed and not weighing.best.optics.readout and rows_may_be_read(equations, optics):
        weighing.likely_rows()
    if not stop() and not {*TONE}.isdisjoint(allowed):
        weighing.tone()
    return weighing.best


def _with_likely_shutter(comparison: Comparison) -> Comparison:
    """The frames with the usual shutter that the quickest of them like best, as long as that does not cost the others."""
    base, likely = comparison.base, comparison.likeliest_shutter()
    if likely == base.optics.shutter:
        return comparison
    other = base.under(replace(base.optics, shutter=likely), base.reference_movement)
    # Slow frames know the reference frame's own smear.
    gain = comparison.gain(other)
    return comparison.through(other) if gain.share > gain.least else comparison


def _with_doubt_of_lens(comparison: Comparison, equations: Equations) -> Comparison:
    """The frames through a lens that says what it is not known for, before anything is decided about more of its terms."""
    base = comparison.base
    places = [equations.terms.index(t) for t in LENS]
    covariance = covariance_of_lens(equations.hessian, equations.clusters.sum(axis=0), places, value_of(base.optics, "k1"))
    return comparison.through(base.under(with_doubt(base.optics, lens=covariance), base.reference_movement))


def _terms_to_ask(comparison: Comparison, grain: Grain, lens: bool, readout: bool) -> tuple[Term, ...]:
    """Terms that the frames may tell something of."""
    base, optics = comparison.base, comparison.base.optics
    # A plane that may not tilt would ask for a lens or a bow where it is only seen from the side.
    tilts = base.motion == "perspective"
    # A bow would take the place of a lens that is not allowed for, and looks much like what is left of one that is being found.
    bowed = tilts and lens != (optics.lens is not None)
    centred = CENTRE if optics.lens is not None and optics.lens.k1 else ()
    # Where nothing is blurred otherwise than the reference is, nothing tells of the tone curve.
    blurs = (optics.shutter or 0.0) > LEAST_SHUTTER or any(
        abs(e.blur) > LEAST_BLUR_PX2 for n in comparison.pictures if (e := base.evidence_of(comparison.stated[n])) is not None
    )
    return (
        "shutter",
        *(TONE if grain.variance < MOST_GRAIN and blurs else ()),
        *(("readout",) if readout else ()),
        *(BOW if bowed else ()),
        *(("k1", "k2", *centred) if lens and tilts else ()),
    )


def worth_settling(follower: PlaneFollower, results: Mapping[int, FrameResult], found: Calibration) -> bool:
    """Whether another quick look at all frames can change anything: other optics, smear, content that moves, lost frames."""
    if found.optics.lens != follower.optics.lens or found.optics.readout != follower.optics.readout or found.optics.readout:
        return True
    if any(r.status == "lost" for r in results.values()):
        return True
    if found.optics.tone != follower.optics.tone or found.optics.bow != follower.optics.bow:
        return True
    if found.optics.shutter and any(follower.smears(follower.movement_at(n, results)) for n in results):
        return True
    trust = trust_of_run(follower, results)
    return trust is not None and bool(np.any(trust < 0.5))


def choose_frames(follower: PlaneFollower, results: Mapping[int, FrameResult]) -> list[int]:
    """Frames that say most: spread over the run, and those whose movement is least even across the region."""
    held = {n: r for n, r in results.items() if r.corners is not None and n != follower.reference_frame and r.share_used > 0.2}
    # Frames that another frame was the template for say nothing of the reference.
    usable = sorted(n for n, r in held.items() if r.through is None)
    if len(usable) <= MOST_FRAMES:
        return usable
    spread = [usable[i] for i in np.linspace(0, len(usable) - 1, MOST_FRAMES // 2).astype(int)]
    uneven = {n: float(np.std(flow(follower.appearance.centres, follower.movement_at(n, results)), axis=0).sum()) for n in usable}
    rest = sorted((n for n in usable if n not in spread), key=lambda n: -uneven[n])
    return sorted({*spread, *rest[: MOST_FRAMES - len(spread)]})


def _shutter(results: Mapping[int, FrameResult]) -> float:
    """Shutter from the frames that smear, frames^2."""
    seen = [r.evidence.shutter for r in results.values() if r.evidence is not None and r.evidence.shutter is not None]
    return float(np.median(seen)) if seen else 0.0


def trust_of_run(follower: PlaneFollower, results: Mapping[int, FrameResult]) -> Float64 | None:
    """How far each tile moves with the plane over a run."""
    return trust_of(e.tiles for n, r in results.items() if n != follower.reference_frame and (e := r.evidence) is not None)
