"""First guesses of where a plane is: how near they come, which leads, and what is said when there is none."""

from dataclasses import replace

import numpy as np
import pytest

from tests.plates import Plate, look_up, make_plate, passed_by, texture
from verdigris.core.camera.optics import STILL, Optics
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import Evidence
from verdigris.core.tracking.sequence.initial_poses import Guesses, Past, speed_at
from verdigris.core.tracking.sequence.plane import AnalysisPicture

SIZE = (480, 320)
PLAIN = Optics(*SIZE)


@pytest.fixture(scope="module")
def plate() -> Plate:
    return make_plate(count=9, reference=3)


def guesses_of(plate: Plate) -> Guesses:
    region = region_mask([plate.corners], [], None, *SIZE)
    reference = AnalysisPicture.of(plate.frames[plate.reference])
    return PlaneFollower(reference, region, plate.corners, "perspective", plate.reference).guesses


@pytest.fixture(scope="module")
def guesses(plate) -> Guesses:
    return guesses_of(plate)


def byte_picture(plate: Plate, n: int):
    return AnalysisPicture.of(plate.frames[n]).bytes


def past_of(plate: Plate, *frames: int) -> Past:
    return [(n, Evidence(plate.truth[n])) for n in frames]


def off_by(plate: Plate, n: int, pose) -> float:
    """Largest distance of a corner from where it is, px."""
    return float(np.linalg.norm(apply_homography(pose, plate.corners) - plate.corners_at(n), axis=1).max())


def test_points_lead_to_within_a_fraction_of_a_pixel_and_say_so(plate, guesses):
    first, *others = guesses.of(5, byte_picture(plate, 4), byte_picture(plate, 5), past_of(plate, 3, 4))
    assert first.near
    assert off_by(plate, 5, first.pose) < 0.3
    # Even movement and standing still are kept as second and third thoughts.
    assert off_by(plate, 5, others[-1].pose) == pytest.approx(off_by(plate, 5, plate.truth[4]), abs=1e-6)
    assert off_by(plate, 5, others[-2].pose) < off_by(plate, 5, others[-1].pose)


def test_points_lead_backwards_as_well(plate, guesses):
    first = guesses.of(1, byte_picture(plate, 2), byte_picture(plate, 1), past_of(plate, 3, 2))[0]
    assert first.near
    assert off_by(plate, 1, first.pose) < 0.3


def test_without_a_past_there_is_nothing_to_guess_from(plate, guesses):
    assert guesses.of(4, byte_picture(plate, 3), byte_picture(plate, 4), []) == []


def test_one_frame_of_past_is_enough(plate, guesses):
    first = guesses.of(4, byte_picture(plate, 3), byte_picture(plate, 4), past_of(plate, 3))[0]
    assert off_by(plate, 4, first.pose) < 0.3


def test_where_nothing_can_be_followed_even_movement_is_what_is_left(plate, guesses):
    blank = np.full(SIZE[::-1], 90, np.uint8)
    found = guesses.of(5, byte_picture(plate, 4), blank, past_of(plate, 3, 4))
    assert not any(s.near or s.sure for s in found)
    assert off_by(plate, 5, found[0].pose) < 1.5


def test_a_gap_in_the_past_is_not_taken_for_movement(plate, guesses):
    """From frames 2 and 4, two apart, the step would be twice as long."""
    blank = np.full(SIZE[::-1], 90, np.uint8)
    found = guesses.of(5, byte_picture(plate, 4), blank, past_of(plate, 2, 4))
    assert off_by(plate, 5, found[0].pose) == pytest.approx(off_by(plate, 5, plate.truth[4]), abs=1e-6)


def test_a_post_that_passes_does_not_take_the_guess_along(plate):
    """It covers a third of the plane and moves 24 px a frame; the plane moves about 4."""
    passed = passed_by(plate, 0, 8)
    guesses = guesses_of(replace(passed, frames=[*passed.frames[:3], plate.frames[3], *passed.frames[4:]]))
    for n in (5, 6, 7):
        found = guesses.of(n, byte_picture(passed, n - 1), byte_picture(passed, n), past_of(plate, n - 2, n - 1))
        assert off_by(plate, n, found[0].pose) < 1.0, n


def test_the_reference_finds_the_plane_from_near_by_and_is_sure_of_it(plate, guesses):
    found = guesses.by_reference(byte_picture(plate, 6), plate.truth[5], STILL)
    assert found is not None
    assert found.sure
    assert off_by(plate, 6, found.pose) < 0.3


def test_the_reference_finds_nothing_in_another_picture(guesses):
    other = AnalysisPicture.of(look_up(texture(55, *SIZE), np.eye(3), *SIZE)).bytes
    assert guesses.by_reference(other, np.eye(3), STILL) is None


def test_a_guess_that_turns_the_plane_over_is_no_guess(plate, guesses):
    behind = np.array([[1.0, 0, 0], [0, 1, 0], [-0.004, 0, 1]])
    assert guesses.by_reference(byte_picture(plate, 5), behind, STILL) is None


def test_a_plane_that_is_somewhere_else_is_found_in_the_whole_picture(plate, guesses):
    away = np.array([[1, 0, 90.0], [0, 1, -60.0], [0, 0, 1]])
    jumped = look_up(texture(1, *SIZE), away, *SIZE)
    found = guesses.find(8, AnalysisPicture.of(jumped).bytes, past_of(plate, 6, 7))
    assert found is not None
    assert np.linalg.norm(apply_homography(found.pose, plate.corners) - apply_homography(away, plate.corners), axis=1).max() < 1.0


def test_a_plane_that_is_not_there_is_not_found(plate, guesses):
    blank = np.full(SIZE[::-1], 90, np.uint8)
    assert guesses.find(8, blank, past_of(plate, 6, 7)) is None


def test_speed_comes_from_the_frames_right_before_and_from_no_others(plate):
    even = {n: np.array([[1, 0, 5.0 * n], [0, 1, 0], [0, 0, 1]]) for n in range(4)}
    past = [(n, Evidence(even[n])) for n in (1, 2)]
    # In the group a movement of 5 px a frame is a generator with 5 at the upper right.
    assert speed_at(PLAIN, 3, even[3], past).v[0, 2] == pytest.approx(5, abs=1e-9)
    assert speed_at(PLAIN, 5, even[3], past).is_still
    assert speed_at(PLAIN, 3, even[3], []).is_still
