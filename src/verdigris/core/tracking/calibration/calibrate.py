"""What the track itself says about the camera, read-out in rows, lens, shutter, and about a surface that is bowed.

Nothing is kept that does not help: a term (`shared_terms`) has to be many times its uncertainty, and frames have to fit
better with it than without and than with simpler explanations.
"""

from collections.abc import Callable, Mapping, Set
from dataclasses import dataclass, replace
from functools import cache

import numpy as np

from verdigris.core.camera.bow import focal_of
from verdigris.core.camera.optics import Movement, Optics, flow
from verdigris.core.tracking.alignment.align import fit_at
from verdigris.core.tracking.alignment.fit import Fit
from verdigris.core.tracking.alignment.frame_pictures import KeptPictures
from verdigris.core.tracking.alignment.grain import common_grain
from verdigris.core.tracking.alignment.synthesis import softness
from verdigris.core.tracking.calibration.camera_covariance import covariance_of_lens, with_doubt
from verdigris.core.tracking.calibration.readout_likelihood import ROWS_SHOW, likely_rows, rows_may_be_read, rows_show
from verdigris.core.tracking.calibration.shared_parameters import (
    BOW,
    CENTRE,
    LENS,
    TERMS,
    TONE,
    Asked,
    Equations,
    Estimate,
    Term,
    choose_terms,
    conditions_at,
    linearise,
    near_before,
    value_of,
)  # fmt: skip
from verdigris.core.tracking.calibration.solve_parameters import SIGNIFICANT, WORTH_TRYING, Solved, solve
from verdigris.core.tracking.reference.appearance import USUAL_VARIANCE
from verdigris.core.tracking.sequence.follow import SHUTTERS, SMEARING_PX, AnalysisPicture, PlaneFollower, widened
from verdigris.core.tracking.sequence.frame_result import FrameResult, trust_of
from verdigris.core.types import Bool, Float64

# Fits of some frames at some smoothing.
_Fits = dict[tuple[int, float], tuple[Fit, Float64] | None]
MOST_FRAMES = 9
WORTH_ANOTHER_ROUND = 0.02
CERTAIN = 7.0
BEYOND_DOUBT = 14.0
LEAST_GAIN = 0.004
# In stronger noise, as variance of a pixel, a tone curve is asked for that hides some of the noise, where there is none to be found.
MOST_GRAIN = (8.0 / 255) ** 2
# A seventh of a frame; and a blur that would show.
LEAST_SHUTTER, LEAST_BLUR_PX2 = 0.14**2 / 12, 1.0
# What refined values may seem to cost: movement is known for the old ones until all frames are looked at again.
REFINING_COST = 0.15
# Terms that change by less, in standard deviations, have not changed.
HARDLY = 0.5


@dataclass(frozen=True)
class Calibration:
    """Outcome.

    Attributes
    ----------
    optics : what to look through from now on
    reference_movement : movement of the plane at the reference frame
    estimates : the terms that were kept
    gain : by how much frames fit better, as a share of their residual; 0 when nothing was kept
    changed : by how many of its standard deviations the term that changed most differs from what it was
    """

    optics: Optics
    reference_movement: Movement
    estimates: dict[Term, Estimate]
    gain: float
    changed: float = 0.0

    @property
    def moving(self) -> bool:
        """Whether another round would find more: frames have yet to be looked at with what changed here."""
        return self.gain > WORTH_ANOTHER_ROUND or self.changed > SIGNIFICANT


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
    start = replace(follower.optics, shutter=_shutter(results))
    reference_movement = follower.movement_at(follower.reference_frame, results)
    frames = choose_frames(follower, results)
    if len(frames) < 3:
        return Calibration(start, reference_movement, {}, 0.0)
    trust = trust_of_run(follower, results)
    # Where frames disagree, noise looks like more than it is: the best of them say how much there is.
    grain = common_grain(r.evidence.grain for r in results.values() if r.evidence is not None)
    pictures = {n: Asked(KeptPictures(picture(n).values), widened(hidden(n)), trust, grain) for n in frames}
    # From here on only these frames are needed, and those that tell how they move.
    results = {n: r for n, r in results.items() if any(n + k in pictures for k in (-2, -1, 0, 1, 2))}
    if not any(start.bow):
        poses = [e.pose for n in frames if (e := follower.evidence_of(results[n])) is not None]
        start = replace(start, focal=focal_of(follower.plane_corners, poses, (start.width, start.height)))
    base = follower.under(start, reference_movement)
    stated = base.restated(results)
    # Later rounds go on from what steps have found.
    first_round = follower.optics.shutter is None
    likely = base.under(replace(start, shutter=_best_shutter(base, stated, pictures)), reference_movement) if first_round else base
    if likely.optics.shutter != base.optics.shutter:
        # What the quickest frames like must not cost the slow ones: those know the reference frame's own smear.
        gain, give = _gain(base, stated, likely, results, pictures, stop, {})
        if gain > max(LEAST_GAIN, 2 * give):
            base = likely
    # A plane that may not tilt would ask for a lens or a bow where it is only seen from the side.
    tilts = base.motion == "perspective"
    bends = lens and tilts
    # A bow would take the place of a lens that is not allowed for, and looks much like what is left of one that is being found.
    bowed = tilts and lens != (base.optics.lens is not None)
    centred = CENTRE if base.optics.lens is not None and base.optics.lens.k1 else ()
    # Where nothing is blurred otherwise than the reference is, nothing tells of the tone curve.
    blurs = (base.optics.shutter or 0.0) > LEAST_SHUTTER or any(
        abs(e.blur) > LEAST_BLUR_PX2 for n in frames if (e := base.evidence_of(stated[n])) is not None
    )
    allowed: tuple[Term, ...] = (
        "shutter",
        *(TONE if grain.variance < MOST_GRAIN and blurs else ()),
        *(("readout",) if readout else ()),
        *(BOW if bowed else ()),
        *(("k1", "k2", *centred) if bends else ()),
    )
    before = linearise(base, stated, pictures, allowed, stop)
    if bends and centred and before is not None:
        # What a lens is not known for, before anything is decided about more of its terms.
        places = [allowed.index(t) for t in LENS]
        covariance = covariance_of_lens(before.hessian, before.clusters.sum(axis=0), places, value_of(base.optics, "k1"))
        base = base.under(with_doubt(base.optics, lens=covariance), reference_movement)
    plain = Calibration(base.optics, reference_movement, {}, 0.0)
    if before is None:
        return plain
    if follower.optics.is_plain and before.promise < 2 * LEAST_GAIN:
        # In noise nothing can take much of what is left away; rows that are read later may show all the same.
        if not rows_show(before, base.optics) and not rows_may_be_read(before, base.optics):
            return plain
        allowed = ("shutter", "readout")
    known: Set[Term] = {t for t in TERMS if t != "shutter" and value_of(base.optics, t) != 0}
    best, best_gain = plain, LEAST_GAIN
    kept: Solved | None = None
    fits: _Fits = {}

    def weigh(solved: Solved | None) -> None:
        """Keep what was solved for if it helps more than what was kept so far."""
        nonlocal best, best_gain, kept
        if solved is None:
            return
        estimates = solved.estimates
        changed = max(abs(e.value - value_of(base.optics, t)) / e.scatter for t, e in estimates.items())
        # What hardly moves the terms that are known cannot be told from what was.
        the_same = changed < HARDLY and known <= {*estimates} <= {*known, "shutter"}
        gain, give = (0.0, 0.0) if the_same else _gain(base, stated, solved.follower, results, pictures, stop, fits, solved.equations)
        if _helps(estimates, known, gain, give, best_gain, best is plain, base.optics.shutter or 0.0):
            best = Calibration(solved.follower.optics, reference_movement, dict(estimates), gain, changed)
            best_gain, kept = max(gain, 0.0) + LEAST_GAIN, solved

    nothing = Solved(base, {}, before)
    for terms in _simpler_first(before, base.optics, tuple(t for t in allowed if t not in TONE)):
        # What was kept already leads most of the way.
        leads = kept is not None and set(kept.estimates) < set(terms)
        weigh(solve(base, kept if kept and leads else nothing, results, pictures, terms, stop))
    if not stop() and "readout" in allowed and not best.optics.readout and rows_may_be_read(before, base.optics):
        geometry = {*kept.estimates, "shutter", "readout"} if kept else {"shutter", "readout"}
        solved = likely_rows(base, kept or nothing, results, pictures, tuple(t for t in allowed if t in geometry), stop)
        if solved is not None:
            gain, give = _gain(base, stated, solved.follower, results, pictures, stop, fits, solved.equations)
            if gain > best.gain - max(LEAST_GAIN, 2 * give):
                best = replace(best, optics=solved.follower.optics, estimates=dict(solved.estimates), gain=max(gain, 0.0))
                # It stays as it is: asked for again, it would be left out.
                kept = replace(solved, estimates={t: e for t, e in solved.estimates.items() if t != "readout"})
    if not stop() and not {*TONE}.isdisjoint(allowed):
        # The tone curve hardly depends on where things are: it is asked for beside whatever that was found to be.
        geometry = {*kept.estimates} if kept else {"shutter", "readout"}
        solved = solve(base, kept or nothing, results, pictures, tuple(t for t in allowed if t in geometry or t in TONE), stop)
        if solved is not None and not {*TONE}.isdisjoint(solved.estimates):
            weigh(solved)
    return best


def _helps(
    estimates: Mapping[Term, Estimate], known: Set[Term], gain: float, give: float, least: float, is_first: bool, shutter: float
) -> bool:  # fmt: skip
    """Whether terms are to be kept.

    Parameters
    ----------
    estimates : the terms, with their uncertainty
    known : terms that are not nothing at present
    gain, give : by how much frames fit better with the terms, and its standard error
    least : what they have to gain at least: more than what was kept so far
    is_first : whether nothing was kept so far
    shutter : what it is at present; 0 where nothing smears
    """
    new = set(estimates) - known
    # More terms must earn their keep; what the equations are certain of, by less.
    certain = all(abs(e.value) > CERTAIN * e.sigma for e in estimates.values())
    # What is new and looks less than certain has to gain plainly over what is simpler.
    doubtful = not certain and not {"k1", *BOW}.isdisjoint(new)
    if gain > max(least + (give if doubtful else 0.0), (1 if certain else 2) * give):
        return True
    no_worse = gain > -max(LEAST_GAIN, 2 * give)
    # A bow that is beyond doubt is kept unless frames plainly look worse for it: where little stands far out, few frames gain.
    bows = [e for t, e in estimates.items() if t in BOW]
    if bows and not known.intersection(BOW) and gain > least - 2 * give and all(abs(e.value) > BEYOND_DOUBT * e.sigma for e in bows):
        return True
    # So is a tone curve that is certain: edges in few directions gain by it, all are bent by it.
    tones = [e for t, e in estimates.items() if t in TONE]
    if (
        tones
        and not known.intersection(TONE)
        and gain > least - LEAST_GAIN - 2 * give
        and all(abs(e.value) > CERTAIN * e.sigma for e in tones)
    ):
        return True
    # A shutter that is certainly another one is corrected: where few edges show it, frames are too few to gain by it for sure.
    of_shutter = estimates["shutter"] if is_first and set(estimates) == {"shutter"} else None
    if of_shutter and shutter > 0 and abs(of_shutter.value - shutter) > CERTAIN * of_shutter.sigma:
        return no_worse
    # A lens that is known is refined as a whole: what is new in it must not cost anything, as only the outermost frames gain.
    if is_first and "k1" in known and "k1" in estimates:
        return no_worse if new else gain > -REFINING_COST
    # What is known is refined, whatever it seems to cost. In noise, rows show in the equations long before frames look better.
    refined = bool(known) and known - {*TONE} == set(estimates) - {"shutter", *TONE} and gain > -REFINING_COST
    rows = set(estimates) <= {"shutter", "readout"} and "readout" in estimates and no_worse
    return is_first and (refined or (rows and abs(estimates["readout"].value) > ROWS_SHOW * estimates["readout"].sigma))


def _simpler_first(equations: Equations, optics: Optics, allowed: tuple[Term, ...]) -> list[tuple[Term, ...]]:
    """Sets of terms that look certain beside each other: first without lens and bow, which may only seem to be needed."""

    def certain(*without: Term) -> tuple[Term, ...]:
        among = tuple(t for t in allowed if t not in (*without, *CENTRE))
        chosen = choose_terms(equations.only(among), optics, among, WORTH_TRYING)[0]
        return tuple(t for t in TERMS if t in chosen)

    asked_for = certain()
    if {*CENTRE} <= {*allowed} and "k1" in asked_for:
        return [tuple(t for t in allowed if t not in BOW)]
    # A lens or a bow that was found around poses that were far off, and that the equations do not ask for any more, is to go.
    gone = tuple(t for t in (*BOW, *LENS) if t in allowed and value_of(optics, t) != 0 and t not in asked_for)
    given_up = tuple(t for t in TERMS if t in (*asked_for, *gone)) if gone else ()
    sets = (certain(*LENS, *BOW), certain(*LENS), certain(*BOW, "k2"), certain(*BOW), asked_for, given_up)
    # A bow beside a lens shows only once that is known.
    return [s for s in dict.fromkeys(sets) if s and not ("k1" in s and not {*BOW}.isdisjoint(s))]


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


def _best_shutter(base: PlaneFollower, stated: Mapping[int, FrameResult], pictures: Mapping[int, Asked]) -> float:
    """Whichever usual shutter fits best as the poses are: from there steps find the rest."""
    candidates = tuple(sorted({*SHUTTERS, base.optics.shutter or 0.0}))
    moving = {n: float(np.median(np.sum(flow(base.appearance.centres, base.movement_at(n, stated)) ** 2, axis=1))) for n in pictures}
    quickest = [n for n in sorted(moving, key=lambda n: -moving[n]) if moving[n] > SMEARING_PX**2][:4]

    @cache
    def cost(i: int) -> float:
        shutter, total = candidates[i], 0.0
        for n in quickest:
            evidence = base.evidence_of(stated[n])
            if evidence is None:
                continue
            c = conditions_at(base, n, stated, pictures[n])
            least = max(
                softness(base.appearance, evidence.pose, c.movement, base.reference_movement, evidence.blur, s, USUAL_VARIANCE).smoothing
                for s in candidates
            )
            found = fit_at(
                base.appearance, base.optics, pictures[n].pictures, evidence.pose, replace(c, shutter=shutter), base.motion, least
            )
            total += 0.0 if found is None else float(np.log(max(found[0].cost(), 1e-6))) / len(quickest)
        return total

    own = here = candidates.index(base.optics.shutter or 0.0)
    # Too short or too long a smear fits the worse the further off it is: from the one at hand, step by step.
    while (best := min((i for i in (here, here - 1, here + 1) if 0 <= i < len(candidates)), key=cost)) != here:
        here = best
    return candidates[here] if cost(here) < cost(own) - LEAST_GAIN else candidates[own]


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


def _gain(
    base: PlaneFollower, stated: Mapping[int, FrameResult], found: PlaneFollower, results: Mapping[int, FrameResult],
    pictures: Mapping[int, Asked], stop: Callable[[], bool], fits: _Fits, solved: Equations | None = None,
) -> tuple[float, float]:  # fmt: skip
    """Mean relative improvement over the frames, and its standard error; no frame counts for more than a fair share.

    A softer comparison leaves less in any case: both sides are compared at the same softness, on the same pixels.
    `fits` keeps those of the base for the next that is held against it; frames were `solved` nearby.
    """
    other, gains = found.restated(results), []
    for n, asked in pictures.items():
        ours, theirs = found.evidence_of(other[n]), base.evidence_of(stated[n])
        if stop() or ours is None or theirs is None:
            continue
        c, d = conditions_at(base, n, stated, asked), conditions_at(found, n, other, asked)
        least = max(
            softness(f.appearance, e.pose, x.movement, x.reference_movement, e.blur, x.shutter, USUAL_VARIANCE).smoothing
            for f, e, x in ((base, theirs, c), (found, ours, d))
        )
        if (n, least) not in fits:
            fits[n, least] = fit_at(base.appearance, base.optics, asked.pictures, theirs.pose, c, base.motion, least)
        before = fits[n, least]
        pose, d = near_before(found, solved, n, ours.pose, d)
        after = fit_at(found.appearance, found.optics, asked.pictures, pose, d, found.motion, least)
        if before is None or after is None:
            continue
        after[0].adopt(before[0], after[1], least)
        gain = after[0].gain_over(before[0])
        if gain is not None:
            gains.append(float(np.clip(gain, -0.5, 0.5)))
    if len(gains) < 2:
        return 0.0, 1.0
    return float(np.mean(gains)), float(np.std(gains) / np.sqrt(len(gains) - 1))
