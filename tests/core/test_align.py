"""Refining a pose: from a start that is a little off, whatever the shutter was, and never further off than it began."""

import cv2
import numpy as np
import pytest

from tests.core.test_appearance import HEIGHT, INSIDE, PLAIN, WIDTH, marked, photograph
from verdigris.core.camera.optics import STILL, Movement, Optics
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.light.tone import SRGB, encode_table, to_code, to_light
from verdigris.core.tracking.alignment import align as align_module
from verdigris.core.tracking.alignment.align import FROM_FAR, FROM_NEAR, align
from verdigris.core.tracking.alignment.conditions import Conditions
from verdigris.core.tracking.alignment.frame_pictures import KeptPictures
from verdigris.core.tracking.alignment.uncertainty import corner_sigmas
from verdigris.core.tracking.reference.appearance import build_appearance
from verdigris.core.tracking.sequence.follow import SHUTTERS

SPEED = np.array([9.0, 4.0])
MOVING = Movement(np.array([[0, 0, SPEED[0]], [0, 0, SPEED[1]], [0, 0, 0]]), STILL.a)
CORNERS = np.array([[60.0, 40.0], [580.0, 40.0], [580.0, 320.0], [60.0, 320.0]])
SHIFT = np.array([5.0, -3.0])


def shifted(by: np.ndarray) -> np.ndarray:
    return np.array([[1, 0, by[0]], [0, 1, by[1]], [0, 0, 1.0]])


def seen(picture: np.ndarray, open_for: float, seed: int = 5, noise: float = 0.002) -> np.ndarray:
    """The picture moved by SHIFT, while a shutter was open for a share of a frame at SPEED, with noise of its own."""
    light = to_light(picture, SRGB)
    times = np.linspace(-0.5, 0.5, 17)[:-1] + 1 / 32 if open_for else [0.0]
    taken = [cv2.warpAffine(light, shifted(SHIFT + t * open_for * SPEED)[:2], (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC) for t in times]
    made = to_code(np.mean(taken, axis=0).astype(np.float32), encode_table(SRGB))
    return (made + np.random.default_rng(seed).normal(0, noise, made.shape)).astype(np.float32)


def off(h: np.ndarray) -> float:
    return float(np.linalg.norm(apply_homography(h, CORNERS) - CORNERS - SHIFT, axis=1).max())


@pytest.mark.parametrize("picture", [marked(), photograph()], ids=["few marks", "a photograph"])
@pytest.mark.parametrize("open_for", [0.0, 0.5])
def test_the_shutter_is_judged_by_where_it_leads(picture, open_for):
    reference = build_appearance(picture, INSIDE, PLAIN)
    start = shifted(SHIFT + [0.08, -0.06])
    conditions = Conditions(MOVING, STILL, shutters=SHUTTERS)
    found = align(reference, PLAIN, KeptPictures(seen(picture, open_for)), start, conditions, "perspective", FROM_NEAR)
    assert found.shutter == pytest.approx(open_for**2 / 12, abs=0.009)
    assert off(found.h) < 0.05


@pytest.mark.parametrize("seed", range(4))
def test_where_noise_decides_nothing_was_smeared(seed):
    """What is chosen is taken over by the frames that follow, which may be quicker."""
    picture = photograph()
    noisy = picture + np.random.default_rng(seed + 50).normal(0, 0.03, picture.shape).astype(np.float32)
    reference = build_appearance(noisy, INSIDE, PLAIN)
    slow = Movement(0.35 * MOVING.v, STILL.a)
    now = seen(picture, 0.0, seed, noise=0.03)
    found = align(
        reference, PLAIN, KeptPictures(now), shifted(SHIFT), Conditions(slow, STILL, shutters=SHUTTERS[:3]), "perspective", FROM_NEAR
    )
    assert found.shutter == 0.0


def test_in_noise_the_last_word_of_more_samples_is_nearer():
    picture, errors, stated = photograph(), [], []
    for seed in range(6):
        noisy = picture + np.random.default_rng(seed + 100).normal(0, 0.02, picture.shape).astype(np.float32)
        now = seen(picture, 0.0, seed, noise=0.02)
        few, all_of_them = (
            align(
                build_appearance(noisy, INSIDE, PLAIN, most=most, some=6000),
                PLAIN,
                KeptPictures(now),
                shifted(SHIFT),
                Conditions(STILL, STILL),
                "perspective",
            )
            for most in (6000, 72000)
        )
        errors.append([off(a.h) for a in (few, all_of_them)])
        stated.append([float(corner_sigmas(a, CORNERS + SHIFT).max()) for a in (few, all_of_them)])
    assert np.sqrt(np.mean(np.square(errors), axis=0)) @ [1, -1] > 0
    assert np.mean(stated, axis=0) @ [0.8, -1] > 0


def test_with_one_shutter_to_choose_from_that_one_is_taken():
    picture = photograph()
    reference = build_appearance(picture, INSIDE, PLAIN)
    found = align(
        reference,
        PLAIN,
        KeptPictures(seen(picture, 0.5)),
        shifted(SHIFT),
        Conditions(MOVING, STILL, shutter=0.01, shutters=(0.01,)),
        "affine",
    )
    assert found.shutter == 0.01


@pytest.mark.parametrize("away", [0.3, 2.0, 5.0])
def test_a_start_some_pixels_off_is_brought_home(away):
    picture = photograph()
    reference = build_appearance(picture, INSIDE, PLAIN)
    start = shifted(SHIFT + away * np.array([0.8, -0.6]))
    found = align(reference, PLAIN, KeptPictures(seen(picture, 0.0)), start, Conditions(STILL, STILL), "perspective", FROM_FAR)
    assert off(found.h) < 0.02
    assert found.converged


def test_a_region_out_of_the_picture_cannot_be_aligned():
    picture = photograph()
    reference = build_appearance(picture, INSIDE, PLAIN)
    away = shifted(np.array([3000.0, 0.0]))
    assert align(reference, PLAIN, KeptPictures(picture), away, Conditions(STILL, STILL), "perspective") is None


@pytest.mark.parametrize(("last", "settled"), [(None, True), (1e-7, True), (2e-3, False), (np.inf, False)])
def test_steps_that_are_still_long_are_part_of_the_doubt(monkeypatch, last, settled):
    """What goes on moving is not lost for it as long as it stays within what is bearable, and says so."""
    reference, inner = build_appearance(photograph(), INSIDE, PLAIN), align_module._refined

    def refined(*args):
        found = inner(*args)
        assert found is not None
        fit, h, _ = found
        return fit, h, None if last is None else np.full(8, last)

    args = (reference, PLAIN, KeptPictures(seen(photograph(), 0.0)), shifted(SHIFT), Conditions(STILL, STILL), "perspective", FROM_NEAR)
    quiet = align(*args)
    monkeypatch.setattr(align_module, "_refined", refined)
    found = align(*args)
    assert found.converged == settled
    ideal = CORNERS + SHIFT
    sure, now = (float(corner_sigmas(a, ideal).max()) for a in (quiet, found))
    if settled:
        assert now == pytest.approx(sure, rel=0.05)
    else:
        # Twice a step of the translation alone, px, at the least.
        assert now > min(2 * last, 1.0) / quiet.normaliser[0, 0]


FINE = 5
SHARP = np.random.default_rng(0).normal(size=(FINE * 340, FINE * 480)).astype(np.float32)


def sharp(dx: float, smear: float = 0.0) -> np.ndarray:
    """A picture sharp to the pixel, its detail moved by whole fifths of a pixel, pixels as areas: no interpolation anywhere."""
    soft = cv2.GaussianBlur(SHARP, (0, 0), 3.0)
    big = np.clip(0.5 + 0.25 * soft / soft.std(), 0.02, 0.98)
    offsets = np.linspace(-smear / 2, smear / 2, round(smear * FINE) + 1)
    weights = np.ones(len(offsets))
    if smear:
        weights[[0, -1]] = 0.5
    light = np.zeros((300, 440), np.float32)
    for offset, weight in zip(offsets, weights / weights.sum(), strict=True):
        x = 100 + round((dx + offset) * FINE)
        area = big[100 : 100 + FINE * 300, x : x + FINE * 440].reshape(300, FINE, 440, FINE).mean(axis=(1, 3))
        light += weight * to_light(np.ascontiguousarray(area, np.float32), SRGB)
    return to_code(light, encode_table(SRGB))


@pytest.fixture(scope="module")
def sharp_reference():
    inside = np.zeros((300, 440), bool)
    inside[30:270, 30:410] = True
    return build_appearance(sharp(0), inside, Optics(440, 300))


@pytest.mark.parametrize(("smear", "softened", "within"), [(0.0, 0.0, 0.0015), (2.0, 0.0, 0.002), (8.0, 0.0, 0.002), (0.0, 0.8, 0.006)])
def test_a_sharp_picture_is_found_between_the_pixels(sharp_reference, smear, softened, within):
    """Where everything moves by the same fraction of a pixel, an interpolation that shifts waves would shift all of them alike."""
    move = Movement(np.array([[0, 0, 2 * smear], [0, 0, 0], [0, 0, 0]]), STILL.a)
    conditions = Conditions(move, STILL, shutter=0.25 / 12 if smear else 0.0)
    for dx in (0.2, 0.4, 0.6, 0.8):
        now = sharp(dx, smear)
        if softened:
            now = cv2.GaussianBlur(now, (0, 0), float(np.sqrt(softened)))
        found = align(sharp_reference, Optics(440, 300), KeptPictures(now), np.eye(3), conditions, "translation", FROM_NEAR)
        assert np.abs(found.h[:2, 2] - [-dx, 0]).max() < within


@pytest.mark.parametrize(("noise", "ripple", "only_noise"), [(0.02, 0.0, True), (0.002, 0.0, True), (0.002, 0.25, False)])
def test_noise_is_told_from_a_surface_that_does_not_quite_fit(noise, ripple, only_noise):
    """In strong noise slips are seen that are none; a surface that ripples by a quarter of a pixel slips in earnest."""
    picture, (y, x) = photograph(), np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    rippled = cv2.remap(picture, x + ripple * np.sin(x / 9), y + ripple * np.sin(y / 7), cv2.INTER_CUBIC)
    noisy = picture + np.random.default_rng(8).normal(0, noise, picture.shape).astype(np.float32)
    reference = build_appearance(noisy, INSIDE, PLAIN)
    found = align(reference, PLAIN, KeptPictures(seen(rippled, 0.0, noise=noise)), shifted(SHIFT), Conditions(STILL, STILL), "perspective")
    assert found is not None
    assert found.only_noise == only_noise
