"""Which motion is enough, and where the picture disagrees with the plane."""

import numpy as np
import pytest

from tests.plates import make_plate
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.motion import MOTIONS
from verdigris.core.tracking.review.propose import propose


@pytest.mark.parametrize("motion", MOTIONS)
def test_the_simplest_motion_that_explains_the_points_is_named(motion):
    plate = make_plate(motion, count=12, reference=0, size=(640, 360))
    rng = np.random.default_rng(1)
    src = rng.uniform([150, 80], [500, 280], (80, 2))
    frames = [(np.ones(80, bool), apply_homography(h, src) + rng.normal(0, 0.05, (80, 2))) for h in plate.truth[2:]]
    found = propose(src, frames)
    assert found is not None
    assert found.motion == motion
    assert [f.motion for f in found.figures] == list(MOTIONS)
    assert motion.capitalize() in found.reason
    assert found.reason.endswith(".")
    enough = found.figures[MOTIONS.index(motion)]
    assert enough.left_out_px < 0.12
    assert all(f.left_out_px > enough.left_out_px + 0.03 for f in found.figures[: MOTIONS.index(motion)])


def test_too_little_evidence_is_no_proposal():
    assert propose(np.zeros((4, 2)), [(np.ones(4, bool), np.zeros((4, 2)))]) is None
