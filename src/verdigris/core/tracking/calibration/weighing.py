"""Which of the terms that were solved for are kept: those that frames fit better with than without, and than with simpler ones."""

from collections.abc import Mapping, Set
from dataclasses import replace

from verdigris.core.camera.optics import Movement, Optics
from verdigris.core.tracking.calibration.choice import choose_terms
from verdigris.core.tracking.calibration.comparison import LEAST_GAIN, Comparison, Gain
from verdigris.core.tracking.calibration.equations import Equations
from verdigris.core.tracking.calibration.readout_likelihood import ROWS_SHOW, likely_rows
from verdigris.core.tracking.calibration.result import Calibration
from verdigris.core.tracking.calibration.solve_parameters import WORTH_TRYING, Solved, solve
from verdigris.core.tracking.calibration.terms import BOW, CENTRE, LENS, TERMS, TONE, Estimate, Term, value_of

CERTAIN = 7.0
BEYOND_DOUBT = 14.0
# What refined values may seem to cost: movement is known for the old ones until all frames are looked at again.
REFINING_COST = 0.15
# Terms that change by less, in standard deviations, have not changed.
HARDLY = 0.5


class Weighing:
    """Terms held against each other, the best so far kept.

    Parameters
    ----------
    comparison : the frames that judge
    equations : of all the terms that may be asked for, around the camera at hand
    allowed : those terms
    reference_movement : movement of the plane at the reference frame
    """

    def __init__(self, comparison: Comparison, equations: Equations, allowed: tuple[Term, ...], reference_movement: Movement) -> None:
        self._comparison, self._equations, self._allowed = comparison, equations, allowed
        self._optics = comparison.base.optics
        self._known: Set[Term] = {t for t in TERMS if t != "shutter" and value_of(self._optics, t) != 0}
        self._nothing = Solved(comparison.base, {}, equations)
        self._kept: Solved | None = None
        self.best = Calibration(self._optics, reference_movement, {}, 0.0)
        self._least = LEAST_GAIN

    def geometry(self) -> None:
        """Lens, rows, shutter and bow: sets of terms, the simpler before the richer."""
        for terms in _simpler_first(self._equations, self._optics, tuple(t for t in self._allowed if t not in TONE)):
            # What was kept already leads most of the way.
            leads = self._kept is not None and set(self._kept.estimates) < set(terms)
            self._weigh(self._solved(self._kept if self._kept and leads else self._nothing, terms))

    def likely_rows(self) -> None:
        """A read-out that is not certain: left out altogether it costs more than when it is a part off."""
        c = self._comparison
        solved = likely_rows(c.base, self._start, c.results, c.pictures, self._beside("shutter", "readout"), c.stop)
        if solved is None:
            return
        gain = c.gain(solved.follower, solved.equations)
        if gain.share > self.best.gain - gain.least:
            self.best = replace(self.best, optics=solved.follower.optics, estimates=dict(solved.estimates), gain=max(gain.share, 0.0))
            # It stays as it is: asked for again, it would be left out.
            self._kept = replace(solved, estimates={t: e for t, e in solved.estimates.items() if t != "readout"})

    def tone(self) -> None:
        """The tone curve hardly depends on where things are: it is asked for beside whatever that was found to be."""
        geometry = {*self._kept.estimates} if self._kept else {"shutter", "readout"}
        solved = self._solved(self._start, tuple(t for t in self._allowed if t in geometry or t in TONE))
        if solved is not None and not {*TONE}.isdisjoint(solved.estimates):
            self._weigh(solved)

    @property
    def _start(self) -> Solved:
        return self._kept or self._nothing

    def _beside(self, *terms: Term) -> tuple[Term, ...]:
        """Some terms, and those that were kept."""
        chosen = {*terms, *(self._kept.estimates if self._kept else ())}
        return tuple(t for t in self._allowed if t in chosen)

    def _solved(self, start: Solved, terms: tuple[Term, ...]) -> Solved | None:
        c = self._comparison
        return solve(c.base, start, c.results, c.pictures, terms, c.stop)

    def _weigh(self, solved: Solved | None) -> None:
        """Keep what was solved for if it helps more than what was kept so far."""
        if solved is None:
            return
        estimates = solved.estimates
        changed = max(abs(e.value - value_of(self._optics, t)) / e.scatter for t, e in estimates.items())
        # What hardly moves the terms that are known cannot be told from what was.
        the_same = changed < HARDLY and self._known <= {*estimates} <= {*self._known, "shutter"}
        gain = Gain(0.0, 0.0) if the_same else self._comparison.gain(solved.follower, solved.equations)
        if _helps(estimates, self._known, gain, self._least, self._kept is None, self._optics.shutter or 0.0):
            self.best = Calibration(solved.follower.optics, self.best.reference_movement, dict(estimates), gain.share, changed)
            self._least, self._kept = max(gain.share, 0.0) + LEAST_GAIN, solved


def _helps(estimates: Mapping[Term, Estimate], known: Set[Term], found: Gain, least: float, is_first: bool, shutter: float) -> bool:
    """Whether terms are to be kept.

    Parameters
    ----------
    estimates : the terms, with their uncertainty
    known : terms that are not nothing at present
    found : by how much frames fit better with the terms
    least : what they have to gain at least: more than what was kept so far
    is_first : whether nothing was kept so far
    shutter : what it is at present; 0 where nothing smears
    """
    gain, give = found
    new = set(estimates) - known
    # More terms must earn their keep; what the equations are certain of, by less.
    certain = all(abs(e.value) > CERTAIN * e.sigma for e in estimates.values())
    # What is new and looks less than certain has to gain plainly over what is simpler.
    doubtful = not certain and not {"k1", *BOW}.isdisjoint(new)
    if gain > max(least + (give if doubtful else 0.0), (1 if certain else 2) * give):
        return True
    no_worse = gain > -found.least
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
        chosen = choose_terms(equations.only(among), optics, among, WORTH_TRYING).estimates
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
