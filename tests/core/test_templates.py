"""Planes whose picture changes: followed on from frames of the run, with honest doubt, and back to the reference."""

from dataclasses import replace

import numpy as np
import pytest

from tests.plates import Plate, faded, make_plate, texture
from verdigris.core.geometry.homography import apply_homography, homography_from_quads
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.refinement.passes import look_again
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import Evidence, FrameResult, lost
from verdigris.core.tracking.sequence.plane import AnalysisPicture
from verdigris.core.tracking.sequence.templates import (
    LEAST_GOOD,
    LEAST_SHARE,
    MOST_SIGMA_PX,
    Templates,
    agrees,
    region_at,
    with_their_templates,
)

SIZE = (480, 320)


def region_of(plate: Plate):
    return region_mask([plate.corners], [], None, *SIZE)


def follow(plate: Plate, frames, wrap=Templates) -> dict[int, FrameResult]:
    pictures = [AnalysisPicture.of(f) for f in frames]
    follower = PlaneFollower(pictures[plate.reference], region_of(plate), plate.corners, "perspective", plate.reference)
    stepper, results = wrap(follower), {plate.reference: follower.reference_result()}
    history = [results[plate.reference]]
    for n in range(plate.reference + 1, len(pictures)):
        results[n] = stepper.step(n, pictures[n - 1], pictures[n], history, None)
        history.append(results[n])
    for better in look_again(follower, results, pictures.__getitem__, lambda frames: [pictures[n] for n in frames], lambda n, _: None):
        results[better.frame] = better
    return results


def worst(plate: Plate, r: FrameResult) -> float:
    return float(np.linalg.norm(r.corners - plate.corners_at(r.frame), axis=1).max())


@pytest.fixture(scope="module")
def plate():
    return make_plate(count=36, reference=2)


@pytest.fixture(scope="module")
def fade(plate):
    """Another picture comes within 18 frames, and stays."""
    return follow(plate, faded(plate, lambda n: np.clip((n - 6) / 18, 0, 1)).frames)


def test_a_picture_that_fades_to_another_is_followed_to_the_end(plate, fade):
    assert all(r.status == "followed" for r in fade.values())
    late = [r for n, r in fade.items() if n > 26]
    assert all(r.through is not None and r.through > 2 for r in late)
    assert max(worst(plate, r) for r in late) < 3.0


def test_without_further_templates_it_would_be_lost(plate):
    alone = follow(plate, faded(plate, lambda n: np.clip((n - 6) / 18, 0, 1)).frames, wrap=lambda follower: follower)
    assert sum(r.status == "lost" for r in alone.values()) > 8


def test_the_doubt_of_the_template_is_part_of_the_doubt(plate, fade):
    held = {n: r for n, r in fade.items() if r.through is not None}
    for r in held.values():
        assert worst(plate, r) < 4 * float(r.sigma_px.max())
        template = fade[r.through]
        assert float(r.sigma_px.max()) > 0.5 * float(template.sigma_px.max())


def test_frames_like_the_reference_never_need_another_template(plate):
    results = follow(plate, plate.frames)
    assert all(r.through is None and r.status == "followed" for r in results.values())


def test_when_the_old_picture_returns_the_reference_leads_again(plate):
    results = follow(plate, faded(plate, lambda n: np.clip(min((n - 6) / 12, (30 - n) / 10), 0, 1)).frames)
    assert any(r.through is not None for r in results.values())
    assert all(results[n].through is None for n in range(33, 36))
    assert max(worst(plate, results[n]) for n in range(33, 36)) < 0.1


def test_what_covers_a_plane_is_not_taken_for_it(plate):
    """A board with a picture of its own comes in from the left, covers the plane wholly, and stands still."""
    board = texture(5, *SIZE)[::4, ::4][:320, :480]
    frames = []
    for n, frame in enumerate(plate.frames):
        edge = int(np.clip((n - 6) * 30, 0, 480))
        seen = frame.copy()
        seen[:, :edge] = board[:, 480 - edge :]
        frames.append(np.ascontiguousarray(seen, np.float32))
    results = follow(plate, frames)
    covered = [r for n, r in results.items() if n >= 22]
    assert all(r.status == "lost" for r in covered)
    assert all(worst(plate, r) < 3 for r in results.values() if r.corners is not None)


def evidence(good: float, tiles=None) -> Evidence:
    return Evidence(np.eye(3), good=good, tiles=tiles)


def test_only_frames_that_show_most_of_the_region_become_templates():
    r = FrameResult(4, "followed", np.eye(3), np.zeros((4, 2)), np.full(4, 0.01), 0.1, 0.9)
    assert agrees(replace(r, evidence=evidence(0.9)))
    assert not agrees(replace(r, evidence=evidence(LEAST_GOOD - 0.01)))
    assert not agrees(replace(r, evidence=evidence(0.9), share_used=LEAST_SHARE - 0.01))
    assert not agrees(r)


def test_the_region_moves_with_the_plane_and_leaves_odd_tiles_out(plate):
    follower = PlaneFollower(AnalysisPicture.of(plate.frames[2]), region_of(plate), plate.corners, "perspective", 2)
    h = plate.truth[20]
    moved, share = region_at(follower, Evidence(h))
    assert share == 1.0
    wanted = region_mask([plate.corners_at(20)], [], None, *SIZE)
    assert np.sum(moved ^ wanted) < 0.02 * wanted.sum()
    tiles = np.ones(len(follower.appearance.centres), np.float32)
    tiles[follower.appearance.centres[:, 0] < np.median(follower.appearance.centres[:, 0])] = 0.0
    half, left = region_at(follower, Evidence(h, tiles=tiles))
    assert 0.35 < left < 0.65
    assert half.sum() == pytest.approx(left * moved.sum(), rel=0.01)
    assert not np.any(half & ~moved)
    away = np.array([[1, 0, 9000.0], [0, 1, 0], [0, 0, 1]])
    assert region_at(follower, Evidence(away))[1] == 0.0


def test_frames_that_went_astray_through_each_other_come_back_to_the_reference():
    """They are sure of each other, and of everything but their margin; what fits the reference is nearer."""
    plate = make_plate(count=9, reference=3)
    pictures = [AnalysisPicture.of(f) for f in plate.frames]
    region = region_mask([plate.corners], [], None, 480, 320)
    follower = PlaneFollower(pictures[3], region, plate.corners, "perspective", 3)
    results = {3: follower.reference_result()}
    for n in range(4, 9):
        results[n] = follower.step(n, pictures[n - 1], pictures[n], [results[k] for k in range(3, n)], None)
    off = np.array([[1.0, 0, 7], [0, 1, -3], [0, 0, 1]])
    for n in (5, 6):
        right = results[n]
        h = off @ right.homography
        results[n] = replace(
            right, homography=h, corners=right.corners + [7.0, -3.0], sigma_px=np.full(4, 1.7), margin_px=1.69, through=4,
            evidence=Evidence(h),
        )  # fmt: skip
    for n in (5, 6):
        found = follower.settle(n, pictures[n], results, None)
        assert found.through is None
        assert np.abs(found.corners - plate.corners_at(n)).max() < 0.1


CORNERS = np.array([[100.0, 60.0], [300.0, 70.0], [290.0, 220.0], [110.0, 210.0]])
TURN = np.array([[0.98, -0.06, 14.0], [0.05, 1.01, -9.0], [4e-5, -2e-5, 1.0]])


class Plain:
    """As much of a follower as states a result."""

    corners = CORNERS

    def evidence_of(self, result):
        return Evidence(homography_from_quads(CORNERS, result.corners))


def at(n: int, corners: np.ndarray, sigma: float = 0.1, through: int | None = None, template: np.ndarray | None = None) -> FrameResult:
    h = homography_from_quads(CORNERS, corners)
    return FrameResult(n, "followed", h, corners, np.full(4, sigma), 0.1, 1.0, "", Evidence(h, template=template), 0.0, through)


def chain(first: np.ndarray, sigma: float = 0.1) -> dict[int, FrameResult]:
    """Frame 5 compared with the reference, 6 with 5, 7 with 6, all of them believing that 5 lies at CORNERS; it is somewhere else now."""
    sixth, seventh = apply_homography(TURN, CORNERS), apply_homography(TURN @ TURN, CORNERS)
    return {5: at(5, first, sigma), 6: at(6, sixth, 0.2, 5, CORNERS), 7: at(7, seventh, 0.2, 6, sixth)}


def test_what_a_template_held_moves_along_with_it_down_the_chain():
    shift = np.array([[1, 0, 6.0], [0, 1.0, -4.0], [0, 0, 1.0]])
    moved = {r.frame: r for r in with_their_templates(Plain(), chain(apply_homography(shift, CORNERS)))}
    assert set(moved) == {6, 7}
    for n, h in ((6, TURN @ shift), (7, TURN @ TURN @ shift)):
        assert moved[n].corners == pytest.approx(apply_homography(h, CORNERS), abs=1e-6)
        assert apply_homography(moved[n].homography, CORNERS) == pytest.approx(moved[n].corners, abs=1e-6)


def test_what_a_lost_template_held_is_lost_with_the_reason():
    known = {**chain(CORNERS), 5: lost(5, 0.0, "Nothing here looks like it.")}
    fallen = list(with_their_templates(Plain(), known))
    assert [r.frame for r in fallen] == [6, 7]
    assert all(r.status == "lost" and "compared with" in r.reason for r in fallen)


def test_what_a_template_held_is_no_surer_than_the_template_became():
    shift = np.array([[1, 0, 1.0], [0, 1.0, 0.0], [0, 0, 1.0]])
    moved = list(with_their_templates(Plain(), chain(apply_homography(shift, CORNERS), 0.8)))
    assert all(0.5 < float(r.sigma_px.max()) < 1.2 for r in moved)
    doubtful = list(with_their_templates(Plain(), chain(apply_homography(shift, CORNERS), 2 * MOST_SIGMA_PX)))
    assert [r.status for r in doubtful] == ["lost", "lost"]


def test_templates_that_stayed_where_they_were_change_nothing():
    assert list(with_their_templates(Plain(), chain(CORNERS))) == []
