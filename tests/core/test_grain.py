"""Noise of pictures, against noise that was drawn: how much is left, how far it is alike, and that it asks for no blur."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from tests.core.test_align import CORNERS, FROM_NEAR, shifted
from tests.core.test_appearance import HEIGHT, INSIDE, PLAIN, WIDTH, photograph
from verdigris.core.camera.optics import STILL
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.tracking.alignment.align import align
from verdigris.core.tracking.alignment.conditions import Conditions
from verdigris.core.tracking.alignment.frame_pictures import KeptPictures
from verdigris.core.tracking.alignment.grain import USUAL_GRAIN, Grain, alike_px2, common_grain, kept_and_pull, left_in_frame
from verdigris.core.tracking.alignment.synthesis import predict, softness
from verdigris.core.tracking.reference.appearance import USUAL_VARIANCE, build_appearance

SIGMA = 0.02
DRAWS = 2


def noise(seed: int, px2: float) -> np.ndarray:
    """(H, W) noise of one variance, alike as a blur makes it."""
    drawn = np.random.default_rng(seed).normal(0, 1, (HEIGHT, WIDTH))
    if px2:
        drawn = cv2.GaussianBlur(drawn, (0, 0), float(np.sqrt(px2)))
        # A blur of white noise leaves this share of its variance if nothing of it lies between the pixels.
        drawn *= np.sqrt(4 * np.pi * px2)
    return (SIGMA * drawn).astype(np.float32)


@pytest.mark.parametrize("px2", [0.0, 0.5])
@pytest.mark.parametrize("scale", [0.85, 1.0, 1.25])
@pytest.mark.parametrize("blur", [0.05, 0.4, 4.0])
def test_the_reference_keeps_noise_and_blur_changes_it_as_told(scale, px2, blur):
    """Between softnesses of the pyramid too, and where the plane is seen larger or smaller."""
    kept, shared, h = [], [], np.diag([scale, scale, 1.0])
    # White noise of variance one keeps 1 / (4 pi v); other noise is told of as if it were white at long waves.
    pixel = SIGMA**2 * (4 * np.pi * px2 if px2 else 1.0)
    for seed in range(DRAWS):
        reference = build_appearance(0.5 + noise(seed, px2), INSIDE, PLAIN, most=10**6, some=10**6)
        soft = softness(reference, h, STILL, STILL, blur, 0.0, USUAL_VARIANCE)
        # Frames look between the reference's pixels.
        at = (reference.points + np.random.default_rng(seed).uniform(-0.5, 0.5, reference.points.shape)) * scale
        seen_as = predict(reference, soft, at, np.zeros(len(at)), reference.tiles, h, STILL, 0.0)
        known = seen_as[:, 0] > 0
        value, change = seen_as[known, 0].astype(float), seen_as[known, 3].astype(float)
        kept.append(value.var() / pixel)
        shared.append(np.mean((value - value.mean()) * change) / pixel)
    told_kept, told_shared = kept_and_pull(soft, px2)
    assert np.mean(kept) == pytest.approx(told_kept.mean(), rel=0.12)
    assert np.mean(shared) == pytest.approx(told_shared.mean(), rel=0.12)


@pytest.mark.parametrize("px2", [0.0, 0.5, 0.8])
def test_how_far_noise_is_alike_is_told_by_its_signs(px2):
    softened = cv2.GaussianBlur(noise(3, px2), (0, 0), float(np.sqrt(USUAL_VARIANCE)))
    # Something that is there in a few places, however large, decides nothing.
    softened[100:110, 100:160] += 1.0
    y, x = np.mgrid[:HEIGHT, :WIDTH]
    pixels = np.stack([x.ravel(), y.ravel()], axis=1)
    assert alike_px2(pixels, softened.ravel(), np.ones(len(pixels), bool), USUAL_VARIANCE) == pytest.approx(px2, abs=0.08)


def test_pixels_with_no_neighbours_do_not_tell():
    pixels = np.stack(np.meshgrid(np.arange(0, 600, 2), np.arange(0, 300, 2)), axis=-1).reshape(-1, 2)
    everywhere = np.ones(len(pixels), bool)
    assert np.isnan(alike_px2(pixels, np.random.default_rng(0).normal(size=len(pixels)), everywhere, USUAL_VARIANCE))


def test_what_frames_have_in_common_is_the_least_of_them_and_the_usual_where_nothing_is_told():
    assert common_grain([]) == common_grain([None, Grain(0.0, 0.1)]) == USUAL_GRAIN
    assert common_grain([Grain(4.0, np.nan), None, Grain(9.0, np.nan)]) == Grain(4.0, USUAL_GRAIN.px2)
    assert common_grain([Grain(4.0, 0.1), Grain(5.0, 0.3), Grain(9.0, 0.2), Grain(8.0, np.nan)]) == Grain(4.0, 0.2)


def test_the_frame_keeps_what_is_told():
    """Against noise that was drawn and smoothed."""
    soft = replace(softness(build_appearance(photograph(), INSIDE, PLAIN), np.eye(3), STILL, STILL, 0, 0, USUAL_VARIANCE), smoothing=1.0)
    smoothed = cv2.GaussianBlur(noise(8, 0.0), (0, 0), 1.0)
    assert smoothed.var() / SIGMA**2 == pytest.approx(left_in_frame(soft, 0.0), rel=0.05)


@pytest.mark.parametrize("scale", [0.9, 1.0, 1.1])
def test_noise_in_the_reference_asks_for_no_blur(scale):
    """Least squares would rather have less of it, and move the pose to make up for the blur that is not there."""
    # Detail as fine as the noise itself would hide it.
    picture, blurs, freely = cv2.GaussianBlur(photograph(), (0, 0), 1.2), [], []
    h = np.diag([scale, scale, 1.0])
    light = cv2.warpAffine(
        picture, h[:2] @ shifted(np.array([0.5, 0.5])) - [[0, 0, 0.5], [0, 0, 0.5]], (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC
    )
    for seed in range(4):
        reference = build_appearance(picture + noise(seed + 20, 0.0), INSIDE, PLAIN)
        now = KeptPictures(light + noise(seed + 40, 0.0))
        found = align(reference, PLAIN, now, h, Conditions(STILL, STILL, grain=Grain(np.inf, 0.0)), "similarity", FROM_NEAR, sure=True)
        ignored = align(reference, PLAIN, now, h, Conditions(STILL, STILL, grain=Grain(0.0, 0.0)), "similarity", FROM_NEAR, sure=True)
        blurs.append(found.blur)
        freely.append(ignored.blur)
        assert found.grain.variance == pytest.approx(SIGMA**2, rel=0.25)
        assert found.grain.px2 == pytest.approx(0.0, abs=0.1)
    # What a scale and its interpolation take from the picture is no noise.
    quiet = align(
        build_appearance(picture, INSIDE, PLAIN), PLAIN, KeptPictures(light), h, Conditions(STILL, STILL), "similarity", FROM_NEAR
    )
    assert np.mean(freely) - quiet.blur > 0.08
    assert abs(np.mean(blurs) - quiet.blur) < 0.25 * (np.mean(freely) - quiet.blur)


def test_a_pose_does_not_make_up_for_a_blur_that_is_not_there():
    """Blur pulls at the size wherever the picture fades towards its rim; here it does on one side only."""
    across = np.linspace(-1, 1, WIDTH, dtype=np.float32)
    picture = 0.5 + (cv2.GaussianBlur(photograph(), (0, 0), 1.2) - 0.5) * np.clip(1.2 + across, 0, 2)
    away: dict[float, list[float]] = {0.0: [], np.inf: []}
    for seed in range(6):
        reference = build_appearance(picture + noise(seed + 60, 0.0), INSIDE, PLAIN)
        now = KeptPictures(picture + noise(seed + 80, 0.0))
        for variance, of in away.items():
            conditions = Conditions(STILL, STILL, grain=Grain(variance, 0.0))
            found = align(reference, PLAIN, now, np.eye(3), conditions, "perspective", FROM_NEAR, sure=True)
            of.append(float(np.linalg.norm(apply_homography(found.h, CORNERS) - CORNERS, axis=1).mean()))
    assert np.mean(away[np.inf]) < 0.95 * np.mean(away[0.0])
