"""What is kept of what a run says about the camera, and in which order it is asked: the rules alone, on made-up figures."""

from dataclasses import replace

import numpy as np
import pytest

from tests.core.test_choice_of_terms import FRAMES, TILES, equations
from verdigris.core.camera.optics import Optics
from verdigris.core.geometry.lens import Lens
from verdigris.core.tracking.calibration.comparison import LEAST_GAIN, Gain
from verdigris.core.tracking.calibration.readout_likelihood import READOUTS, ROWS_SHOW, rows_may_be_read, rows_show, share_of_rows
from verdigris.core.tracking.calibration.terms import BOW, CENTRE, LENS, Estimate, Term
from verdigris.core.tracking.calibration.weighing import BEYOND_DOUBT, CERTAIN, REFINING_COST, _helps, _simpler_first

GEOMETRY: tuple[Term, ...] = ("shutter", "readout", *BOW, *LENS)
# As long as no lens is known, nobody asks for its centre.
UNCENTRED = tuple(t for t in GEOMETRY if t not in CENTRE)
OPTICS = Optics(640, 360)
BENT = replace(OPTICS, lens=Lens.of_picture(640, 360, -0.1))
NOTHING = frozenset()


def said(**times: float) -> dict[str, Estimate]:
    """Terms by how many times their uncertainty they are."""
    return {t: Estimate(0.01 * x, 0.01, 0.01) for t, x in times.items()}


def helps(estimates, known=NOTHING, gain=0.0, give=0.01, least=LEAST_GAIN, first=True, shutter=0.0) -> bool:
    return _helps(estimates, set(known), Gain(gain, give), least, first, shutter)


@pytest.mark.parametrize(
    ("estimates", "gain", "kept"),
    [
        # Frames fit better by more than chance, and the equations are certain.
        (said(readout=20), 0.05, True),
        (said(shutter=20, k1=20), 0.05, True),
        # By less than it has to gain at least.
        (said(k1=20), 0.5 * LEAST_GAIN, False),
        # What looks less than certain has to gain twice its standard error, a lens or a bow on top of what is simpler.
        (said(tilt=0.9 * CERTAIN), 0.03, True),
        (said(tilt=0.9 * CERTAIN), 0.015, False),
        (said(k1=0.9 * CERTAIN), 0.012, False),
        (said(bow_along=0.9 * CERTAIN), 0.012, False),
        # Frames look worse.
        (said(k1=20), -0.02, False),
        (said(tilt=20), -0.02, False),
    ],
)
def test_what_is_new_has_to_help(estimates, gain, kept):
    assert helps(estimates, gain=gain) == kept


@pytest.mark.parametrize(
    ("estimates", "gain", "first", "now", "kept"),
    [
        # Certainly another one, and frames look no worse by more than chance.
        (said(shutter=20), 0.0, True, 0.05, True),
        (said(shutter=20), -0.015, True, 0.05, True),
        (said(shutter=20), -0.03, True, 0.05, False),
        # Where nothing smeared so far, it has to earn its keep.
        (said(shutter=20), 0.0, True, 0.0, False),
        # Not so far from what it is.
        (said(shutter=20), 0.0, True, 0.15, False),
        # Something else beside it, or something kept already, has to earn its keep.
        (said(shutter=20, k1=6), 0.0, True, 0.05, False),
        (said(shutter=20), 0.0, False, 0.05, False),
    ],
)
def test_a_shutter_that_is_certainly_another_one_is_corrected(estimates, gain, first, now, kept):
    assert helps(estimates, gain=gain, first=first, shutter=now) == kept


def test_a_tone_curve_that_is_certain_is_kept_unless_frames_look_plainly_worse():
    """Beside what was kept: few edges gain by a curve that bends them all."""
    kept = 0.05 + LEAST_GAIN
    toned = said(shutter=20, readout=20, ends=1.2 * CERTAIN)
    assert helps(toned, gain=0.045, give=0.01, least=kept, first=False)
    assert not helps(toned, gain=0.02, give=0.01, least=kept, first=False)
    assert not helps(said(shutter=20, readout=20, ends=0.9 * CERTAIN), gain=0.045, give=0.01, least=kept, first=False)
    # One that is known already is refined as anything else is.
    assert not helps(toned, known={"ends"}, gain=0.045, give=0.01, least=kept, first=False)


def test_more_terms_have_to_gain_more_than_fewer_did():
    more = said(readout=20, k1=20)
    assert helps(more, gain=0.05, least=0.04, first=False)
    assert not helps(more, gain=0.05, least=0.06, first=False)


def test_rows_that_are_certain_are_kept_even_before_frames_look_better():
    assert helps(said(shutter=9, readout=1.2 * ROWS_SHOW), gain=0.0)
    assert not helps(said(shutter=9, readout=0.8 * ROWS_SHOW), gain=0.0)
    # Not where frames look plainly worse, nor after something else was kept, nor with a lens in their train.
    assert not helps(said(readout=20), gain=-0.05)
    assert not helps(said(readout=20), gain=0.0, first=False)
    assert not helps(said(readout=20, k1=20), gain=0.0)


@pytest.mark.parametrize(("readout", "common", "shown"), [(0.3, 0.0, True), (0.01, 0.0, False), (0.15, 0.0, True), (0.15, 1.0, False)])
def test_rows_show_in_noise_as_far_as_frames_do_not_share_it(readout, common, shown):
    """What all frames have in common, the reference's noise above all, counts once."""
    made = equations(GEOMETRY, [readout if t == "readout" else 0.0 for t in GEOMETRY], common=common)
    assert rows_show(made, OPTICS) == shown
    assert not rows_show(made.only(("shutter", "k1")), OPTICS)


def test_a_read_out_is_believed_as_far_as_it_is_likely():
    # Where nothing is known, one and the other are about as likely.
    assert share_of_rows(0.0, 10.0) == pytest.approx(0.5, abs=0.02)
    shares = [share_of_rows(times * 0.1, 0.1) for times in (0, 1, 2, 3, 4)]
    assert shares == sorted(shares)
    assert shares[0] < 0.1
    assert shares[-1] > 0.99
    assert share_of_rows(-0.3, 0.1) == share_of_rows(0.3, 0.1)
    # Shorter than any camera takes, or longer, it is something else, however certain.
    assert share_of_rows(0.2 * READOUTS[0], 0.005) < 1e-3
    assert share_of_rows(3 * READOUTS[1], 0.1) < 1e-3


@pytest.mark.parametrize(("readout", "information", "asked_for"), [(0.15, 1e-3, True), (0.0, 1.0, False), (0.15, 1.0, True)])
def test_a_read_out_is_asked_for_where_it_may_be_there(readout, information, asked_for):
    made = equations(GEOMETRY, [readout if t == "readout" else 0.0 for t in GEOMETRY])
    known = replace(made, hessian=information * made.hessian, score=information * made.score, clusters=np.sqrt(information) * made.clusters)
    assert rows_may_be_read(known, OPTICS) == asked_for
    assert not rows_may_be_read(known.only(("shutter", "k1")), OPTICS)


def test_a_bow_beyond_doubt_is_kept_unless_frames_plainly_look_worse():
    bow = said(bow_across=1.2 * BEYOND_DOUBT, readout=20)
    assert helps(bow, gain=-0.01, first=False)
    assert not helps(bow, gain=-0.05, first=False)
    assert not helps(said(bow_across=0.8 * BEYOND_DOUBT, readout=20), gain=-0.01, first=False)
    # Once there is one it is refined like everything else.
    assert not helps(bow, known={"bow_across", "readout"}, gain=-0.01, first=False)


@pytest.mark.parametrize("term", ["k2", "cx", "cy"])
def test_what_is_new_of_a_lens_that_is_known_must_not_cost_anything(term):
    """Few frames gain by it: those that lie furthest out."""
    deep = said(k1=30) | said(**{term: 20})
    assert helps(deep, known={"k1"}, gain=-0.01)
    assert not helps(deep, known={"k1"}, gain=-0.03)
    assert helps(deep, known={"k1", term}, gain=-0.03)
    # With a lens that is new itself frames have to gain, and so they have to if something else was kept already.
    assert not helps(deep, known=set(), gain=0.0)
    assert not helps(deep, known={"k1"}, gain=0.0, first=False)


def test_what_is_known_is_refined_whatever_it_seems_to_cost():
    terms = said(shutter=9, bow_along=30, readout=30)
    assert helps(terms, known={"bow_along", "readout"}, gain=-0.8 * REFINING_COST)
    assert not helps(terms, known={"bow_along", "readout"}, gain=-1.2 * REFINING_COST)
    # Only all of it, and only where nothing else was kept. The tone curve may be missing.
    assert not helps(said(shutter=9, bow_along=30), known={"bow_along", "readout"}, gain=-0.8 * REFINING_COST)
    assert not helps(terms, known={"bow_along", "readout"}, gain=-0.8 * REFINING_COST, first=False)
    assert helps(terms, known={"bow_along", "readout", "tilt"}, gain=-0.8 * REFINING_COST)
    # A lens is refined as a whole; rows that turn out to be none may go with it.
    assert helps(said(k1=30), known={"k1", "readout"}, gain=-0.8 * REFINING_COST)


def asked(optics=OPTICS, allowed=UNCENTRED, **truth: float) -> list[tuple[Term, ...]]:
    return _simpler_first(equations(allowed, [truth.get(t, 0.0) for t in allowed]), optics, allowed)


def test_where_nothing_is_certain_nothing_is_asked():
    assert asked() == []


def test_simple_sets_come_before_those_with_a_lens():
    sets = asked(readout=0.4, k1=-0.3, k2=0.2)
    assert sets[0] == ("readout",)
    assert sets.index(("readout", "k1")) < sets.index(("readout", "k1", "k2"))
    assert len(sets) == len(set(sets))


def test_a_lens_and_a_bow_are_never_asked_for_together():
    # A bow that is believed is shallow: it takes much information to be certain of.
    made = equations(UNCENTRED, [{"readout": 0.4, "bow_along": 0.02, "k1": -0.3}.get(t, 0.0) for t in UNCENTRED])
    sharper = replace(made, hessian=100 * made.hessian, score=100 * made.score)
    sets = _simpler_first(sharper, OPTICS, UNCENTRED)
    assert any("bow_along" in s for s in sets)
    assert any("k1" in s for s in sets)
    assert not any("k1" in s and not {*BOW}.isdisjoint(s) for s in sets)


def test_a_lens_that_is_known_to_bend_is_asked_for_as_a_whole():
    allowed = ("shutter", "readout", *LENS)
    assert asked(BENT, allowed, k1=-0.3, k2=0.2) == [allowed]


def test_a_lens_that_the_equations_do_not_ask_for_any_more_is_to_go():
    allowed = ("shutter", "readout", "k1", "k2")
    # Around a lens of -.1 they ask for +.1: nothing of it is left.
    sets = asked(BENT, allowed, readout=0.4, k1=0.1)
    assert any("k1" in s for s in sets)
    assert np.isclose(FRAMES * TILES, equations(allowed, [0] * 4).hessian[0, 0])
    # Where it is still asked for, it is refined and never given up.
    kept = asked(BENT, allowed, readout=0.4, k1=-0.2)
    assert kept[-1][-1] == "k1"
