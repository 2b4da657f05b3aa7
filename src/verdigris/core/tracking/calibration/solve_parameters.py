"""Values of what all frames of a run share, step by step until they settle."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from itertools import chain, repeat

import numpy as np

from verdigris.core.camera.optics import Optics
from verdigris.core.tracking.calibration.choice import Choice, choose_terms, choose_together
from verdigris.core.tracking.calibration.equations import Asked, Equations, linearise
from verdigris.core.tracking.calibration.terms import LENS, TONE, Estimate, Term, value_of, with_values
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.types import Float64

MOST_STEPS = 4
# Steps that shrink evenly are taken ahead by as many at most.
MOST_AHEAD = 2.0
# So far is safe even while much is still unknown.
NOT_FAR_AHEAD = 0.7
SIGNIFICANT = 5.0
# Around a first estimate that is far off, terms look less certain than they are: these are tried, and gone on with.
WORTH_TRYING = 2.5
WORTH_GOING_ON = 4.0
# Share of the squared residuals that new terms have to promise: a quarter of what they would have to gain.
WORTH_STEPS = 0.002


@dataclass(frozen=True)
class Solved:
    """Some terms' best values: the plane seen through them, how sure they are, and the equations that said so."""

    follower: PlaneFollower
    estimates: Mapping[Term, Estimate]
    equations: Equations


@dataclass(frozen=True)
class _Search:
    """What is looked for, and from where.

    Attributes
    ----------
    base : what the results are of
    start : terms that are known, to start from
    terms : those that may be something
    together : whether all of them are asked for, certain or not
    """

    base: PlaneFollower
    start: Solved
    results: Mapping[int, FrameResult]
    pictures: Mapping[int, Asked]
    terms: tuple[Term, ...]
    together: bool

    @property
    def at_once(self) -> bool:
        """Whether terms are asked all together, not one by one."""
        return self.together or {*LENS} <= {*self.terms}

    def is_old(self, sure: Iterable[Term]) -> bool:
        """Whether that is no more than what it started from."""
        others = {*self.terms} - {*self.start.estimates}
        return {*sure} <= {*self.start.estimates} and all(value_of(self.start.follower.optics, t) == 0 for t in others)

    def promises_little(self, equations: Equations, estimates: Iterable[Term]) -> bool:
        """Whether what is new in it, rows and shutter aside, would take hardly anything of what is left away."""
        optics = self.start.follower.optics
        rest = tuple(t for t in estimates if t in ("shutter", "readout", *self.start.estimates) or value_of(optics, t) != 0)
        if {*rest} == {*estimates}:
            return False
        return equations.if_only(tuple(estimates), optics).promise - equations.if_only(rest, optics).promise < WORTH_STEPS

    def chosen(self, equations: Equations, optics: Optics, least: float, without: tuple[Term, ...]) -> Choice:
        """Terms that are so many times their uncertainty, and steps towards them."""
        if self.at_once:
            return choose_together(equations, optics, self.terms, 0.0 if self.together else least, 0.0, without)
        return choose_terms(equations, optics, self.terms, least, without)

    def certain(
        self, equations: Equations, optics: Optics, estimates: Mapping[Term, Estimate], without: tuple[Term, ...]
    ) -> tuple[Term, ...]:  # fmt: skip
        """Those of the terms that were settled which are certain."""
        if self.together:
            return tuple(estimates)
        if self.at_once:
            return tuple(choose_together(equations, optics, self.terms, SIGNIFICANT, SIGNIFICANT, without).estimates)
        return tuple(t for t in self.terms if t in estimates and abs(estimates[t].value) >= SIGNIFICANT * estimates[t].scatter)


def solve(
    base: PlaneFollower, start: Solved, results: Mapping[int, FrameResult], pictures: Mapping[int, Asked],
    terms: tuple[Term, ...], stop: Callable[[], bool], together: bool = False, without: tuple[Term, ...] = (),
) -> Solved | None:  # fmt: skip
    """Some terms, iterated until they settle; those that turn out not to be certain are nothing, unless all are asked for together.

    None when nothing is certain, or nothing more than what it starts from, or on a stop.

    Parameters
    ----------
    base : what the results are of
    start : terms that are known, to start from
    without : terms that are nothing
    """
    search, here = _Search(base, start, results, pictures, terms, together), start
    for first in chain([True], repeat(False)):
        found, sure = _settle(search, here, without, stop, first)
        if found is None or {*sure} >= {*found.estimates}:
            return found
        if not sure or search.is_old(sure):
            break
        # Once more with those alone, from where more of them have led.
        without, here = tuple(t for t in terms if t not in sure), found
    return None


def _settle(
    search: _Search, here: Solved, without: tuple[Term, ...], stop: Callable[[], bool], first: bool
) -> tuple[Solved | None, tuple[Term, ...]]:  # fmt: skip
    """Values of the terms, step by step, and which of them are certain; None when there is nothing new in them, or on a stop."""
    base, terms = search.base, search.terms
    found, around, last = here.follower, here.equations, np.zeros(0)
    # What asks for a tone curve takes as long as all the rest.
    wanted = tuple(t for t in around.terms if t not in TONE or t in terms) if {*terms} <= {*around.terms} else terms
    for i in range(MOST_STEPS):
        # Equations around the same optics can be asked again.
        if i > 0 or not {*terms} <= {*around.terms}:
            # Tiles that disagreed as long as nobody knew of the lens are those that tell of it.
            asked = {n: replace(a, trust=around.trust) for n, a in search.pictures.items()}
            again = linearise(found, found.restated(search.results), asked, wanted, stop, before=around)
            if again is None:
                return None, ()
            around = again
        equations = around.only(terms)
        least = WORTH_TRYING if search.at_once or (i == 0 and first) else WORTH_GOING_ON
        choice = search.chosen(equations, found.optics, least, without)
        estimates, step = choice.estimates, choice.steps
        if not estimates or search.is_old(estimates):
            return None, ()
        if i == 0 and first and not search.at_once and search.promises_little(equations, estimates):
            return None, ()
        gone = np.array([step[t] / e.scatter for t, e in estimates.items()])
        ahead = ahead_by(gone, last)
        # A lens that is only being found is still too far off for long steps.
        if ahead > NOT_FAR_AHEAD and not (base.optics.lens is not None and base.optics.lens.k1):
            ahead = 0.0
        values: dict[str, float] = {t: estimates[t].value + ahead * step[t] if t in estimates else 0.0 for t in terms}
        before, found = found.optics, base.under(with_values(found.optics, values), base.reference_movement)
        around = around.moved_on({t: value_of(found.optics, t) - value_of(before, t) for t in terms})
        settled = all(abs(step[t]) < 0.5 * e.scatter + 1e-4 for t, e in estimates.items())
        # What fast shrinking steps would still add was taken ahead.
        nearly = 0 < ahead < NOT_FAR_AHEAD and all(ahead * abs(step[t]) < e.scatter for t, e in estimates.items())
        if settled or nearly:
            break
        last = gone if ahead == 0 else np.zeros(0)
    told = {t: replace(e, value=value_of(found.optics, t)) for t, e in estimates.items()}
    return Solved(found, told, around), search.certain(equations, found.optics, estimates, without)


def ahead_by(step: Float64, last: Float64) -> float:
    """How much further the steps to come would lead, in steps; 0 where two in a row do not say.

    Samples that a lens moves most are those that disagree most as long as it is not known: each step is held back by their weights.

    References
    ----------
    Aitken, On Bernoulli's numerical solution of algebraic equations, Proc. Roy. Soc. Edinburgh 46, 1926 (extrapolated sequences).
    """
    if len(step) != len(last):
        return 0.0
    shrinks = float(step @ last) / max(float(last @ last), 1e-12)
    return min(1 / (1 - shrinks) - 1, MOST_AHEAD) if 0 < shrinks < 1 else 0.0
