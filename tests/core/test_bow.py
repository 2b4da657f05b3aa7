"""A bowed surface, held against exact projections of points that stand out of a plane."""

import numpy as np
import pytest

from verdigris.core.camera.bow import SQUARE, USUAL_FOCAL, Bow, focal_of
from verdigris.core.geometry.homography import apply_homography, homography_from_quads

SIZE = (1280, 720)
WIDE, HIGH = 1.6, 1.0
DEEP = (0.004, 0.002)


def camera(focal: float) -> np.ndarray:
    return np.array([[focal, 0, SIZE[0] / 2], [0, focal, SIZE[1] / 2], [0, 0, 1.0]])


def view(focal: float, yaw: float, pitch: float, at: tuple[float, float, float]):
    """Where points of the surface (N, 2), -1 to 1, are seen at some height over it, towards the camera, (N,)."""
    a, b = np.cos(yaw), np.sin(yaw)
    c, d = np.cos(pitch), np.sin(pitch)
    turn = np.array([[a, 0, b], [0, 1, 0], [-b, 0, a]]) @ np.array([[1, 0, 0], [0, c, -d], [0, d, c]])

    def project(points: np.ndarray, height: np.ndarray) -> np.ndarray:
        there = np.column_stack([points * [WIDE, HIGH], -height]) @ turn.T + at
        out = there @ camera(focal).T
        return out[:, :2] / out[:, 2:]

    return project


def bowed(points: np.ndarray, depth: tuple[float, float]) -> np.ndarray:
    return 2 * WIDE * depth[0] * (1 - points[:, 0] ** 2) + 2 * HIGH * depth[1] * (1 - points[:, 1] ** 2)


GRID = np.stack(np.meshgrid(np.linspace(-0.9, 0.9, 7), np.linspace(-0.9, 0.9, 7)), axis=-1).reshape(-1, 2)
VIEWS = [(0.3, -0.1, (0.2, 0.1, 5.0)), (-0.4, 0.25, (-0.5, 0.2, 6.0)), (0.05, 0.5, (0.3, -0.3, 4.5))]


def shown(focal: float, seen_from: tuple, depth: tuple[float, float]) -> tuple[Bow, np.ndarray, np.ndarray, np.ndarray]:
    """The bow from the reference's corners, the pose, where a plane would show what the reference shows, and where it is seen."""
    reference, now = view(focal, 0.1, 0.05, (0.0, 0.0, 5.0)), view(focal, *seen_from)
    flat = np.zeros(4)
    corners = reference(SQUARE, flat)
    pose = homography_from_quads(corners, now(SQUARE, flat))
    height = bowed(GRID, depth)
    return Bow.of(corners, SIZE, depth), pose, apply_homography(pose, reference(GRID, height)), now(GRID, height)


@pytest.mark.parametrize("seen_from", VIEWS)
def test_a_bow_is_seen_where_it_stands_out_of_the_plane(seen_from):
    bow, pose, plane, seen = shown(1.1 * SIZE[0], seen_from, DEEP)
    away = np.linalg.norm(seen - plane, axis=1)
    assert away.max() > 0.5
    # What is left is of second order: the bow's slope times how far it is seen away.
    assert np.linalg.norm(bow.flat(seen, pose) - plane, axis=1).max() < 0.02 * away.max()


@pytest.mark.parametrize("widths", [0.7, 1.1, 2.0, 3.0])
def test_the_focal_length_is_found_from_how_the_rectangle_is_seen(widths):
    flat, focal = np.zeros(4), widths * SIZE[0]
    reference = view(focal, 0.1, 0.05, (0.0, 0.0, 5.0 * widths))(SQUARE, flat)
    seen = [view(focal, yaw, pitch, (x, y, widths * z))(SQUARE, flat) for yaw, pitch, (x, y, z) in VIEWS]
    found = focal_of(reference, [homography_from_quads(reference, s) for s in seen], SIZE)
    assert found == pytest.approx(widths, rel=0.25)


def test_with_nothing_to_tell_it_from_the_focal_length_is_the_usual_one():
    corners = np.array([[300.0, 200.0], [800.0, 200.0], [800.0, 500.0], [300.0, 500.0]])
    slid = np.array([[1.0, 0, 30], [0, 1, -12], [0, 0, 1]])
    assert focal_of(corners, [slid, np.linalg.inv(slid)], SIZE) == pytest.approx(USUAL_FOCAL, rel=0.1)


@pytest.mark.parametrize("widths", [0.8, 1.5])
def test_a_focal_length_that_is_off_mostly_scales_the_depth(widths):
    for seen_from in VIEWS:
        bow, pose, plane, seen = shown(widths * SIZE[0], seen_from, DEEP)
        away, found = (seen - plane).ravel(), bow.offset(seen, pose).ravel()
        scaled = found * float(found @ away) / float(found @ found)
        assert np.linalg.norm(scaled - away) < 0.25 * np.linalg.norm(away)


def test_corners_stay_on_the_plane_and_no_bow_moves_nothing():
    bow, pose, _, seen = shown(1300.0, VIEWS[1], DEEP)
    there = apply_homography(pose, apply_homography(bow.camera @ bow.rectangle, SQUARE))
    np.testing.assert_allclose(bow.flat(there, pose), there, atol=1e-9)
    np.testing.assert_allclose(bow.offset(seen, pose, (0.0, 0.0)), 0.0, atol=1e-12)


def test_nothing_moves_where_the_view_is_the_reference_itself():
    bow, _, _, seen = shown(1300.0, VIEWS[0], DEEP)
    np.testing.assert_allclose(bow.offset(seen, np.eye(3)), 0.0, atol=1e-9)


def test_offset_grows_evenly_with_depth():
    bow, pose, _, seen = shown(1300.0, VIEWS[0], DEEP)
    along, across = bow.offset(seen, pose, (1.0, 0.0)), bow.offset(seen, pose, (0.0, 1.0))
    np.testing.assert_allclose(bow.offset(seen, pose), DEEP[0] * along + DEEP[1] * across, atol=1e-12)
