"""What a frame says of its own certainty, against the truth."""

from dataclasses import replace

import numpy as np
import pytest

from bench.tracking.cases import Recipe, a_photograph, make
from bench.tracking.render import Camera
from tests.core.test_camera import errors
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.follow import AnalysisPicture, PlaneFollower
from verdigris.core.tracking.frame_result import FrameResult

SMALL = Recipe(count=9, reference=4, size=(640, 360), scale=0.34, camera=Camera(noise=2.0))


def first_look(plate, hidden=None) -> list[FrameResult]:
    """Both directions, without a second look."""
    height, width = plate.frames[0].shape
    pictures = [AnalysisPicture.of(f.astype(np.float32) / 255) for f in plate.frames]
    region = region_mask(plate.include, plate.exclude, None, width, height)
    follower = PlaneFollower(pictures[plate.reference], region, plate.truth[plate.reference], "perspective", plate.reference)
    results = []
    for step in (1, -1):
        history, n = [follower.reference_result()], plate.reference + step
        while 0 <= n < len(pictures):
            history.append(follower.step(n, pictures[n - step], pictures[n], history, hidden))
            results.append(history[-1])
            n += step
    return results


@pytest.fixture(scope="module")
def plain():
    return make(11, SMALL, a_photograph)


def test_errors_are_about_as_large_as_the_doubt(plain):
    results = first_look(plain)
    ratio = errors(plain, results) / np.array([r.sigma_px for r in results])
    assert 0.3 < np.median(ratio) < 1.6
    assert np.mean(ratio > 4) < 0.05


def test_more_noise_is_more_doubt(plain):
    noisy = make(11, replace(SMALL, camera=Camera(noise=8.0)), a_photograph)
    quiet, loud = (np.median([r.sigma_px for r in first_look(p)]) for p in (plain, noisy))
    assert loud > 2 * quiet


def test_a_lens_that_nobody_knows_of_shows_in_the_margin(plain):
    bent = make(11, replace(SMALL, scale=0.45, camera=Camera(noise=2.0, lens=(-0.15, 0.0, 320.0, 180.0))), a_photograph)
    straight = first_look(plain)
    curved = first_look(bent)
    assert np.median([r.margin_px for r in straight]) < 0.03
    assert np.median([r.margin_px for r in curved]) > 0.1
    # The doubt knows of it: corners are off by more than chance, and it says so.
    assert np.median(errors(bent, curved) / np.array([r.sigma_px for r in curved])) < 4.0


def test_a_corner_far_from_what_is_seen_is_less_sure(plain):
    covered = np.zeros(plain.frames[0].shape, bool)
    middle = plain.truth[plain.reference].mean(axis=0)
    covered[:, int(middle[0]) :] = True
    results = [r for r in first_look(plain, covered) if r.sigma_px is not None]
    assert len(results) >= 6
    for r in results:
        assert r.sigma_px is not None
        left, right = r.sigma_px[[0, 3]].mean(), r.sigma_px[[1, 2]].mean()
        assert right > 1.5 * left


def test_a_wholly_covered_plane_is_lost_with_a_reason(plain):
    results = first_look(plain, np.ones(plain.frames[0].shape, bool))
    assert all(r.status == "lost" and r.reason for r in results)
    assert all(r.corners is None and r.sigma_px is None and r.margin_px is None for r in results)
