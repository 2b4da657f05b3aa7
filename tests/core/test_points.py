"""Single points on a plate with truth."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from tests.plates import look_up, make_plate, texture
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.motion import MOTIONS, holds
from verdigris.core.tracking.points.planes import borrow, corner_sigmas_of_points, motion_of, plane_from_points
from verdigris.core.tracking.points.points import Pattern, PatternProblem, PointResult, follow_point, match_point
from verdigris.core.tracking.sequence.plane import AnalysisPicture

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
    found = follow(Pattern(against="by_hand"), {1: true_at(1), 10: true_at(10) + [9.0, 6.0]})
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


@pytest.mark.parametrize(
    ("places", "driven"),
    [
        ([[0, 0], [100, 0], [100, 80], [0, 80]], "perspective"),
        # Three of four in a line drive no tilt, three in a line no shear, one place alone only the position.
        ([[0, 0], [50, 50], [100, 100], [100, 0]], "affine"),
        ([[0, 0], [50, 50], [100, 100]], "similarity"),
        ([[0, 0], [50, 50], [100, 100], [30, 30]], "similarity"),
        ([[40, 40], [40, 40]], "translation"),
    ],
)
def test_points_in_a_line_drive_less_than_their_number_would(places, driven):
    here = {str(i): np.array(p, float) + 150 for i, p in enumerate(places)}
    now = {k: PointResult(9, "followed", true_at(9, p), 0.05, 0.9) for k, p in here.items()}
    found = plane_from_points(here, now)
    assert found is not None
    h, errors = found
    assert np.linalg.cond(h[:2, :2]) < 3
    assert max(errors.values()) < 3
    assert [m for m in MOTIONS if holds(np.array([*here.values()]), m)][-1] == driven
    sigma = corner_sigmas_of_points(here, now, found, PLATE.corners)
    assert np.all(np.isfinite(sigma))


def test_the_doubt_of_corners_under_points_is_what_their_scatter_makes_of_them():
    rng = np.random.default_rng(8)
    for count in (4, 6, 12):
        here = {str(i): p for i, p in enumerate(rng.uniform([150, 100], [330, 230], (count, 2)))}
        here |= {str(i): c for i, c in enumerate(PLATE.corners)}
        off, said = [], []
        for _ in range(200):
            now = {k: PointResult(9, "followed", true_at(9, p) + rng.normal(0, 0.3 / np.sqrt(2), 2), 0.3, 0.9) for k, p in here.items()}
            found = plane_from_points(here, now)
            off.append(np.linalg.norm(apply_homography(found[0], PLATE.corners) - PLATE.corners_at(9), axis=1))
            said.append(corner_sigmas_of_points(here, now, found, PLATE.corners))
        times = np.mean(said, axis=0) / np.sqrt(np.mean(np.square(off), axis=0))
        # Just enough points cannot show whether they agree: they are believed by half.
        assert np.all((times > 0.9) & (times < 2.6))


def test_points_that_disagree_say_so():
    here = {str(i): c for i, c in enumerate(PLATE.corners)} | {"4": AT, "5": AT + [30, 40]}
    now = {k: PointResult(9, "followed", true_at(9, p), 0.05, 0.9) for k, p in here.items()}
    agreed = corner_sigmas_of_points(here, now, plane_from_points(here, now), PLATE.corners)
    now["4"] = replace(now["4"], at=now["4"].at + [6, 0])
    assert np.all(corner_sigmas_of_points(here, now, plane_from_points(here, now), PLATE.corners) > 10 * agreed)


def test_of_two_places_that_look_alike_the_one_where_even_movement_leads_is_taken():
    rng = np.random.default_rng(3)
    blob = cv2.GaussianBlur(rng.normal(0, 1, (25, 25)).astype(np.float32), (0, 0), 2.0)
    blob *= 0.25 / np.abs(blob).max()

    def shown(*places):
        values = 0.5 + rng.normal(0, 0.002, (160, 240)).astype(np.float32)
        for x, y, strength in places:
            values[y - 12 : y + 13, x - 12 : x + 13] += strength * blob
        return AnalysisPicture.of(values.astype(np.float32))

    known, at = shown((80, 80, 1.0)), np.array([80.5, 80.5])
    now = shown((88, 80, 0.97), (112, 80, 1.0))
    found = match_point(known, at, now, at + [8, 0], Pattern(half_size=(10, 10), search=(40, 20)), 1)
    assert np.abs(found.at - at - [8, 0]).max() < 0.3
    # Where it is nowhere near, it is found as far away as is looked.
    jumped = match_point(known, at, shown((112, 80, 1.0)), at, Pattern(half_size=(10, 10), search=(40, 20)), 1)
    assert np.abs(jumped.at - at - [32, 0]).max() < 0.3


def all_seen(reference, frames):
    return {k: {n: PointResult(n, "followed", true_at(n, at), 0.05, 0.9) for n in frames} for k, at in reference.items()}


def test_a_point_that_is_hidden_before_it_is_seen_is_carried_too():
    reference = {str(i): c for i, c in enumerate(PLATE.corners)} | {"5": AT, "6": AT + [30, 40]}
    tracks = all_seen(reference, range(12))
    for n in range(4):
        tracks["0"][n] = PointResult(n, "lost", None, None, 0.0, "covered")
    carried = borrow(tracks, "0", range(12))
    assert [carried[n].status for n in (0, 3, 4)] == ["carried", "carried", "followed"]
    assert carried[0].sigma_px > carried[3].sigma_px
    assert np.linalg.norm(carried[0].at - true_at(0, PLATE.corners[0])) < 0.01


def test_a_point_is_moved_by_those_that_are_seen_where_it_was_seen():
    """One that is seen now and then moves it from there, and not from the reference, with much doubt."""
    reference = {str(i): c for i, c in enumerate(PLATE.corners)}
    tracks = all_seen(reference, range(4, 12))
    for k in ("0", "1", "2"):
        for n in (10, 11):
            tracks[k][n] = PointResult(n, "lost", None, None, 0.0, "covered")
    carried = borrow(tracks, "0", range(4, 12))[10]
    off = np.linalg.norm(carried.at - true_at(10, PLATE.corners[0]))
    assert 0.1 < off < 4 * carried.sigma_px
    by_three = all_seen(reference, range(4, 12))
    by_three["0"][10] = PointResult(10, "lost", None, None, 0.0, "covered")
    by_three["0"][11] = PointResult(11, "lost", None, None, 0.0, "covered")
    assert borrow(by_three, "0", range(4, 12))[10].sigma_px < carried.sigma_px


def test_a_hidden_point_is_carried_by_the_plane_of_the_others_with_growing_doubt():
    reference = {str(i): c for i, c in enumerate(PLATE.corners)} | {"5": AT, "6": AT + [30, 40]}
    tracks = {k: {} for k in reference}
    for n in range(4, 12):
        for k, at in reference.items():
            tracks[k][n] = PointResult(n, "followed", true_at(n, at), 0.05, 0.9)
    for n in (7, 8, 9):
        tracks["0"][n] = PointResult(n, "lost", None, None, 0.0, "covered")
    carried = borrow(tracks, "0", range(4, 12))
    assert [carried[n].status for n in (6, 7, 9, 10)] == ["followed", "carried", "carried", "followed"]
    # It is seen again at 10: half-way between it is the least sure.
    sigma = {n: carried[n].sigma_px or 0.0 for n in (7, 8, 9)}
    assert sigma[8] > max(sigma[7], sigma[9]) > 0.05 / np.sqrt(2)
    assert np.linalg.norm(carried[9].at - true_at(9, PLATE.corners[0])) < 0.01


def beside_the_plane(n: int) -> AnalysisPicture:
    """A plane that moves 3 px a frame, ending at x = 200; what lies behind it stands still."""
    width, height = 400, 300
    plane = look_up(texture(5, width, height), np.array([[1, 0, 3.0 * n], [0, 1, 0], [0, 0, 1]]), width, height)
    behind = look_up(texture(6, width, height), np.eye(3), width, height)
    edge = np.arange(width) + 0.5 < 200 + 3.0 * n
    return AnalysisPicture.of(np.where(edge, plane, behind).astype(np.float32))


def test_a_corner_of_the_surface_set_exactly_does_not_stick_to_what_lies_behind():
    def seen(n: int) -> AnalysisPicture:
        plane = beside_the_plane(n).values.copy()
        plane[150:] = look_up(texture(6, 400, 300), np.eye(3), 400, 300)[150:]
        return AnalysisPicture.of(plane)

    found = follow_point(seen, range(10), {0: np.array([200.0, 150.0])}, Pattern((14.0, 14.0)))
    wrong = [n for n, r in found.items() if r.at is not None and np.linalg.norm(r.at - [200 + 3.0 * n, 150]) > 3.5]
    # A frame may go by before it is noticed; it does not stay with what lies behind.
    assert len(wrong) <= 1


@pytest.mark.parametrize("x", [206.0, 210.0])
def test_a_pattern_that_holds_two_motions_is_lost_before_it_leaves_with_the_wrong_one(x):
    found = follow_point(beside_the_plane, range(10), {0: np.array([x, 150.0])}, Pattern((14.0, 14.0)))
    for n, r in found.items():
        if r.at is not None:
            assert np.linalg.norm(r.at - [x + 3.0 * n, 150]) < 3.5
    assert any("moves otherwise" in r.reason for r in found.values())
    inside = follow_point(beside_the_plane, range(10), {0: np.array([170.0, 150.0])}, Pattern((14.0, 14.0)))
    assert max(np.linalg.norm(r.at - [170 + 3.0 * n, 150]) for n, r in inside.items()) < 0.5


def test_a_point_that_was_covered_is_found_again():
    def covered(n: int) -> AnalysisPicture:
        values = PICTURES[n].values.copy()
        if 6 <= n <= 8:
            values[:] = 0.5
        return AnalysisPicture.of(values)

    found = follow_point(covered, range(len(PICTURES)), {4: AT}, Pattern(motion="similarity"))
    assert [found[n].status for n in (6, 7, 8)] == ["lost"] * 3
    assert found[10].at is not None
    assert np.linalg.norm(found[10].at - true_at(10)) < 0.5


def test_matched_with_its_first_frame_a_second_key_only_says_where_to_look():
    by_first = follow(Pattern(motion="affine", against="first"), {1: true_at(1), 10: true_at(10) + [3.0, 2.0]})
    # A key that is a little off does not change what is looked for.
    assert np.linalg.norm(by_first[9].at - true_at(9)) < 0.3
