"""Single points on a plate with truth."""

import numpy as np
import pytest

from tests.plates import make_plate
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.tracking.follow import AnalysisPicture
from verdigris.core.tracking.points import (
    Pattern,
    PatternProblem,
    PointResult,
    borrow,
    follow_point,
    match_point,
    motion_of,
    plane_from_points,
)

PLATE = make_plate(count=12, reference=4)
PICTURES = [AnalysisPicture.of(f) for f in PLATE.frames]
AT = np.array([235.0, 160.0])


def true_at(n: int, at: np.ndarray = AT) -> np.ndarray:
    return apply_homography(PLATE.truth[n], at[None])[0]


def follow(pattern: Pattern, by_hand=None, pictures=PICTURES, at=AT):
    return follow_point(pictures.__getitem__, range(len(pictures)), by_hand or {4: at}, pattern)


@pytest.mark.parametrize(("motion", "most"), [("translation", 0.6), ("similarity", 0.12), ("affine", 0.1)])
def test_a_point_is_followed_to_a_fraction_of_a_pixel(motion, most):
    found = follow(Pattern(motion=motion))
    assert all(r.at is not None for r in found.values())
    assert max(np.linalg.norm(r.at - true_at(n)) for n, r in found.items()) < most


def test_matching_against_the_frame_before_says_how_its_doubt_adds_up():
    found = follow(Pattern(against="previous"))
    assert found[11].sigma_px > found[6].sigma_px
    assert max(np.linalg.norm(r.at - true_at(n)) for n, r in found.items()) < 0.7


def test_two_frames_set_by_hand_are_joined_from_both_sides():
    found = follow(Pattern(motion="affine"), {1: true_at(1), 10: true_at(10)})
    assert found[1].status == found[10].status == "by_hand"
    assert max(np.linalg.norm(r.at - true_at(n)) for n, r in found.items()) < 0.12


def test_sides_that_contradict_each_other_are_lost_in_words():
    found = follow(Pattern(), {1: true_at(1), 10: true_at(10) + [9.0, 6.0]})
    assert any("apart" in r.reason for r in found.values())


def test_a_search_area_that_is_too_small_loses_the_point_instead_of_guessing():
    far = match_point(PICTURES[4], AT, PICTURES[11], AT - 60, Pattern(search=(6, 6)), 11)
    assert far.status == "lost"
    assert far.at is None
    assert far.reason


def test_patterns_that_cannot_be_followed_are_refused():
    flat = AnalysisPicture.of(np.full((200, 200), 0.4, np.float32))
    edge = AnalysisPicture.of(np.repeat((np.arange(200) > 100).astype(np.float32)[None], 200, axis=0))
    cases = [
        (flat, (100, 100), Pattern()),
        (edge, (100, 100), Pattern()),
        (PICTURES[4], (3, 3), Pattern()),
        (PICTURES[4], AT, Pattern((4, 4))),
    ]
    for picture, at, pattern in cases:
        with pytest.raises(PatternProblem, match=r"\."):
            follow_point([picture].__getitem__, range(1), {0: np.array(at, float)}, pattern)
    with pytest.raises(PatternProblem, match="Set the point"):
        follow_point(PICTURES.__getitem__, range(3), {}, Pattern())


def four(n: int) -> dict[str, PointResult]:
    return {str(i): PointResult(n, "followed", true_at(n, c), 0.05, 0.9) for i, c in enumerate(PLATE.corners)}


def test_one_point_shifts_two_turn_three_shear_and_four_give_the_plane():
    reference = {str(i): c for i, c in enumerate(PLATE.corners)}
    assert [motion_of(k) for k in (1, 2, 3, 4, 7)] == ["translation", "similarity", "affine", "perspective", "perspective"]
    for count in (1, 2, 3, 4):
        some = {k: r for k, r in four(9).items() if int(k) < count}
        found = plane_from_points(reference, some)
        assert found is not None
        h, errors = found
        assert max(errors.values()) < 1e-6
        assert np.allclose(apply_homography(h, PLATE.corners[:count]), PLATE.corners_at(9)[:count], atol=1e-6)
    assert plane_from_points(reference, {}) is None


def test_a_hidden_point_is_carried_by_the_plane_of_the_others_with_growing_doubt():
    reference = {str(i): c for i, c in enumerate(PLATE.corners)} | {"5": AT, "6": AT + [30, 40]}
    tracks = {k: {} for k in reference}
    for n in range(4, 12):
        for k, at in reference.items():
            tracks[k][n] = PointResult(n, "followed", true_at(n, at), 0.05, 0.9)
    for n in (7, 8, 9):
        tracks["0"][n] = PointResult(n, "lost", None, None, 0.0, "covered")
    carried = borrow(reference, tracks, "0", range(4, 12))
    assert [carried[n].status for n in (6, 7, 9, 10)] == ["followed", "carried", "carried", "followed"]
    assert carried[9].sigma_px > carried[7].sigma_px > 0.05
    assert np.linalg.norm(carried[9].at - true_at(9, PLATE.corners[0])) < 0.01
