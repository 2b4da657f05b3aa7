"""Planes whose picture changes: followed on from frames of the run, with honest doubt, and back to the reference."""

from dataclasses import replace

import numpy as np
import pytest

from tests.plates import Plate, faded, make_plate, texture
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.follow import AnalysisPicture, PlaneFollower
from verdigris.core.tracking.frame_result import Evidence, FrameResult
from verdigris.core.tracking.second_look import look_again
from verdigris.core.tracking.templates import LEAST_GOOD, LEAST_SHARE, Templates, agrees, region_at

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
    for better in look_again(follower, results, pictures.__getitem__, lambda a, b: pictures[a:b], lambda n, _: None):
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
