"""What is not known of an estimated lens or read-out: how it moves poses and corners, and that stated doubt contains it."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from bench.tracking import ours
from bench.tracking.cases import Recipe, make
from bench.tracking.materials import photograph, solid
from bench.tracking.render import Camera
from verdigris.core.camera.optics import STILL, Optics
from verdigris.core.geometry.lens import Lens
from verdigris.core.light.tone import SRGB, encode_table, to_code
from verdigris.core.tracking.alignment.align import FROM_NEAR, align
from verdigris.core.tracking.alignment.conditions import Conditions
from verdigris.core.tracking.alignment.frame_pictures import KeptPictures
from verdigris.core.tracking.calibration.camera_covariance import (
    LENS_TERMS,
    OFF_CENTRE,
    TERMS,
    USUAL_K1,
    corners_by_camera,
    covariance_of_lens,
    nudged,
    with_doubt,
)
from verdigris.core.tracking.calibration.terms import with_values
from verdigris.core.tracking.reference.appearance import build_appearance, under_other_optics

SIZE = (640, 360)
CORNERS = np.array([[150.0, 60.0], [480.0, 70.0], [470.0, 290.0], [160.0, 280.0]])
POSE = np.array([[1.12, 0.1, -70.0], [-0.08, 1.1, 50.0], [2e-4, -1e-4, 1.0]])


def optics_with(k1: float, covariance: np.ndarray | None = None) -> Optics:
    return Optics(*SIZE, lens=Lens.of_picture(*SIZE, k1), camera_covariance=covariance)


def test_a_term_is_changed_and_nothing_else():
    optics = optics_with(-0.1)
    for term in range(LENS_TERMS):
        lens = nudged(optics, term, 0.01).lens
        changed = np.flatnonzero(~np.isclose(lens.terms(), optics.lens.terms()))
        assert changed.tolist() == [[3], [4], [0], [1]][term]
    assert nudged(optics, LENS_TERMS, 0.01) == replace(optics, readout=0.01)
    assert nudged(optics, 2, 0.01).lens.centre[0] == pytest.approx(320 + 0.01 * optics.lens.half_diagonal)


def test_what_a_run_says_narrows_what_lenses_are_like_and_never_widens_it():
    rng = np.random.default_rng(2)
    pulls = rng.normal(0, 1, (60, 6))
    places = [2, 3, 4, 5]
    blind = covariance_of_lens(1e-9 * np.eye(6), pulls, places, -0.1)
    usual = np.sqrt(np.diag(blind))
    assert usual[0] == pytest.approx(USUAL_K1, rel=0.01)
    assert usual[3] == pytest.approx(OFF_CENTRE, rel=0.01)
    told = covariance_of_lens(1e6 * np.eye(6), pulls, places, -0.1)
    assert np.all(np.sqrt(np.diag(told)) < 5e-4)
    # Two terms that can only be told apart badly: their sum is known, their difference is as before.
    hessian = 1e-9 * np.eye(6)
    hessian[2:4, 2:4] += 1e6 * np.ones((2, 2))
    pulls[:, 3] = pulls[:, 2]
    mixed = covariance_of_lens(hessian, pulls, places, -0.1)
    assert np.array([1.0, 1.0]) @ mixed[:2, :2] @ np.array([1.0, 1.0]) < 1e-4
    assert np.array([1.0, -1.0]) @ mixed[:2, :2] @ np.array([1.0, -1.0]) > 1e-3
    assert np.all(np.linalg.eigvalsh(mixed) >= -1e-12)


def test_doubt_of_one_thing_leaves_that_of_the_other():
    both = with_doubt(with_doubt(optics_with(-0.1), lens=np.eye(LENS_TERMS)), readout=0.01)
    assert np.diag(both.camera_covariance).tolist() == [1.0, 1.0, 1.0, 1.0, 0.01]
    # A lens that turns out to be none takes its doubt along.
    assert np.diag(with_values(both, {"k1": 0.0}).camera_covariance).tolist() == [0.0, 0.0, 0.0, 0.0, 0.01]
    assert np.diag(with_values(both, {"readout": 0.3}).camera_covariance).tolist() == [1.0, 1.0, 1.0, 1.0, 0.0]


@pytest.mark.parametrize("term", range(LENS_TERMS))
def test_corners_move_with_the_lens_as_a_second_fit_says(term):
    """Seen through one lens, fitted under that one and under a slightly other one: the corners come apart as stated."""
    picture = to_code(photograph(np.random.default_rng(4), SIZE[1], SIZE[0]), encode_table(SRGB))
    optics = optics_with(-0.1, np.eye(TERMS))
    ys, xs = np.mgrid[0 : SIZE[1], 0 : SIZE[0]]
    seen = np.stack([xs + 0.5, ys + 0.5], axis=-1).reshape(-1, 2)
    back = optics.plane(seen, POSE, STILL)
    at = optics.project(back, np.eye(3), STILL).reshape(SIZE[1], SIZE[0], 2).astype(np.float32)
    now = cv2.remap(picture, at - 0.5, None, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
    region = np.zeros(SIZE[::-1], bool)
    region[110:240, 200:420] = True

    reference = build_appearance(picture, region, optics)

    def fitted(through: Optics):
        appearance = under_other_optics(reference, picture, through, STILL)
        found = align(appearance, through, KeptPictures(now), POSE, Conditions(STILL, STILL), "perspective", FROM_NEAR)
        return found, through.project(through.plane(CORNERS, np.eye(3), STILL), found.h, STILL)

    step = 0.01
    found, here = fitted(optics)
    _, there = fitted(nudged(optics, term, step))
    said = corners_by_camera(optics, CORNERS, found.h, STILL, STILL, found.normaliser, found.by_camera)[:, :, term]
    actual = (there - here) / step
    assert np.abs(actual).max() > 1.0
    assert np.abs(said - actual).max() < 0.25 * np.abs(actual).max()


def a_spot(rng: np.random.Generator):
    """A picture with nothing to go by but a spot in the middle."""
    light = photograph(rng, 700, 960)
    h, w = light.shape
    y, x = np.mgrid[0:h, 0:w]
    spot = np.clip(1.4 - np.hypot((x - w / 2) / (0.24 * w), (y - h / 2) / (0.24 * w)), 0, 1).astype(np.float32)
    texture = solid(np.asarray(0.05 * (1 - spot) + light * spot, np.float32))
    return lambda n: texture


def test_a_corner_far_from_what_tells_of_the_lens_is_as_unsure_as_it_is_off():
    recipe = Recipe(count=13, reference=6, size=SIZE, scale=0.42, camera=Camera(noise=0.7, lens=(-0.13, 0.05, 327.0, 175.0)))
    plate = make(5, replace(recipe, amount=0.8), a_spot)
    results = [r for n, r in enumerate(ours.follow(plate)) if n != plate.reference and r.corners is not None]
    error = np.array([np.linalg.norm(r.corners - plate.truth[r.frame], axis=1) for r in results])
    ratio = error / np.array([r.sigma_px for r in results])
    assert len(results) >= 8
    assert error.max() > 0.4
    assert np.median(ratio) < 1.5
    assert np.mean(ratio > 4) < 0.05
