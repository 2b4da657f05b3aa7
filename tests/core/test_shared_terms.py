"""Numbers that all frames share: which are certain, and how certain."""

import numpy as np
import pytest

from verdigris.core.tracking.optics import Optics
from verdigris.core.tracking.shared_terms import BOW, TERMS, TONE, Equations, choose_terms, value_of, with_values

FRAMES, TILES = 9, 60
OPTICS = Optics(640, 360)


def equations(terms, truth, common=0.0, seed=1) -> Equations:
    """Of terms with a unit of information a tile and frame: pulls scatter around the truth; a share of the scatter is alike in all frames."""
    rng = np.random.default_rng(seed)
    own, alike = rng.standard_normal((FRAMES, TILES, len(terms))), rng.standard_normal((1, TILES, len(terms)))
    # Around the solution pulls sum to nothing, as far as chance lets them.
    pulls = np.sqrt(1 - common) * own + np.sqrt(common) * alike
    hessian = FRAMES * TILES * np.eye(len(terms))
    return Equations(hessian, hessian @ np.asarray(truth, float), pulls, 1e4, terms)


def test_what_a_tile_has_in_every_frame_counts_as_one():
    """With all in common, nine frames say no more than one."""
    alone = choose_terms(equations(("readout",), [0.5]), OPTICS, ("readout",), 2.5)[0]["readout"]
    alike = choose_terms(equations(("readout",), [0.5], common=1.0), OPTICS, ("readout",), 2.5)[0]["readout"]
    assert alone.value == alike.value == pytest.approx(0.5)
    assert alone.sigma == pytest.approx(alone.scatter, rel=0.35)
    assert alike.sigma == pytest.approx(np.sqrt(FRAMES) * alike.scatter, rel=0.1)
    assert alike.scatter == pytest.approx(1 / np.sqrt(FRAMES * TILES), rel=0.2)


def test_uncertain_terms_are_not_chosen_and_go_back_to_nothing():
    terms = ("readout", "k1")
    chosen, steps = choose_terms(equations(terms, [0.4, 0.01]), OPTICS, terms, 2.5)
    assert set(chosen) == set(steps) == {"readout"}
    assert chosen["readout"].value == pytest.approx(0.4)


@pytest.mark.parametrize("term", ["k2", "cx", "cy"])
def test_what_a_lens_is_beside_its_first_term_is_asked_for_only_with_it(term):
    terms = ("k1", term)
    assert not choose_terms(equations(terms, [0.0, 0.15]), OPTICS, terms, 2.5)[0]
    assert set(choose_terms(equations(terms, [-0.3, 0.15]), OPTICS, terms, 2.5)[0]) == set(terms)


@pytest.mark.parametrize(
    ("term", "value"), [("shutter", -0.2), ("ends", -0.3), ("tilt", -3.0), ("bow_along", 0.3), ("bow_across", -0.3)]
)  # fmt: skip
def test_what_no_camera_and_no_shallow_bow_has_is_not_believed(term, value):
    assert not choose_terms(equations((term,), [value]), OPTICS, (term,), 2.5)[0]


def test_every_term_is_read_as_it_was_set():
    values = {"shutter": 0.02, "tilt": 0.3, "ends": 0.4, "readout": 0.35, "k1": -0.1, "k2": 0.03, "cx": 0.05, "cy": -0.02}
    values |= dict.fromkeys(BOW, 0.01)
    assert set(values) == set(TERMS)
    optics = with_values(OPTICS, values)
    assert {t: value_of(optics, t) for t in TERMS} == pytest.approx(values)
    # What is not named stays.
    again = with_values(optics, {"tilt": -0.2})
    assert {t: value_of(again, t) for t in TERMS} == pytest.approx(values | {"tilt": -0.2})
    assert {t: value_of(OPTICS, t) for t in TERMS} == dict.fromkeys(TERMS, 0.0)
    assert not any(OPTICS.tone[i] for i, _ in enumerate(TONE))
