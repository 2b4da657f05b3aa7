"""Numbers that all frames share: which are certain, and how certain."""

import numpy as np
import pytest

from verdigris.core.camera.optics import Optics
from verdigris.core.tracking.calibration.camera_covariance import LENS_TERMS, held_together, usual_size, with_doubt
from verdigris.core.tracking.calibration.choice import choose_terms, choose_together
from verdigris.core.tracking.calibration.equations import Equations
from verdigris.core.tracking.calibration.terms import BOW, LENS, TERMS, TONE, value_of, with_values

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
    alone = choose_terms(equations(("readout",), [0.5]), OPTICS, ("readout",), 2.5).estimates["readout"]
    alike = choose_terms(equations(("readout",), [0.5], common=1.0), OPTICS, ("readout",), 2.5).estimates["readout"]
    assert alone.value == alike.value == pytest.approx(0.5)
    assert alone.sigma == pytest.approx(alone.scatter, rel=0.35)
    assert alike.sigma == pytest.approx(np.sqrt(FRAMES) * alike.scatter, rel=0.1)
    assert alike.scatter == pytest.approx(1 / np.sqrt(FRAMES * TILES), rel=0.2)


def test_uncertain_terms_are_not_chosen_and_go_back_to_nothing():
    terms = ("readout", "k1")
    choice = choose_terms(equations(terms, [0.4, 0.01]), OPTICS, terms, 2.5)
    chosen, steps = choice.estimates, choice.steps
    assert set(chosen) == set(steps) == {"readout"}
    assert chosen["readout"].value == pytest.approx(0.4)


@pytest.mark.parametrize("term", ["k2", "cx", "cy"])
def test_what_a_lens_is_beside_its_first_term_is_asked_for_only_with_it(term):
    terms = ("k1", term)
    assert not choose_terms(equations(terms, [0.0, 0.15]), OPTICS, terms, 2.5).estimates
    assert set(choose_terms(equations(terms, [-0.3, 0.15]), OPTICS, terms, 2.5).estimates) == set(terms)


def alike(terms, truth, one: str, other: str, how_far: float) -> Equations:
    """Equations in which two terms do nearly the same: only a small share of what they do is each one's own."""
    plain = equations(terms, truth)
    mixed = np.eye(len(terms))
    i, j = terms.index(one), terms.index(other)
    mixed[i, j], mixed[j, i] = how_far, how_far
    root = np.linalg.cholesky(mixed).T
    hessian = 1e4 * FRAMES * TILES * root.T @ root
    return Equations(hessian, hessian @ np.asarray(truth, float), 1e2 * plain.clusters @ root, 1e4, terms)


def test_a_centre_is_told_from_a_second_term_that_does_nearly_the_same():
    """Asked one after the other, the one that comes first takes the other's work; asked together, it is seen whose it is."""
    truth = [-0.12, 0.0, 0.05, -0.03]
    bent = with_values(OPTICS, {"k1": -0.12})
    e = alike(LENS, truth, "k2", "cx", 0.9)
    # Around k1 as it is: what is left to explain.
    e = Equations(e.hessian, e.hessian @ np.array([0.0, *truth[1:]]), e.clusters, e.total, LENS)
    choice = choose_together(e, bent, LENS, 2.5, 5.0)
    found, steps = choice.estimates, choice.steps
    assert set(found) == {"k1", "cx", "cy"}
    assert [found[t].value for t in ("k1", "cx", "cy")] == pytest.approx([-0.12, 0.05, -0.03], abs=0.004)
    assert steps["cx"] == pytest.approx(found["cx"].value)


def test_a_lens_with_nothing_but_its_first_term_stays_so():
    bent = with_values(OPTICS, {"k1": -0.12, "k2": 0.02})
    e = equations(LENS, [0.0, -0.02, 0.001, 0.0])
    found = choose_together(e, bent, LENS, 2.5, 5.0).estimates
    assert set(found) == {"k1"}
    # Without a demand on their certainty, as long as steps are taken, all are kept, held together with what lenses are like.
    assert set(choose_together(e, bent, LENS, 2.5, 0.0).estimates) == set(LENS)


def test_beside_a_lens_only_what_is_certain_counts():
    terms = ("shutter", "readout", *LENS)
    bent = with_values(OPTICS, {"k1": -0.12})
    choice = choose_together(equations(terms, [0.01, 0.4, 0.0, 0.0, 0.0, 0.0]), bent, terms, 2.5, 5.0)
    found, steps = choice.estimates, choice.steps
    assert set(found) == set(steps) == {"readout", "k1"}
    assert found["readout"].value == pytest.approx(0.4, abs=0.01)
    assert set(choose_together(equations(terms, [0.01, 0.4, 0.0, 0.0, 0.0, 0.0]), bent, terms, 2.5, 5.0, ("readout",)).estimates) == {"k1"}


@pytest.mark.parametrize(
    ("term", "value"), [("shutter", -0.2), ("ends", -0.3), ("tilt", -3.0), ("bow_along", 0.3), ("bow_across", -0.3), ("readout", 0.93), ("readout", -0.95)]
)  # fmt: skip
def test_what_no_camera_and_no_shallow_bow_has_is_not_believed(term, value):
    assert not choose_terms(equations((term,), [value]), OPTICS, (term,), 2.5).estimates


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


def quadratic(hessian, truth, now) -> tuple[np.ndarray, np.ndarray]:
    """Equations of an error that is exactly a parabola with its lowest point at the truth, around present values."""
    h = np.asarray(hessian, float)
    return h, h @ (np.asarray(truth, float) - np.asarray(now, float))


def test_terms_that_are_left_out_give_their_share_back():
    """Three that do each other's work: without one, the others are what least squares would say if it had never been there."""
    terms = ("readout", "k1", "bow_along")
    now = {"readout": 0.1, "k1": -0.05, "bow_along": 0.004}
    here = with_values(OPTICS, now)
    h, score = quadratic([[4, 1, 0.5], [1, 3, 1], [0.5, 1, 5]], [0.3, -0.12, 0.01], list(now.values()))
    e = Equations(h, score, np.zeros((2, 3, 3)), 1.0, terms)
    kept = e.if_only(("readout", "bow_along"), here)
    assert kept.terms == ("readout", "bow_along")
    step = np.linalg.solve(kept.hessian, kept.score)
    # By hand: the parabola, cut where k1 is nothing.
    i = [0, 2]
    gradient = h[np.ix_(i, [0, 1, 2])] @ np.array([0.3, -0.12, 0.01])
    assert np.array([0.1, 0.004]) + step == pytest.approx(np.linalg.solve(h[np.ix_(i, i)], gradient))
    # With all of them nothing is given back.
    assert np.linalg.solve(e.if_only(terms, here).hessian, e.if_only(terms, here).score) == pytest.approx([0.2, -0.07, 0.006])


def test_what_terms_promise_is_what_a_parabola_would_lose():
    h, score = quadratic([[4, 1], [1, 3]], [0.3, -0.12], [0, 0])
    truth = np.array([0.3, -0.12])
    e = Equations(h, score, np.zeros((1, 1, 2)), 10.0, ("readout", "k1"))
    assert e.promise == pytest.approx(truth @ h @ truth / 10, rel=1e-6)
    assert e.only(()).promise == 0.0
    # More terms never promise less.
    assert e.only(("readout",)).promise <= e.promise


USUAL = np.array([1.0, 0.1])


def pulls_of(scatter, seed=3) -> np.ndarray:
    return np.random.default_rng(seed).standard_normal((400, 2)) * np.asarray(scatter) / 20


def test_much_that_is_sure_says_what_the_terms_are_and_little_leaves_them_what_they_usually_are():
    truth, now = np.array([0.4, -0.12]), np.array([0.1, 0.0])
    h, score = quadratic(np.diag([1e6, 1e7]), truth, now)
    value, covariance = held_together(h, score, pulls_of([1e3, 3e3]), now, USUAL)
    assert value == pytest.approx(truth, rel=0.02)
    assert np.all(np.sqrt(np.diag(covariance)) < 0.1 * USUAL)
    # The same figures with a thousandth of what they say: nothing is known, and nothing is the best guess.
    h, score = quadratic(np.diag([1e-3, 1e-2]), truth, now)
    value, covariance = held_together(h, score, pulls_of([1e-1, 1e-1]), now, USUAL)
    assert np.all(np.abs(value) < 0.05 * np.abs(truth))
    assert np.sqrt(np.diag(covariance)) == pytest.approx(USUAL, rel=0.05)


def test_what_cannot_be_told_apart_is_shared_out_by_what_is_usual():
    """Both do exactly the same: the sum is known, and each gets of it as its square."""
    row = np.array([[1.0, 1.0]])
    h, score = quadratic(1e6 * row.T @ row, [0.3, 0.0], [0.0, 0.0])
    pulls = np.random.default_rng(4).standard_normal((400, 1)) * 1e3 / 20 * row
    value, covariance = held_together(h, score, pulls, np.zeros(2), np.array([0.2, 0.1]))
    assert value.sum() == pytest.approx(0.3, rel=0.02)
    assert value[0] / value[1] == pytest.approx(4.0, rel=0.05)
    assert covariance.sum() < 0.01 * covariance[0, 0]
    assert covariance[0, 1] < 0


def test_the_present_values_do_not_lead_the_answer():
    """A parabola is the same one from wherever it is looked at."""
    truth = np.array([0.3, -0.1])
    hessian = np.array([[2e4, 3e3], [3e3, 5e5]])
    from_here = [
        held_together(*quadratic(hessian, truth, now), pulls_of([150, 700]), np.array(now), USUAL)[0] for now in ([0, 0], [0.5, -0.2])
    ]
    assert from_here[0] == pytest.approx(from_here[1], rel=1e-6)


def test_a_second_lens_term_is_usual_beside_a_first_one_only():
    assert usual_size("k2", -0.2) == pytest.approx(2 * usual_size("k2", 0.1))
    assert usual_size("k2", 0.0) < 0.02 * usual_size("k1", 0.0)
    assert usual_size("cx", -0.2) == usual_size("cy", 0.1)
    assert usual_size("readout", -0.2) == 1.0


def test_doubt_of_a_camera_goes_with_what_it_was_about():
    lens = with_doubt(with_values(OPTICS, {"k1": -0.1, "readout": 0.3}), lens=1e-4 * np.eye(LENS_TERMS), readout=0.01)
    assert lens.camera_covariance is not None
    # A read-out that is said anew is said with its own doubt; the lens's stays.
    again = with_values(lens, {"readout": 0.2}).camera_covariance
    assert again is not None
    assert np.diag(again) == pytest.approx([*[1e-4] * LENS_TERMS, 0.0])
    # Without a lens there is nothing to doubt in it.
    plain = with_values(lens, {"k1": 0.0}).camera_covariance
    assert plain is not None
    assert np.diag(plain) == pytest.approx([*[0.0] * LENS_TERMS, 0.01])
    assert with_values(lens, {"k1": 0.0, "readout": 0.0}).camera_covariance is None
    assert with_values(lens, {"shutter": 0.02}).camera_covariance == pytest.approx(lens.camera_covariance)
