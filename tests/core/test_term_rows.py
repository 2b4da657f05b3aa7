"""How predicted values change with what all frames share, held against predictions under optics that are a little other."""

import numpy as np
import pytest

from bench.tracking.materials import photograph
from verdigris.core.camera.optics import Movement, Optics
from verdigris.core.light.tone import SRGB, encode_table, to_code
from verdigris.core.tracking.alignment.conditions import Conditions
from verdigris.core.tracking.alignment.fit import Fit
from verdigris.core.tracking.alignment.frame_pictures import KeptPictures
from verdigris.core.tracking.alignment.samples import box_of
from verdigris.core.tracking.calibration.term_rows import rows_of
from verdigris.core.tracking.calibration.terms import Term, value_of, with_values
from verdigris.core.tracking.reference.appearance import USUAL_VARIANCE
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.plane import AnalysisPicture

SIZE = (640, 360)
CORNERS = np.array([[130.0, 60.0], [500.0, 70.0], [490.0, 300.0], [140.0, 290.0]])
POSE = np.array([[1.1, 0.1, -60.0], [-0.08, 1.08, 45.0], [2e-4, -1e-4, 1.0]])
# Across and turning, ideal reference px a frame.
MOVES = Movement(np.array([[0.0, -0.02, 12.0], [0.02, 0.0, 2.0], [0.0, 0.0, 0.0]]), np.zeros((3, 3)))
MOVES_AT_REFERENCE = Movement(np.array([[0.01, 0.0, -5.0], [0.0, 0.01, 6.0], [0.0, 0.0, 0.0]]), np.zeros((3, 3)))
STEPS: dict[Term, float] = {"readout": 0.02, "bow_along": 1e-3, "bow_across": 1e-3, "k1": 1e-3, "k2": 1e-3, "cx": 4e-3, "cy": 4e-3}
AROUND = {
    "a plain camera": {},
    "a lens": {"k1": -0.15},
    "a lens off centre, a bow, and rows": {"k1": -0.15, "k2": 0.04, "cx": 0.05, "cy": -0.04, "readout": 0.3, "bow_along": 0.005},
}


@pytest.fixture(scope="module")
def plane() -> PlaneFollower:
    picture = to_code(photograph(np.random.default_rng(4), SIZE[1], SIZE[0]), encode_table(SRGB))
    region = np.zeros(SIZE[::-1], bool)
    region[75:285, 145:485] = True
    return PlaneFollower(AnalysisPicture.of(picture), region, CORNERS, "perspective", 0, Optics(*SIZE, shutter=0.0, focal=1.0))


def predicted(follower: PlaneFollower, at: Fit | None = None) -> Fit:
    """A frame's prediction at one pose; at the pixels of another fit, if there is one."""
    conditions = Conditions(MOVES, MOVES_AT_REFERENCE, bow=follower.bow)
    box = box_of(follower.appearance, follower.optics, POSE, MOVES)
    pictures = KeptPictures(follower._picture.values).around(box, SRGB)
    fit = Fit(follower.appearance, follower.optics, pictures, conditions, follower.motion)
    assert fit.place(POSE, None)
    if at is None:
        fit.look(POSE, 2 * USUAL_VARIANCE)
    else:
        fit.adopt(at, POSE, 2 * USUAL_VARIANCE)
    return fit


@pytest.mark.parametrize("around", AROUND)
@pytest.mark.parametrize("term", STEPS)
def test_rows_of_shared_terms_are_what_predictions_do(plane, around, term):
    here = plane.under(with_values(plane.optics, AROUND[around]), MOVES_AT_REFERENCE)
    if term in ("cx", "cy") and here.optics.lens is None:
        pytest.skip("a lens that does not bend has no centre")
    fit = predicted(here)
    (row,) = rows_of(fit, here, POSE, (term,))
    more, less = (
        predicted(plane.under(with_values(here.optics, {term: value_of(here.optics, term) + step}), MOVES_AT_REFERENCE), fit)
        for step in (STEPS[term], -STEPS[term])
    )
    both = fit.view.seen & more.view.seen & less.view.seen
    change = (more.view.prediction[both, 0] - less.view.prediction[both, 0]) / (2 * STEPS[term])
    assert both.mean() > 0.8
    assert float(change @ row[both]) / float(row[both] @ row[both]) == pytest.approx(1.0, abs=0.02)
    assert np.corrcoef(change, row[both])[0, 1] > 0.99
