"""Sets of points: figures against a plane that is known exactly, filters, spans."""

import numpy as np
import pytest

from tests.plates import make_plate
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.tracking.points.points import PointResult
from verdigris.core.tracking.points.sets import choose_points, figures_of, trimmed

PLATE = make_plate(count=30, reference=4)
FRAMES = range(4, 30)
REFERENCE = {f"p{i}": PLATE.corners[0] + [40.0 + 25 * (i % 3), 30.0 + 22 * (i // 3)] for i in range(9)}


def true_at(n: int, at: np.ndarray) -> np.ndarray:
    return apply_homography(PLATE.truth[n], at[None])[0]


def true_tracks():
    return {k: {n: PointResult(n, "followed", true_at(n, at), 0.05, 0.9) for n in FRAMES} for k, at in REFERENCE.items()}


def test_points_that_move_with_the_plane_have_no_error():
    found = figures_of(REFERENCE, true_tracks(), "perspective")
    assert all(f.error_px is not None and f.error_px < 1e-6 for f in found.values())
    assert {f.seen for f in found.values()} == {len(FRAMES)}
    step = np.percentile([np.linalg.norm(true_at(n, REFERENCE["p4"]) - true_at(n - 1, REFERENCE["p4"])) for n in FRAMES[1:]], 95)
    assert found["p4"].speed_px == pytest.approx(step, rel=1e-6)


def test_a_slip_is_measured_where_it_is():
    tracks = true_tracks()
    for n in range(15, 30):
        tracks["p4"][n] = PointResult(n, "followed", true_at(n, REFERENCE["p4"]) + [0.0, 3.0], 0.05, 0.9)
    tracks["p4"][20] = PointResult(20, "followed", true_at(20, REFERENCE["p4"]) + [0.0, 9.0], 0.05, 0.9)
    found = figures_of(REFERENCE, tracks, "perspective")
    assert found["p4"].worst_frame == 20
    assert found["p4"].worst_px == pytest.approx(9.0, abs=1.5)
    assert found["p4"].error_px == pytest.approx(3.0, abs=0.5)
    assert found["p4"].acceleration_px > 5 * found["p0"].acceleration_px
    assert all(found[k].error_px < 0.5 for k in REFERENCE if k != "p4")
    assert choose_points(found) == [k for k in REFERENCE if k != "p4"]


def test_points_left_out_are_measured_against_the_others_and_change_nothing():
    four = {k: REFERENCE[k] for k in ("p0", "p2", "p6", "p8", "p4")}
    tracks = {k: true_tracks()[k] for k in four}
    last = list(four)[-1]
    tracks[last] = {n: PointResult(n, "followed", true_at(n, four[last]) + [30.0, 0.0], 0.05, 0.9) for n in FRAMES}
    found = figures_of(four, tracks, "perspective", [last])
    assert found[last].error_px == pytest.approx(30.0)
    # The four that drive are just enough: nothing shows how well they fit.
    assert all(found[k].error_px is None for k in four if k != last)


def test_carried_frames_say_nothing_of_a_point_and_short_tracks_are_dropped():
    tracks = true_tracks()
    for n in FRAMES:
        if n > 7:
            tracks["p1"][n] = PointResult(n, "carried", true_at(n, REFERENCE["p1"]) + [5.0, 0.0], 0.5, 0.0)
            tracks["p2"][n] = PointResult(n, "lost", None, None, 0.0, "covered")
    found = figures_of(REFERENCE, tracks, "perspective")
    assert (found["p1"].seen, found["p1"].carried, found["p2"].lost) == (4, len(FRAMES) - 4, len(FRAMES) - 4)
    assert found["p1"].error_px < 0.01
    assert set(choose_points(found)) == set(REFERENCE) - {"p1", "p2"}


def test_a_jerky_point_is_dropped_by_its_acceleration():
    tracks = true_tracks()
    tracks["p3"] = {n: PointResult(n, "followed", true_at(n, REFERENCE["p3"]) + [0.0, 6.0 * (n % 2)], 0.05, 0.9) for n in FRAMES}
    found = figures_of(REFERENCE, tracks, "perspective")
    assert "p3" not in choose_points(found, most_error_px=100.0)
    assert "p3" in choose_points(found, most_error_px=100.0, most_acceleration_px=30.0)


def test_without_a_place_at_the_reference_frame_a_point_has_no_error_against_the_plane():
    found = figures_of({k: v for k, v in REFERENCE.items() if k != "p0"}, true_tracks())
    assert found["p0"].error_px is None
    assert found["p0"].speed_px > 0
    assert figures_of({}, {"p0": {}})["p0"].seen == 0


def test_a_track_is_used_within_its_spans_only():
    track = true_tracks()["p0"]
    kept = trimmed(track, FRAMES, [(6, 8), (20, 20)])
    assert [n for n, r in kept.items() if r.at is not None] == [6, 7, 8, 20]
    assert kept[10].reason
    assert trimmed(track, FRAMES, []) == track
