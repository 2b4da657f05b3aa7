"""What is believed of an alignment, what is reported as lost and why, and what frames say together."""

from dataclasses import replace

import numpy as np
import pytest

from tests.core.test_alignment_doubt import ALIGNMENT
from verdigris.core.tracking.alignment.acceptance import LEAST_GOOD, LEAST_SHARE, MOST_SIGMA_PX, reason_against
from verdigris.core.tracking.alignment.align import WITHIN, _within
from verdigris.core.tracking.sequence.frame_result import FrameResult, doubt_of, lost, trust_of, worst_of

SIZE = (640, 360)
SQUARE = np.array([[100.0, 80.0], [300.0, 80.0], [300.0, 240.0], [100.0, 240.0]])
SURE = np.full(4, 0.05)


def test_what_holds_is_believed():
    assert reason_against(ALIGNMENT, SQUARE, SURE, SIZE) == ""


@pytest.mark.parametrize(
    ("alignment", "corners", "sigma", "says"),
    [
        (ALIGNMENT, SQUARE[[0, 2, 1, 3]], SURE, "cross or collapse"),
        (ALIGNMENT, SQUARE * 200, SURE, "cross or collapse"),
        (replace(ALIGNMENT, share_used=LEAST_SHARE / 5), SQUARE, SURE, "Only 0 % of the region can be compared"),
        (replace(ALIGNMENT, good_share=LEAST_GOOD / 3), SQUARE, SURE, "Only 5 % of what shows looks like"),
        (ALIGNMENT, SQUARE, np.array([0.1, MOST_SIGMA_PX + 0.6, 0.1, 0.1]), "unsure by 2.6 px"),
        (replace(ALIGNMENT, converged=False), SQUARE, np.full(4, MOST_SIGMA_PX + 0.1), "did not settle"),
    ],
)
def test_what_does_not_hold_is_lost_with_the_reason(alignment, corners, sigma, says):
    assert says in reason_against(alignment, corners, sigma, SIZE)


def test_where_it_is_sure_a_step_to_and_fro_does_not_matter():
    assert reason_against(replace(ALIGNMENT, converged=False), SQUARE, SURE, SIZE) == ""


def test_a_step_is_held_against_the_doubt_where_the_plane_is_seen():
    seen, covariance = np.array([[-0.5, -0.4], [0.5, 0.4]]), 1e-6 * np.eye(8)
    still = np.zeros(8)
    assert _within(still, covariance, seen)
    step = still.copy()
    step[0] = 0.9 * WITHIN * np.sqrt(2e-6)
    assert _within(step, covariance, seen)
    # The same step is too long for a fit that is surer, and one that runs away is never within.
    assert not _within(step, 0.1 * covariance, seen)
    assert not _within(np.full(8, np.inf), covariance, seen)
    # A turn moves the rim though it leaves the middle where it is.
    turn = still.copy()
    turn[2] = 0.01
    assert not _within(turn, covariance, seen)
    assert _within(turn, covariance, 0.01 * seen)


def test_tiles_are_trusted_by_what_frames_say_of_them():
    moving, content, hardly = np.ones(5), np.zeros(5), np.full(5, np.nan)
    hardly[0] = 0.0
    trust = trust_of(np.stack([moving, content, hardly], axis=1).astype(np.float32))
    assert trust[0] == 1.0
    assert trust[1] == pytest.approx(0.02)
    # What hardly ever showed is neither trusted nor distrusted.
    assert 0.3 < trust[2] < 1.0
    assert trust_of([None, moving.astype(np.float32), None]) is None


def test_doubt_without_the_margin_is_how_badly_the_picture_holds_a_frame():
    result = FrameResult(3, "followed", np.eye(3), SQUARE, np.array([0.3, 0.5, 0.1, 0.2]), 0.1, 0.9, margin_px=0.3)
    assert doubt_of(result) == pytest.approx(0.4)
    assert worst_of(result) == 0.5
    gone = lost(4, 0.02, "covered")
    assert (gone.status, gone.reason, gone.corners) == ("lost", "covered", None)
    assert doubt_of(gone) == worst_of(gone) == worst_of(None) == np.inf
