"""Steps towards the values of shared terms, in a world whose equations are made up: how often frames are asked, and what comes of it."""

from dataclasses import dataclass

import numpy as np
import pytest

from tests.core.test_choice_of_terms import FRAMES, TILES
from verdigris.core.camera.optics import STILL, Optics
from verdigris.core.tracking.alignment.grain import USUAL_GRAIN
from verdigris.core.tracking.calibration import solve_parameters as solve_terms
from verdigris.core.tracking.calibration.equations import Asked, Equations
from verdigris.core.tracking.calibration.solve_parameters import WORTH_STEPS, Solved, solve
from verdigris.core.tracking.calibration.terms import Term, value_of, with_values

PLAIN = Optics(640, 360, shutter=0.0)
TERMS: tuple[Term, ...] = ("shutter", "readout", "bow_along", "k1")
TONED: tuple[Term, ...] = (*TERMS[:2], "tilt", "ends")


@dataclass
class Seen:
    """A follower that only knows its optics."""

    optics: Optics
    reference_movement: object = STILL

    def under(self, optics, movement):
        return Seen(optics, movement)

    def restated(self, results):
        return results


class World:
    """Equations around any optics, of terms whose true values are known; a step leads only a part of the way while much is unknown."""

    def __init__(self, monkeypatch, truth: dict[Term, float], information: float = 1e6, leads: float = 1.0, total: float = 1e4):
        self.truth, self.information, self.leads, self.total, self.asked = truth, information, leads, total, []
        self.pulls = np.random.default_rng(1).standard_normal((FRAMES, TILES, 8)) * np.sqrt(information / (FRAMES * TILES))
        monkeypatch.setattr(solve_terms, "linearise", self.linearise)

    def equations(self, optics: Optics, terms: tuple[Term, ...]) -> Equations:
        hessian = self.information * np.eye(len(terms))
        away = np.array([self.truth.get(t, 0.0) - value_of(optics, t) for t in terms])
        return Equations(hessian, self.leads * hessian @ away, self.pulls[..., : len(terms)], self.total, terms)

    def linearise(self, follower, stated, pictures, terms, stop, before):
        self.asked.append(terms)
        return None if stop() else self.equations(follower.optics, terms)

    def solve(self, terms: tuple[Term, ...], start: Solved | None = None, stop=lambda: False) -> Solved | None:
        base = Seen(PLAIN)
        pictures = {1: Asked(None, None, None, USUAL_GRAIN)}
        return solve(base, start or Solved(base, {}, self.equations(PLAIN, TERMS)), {}, pictures, terms, stop)


def test_steps_go_on_until_they_lead_no_further(monkeypatch):
    world = World(monkeypatch, {"readout": 0.4, "shutter": 0.02}, leads=0.7)
    found = world.solve(("shutter", "readout"))
    assert found is not None
    assert {t: e.value for t, e in found.estimates.items()} == pytest.approx({"readout": 0.4, "shutter": 0.02}, abs=3e-3)
    # The first step needs nobody to be asked, and all that is cheap is asked for at once.
    assert 1 <= len(world.asked) < solve_terms.MOST_STEPS
    assert set(world.asked) == {TERMS}


def test_what_was_asked_around_the_same_values_is_not_asked_again(monkeypatch):
    world = World(monkeypatch, {"readout": 0.4, "bow_along": 0.005})
    first = world.solve(("readout",))
    assert first is not None
    assert first.equations.terms == TERMS
    # Its equations are those around the values it ended at.
    assert first.equations.score == pytest.approx(world.equations(first.follower.optics, TERMS).score, abs=1.0)
    world.asked.clear()
    both = world.solve(("readout", "bow_along"), first)
    assert both is not None
    assert both.estimates["bow_along"].value == pytest.approx(0.005, abs=1e-4)
    assert len(world.asked) <= 1


def test_a_tone_curve_is_asked_for_only_where_it_is_wanted(monkeypatch):
    world = World(monkeypatch, {"readout": 0.4, "ends": 0.3})
    first = world.solve(("readout",))
    assert first is not None
    found = world.solve(TONED, first)
    assert found is not None
    assert found.estimates["ends"].value == pytest.approx(0.3, abs=0.01)
    assert all({"tilt", "ends"}.isdisjoint(terms) for terms in world.asked[:-2])
    assert world.asked[-1] == TONED


def test_nothing_new_is_no_answer(monkeypatch):
    world = World(monkeypatch, {"readout": 0.4})
    first = world.solve(("readout",))
    assert first is not None
    world.asked.clear()
    assert world.solve(("readout", "k1"), first) is None
    assert world.asked == []


@pytest.mark.parametrize(("share", "tried"), [(0.5, False), (2.0, True)])
def test_new_terms_that_would_take_hardly_anything_away_are_not_worth_a_step(monkeypatch, share, tried):
    value = 0.05
    world = World(monkeypatch, {"k1": value}, total=1e6 * value**2 / (share * WORTH_STEPS))
    assert (world.solve(("k1",)) is not None) == tried
    # Rows are worth it however little that is: they move every frame.
    world.truth = {"readout": 0.1}
    world.total = 1e6 * 0.1**2 / (0.1 * WORTH_STEPS)
    assert world.solve(("readout",)) is not None


def test_what_turns_out_uncertain_goes_back_to_nothing_beside_what_is_sure(monkeypatch):
    world = World(monkeypatch, {"readout": 0.4, "bow_along": 0.0045}, total=100.0)
    found = world.solve(("readout", "bow_along"))
    assert found is not None
    assert set(found.estimates) == {"readout"}
    assert found.follower.optics.bow == (0.0, 0.0)
    assert found.estimates["readout"].value == pytest.approx(0.4, abs=1e-3)


def test_a_stop_is_heeded(monkeypatch):
    world = World(monkeypatch, {"readout": 0.4}, leads=0.7)
    assert world.solve(("readout",), stop=lambda: True) is None


def test_equations_moved_on_are_those_of_the_new_values(monkeypatch):
    world = World(monkeypatch, {"readout": 0.4, "k1": -0.1})
    other = with_values(PLAIN, {"readout": 0.3, "k1": -0.02})
    moved = world.equations(PLAIN, TERMS).moved_on({"readout": 0.3, "k1": -0.02})
    assert moved.score == pytest.approx(world.equations(other, TERMS).score)
    assert moved.hessian == pytest.approx(world.equations(other, TERMS).hessian)
