"""Where a region does not move with its plane: what is found, when, how it is outlined, and what is left alone."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.plates import make_plate
from verdigris.core.camera.optics import Optics
from verdigris.core.tracking.reference.appearance import build_appearance
from verdigris.core.tracking.review.disagreement import KEY_POINTS, MOST_KEYS, disagreement_map, find_disagreements
from verdigris.core.tracking.sequence.frame_result import Evidence, FrameResult, lost

SIZE = (480, 320)
BOX = (60, 40, 420, 280)
FRAMES = range(20)


@pytest.fixture(scope="module")
def appearance():
    region = np.zeros(SIZE[::-1], bool)
    region[BOX[1] : BOX[3], BOX[0] : BOX[2]] = True
    return build_appearance(make_plate().frames[3], region, Optics(*SIZE))


def result(n: int, tiles) -> FrameResult:
    evidence = Evidence(np.eye(3), tiles=np.asarray(tiles, np.float32))
    return FrameResult(n, "followed", np.eye(3), np.zeros((4, 2)), np.full(4, 0.1), 0.1, 1.0, "", evidence)


def run(appearance, covers) -> dict[int, FrameResult]:
    """A run in which tiles whose middle lies in covers(n), a box or None, see something else."""

    def agreement(n):
        box, at = covers(n), appearance.centres
        if box is None:
            return np.ones(len(at))
        return np.where(np.all((at > box[:2]) & (at < box[2:]), axis=1), 0.05, 1.0)

    return {n: result(n, agreement(n)) for n in FRAMES}


def altered(r: FrameResult, change) -> FrameResult:
    """A result whose tiles were changed, by a function that returns others."""
    assert r.evidence is not None
    return replace(r, evidence=replace(r.evidence, tiles=np.asarray(change(r.evidence.tiles.copy()), np.float32)))


def area(points) -> float:
    return float(cv2.contourArea(np.asarray(points, np.float32)))


def inside(points, at) -> bool:
    return cv2.pointPolygonTest(np.asarray(points, np.float32), (float(at[0]), float(at[1])), False) >= 0


def passer(n: int):
    """A post 110 px wide that passes from left to right, there from frame 4 to 13."""
    return None if not 4 <= n <= 13 else (10 + 32 * (n - 4), 40, 120 + 32 * (n - 4), 280)


def test_where_everything_moves_with_the_plane_nothing_is_proposed(appearance):
    assert find_disagreements(appearance, run(appearance, lambda n: None), 0, 19) == []


def test_content_is_outlined_to_be_cut_out(appearance):
    box = (180, 110, 310, 210)
    (found,) = find_disagreements(appearance, run(appearance, lambda n: box), 0, 19)
    assert found.kind == "content"
    assert found.frames == (0, 19)
    assert found.helps == pytest.approx(0.95, abs=0.01)
    # Tiles are a tenth of the region wide: the outline is right to about one.
    assert found.outline.min(axis=0) == pytest.approx(box[:2], abs=40)
    assert found.outline.max(axis=0) == pytest.approx(box[2:], abs=40)
    assert area(found.outline) == pytest.approx(130 * 100, rel=0.6)
    assert [k.frame for k in found.keys] == [0]


def test_something_that_passes_is_outlined_as_it_goes(appearance):
    (found,) = find_disagreements(appearance, run(appearance, passer), 0, 19)
    assert found.kind == "passing"
    assert found.frames == (4, 13)
    assert 2 < len(found.keys) <= MOST_KEYS
    assert found.keys[0].frame == 4
    assert found.keys[-1].frame == 13
    assert {k.points.shape for k in found.keys} == {(KEY_POINTS, 2)}
    middles = []
    for key in found.keys:
        box = passer(key.frame)
        left, right = max(box[0], BOX[0]), min(box[2], BOX[2])
        middles.append(key.points[:, 0].mean())
        assert middles[-1] == pytest.approx((left + right) / 2, abs=25)
        # It covers what is covered, not the whole way.
        assert inside(key.points, ((left + right) / 2, 160))
        assert area(key.points) < 0.6 * area(found.outline)
    # Tiles are a little wider than its steps.
    assert np.all(np.diff(middles) >= 0)
    assert len({*middles}) >= len(middles) - 1


def test_outlines_keep_their_points_in_order_from_frame_to_frame(appearance):
    (found,) = find_disagreements(appearance, run(appearance, passer), 0, 19)
    for a, b in zip(found.keys[1:-1], found.keys[2:-1], strict=False):
        step = b.points - a.points
        # Tiles are a little wider than its steps: a side may stay where it is for one of them.
        assert np.all(step[:, 0] > -0.01)
        assert np.abs(step[:, 1]).max() < 60
    whole = found.keys[-2].points - found.keys[1].points
    assert np.all(whole[:, 0] > 60)
    assert all(np.all(np.isfinite(k.points)) for k in found.keys)


def test_two_that_pass_at_different_times_are_two(appearance):
    def two(n):
        return (70, 60, 170, 260) if 2 <= n <= 5 else (300, 60, 400, 260) if 12 <= n <= 16 else None

    found = sorted(find_disagreements(appearance, run(appearance, two), 0, 19), key=lambda d: d.frames)
    assert [d.frames for d in found] == [(2, 5), (12, 16)]
    assert found[0].outline[:, 0].max() < 240 < found[1].outline[:, 0].min()


def test_two_that_meet_are_outlined_one_by_one_until_they_do(appearance):
    """From both sides to the middle, where they touch at frame 10."""
    results = run(appearance, lambda n: (60 + 11 * n, 60, 130 + 11 * n, 260) if n <= 12 else None)
    for n, other in run(appearance, lambda n: (350 - 11 * n, 60, 420 - 11 * n, 260) if n <= 12 else None).items():
        results[n] = altered(results[n], lambda tiles, other=other: np.minimum(tiles, other.evidence.tiles))
    found = find_disagreements(appearance, results, 0, 19)
    assert len(found) == 2
    early = [k for d in found for k in d.keys if k.frame <= 6]
    assert all(np.ptp(k.points[:, 0]) < 140 for k in early)
    # Nothing covers the middle while they are still apart.
    assert not any(inside(k.points, (240, 160)) for k in early if k.frame <= 4)


def test_specks_and_single_frames_are_no_proposals(appearance):
    at = appearance.centres[44]
    speck = (*(at - 5), *(at + 5))
    assert find_disagreements(appearance, run(appearance, lambda n: speck if n in (5, 6, 7) else None), 0, 19) == []
    assert find_disagreements(appearance, run(appearance, lambda n: (60, 40, 240, 280) if n == 9 else None), 0, 19) == []


def test_content_and_what_passes_in_front_of_it_are_told_apart(appearance):
    screen = (240, 110, 420, 210)
    on_screen = np.all((appearance.centres > screen[:2]) & (appearance.centres < screen[2:]), axis=1)
    results = {n: altered(r, lambda tiles: np.where(on_screen, 0.1, tiles)) for n, r in run(appearance, passer).items()}
    kinds = [d.kind for d in find_disagreements(appearance, results, 0, 19)]
    assert kinds.count("content") == 1
    assert "passing" in kinds


def test_between_frames_that_were_looked_at_it_may_be_there_already(appearance):
    results = {n: r for n, r in run(appearance, passer).items() if n % 3 == 0}
    (found,) = find_disagreements(appearance, results, 0, 19)
    # Seen at 6, 9 and 12; not at 3 and 15.
    assert [k.frame for k in found.keys] == [6, 9, 12]
    assert found.frames == (4, 14)


def test_a_span_is_kept_to_and_lost_frames_say_nothing(appearance):
    results = {**run(appearance, passer), 8: lost(8, 0.0, "Covered.")}
    found = disagreement_map(results, 5, 10)
    assert found is not None
    frames, agreement = found
    assert frames == [5, 6, 7, 9, 10]
    assert agreement.shape == (5, len(appearance.centres))
    (passing,) = find_disagreements(appearance, results, 5, 19)
    assert passing.frames == (5, 13)
    assert disagreement_map(results, 30, 40) is None
    assert find_disagreements(appearance, results, 12, 13) == []


def test_what_was_not_seen_is_not_held_against_the_plane(appearance):
    unseen = np.arange(len(appearance.centres)) < len(appearance.centres) // 2
    results = {n: altered(r, lambda tiles: np.where(unseen, np.nan, tiles)) for n, r in run(appearance, lambda n: None).items()}
    assert find_disagreements(appearance, results, 0, 19) == []


def content_now_and_then(n: int, appearance, by: float = 0.1):
    """Rows of print that run on the left all the time, and beside them a picture that changes in every fourth frame."""
    at = appearance.centres
    print_runs = np.all((at > (70, 110)) & (at < (240, 210)), axis=1)
    picture_changes = np.all((at > (240, 110)) & (at < (330, 210)), axis=1) & (n % 4 == 0)
    return np.where(print_runs | picture_changes, by, 1.0)


def test_content_that_rests_at_times_belongs_to_what_runs_beside_it(appearance):
    results = {n: result(n, content_now_and_then(n, appearance)) for n in FRAMES}
    (found,) = find_disagreements(appearance, results, 0, 19)
    assert found.kind == "content"
    assert inside(found.outline, (120, 160))
    assert inside(found.outline, (300, 160))
    assert not inside(found.outline, (390, 160))


def test_what_changes_now_and_then_is_neither_content_by_itself_nor_something_that_passes(appearance):
    at = appearance.centres
    changes = np.all((at > (240, 110)) & (at < (330, 210)), axis=1)
    results = {n: result(n, np.where(changes & (n % 5 < 2), 0.1, 1.0)) for n in FRAMES}
    assert find_disagreements(appearance, results, 0, 19) == []


def test_what_passes_beside_content_is_not_cut_out_with_it(appearance):
    """A post that comes over the edge of the running print for five frames of twenty: in front, not content."""
    at = appearance.centres
    print_runs = np.all((at > (70, 110)) & (at < (240, 210)), axis=1)
    post = np.all((at > (240, 60)) & (at < (330, 260)), axis=1)
    results = {n: result(n, np.where(print_runs | (post & (8 <= n <= 12)), 0.1, 1.0)) for n in FRAMES}
    found = {d.kind: d for d in find_disagreements(appearance, results, 0, 19)}
    assert set(found) == {"content", "passing"}
    assert not inside(found["content"].outline, (300, 160))
    assert inside(found["passing"].outline, (285, 160))
    assert found["passing"].frames == (8, 12)


def test_content_with_little_to_see_between_its_lines_is_outlined_as_one():
    """Two lines of print on an even ground: samples lie in the lines alone, and the ground between is content as well."""
    frame = np.full(SIZE[::-1], 0.3, np.float32)
    texture = make_plate().frames[3]
    for top in (80, 215):
        frame[top : top + 30, 70:410] = texture[top : top + 30, 70:410]
    region = np.zeros(SIZE[::-1], bool)
    region[BOX[1] : BOX[3], BOX[0] : BOX[2]] = True
    sparse = build_appearance(frame, region, Optics(*SIZE))
    box = (60, 60, 420, 260)
    (found,) = find_disagreements(sparse, run(sparse, lambda n: box), 0, 19)
    assert found.kind == "content"
    assert inside(found.outline, (240, 95))
    assert inside(found.outline, (240, 160))
    assert inside(found.outline, (240, 230))


WALKS = st.tuples(
    st.integers(60, 300), st.integers(40, 200), st.integers(50, 120), st.integers(60, 120), st.integers(-14, 14),
    st.integers(0, 12), st.integers(3, 19),
)  # fmt: skip


@given(st.lists(WALKS, min_size=1, max_size=3))
@settings(max_examples=40, deadline=None)
def test_whatever_walks_about_proposals_hold_together(appearance, walks):
    """Boxes that go to and fro for a while, or stay: whatever comes of it can be drawn, timed and ordered."""

    def covered(n: int):
        at, there = appearance.centres, np.zeros(len(appearance.centres), bool)
        for x, y, wide, tall, stride, first, last in walks:
            if first <= n <= last:
                left = x + stride * (n - first)
                there |= np.all((at > (left, y)) & (at < (left + wide, y + tall)), axis=1)
        return there

    found = find_disagreements(appearance, {n: result(n, np.where(covered(n), 0.05, 1.0)) for n in FRAMES}, 0, 19)
    least, most = appearance.points.min(axis=0) - 30, appearance.points.max(axis=0) + 30
    weights = [d.helps * d.share_of_region for d in found]
    assert weights == sorted(weights, reverse=True)
    for d in found:
        assert 0 < d.share_of_region <= 1
        assert 0 < d.helps <= 1
        assert 0 <= d.frames[0] <= d.frames[1] <= 19
        assert len(d.outline) >= 3
        assert np.all((d.outline >= least) & (d.outline <= most))
        at = [k.frame for k in d.keys]
        assert at == sorted(set(at))
        assert d.frames[0] <= at[0] <= at[-1] <= d.frames[1]
        assert len({k.points.shape for k in d.keys}) == 1
        # Content is nowhere that never disagreed, by more than the width of a tile.
        ever = np.any([covered(n) for n in FRAMES], axis=0)
        assert all(np.abs(appearance.centres[ever] - p).max(axis=1).min() < 60 for p in d.outline)
