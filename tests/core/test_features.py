"""Points of a region: chosen, followed there and back, and a plane found again from nothing."""

import cv2
import numpy as np
import pytest

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.tracking.reference.features import Finder, _strongest, choose_features, follow_features, moved

WIDTH, HEIGHT = 1280, 720
CORNERS = np.array([[420.0, 200.0], [860.0, 210.0], [850.0, 520.0], [430.0, 510.0]])
# Turned, smaller, somewhere else, seen from the side.
ELSEWHERE = np.array([[0.80, -0.24, 250.0], [0.22, 0.82, -140.0], [8e-5, 4e-5, 1.0]])


def textured(seed: int, sigma: float, contrast: float, middle: float = 128.0) -> np.ndarray:
    """Blurred noise of some contrast, (HEIGHT, WIDTH) float32 code values 0..255."""
    picture = cv2.GaussianBlur(np.random.default_rng(seed).normal(size=(HEIGHT, WIDTH)).astype(np.float32), (0, 0), sigma)
    return np.asarray(middle + contrast * picture / picture.std(), np.float32)


def inside(corners: np.ndarray) -> np.ndarray:
    mask = np.zeros((HEIGHT, WIDTH), np.uint8)
    return cv2.fillConvexPoly(mask, np.round(corners).astype(np.int32), 1) > 0


def pasted(background: np.ndarray, plane: np.ndarray, h: np.ndarray) -> np.ndarray:
    """A plane's picture under a homography on a background, 8 bit."""
    half = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])
    warped = cv2.warpPerspective(plane, half @ h @ np.linalg.inv(half), (WIDTH, HEIGHT), flags=cv2.INTER_LINEAR)
    shown = inside(apply_homography(h, CORNERS))
    return np.clip(np.where(shown, warped, background), 0, 255).astype(np.uint8)


def off(h: np.ndarray | None, truth: np.ndarray) -> float:
    assert h is not None
    return float(np.linalg.norm(apply_homography(h, CORNERS) - apply_homography(truth, CORNERS), axis=1).max())


BUSY = textured(1, 1.2, 45.0)
SOFT = textured(2, 7.0, 9.0, 90.0)
SHARP = textured(3, 1.6, 30.0)


def test_features_lie_in_the_region_and_apart():
    region = inside(CORNERS)
    points = choose_features(SHARP.astype(np.uint8), region)
    assert 50 < len(points) <= 200
    assert region[points[:, 1].astype(int), points[:, 0].astype(int)].all()
    distance = np.linalg.norm(points[:, None] - points[None], axis=2) + 1e3 * np.eye(len(points))
    assert distance.min() >= 8.5


def test_faint_parts_have_their_points_beside_strong_ones():
    """The right half of a plane is thirty times fainter than its left."""
    region = inside(CORNERS)
    picture = np.where(np.arange(WIDTH) < 640, SHARP, 100 + (SHARP - 128) / 30)
    points = choose_features(picture.astype(np.uint8), region)
    assert np.sum(points[:, 0] > 640) > 30
    # The strongest are there all the same.
    assert np.sum(points[:, 0] < 640) > 80


def test_a_region_with_nothing_in_it_has_no_features():
    assert len(choose_features(SHARP.astype(np.uint8), np.zeros((HEIGHT, WIDTH), bool))) == 0
    assert len(choose_features(np.full((HEIGHT, WIDTH), 90, np.uint8), inside(CORNERS))) == 0


def test_features_are_followed_to_where_they_went_and_those_that_vanished_are_not():
    shift = np.array([[1, 0, 13.0], [0, 1, -7.0], [0, 0, 1.0]])
    before, now = pasted(BUSY, SHARP, np.eye(3)), pasted(BUSY, SHARP, shift)
    points = choose_features(before, inside(CORNERS))
    now[300:420, 560:720] = 128
    found, good = follow_features(before, now, points, points)
    there = points + [13.0, -7.0]
    hidden = (there[:, 0] > 560) & (there[:, 0] < 720) & (there[:, 1] > 300) & (there[:, 1] < 420)
    assert good[~hidden].mean() > 0.8
    assert np.median(np.linalg.norm(found - there, axis=1)[good & ~hidden]) < 0.05
    assert good[hidden].mean() < 0.5
    none, no_good = follow_features(before, now, np.zeros((0, 2)), np.zeros((0, 2)))
    assert len(none) == len(no_good) == 0


def test_points_that_lie_outside_the_picture_are_not_followed():
    far = np.array([[-4000.0, 100.0], [-4010.0, 120.0]])
    _, good = follow_features(BUSY.astype(np.uint8), BUSY.astype(np.uint8), far, far)
    assert not good.any()


@pytest.mark.parametrize("plane", [SHARP, SOFT], ids=["sharp", "soft and faint"])
@pytest.mark.parametrize("covered", [0.0, 0.5])
def test_a_plane_is_found_before_surroundings_that_are_busier_than_it_is(plane, covered):
    finder = Finder(pasted(BUSY, plane, np.eye(3)), inside(CORNERS), "perspective")
    now = pasted(textured(7, 1.2, 45.0), plane, ELSEWHERE)
    at = apply_homography(ELSEWHERE, CORNERS)
    left, right = int(at[:, 0].min()), int(at[:, 0].max())
    now[:, left : left + int(covered * (right - left))] = 200
    assert off(finder.find(now), ELSEWHERE) < (3.0 if covered == 0 else 8.0)


def test_every_part_of_a_picture_keeps_its_strongest_points():
    rng = np.random.default_rng(5)
    at, response = rng.uniform(0, 800, (4000, 2)), rng.uniform(0, 1, 4000)
    response[at[:, 0] > 400] += 5.0
    chosen = _strongest(at, response, 640)
    assert len(chosen) == len(set(chosen.tolist())) == 640
    assert 0.4 < np.mean(at[chosen, 0] > 400) < 0.6
    corner = np.all(at < 100, axis=1)
    assert response[np.intersect1d(chosen, np.flatnonzero(corner))].min() > np.median(response[corner])
    assert np.array_equal(_strongest(at[:50], response[:50], 640), np.arange(50))


def test_what_is_not_there_is_not_found():
    finder = Finder(pasted(BUSY, SHARP, np.eye(3)), inside(CORNERS), "perspective")
    assert finder.find(textured(8, 1.4, 40.0).astype(np.uint8)) is None
    assert finder.find(np.full((HEIGHT, WIDTH), 77, np.uint8)) is None


def test_a_region_without_texture_finds_nothing():
    finder = Finder(np.full((HEIGHT, WIDTH), 77, np.uint8), inside(CORNERS), "perspective")
    assert finder.find(BUSY.astype(np.uint8)) is None


def test_a_small_plane_is_looked_for_at_full_size():
    small = inside(640 + 0.25 * (CORNERS - 640))
    picture = pasted(BUSY, SHARP, np.eye(3))
    assert Finder(picture, small, "similarity")._halvings == 0
    assert Finder(picture, inside(CORNERS), "similarity")._halvings == 1
    shift = np.array([[1, 0, 40.0], [0, 1, 25.0], [0, 0, 1.0]])
    slid = cv2.warpAffine(picture, shift[:2], (WIDTH, HEIGHT))
    assert off(Finder(picture, small, "similarity").find(slid), shift) < 1.0


def test_points_behind_the_horizon_come_back_far_away():
    h = np.array([[1, 0, 0], [0, 1, 0], [-1 / 640, 0, 1.0]])
    out = moved(np.array([[640.0, 10.0], [100.0, 20.0]]), h)
    assert np.isfinite(out).all()
    assert np.abs(out[0]).max() >= 1e4
    assert np.abs(out[1]).max() < 1e3
