"""Crisp things that pass by in front of a faint plane, unmasked: points follow them from frame to frame, the reference does not."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from tests.plates import Plate, make_plate
from verdigris.core.camera.optics import STILL
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.motion import estimate_motion
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.alignment.align import FROM_NEAR, align
from verdigris.core.tracking.alignment.conditions import Conditions
from verdigris.core.tracking.alignment.frame_pictures import KeptPictures
from verdigris.core.tracking.reference.features import follow_features, moved, warped
from verdigris.core.tracking.refinement.passes import look_again
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.plane import AnalysisPicture

SIZE = (960, 640)
# How the crowd moves on its own, px a frame: together, and each for itself.
DRIFT, OWN_WAY = np.array([5.0, 2.0]), 1.2
MEMBERS, AROUND = 36, (220, 160, 740, 500)


def crowded(plate: Plate, contrast: float = 0.16) -> Plate:
    """A plate of less contrast, with bright ellipses in front that drift by, nearly together."""
    rng = np.random.default_rng(7)
    x0, y0, x1, y1 = AROUND
    at = rng.uniform((x0, y0), (x1, y1), (MEMBERS, 2))
    drift = DRIFT + rng.normal(size=at.shape) * OWN_WAY
    shades, turns = rng.uniform(0.35, 0.95, MEMBERS), rng.uniform(0, 180, MEMBERS)
    frames = []
    for n, frame in enumerate(plate.frames):
        shown = np.float32(0.25) + np.float32(contrast) * frame
        for p, shade, turn in zip(at + drift * (n - plate.reference), shades, turns, strict=True):
            ends = (*(round(v * 16) for v in p),)
            cv2.ellipse(shown, ends, (14 * 16, 8 * 16), float(turn), 0, 360, float(shade), -1, cv2.LINE_AA, 4)
        frames.append(shown)
    return replace(plate, frames=frames)


@pytest.fixture(scope="module")
def plate():
    return crowded(make_plate(noise=0.002, size=SIZE))


@pytest.fixture(scope="module")
def plane(plate):
    region = region_mask([plate.corners], [], None, *SIZE)
    return PlaneFollower(AnalysisPicture.of(plate.frames[plate.reference]), region, plate.corners, "perspective", plate.reference)


def off(plate: Plate, h, n: int) -> float:
    return float(np.linalg.norm(apply_homography(h, plate.corners) - plate.corners_at(n), axis=1).max())


def test_points_of_the_reference_are_the_surer_ones(plate, plane):
    """Points from frame to frame go with the crowd here and there, and it shows."""
    last, n = plate.reference + 1, plate.reference + 2
    before, now = (AnalysisPicture.of(plate.frames[k]) for k in (last, n))
    at = moved(plane.guesses.features, plate.truth[last])
    found, good = follow_features(before.bytes, now.bytes, at, at)
    chained, _ = estimate_motion(plane.guesses.features[good], found[good], "perspective")
    led = plane.guesses.by_reference(now.bytes, plate.truth[last], STILL)
    assert off(plate, led.pose, n) < 0.5 * off(plate, chained, n)


@pytest.mark.parametrize("away", [0.0, 6.0, 12.0])
def test_points_of_the_reference_lead_to_the_plane_from_some_way_off(plate, plane, away):
    n = plate.reference + 3
    guess = np.array([[1, 0, away], [0, 1, -0.5 * away], [0, 0, 1.0]]) @ plate.truth[n]
    led = plane.guesses.by_reference(AnalysisPicture.of(plate.frames[n]).bytes, guess, STILL)
    assert led.sure
    assert off(plate, led.pose, n) < 1.0


def test_points_of_the_reference_say_nothing_where_the_plane_is_not(plate, plane):
    elsewhere = make_plate(seed=9, size=SIZE).frames[0]
    assert plane.guesses.by_reference(AnalysisPicture.of(elsewhere).bytes, np.eye(3), STILL) is None


def test_from_a_sure_start_the_crowd_does_not_pull_the_fit_away(plate, plane):
    n = plate.reference + 3
    start, conditions = np.array([[1, 0, 0.4], [0, 1, -0.3], [0, 0, 1.0]]) @ plate.truth[n], Conditions(STILL, STILL)
    sure = align(plane.appearance, plane.optics, KeptPictures(plate.frames[n]), start, conditions, "perspective", FROM_NEAR, sure=True)
    assert off(plate, sure.h, n) < 0.1
    assert sure.tiles[np.isfinite(sure.tiles)].min() < 0.2


def test_the_plane_is_followed_behind_the_crowd_and_nothing_wrong_is_unsaid(plate, plane):
    pictures, results = [AnalysisPicture.of(f) for f in plate.frames], {plate.reference: plane.reference_result()}
    for step in (1, -1):
        history, n = [results[plate.reference]], plate.reference + step
        while 0 <= n < len(pictures):
            results[n] = plane.step(n, pictures[n - step], pictures[n], history, None)
            history.append(results[n])
            n += step
    for better in look_again(plane, results, pictures.__getitem__, lambda frames: [pictures[n] for n in frames], lambda n, _: None):
        results[better.frame] = better
    held = [r for r in results.values() if r.status == "followed"]
    assert len(held) >= len(pictures) - 1
    for r in held:
        error = np.linalg.norm(r.corners - plate.corners_at(r.frame), axis=1)
        assert np.all(error < np.maximum(4 * r.sigma_px, 0.02))


def test_a_picture_is_warped_to_the_pixel():
    picture = np.zeros((40, 60), np.uint8)
    picture[10, 20] = 200
    shifted = warped(picture, np.array([[1, 0, 7.0], [0, 1, 3.0], [0, 0, 1.0]]))
    assert shifted[13, 27] == 200
    # Twice as large around the corner of the picture: the pixel's middle goes from (20.5, 10.5) to (41, 21).
    larger = warped(picture, np.diag([2.0, 2.0, 1.0])).astype(float)
    y, x = np.mgrid[0:40, 0:60] + 0.5
    assert (float((larger * x).sum() / larger.sum()), float((larger * y).sum() / larger.sum())) == pytest.approx((41, 21), abs=0.05)
