"""What the track itself says about the camera, read-out in rows, lens, shutter, and about a surface that is bowed.

Nothing is kept that does not help. Every frame has its own pose; read-out, lens and bow are shared by all. Around the present
estimate the poses are eliminated from the normal equations (Schur complement), so each shared term gets a value and an
uncertainty of its own. A term is kept when it is many times its uncertainty, and when frames fit better with it than without.

References
----------
Triggs et al., Bundle adjustment - a modern synthesis, 2000 (elimination of per-frame unknowns).
Meingast, Geyer and Sastry, Geometric models of rolling-shutter cameras, OMNIVIS 2005.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import cache
from typing import Literal

import numpy as np

from verdigris.core.geometry.lens import Lens
from verdigris.core.tracking.align import fit_at
from verdigris.core.tracking.appearance import USUAL_VARIANCE
from verdigris.core.tracking.bow import focal_of
from verdigris.core.tracking.doubt import sandwich
from verdigris.core.tracking.fit import Conditions, Fit
from verdigris.core.tracking.follow import SHUTTERS, SMEARING_PX, AnalysisPicture, FrameResult, PlaneFollower, trust_of, widened
from verdigris.core.tracking.optics import Movement, Optics, flow
from verdigris.core.tracking.synthesis import softness
from verdigris.core.types import Bool, Float32, Float64

# Fits of some frames at some smoothing.
_Fits = dict[tuple[int, float], tuple[Fit, Float64] | None]
Term = Literal["shutter", "tone", "readout", "bow_along", "bow_across", "k1", "k2", "cx", "cy"]
TERMS: tuple[Term, ...] = ("shutter", "tone", "readout", "bow_along", "bow_across", "k1", "k2", "cx", "cy")
# The lens's centre against the picture's, in half diagonals: it shows only once the lens is known to bend.
CENTRE: tuple[Term, ...] = ("cx", "cy")
BOW: tuple[Term, ...] = ("bow_along", "bow_across")
LENS: tuple[Term, ...] = ("k1", "k2", *CENTRE)
MOST_OFF_CENTRE = 0.2
# What stands out by more, as a share of its size, is not a shallow bow.
MOST_BOW = 0.03
MOST_FRAMES = 9
MOST_ROUNDS = 3
WORTH_ANOTHER_ROUND = 0.02
SIGNIFICANT = 5.0
CERTAIN = 7.0
BEYOND_DOUBT = 14.0
# Around a first estimate that is far off, terms look less certain than they are: these are tried.
WORTH_TRYING = 2.5
LEAST_GAIN = 0.004
# What refined values may seem to cost: movement is known for the old ones until all frames are looked at again.
REFINING_COST = 0.15


@dataclass(frozen=True)
class _Asked:
    """A frame that is asked about the camera: code values 0..1, what is covered, and the trust in each tile over the run."""

    values: Float32
    hidden: Bool | None
    trust: Float64 | None


@dataclass(frozen=True)
class Estimate:
    """A shared term: its value and standard deviation."""

    value: float
    sigma: float


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
    estimates: dict[str, Estimate]
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
    pictures = {n: _Asked(picture(n).values, widened(hidden(n)), trust) for n in frames}
    # From here on only these frames are needed, and those that tell how they move.
    results = {n: r for n, r in results.items() if any(n + k in pictures for k in (-2, -1, 0, 1, 2))}
    if not any(start.bow):
        poses = [e.pose for n in frames if (e := follower.evidence_of(results[n])) is not None]
        start = replace(start, focal=focal_of(follower.plane_corners, poses, (start.width, start.height)))
    base = follower.under(start, reference_movement)
    stated = base.restated(results)
    likely = base.under(replace(start, shutter=_best_shutter(base, stated, pictures)), reference_movement)
    if likely.optics.shutter != base.optics.shutter:
        # What the quickest frames like must not cost the slow ones: those know the reference frame's own smear.
        gain, give = _gain(base, stated, likely, results, pictures, stop, {})
        if gain > max(LEAST_GAIN, 2 * give):
            base = likely
    plain = Calibration(base.optics, reference_movement, {}, 0.0)
    # A plane that may not tilt would ask for a lens or a bow where it is only seen from the side.
    tilts = base.motion == "perspective"
    bends = lens and tilts
    # A bow would take the place of a lens that is not allowed for, and looks much like what is left of one that is being found.
    bowed = tilts and lens != (base.optics.lens is not None)
    centred = CENTRE if base.optics.lens is not None and base.optics.lens.k1 else ()
    allowed: tuple[Term, ...] = (
        "shutter",
        "tone",
        *(("readout",) if readout else ()),
        *(BOW if bowed else ()),
        *(("k1", "k2", *centred) if bends else ()),
    )
    before = _linearise(base, stated, pictures, allowed, stop)
    if before is None or (follower.optics.is_plain and before.promise < 2 * LEAST_GAIN):
        return plain
    wanted = _simpler_first(before, base.optics, allowed)
    known = {t for t in TERMS if t != "shutter" and _value(base.optics, t) != 0}
    best, best_gain = plain, LEAST_GAIN
    fits: _Fits = {}
    for terms in wanted:
        solved = _solve(base, results, pictures, terms, before, stop)
        if solved is None:
            continue
        found, estimates = solved
        gain, give = _gain(base, stated, found, results, pictures, stop, fits)
        refined = bool(known) and known - {*CENTRE} == set(estimates) - {"shutter", *CENTRE} and gain > -REFINING_COST
        # In noise, rows that are read later show in the equations long before frames look better.
        no_worse = gain > -max(LEAST_GAIN, 2 * give)
        rows = "readout" in estimates and set(estimates) <= {"shutter", "readout"} and no_worse
        plainly = rows and abs(estimates["readout"].value) > CERTAIN * estimates["readout"].sigma
        # More terms must earn their keep; what the equations are certain of, by less.
        certain = all(abs(e.value) > CERTAIN * e.sigma for e in estimates.values())
        # A lens that is known bends only the outermost frames otherwise by its second term: few gain, but they gain plainly.
        deeper = certain and "k1" in known and not {"k2", *CENTRE}.isdisjoint(set(estimates) - known)
        # What is new and looks less than certain has to gain plainly over what is simpler.
        doubtful = not certain and not {"k1", *BOW}.isdisjoint(set(estimates) - known)
        earned = gain > best_gain + (give if doubtful else 0.0) and (deeper or gain > (1 if certain else 2) * give)
        # Nor does a second term that is beyond doubt have to wait for them.
        beyond_doubt = deeper and no_worse and all(abs(e.value) > BEYOND_DOUBT * e.sigma for t, e in estimates.items() if t in LENS)
        if earned or beyond_doubt or (best is plain and (refined or plainly)):
            changed = max(abs(e.value - _value(base.optics, t)) / e.sigma for t, e in estimates.items())  # type: ignore[arg-type]
            best, best_gain = Calibration(found.optics, reference_movement, estimates, gain, changed), max(gain, 0.0) + LEAST_GAIN
    return best


def _simpler_first(equations: "_Equations", optics: Optics, allowed: tuple[Term, ...]) -> list[tuple[Term, ...]]:
    """Sets of terms that look certain beside each other: first without lens and bow, which may only seem to be needed."""

    def certain(*without: Term) -> tuple[Term, ...]:
        among = tuple(t for t in allowed if t not in without)
        chosen = _choose(equations.only(among), optics, among, WORTH_TRYING)[0]
        return tuple(t for t in TERMS if t in chosen)

    sets = [certain(*LENS, *BOW), certain(*LENS), certain(*BOW, *CENTRE), certain(*BOW), certain(*CENTRE), certain()]
    # A lens or a bow that was found around poses that were far off, and that the equations do not ask for any more, is to go.
    gone = tuple(t for t in (*BOW, "k1", "k2") if t in allowed and _value(optics, t) != 0 and t not in sets[4])
    given_up = tuple(t for t in TERMS if t in (*sets[4], *gone)) if gone else ()

    def premature(terms: tuple[Term, ...]) -> bool:
        """Whether one is asked for that shows only once the other is known: a centre beside a new second term, a bow beside a lens."""
        centred = not {*CENTRE}.isdisjoint(terms) and "k2" in terms and _value(optics, "k2") == 0
        return centred or ("k1" in terms and not {*BOW}.isdisjoint(terms))

    return [s for s in dict.fromkeys((*sets, given_up)) if s and not premature(s)]


def worth_settling(follower: PlaneFollower, results: Mapping[int, FrameResult], found: Calibration) -> bool:
    """Whether a second look at all frames can change anything: other optics, smear, content that moves, lost frames."""
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


def _best_shutter(base: PlaneFollower, stated: Mapping[int, FrameResult], pictures: Mapping[int, _Asked]) -> float:
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
            c = _conditions(base, n, stated, pictures[n])
            least = max(
                softness(base.appearance, evidence.pose, c.movement, base.reference_movement, evidence.blur, s, USUAL_VARIANCE).smoothing
                for s in candidates
            )
            found = fit_at(base.appearance, base.optics, pictures[n].values, evidence.pose, replace(c, shutter=shutter), base.motion, least)
            total += 0.0 if found is None else float(np.log(max(found[0].cost(), 1e-6))) / len(quickest)
        return total

    own = here = candidates.index(base.optics.shutter or 0.0)
    # Too short or too long a smear fits the worse the further off it is: from the one at hand, step by step.
    while (best := min((i for i in (here, here - 1, here + 1) if 0 <= i < len(candidates)), key=cost)) != here:
        here = best
    return candidates[here] if cost(here) < cost(own) - LEAST_GAIN else candidates[own]


def _solve(
    base: PlaneFollower, results: Mapping[int, FrameResult], pictures: Mapping[int, _Asked],
    terms: tuple[Term, ...], first: "_Equations", stop: Callable[[], bool],
) -> tuple[PlaneFollower, dict[str, Estimate]] | None:  # fmt: skip
    """Some terms, iterated until they settle; None when one of them is not certain, or on a stop."""
    found, equations = base, first.only(terms)
    for i in range(MOST_ROUNDS):
        if i:
            again = _linearise(found, found.restated(results), pictures, terms, stop)
            if again is None:
                return None
            equations = again
        estimates, step = _choose(equations, found.optics, terms, WORTH_TRYING)
        if not estimates:
            return None
        values: dict[str, float] = {t: estimates[t].value if t in estimates else 0.0 for t in terms}
        found = base.under(_with(found.optics, values), base.reference_movement)
        if all(abs(step[t]) < 0.5 * estimates[t].sigma + 1e-4 for t in estimates):
            break
    if any(abs(e.value) < SIGNIFICANT * e.sigma for e in estimates.values()):
        return None
    return found, estimates


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
    return trust_of(e for n, r in results.items() if n != follower.reference_frame and (e := r.evidence) is not None)


def _conditions(follower: PlaneFollower, n: int, results: Mapping[int, FrameResult], asked: _Asked) -> Conditions:
    evidence = follower.evidence_of(results[n])
    assert evidence is not None
    return Conditions(
        follower.movement_at(n, results), follower.reference_movement, evidence.blur, follower.optics.shutter or 0.0, (),
        asked.hidden, asked.trust, follower.bow,
    )  # fmt: skip


def _gain(
    base: PlaneFollower, stated: Mapping[int, FrameResult], found: PlaneFollower, results: Mapping[int, FrameResult],
    pictures: Mapping[int, _Asked], stop: Callable[[], bool], fits: _Fits,
) -> tuple[float, float]:  # fmt: skip
    """Mean relative improvement over the frames, and its standard error; no frame counts for more than a fair share.

    A softer comparison leaves less in any case: both sides are compared at the same softness, on the same pixels.
    `fits` keeps those of the base for the next that is held against it.
    """
    other, gains = found.restated(results), []
    for n, asked in pictures.items():
        ours, theirs = found.evidence_of(other[n]), base.evidence_of(stated[n])
        if stop() or ours is None or theirs is None:
            continue
        c, d = _conditions(base, n, stated, asked), _conditions(found, n, other, asked)
        least = max(
            softness(f.appearance, e.pose, x.movement, x.reference_movement, e.blur, x.shutter, USUAL_VARIANCE).smoothing
            for f, e, x in ((base, theirs, c), (found, ours, d))
        )
        if (n, least) not in fits:
            fits[n, least] = fit_at(base.appearance, base.optics, asked.values, theirs.pose, c, base.motion, least)
        before = fits[n, least]
        after = fit_at(found.appearance, found.optics, asked.values, ours.pose, d, found.motion, least)
        if before is None or after is None:
            continue
        after[0].adopt(before[0], after[1], least)
        gain = after[0].gain_over(before[0])
        if gain is not None:
            gains.append(float(np.clip(gain, -0.5, 0.5)))
    if len(gains) < 2:
        return 0.0, 1.0
    return float(np.mean(gains)), float(np.std(gains) / np.sqrt(len(gains) - 1))


@dataclass(frozen=True)
class _Equations:
    """Normal equations of the shared terms over all chosen frames."""

    hessian: Float64
    score: Float64
    clusters: Float64
    total: float
    terms: tuple[Term, ...]

    def only(self, terms: tuple[Term, ...]) -> "_Equations":
        """The equations of some of the terms."""
        i = [self.terms.index(t) for t in terms]
        return replace(self, hessian=self.hessian[np.ix_(i, i)], score=self.score[i], clusters=self.clusters[:, i], terms=terms)

    @property
    def promise(self) -> float:
        """Share of the squared residuals that the terms could take away at most."""
        if len(self.score) == 0:
            return 0.0
        scale = np.sqrt(np.maximum(np.diag(self.hessian), 1e-12))
        inverse = np.linalg.pinv(self.hessian / np.outer(scale, scale) + 1e-9 * np.eye(len(scale))) / np.outer(scale, scale)
        return float(self.score @ inverse @ self.score) / max(self.total, 1e-12)


def _linearise(
    follower: PlaneFollower, stated: Mapping[int, FrameResult], pictures: Mapping[int, _Asked],
    terms: tuple[Term, ...], stop: Callable[[], bool],
) -> _Equations | None:  # fmt: skip
    """Equations of some terms around the present optics; None on a stop, or when no frame can be compared."""
    count = len(terms)
    hessian, score, clusters, total = np.zeros((count, count)), np.zeros(count), [], 0.0
    for n, asked in pictures.items():
        evidence = follower.evidence_of(stated[n])
        if stop():
            return None
        if evidence is None:
            continue
        conditions = _conditions(follower, n, stated, asked)
        found = fit_at(follower.appearance, follower.optics, asked.values, evidence.pose, conditions, follower.motion)
        if found is None:
            continue
        fit, h = found
        fit.weights[~fit.steep()] = 0
        total += float(np.sum(fit.weights * fit.residuals() ** 2)) / max(fit.noise, 1e-3) ** 2
        reduced = _reduced(fit, follower, h, conditions, terms)
        hessian, score = hessian + reduced[0], score + reduced[1]
        clusters.append(reduced[2])
    return _Equations(hessian, score, np.concatenate(clusters), total, terms) if clusters else None


def _choose(
    equations: _Equations, optics: Optics, terms: tuple[Term, ...], significant: float
) -> tuple[dict[str, Estimate], dict[str, float]]:
    """Terms that are many times their uncertainty, most certain first, each beside those chosen before it."""

    def solve(chosen: tuple[str, ...]) -> tuple[dict[str, Estimate], dict[str, float]]:
        i = [terms.index(t) for t in chosen]  # type: ignore[arg-type]
        # A term that is not chosen goes back to zero: its present value is taken out of the score.
        out = [j for j, t in enumerate(terms) if t not in chosen]
        now = np.array([_value(optics, t) for t in terms])
        score = equations.score[i] + equations.hessian[np.ix_(i, out)] @ now[out]
        h = equations.hessian[np.ix_(i, i)]
        scale = np.sqrt(np.maximum(np.diag(h), 1e-12))
        step = np.linalg.solve(h / np.outer(scale, scale) + 1e-9 * np.eye(len(i)), score / scale) / scale
        sigma = np.sqrt(np.maximum(np.diag(sandwich(h, equations.clusters[:, i])), 1e-16))
        value = np.clip(now[i] + step, -0.95, 0.95)
        return (
            {t: Estimate(float(v), float(s)) for t, v, s in zip(chosen, value, sigma, strict=True)},
            dict(zip(chosen, map(float, step), strict=True)),
        )

    chosen: tuple[str, ...] = ()
    best: tuple[dict[str, Estimate], dict[str, float]] = ({}, {})
    while True:
        tried = [solve((*chosen, t)) for t in terms if t not in chosen and (t not in ("k2", *CENTRE) or "k1" in chosen)]
        tried = [e for e in tried if all(_believable(t, x, significant) for t, x in e[0].items())]
        if not tried:
            return best
        best = max(tried, key=lambda e: min(abs(x.value) / x.sigma for x in e[0].values()))
        chosen = tuple(best[0])


def _believable(term: str, estimate: Estimate, significant: float) -> bool:
    """Whether a term is many times its uncertainty, and of a size that cameras have."""
    if (term == "shutter" and estimate.value <= 0) or (term == "tone" and not 0.02 < estimate.value < 0.8):
        return False
    if term in CENTRE and abs(estimate.value) > MOST_OFF_CENTRE:
        return False
    if term in BOW and abs(estimate.value) > MOST_BOW:
        return False
    return abs(estimate.value) > significant * estimate.sigma


def _value(optics: Optics, term: Term) -> float:
    if term in ("readout", "shutter", "tone"):
        return float(getattr(optics, term) or 0.0)
    if term in BOW:
        return optics.bow[BOW.index(term)]
    lens = optics.lens
    if lens is None:
        return 0.0
    if term in CENTRE:
        middle = (optics.width / 2, optics.height / 2)
        return (lens.centre[CENTRE.index(term)] - middle[CENTRE.index(term)]) / lens.half_diagonal
    return float(getattr(lens, term))


def _with(optics: Optics, values: Mapping[str, float]) -> Optics:
    """Optics with other values of some terms."""
    shutter = float(np.clip(values.get("shutter", optics.shutter or 0.0), 0.0, 1 / 12))
    tone = float(np.clip(values.get("tone", optics.tone), 0.0, 0.8))
    lens = optics.lens
    if not set(LENS).isdisjoint(values):
        lens = lens or Lens.of_picture(optics.width, optics.height)
        off = [values.get(t, _value(optics, t)) * lens.half_diagonal for t in CENTRE]
        centre = (optics.width / 2 + off[0], optics.height / 2 + off[1])
        lens = replace(lens, centre=centre, k1=values.get("k1", lens.k1), k2=values.get("k2", lens.k2))
    bow = (values.get("bow_along", optics.bow[0]), values.get("bow_across", optics.bow[1]))
    return replace(optics, bow=bow, readout=values.get("readout", optics.readout), shutter=shutter, tone=tone, lens=lens)


def _reduced(
    fit: Fit, follower: PlaneFollower, h: Float64, conditions: Conditions, terms: tuple[Term, ...]
) -> tuple[Float64, Float64, Float64]:
    """Normal equations of the shared terms with pose and blur eliminated: (m, m), (m,), (tiles, m)."""
    jacobian = np.concatenate([fit.jacobian, np.stack([_column(fit, follower, h, conditions, t) for t in terms], axis=1)], axis=1)
    hessian, score, tile_score = fit.equations(np.ascontiguousarray(jacobian, np.float32))
    k = fit.jacobian.shape[1]
    scale = np.sqrt(np.maximum(np.diag(hessian)[:k], 1e-12))
    inner = np.linalg.pinv(hessian[:k, :k] / np.outer(scale, scale) + 1e-9 * np.eye(k)) / np.outer(scale, scale)
    carry = hessian[k:, :k] @ inner
    # Residuals of one frame are counted in units of its noise.
    unit = 1.0 / max(fit.noise, 1e-3) ** 2
    return (
        unit * (hessian[k:, k:] - carry @ hessian[:k, k:]),
        unit * (score[k:] - carry @ score[:k]),
        unit * (tile_score[:, k:] - tile_score[:, :k] @ carry.T),
    )


def _column(fit: Fit, follower: PlaneFollower, h: Float64, conditions: Conditions, term: Term) -> Float64:
    """Change of the predicted values per unit of a shared term, (N,)."""
    if term == "shutter":
        return np.asarray(fit.by_shutter(h), float)
    if term == "tone":
        bend = follower.optics.tone + 0.03
        return np.asarray(fit.by_tone(follower.bent(bend), bend, h), float)
    s, optics = fit.samples, follower.optics
    assert s is not None
    # Where nothing is predicted, gradients are not set.
    known = fit.seen[:, None]
    frame_gradient, own_gradient = np.where(known, fit.prediction[:, 1:3], 0.0), np.where(known, fit.prediction[:, 4:6], 0.0)
    seen = np.asarray(s.pixels + 0.5, np.float64)
    plane = optics.plane(seen, h, conditions.movement)
    at_reference = optics.project(plane, np.eye(3), follower.reference_movement)
    if term in BOW:
        unit = (1.0, 0.0) if term == "bow_along" else (0.0, 1.0)
        column = -np.sum(frame_gradient * follower.bowed(unit).offset(s.ideal, h), axis=1)
    elif term == "readout":
        rho, rho_reference = seen[:, 1] / optics.height - 0.5, at_reference[:, 1] / optics.height - 0.5
        change = -rho[:, None] * flow(plane, conditions.movement) + rho_reference[:, None] * flow(plane, follower.reference_movement)
        column = np.sum(own_gradient * change, axis=1)
    else:
        epsilon = 1e-3
        other = _with(optics, {term: _value(optics, term) + epsilon})
        there = (other.ideal(seen) - s.ideal) / epsilon
        here = (other.project(plane, np.eye(3), follower.reference_movement) - at_reference) / epsilon
        column = np.sum(frame_gradient * there, axis=1) + np.sum(own_gradient * here, axis=1)
    return np.where(fit.seen, column, 0.0)
