"""Which of the shared terms a run's equations ask for."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from verdigris.core.camera.optics import Optics
from verdigris.core.tracking.alignment.uncertainty import sandwich
from verdigris.core.tracking.calibration.camera_covariance import held_together, usual_size
from verdigris.core.tracking.calibration.equations import Equations
from verdigris.core.tracking.calibration.terms import CENTRE, LENS, MOST_VALUE, TONES, Estimate, Term, is_believable, value_of


@dataclass(frozen=True)
class Choice:
    """Terms that were chosen.

    Attributes
    ----------
    estimates : what they are, most certain first
    steps : how far each of them is from what it is at present
    """

    estimates: Mapping[Term, Estimate] = field(default_factory=dict)
    steps: Mapping[Term, float] = field(default_factory=dict)

    @property
    def least_certain(self) -> float:
        """How many times its scatter the least certain of them is."""
        return min(abs(e.value) / e.scatter for e in self.estimates.values())

    def is_believable(self, significant: float) -> bool:
        """Whether all of them are so many times their uncertainty, and of a size that cameras have."""
        return all(is_believable(t, e, significant) for t, e in self.estimates.items())


def choose_terms(
    equations: Equations, optics: Optics, terms: tuple[Term, ...], significant: float, without: tuple[Term, ...] = ()
) -> Choice:
    """Terms that are many times their uncertainty, most certain first, each beside those chosen before it.

    References
    ----------
    Efroymson, Multiple regression analysis, in Mathematical methods for digital computers, 1960 (forward selection).
    """
    left = tuple(t for t in terms if t not in without)
    best = Choice()
    while True:
        chosen = tuple(best.estimates)
        next_ones = [t for t in left if t not in chosen and (t not in ("k2", *CENTRE) or "k1" in chosen)]
        tried = [_solved(equations, optics, (*chosen, t)) for t in next_ones]
        tried = [c for c in tried if c.is_believable(significant)]
        if not tried:
            return best
        best = max(tried, key=lambda c: c.least_certain)


def _solved(equations: Equations, optics: Optics, terms: tuple[Term, ...]) -> Choice:
    """Some terms beside each other, the others being nothing."""
    asked = equations.if_only(terms, optics)
    h, pulls, m = asked.hessian, asked.clusters, len(terms)
    scale = np.sqrt(np.maximum(np.diag(h), 1e-12))
    step = np.linalg.solve(h / np.outer(scale, scale) + 1e-9 * np.eye(m), asked.score / scale) / scale
    scatter, common = (np.sqrt(np.maximum(np.diag(sandwich(h, p)), 1e-16)) for p in (pulls.reshape(-1, m), pulls.sum(axis=0)))
    now = np.array([value_of(optics, t) for t in terms])
    value = np.clip(now + step, *np.transpose([TONES.get(t, (-MOST_VALUE, MOST_VALUE)) for t in terms]))
    columns = np.stack([value, np.maximum(common, scatter), scatter]).tolist()
    estimates = {t: Estimate(*of_term) for t, *of_term in zip(terms, *columns, strict=True)}
    return Choice(estimates, dict(zip(terms, map(float, step), strict=True)))


def choose_together(
    equations: Equations, optics: Optics, terms: tuple[Term, ...], significant: float, of_lens: float, without: tuple[Term, ...] = ()
) -> Choice:  # fmt: skip
    """Terms and steps, asked all together and held together with what they usually are; what is uncertain is left out, the least first.

    The centre and the second term of a lens do much of each other's work: chosen one by one, either is taken for the other.

    Parameters
    ----------
    significant, of_lens : how many times their uncertainty terms must be, and those of a lens beside k1, which is always kept
    without : terms that are nothing
    """
    kept = tuple(t for t in terms if t not in without)
    while kept:
        asked = equations.if_only(kept, optics)
        now, usual = np.transpose([(value_of(optics, t), usual_size(t, value_of(optics, "k1"))) for t in kept])
        value, common = held_together(asked.hessian, asked.score, asked.clusters.sum(axis=0), now, usual)
        scatter = np.sqrt(np.diag(held_together(asked.hessian, asked.score, asked.clusters.reshape(-1, len(kept)), now, usual)[1]))
        sigma = np.maximum(np.sqrt(np.diag(common)), scatter)
        found = {t: Estimate(*map(float, x)) for t, *x in zip(kept, value, sigma, scatter, strict=True)}
        # How many times its uncertainty each is, and must be; the centre counts as one.
        times: dict[tuple[Term, ...], tuple[float, float]] = {
            (t,): (abs(found[t].value) / found[t].scatter, significant) if is_believable(t, found[t], 0.0) else (-1.0, 1.0)
            for t in kept if t not in LENS
        }  # fmt: skip
        times |= {g: (max(abs(found[t].value) / found[t].sigma for t in g), of_lens) for g in (("k2",), CENTRE) if {*g} <= {*kept}}
        weak = {group: is_now / needed for group, (is_now, needed) in times.items() if is_now < needed}
        if not weak:
            return Choice(found, dict(zip(kept, (value - now).tolist(), strict=True)))
        weakest = min(weak, key=lambda g: weak[g])
        kept = tuple(t for t in kept if t not in weakest)
    return Choice()
