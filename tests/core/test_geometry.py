from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from verdigris.core.geometry.bounds import bounds
from verdigris.core.geometry.corrections import CornerCorrection, correction_offsets
from verdigris.core.geometry.homography import apply_homography, fit_homography, homography_from_quads, unit_square_to
from verdigris.core.geometry.quad import find_quad_problem, grow_quad, signed_area, surface_aspect
from verdigris.core.geometry.shapes import polygon_at, polygon_coverage

SQUARE = np.array([[100.0, 100], [500, 110], [490, 420], [105, 400]])
offsets = st.lists(st.floats(-40, 40), min_size=8, max_size=8).map(lambda v: np.array(v).reshape(4, 2))


@given(offsets)
def test_a_homography_from_quads_takes_every_corner_to_its_place(shift):
    target = SQUARE + shift
    h = homography_from_quads(SQUARE, target)
    assert np.allclose(apply_homography(h, SQUARE), target, atol=1e-8)
    assert np.allclose(apply_homography(np.linalg.inv(h), target), SQUARE, atol=1e-7)


@given(offsets)
def test_a_fit_to_many_exact_pairs_is_the_homography_itself(shift):
    h = homography_from_quads(SQUARE, SQUARE + shift)
    points = np.random.default_rng(0).uniform([90, 90], [500, 420], (40, 2))
    fitted = fit_homography(points, apply_homography(h, points))
    assert fitted is not None
    assert np.abs(apply_homography(fitted, SQUARE) - (SQUARE + shift)).max() < 1e-5


def test_a_fit_to_points_on_a_line_is_refused_rather_than_guessed():
    line = np.stack([np.arange(10.0), 2 * np.arange(10.0)], axis=1)
    assert fit_homography(line, line + 3) is None


def test_three_corners_on_a_line_raise():
    with pytest.raises(ValueError, match="line"):
        homography_from_quads(np.array([[0.0, 0], [1, 0], [2, 0], [0, 1]]), SQUARE)


@pytest.mark.parametrize(
    ("order", "code"),
    [((0, 1, 2, 3), None), ((1, 0, 2, 3), "crossed"), ((0, 1, 3, 2), "crossed"), ((0, 3, 2, 1), "flipped"), ((1, 0, 3, 2), "flipped")],
)
def test_crossed_and_flipped_corners_are_named(order, code):
    problem = find_quad_problem(SQUARE[list(order)])
    assert (problem.code if problem else None) == code


def test_a_dented_quad_names_the_corner_that_lies_inside():
    dented = SQUARE.copy()
    dented[2] = [250, 220]
    problem = find_quad_problem(dented)
    assert problem is not None
    assert problem.code == "not_convex"
    assert "square" in problem.reason


def test_a_tiny_and_an_endless_quad_are_refused():
    assert find_quad_problem(SQUARE * 0.005).code == "too_small"
    assert find_quad_problem(np.full((4, 2), np.nan)).code == "not_finite"


@pytest.mark.parametrize("aspect", [0.6, 1.0, 1.78, 2.4])
@pytest.mark.parametrize("yaw", [0.0, 0.35, -0.7])
def test_the_true_proportions_of_a_tilted_rectangle_are_found(aspect, yaw):
    f, width, height = 1900.0, 1920, 1080
    c, s, cp, sp = np.cos(yaw), np.sin(yaw), np.cos(0.2), np.sin(0.2)
    turn = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]]) @ np.array([[1, 0, 0], [0, cp, -sp], [0, sp, cp]])
    flat = np.array([[-aspect / 2, -0.5, 0], [aspect / 2, -0.5, 0], [aspect / 2, 0.5, 0], [-aspect / 2, 0.5, 0]])
    corners = flat @ turn.T + [0.3, -0.1, 4.0]
    seen = corners[:, :2] / corners[:, 2:] * f + [width / 2, height / 2]
    assert surface_aspect(seen, width, height) == pytest.approx(aspect, rel=0.03)


@given(st.floats(0.1, 20))
def test_growing_moves_every_edge_out_by_the_same_distance(by):
    grown = grow_quad(SQUARE, by)
    for i in range(4):
        a, b = SQUARE[i], SQUARE[(i + 1) % 4]
        normal = np.array([(b - a)[1], -(b - a)[0]]) / np.linalg.norm(b - a)
        for p in (grown[i], grown[(i + 1) % 4]):
            assert np.dot(p - a, normal) == pytest.approx(by, abs=1e-8)


@given(st.lists(st.tuples(st.floats(1, 39), st.floats(1, 29)), min_size=3, max_size=3, unique=True))
def test_coverage_adds_up_to_the_exact_area(points):
    polygon = np.array(points)
    assert polygon_coverage(polygon, 40, 30).sum() == pytest.approx(abs(signed_area(polygon)), abs=1e-3)


def test_coverage_of_a_pixel_is_the_area_inside_it():
    cover = polygon_coverage(np.array([[2.25, 1.5], [6.75, 1.5], [6.75, 4.0], [2.25, 4.0]]), 10, 6)
    assert cover[2, 4] == pytest.approx(1.0)
    assert cover[1, 4] == pytest.approx(0.5)
    assert cover[2, 2] == pytest.approx(0.75)
    assert cover[1, 6] == pytest.approx(0.5 * 0.75)
    assert cover[4].max() == 0


def test_coverage_is_cut_at_the_picture_s_edges_and_empty_outside():
    wide = np.array([[-50.0, -50], [90, -50], [90, 90], [-50, 90]])
    assert polygon_coverage(wide, 20, 10).min() == pytest.approx(1.0)
    assert polygon_coverage(wide + 500, 20, 10).max() == 0


def test_a_shape_moves_linearly_between_keys_and_is_held_outside():
    a, b = np.zeros((3, 2)), np.full((3, 2), 10.0)
    assert np.allclose(polygon_at(15, [10, 20], [a, b]), 5)
    assert np.allclose(polygon_at(3, [10, 20], [a, b]), 0)
    assert np.allclose(polygon_at(99, [10, 20], [a, b]), 10)
    with pytest.raises(ValueError, match="same number"):
        polygon_at(1, [0, 2], [a, np.zeros((4, 2))])


def test_a_correction_is_exact_on_its_frame_and_fades_within_its_reach():
    one = [CornerCorrection(50, 2, 1.5, -0.5)]
    assert np.allclose(correction_offsets(50, one, 10)[2], [1.5, -0.5])
    assert 0 < correction_offsets(55, one, 10)[2, 0] < 1.5
    assert np.allclose(correction_offsets(60, one, 10), 0)
    assert np.allclose(correction_offsets(40, one, 10), 0)
    assert np.allclose(correction_offsets(51, one, 0), 0)


def test_between_two_corrections_the_offset_goes_from_one_to_the_other():
    two = [CornerCorrection(10, 0, 2.0, 0.0), CornerCorrection(20, 0, -2.0, 0.0)]
    values = [correction_offsets(n, two, 3)[0, 0] for n in range(10, 21)]
    assert values[0] == 2.0
    assert values[-1] == -2.0
    assert all(x >= y for x, y in pairwise(values))


def test_the_unit_square_goes_to_the_quad_in_corner_order():
    h = unit_square_to(SQUARE)
    assert np.allclose(apply_homography(h, np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]])), SQUARE)


@given(st.lists(st.tuples(st.floats(-1e4, 1e4), st.floats(-1e4, 1e4)), min_size=1, max_size=30))
def test_the_box_around_points_touches_them_on_every_side(points):
    at = np.array(points)
    low, high = bounds(at)
    assert np.all(at >= low)
    assert np.all(at <= high)
    assert {*low.tolist(), *high.tolist()} <= {*at.ravel().tolist()}
    grid_low, grid_high = bounds(at.reshape(1, -1, 2))
    assert np.array_equal(grid_low, low)
    assert np.array_equal(grid_high, high)
