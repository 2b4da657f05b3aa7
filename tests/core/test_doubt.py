"""What a frame says of its own certainty, against the truth."""

from dataclasses import replace

import numpy as np
import pytest

from bench.tracking.cases import Recipe, a_photograph, make
from bench.tracking.render import Camera
from tests.core.test_camera import errors
from verdigris.core.camera.optics import STILL, Optics
from verdigris.core.geometry.homography import homography_from_quads
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.alignment.align import fit_at
from verdigris.core.tracking.alignment.conditions import Conditions
from verdigris.core.tracking.alignment.frame_pictures import KeptPictures
from verdigris.core.tracking.alignment.uncertainty import seen_box
from verdigris.core.tracking.reference.appearance import build_appearance
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.tracking.sequence.plane import AnalysisPicture

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


def test_what_looks_flat_where_the_reference_does_not_is_not_taken_for_seen(plain):
    """Gain lets any flat patch pass for print that has faded away: it holds nothing."""
    height, width = plain.frames[0].shape
    pictures = [AnalysisPicture.of(f.astype(np.float32) / 255) for f in plain.frames]
    region, n = region_mask(plain.include, plain.exclude, None, width, height), plain.reference + 1
    appearance = build_appearance(pictures[plain.reference].values, region, Optics(width, height))
    h = homography_from_quads(plain.truth[plain.reference], plain.truth[n])
    found = fit_at(appearance, Optics(width, height), KeptPictures(pictures[n].values), h, Conditions(STILL, STILL), "perspective")
    assert found is not None
    fit = found[0]
    whole = seen_box(fit)
    across = appearance.across
    fit.tiles.gain.reshape(across, across)[:, across // 2 :] = 0.05
    half = seen_box(fit)
    assert half[0] == pytest.approx(whole[0], abs=0.15)
    middle = (whole[0, 0] + whole[1, 0]) / 2
    assert half[1, 0] == pytest.approx(middle, abs=0.25)
    assert half[1, 1] == pytest.approx(whole[1, 1], abs=0.15)


@pytest.fixture(scope="module")
def half_behind(plain):
    """Behind something dark and even that nobody outlined: the right half of the plane in every frame but the reference."""
    height, width = plain.frames[0].shape
    edge = int(plain.truth[plain.reference].mean(axis=0)[0])
    dark = np.broadcast_to((18 + 12 * np.linspace(0, 1, height))[:, None], (height, width - edge)).round().astype(np.uint8)
    grain = np.random.default_rng(5).integers(-2, 3, (len(plain.frames), height, width - edge))
    frames = []
    for n, frame in enumerate(plain.frames):
        shown = frame.copy()
        if n != plain.reference:
            shown[:, edge:] = np.clip(dark.astype(int) + grain[n], 0, 255).astype(np.uint8)
        frames.append(shown)
    return replace(plain, frames=frames), edge


def test_a_plane_half_behind_something_flat_is_unsure_on_that_side_or_lost(half_behind):
    plate, _ = half_behind
    for r in first_look(plate):
        if r.status == "lost":
            continue
        assert r.sigma_px is not None
        assert r.sigma_px[[1, 2]].mean() > 2 * r.sigma_px[[0, 3]].mean()
        off = np.linalg.norm(r.corners - plate.truth[r.frame], axis=1)
        assert np.all(off < 4 * r.sigma_px)
