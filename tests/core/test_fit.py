"""One frame compared with the reference: which pixels, what is predicted, and the equations behind a step, against plain algebra."""

import cv2
import numpy as np
import pytest

from tests.plates import about, look_up, make_plate, texture
from verdigris.core.camera.bow import Bow
from verdigris.core.camera.optics import STILL, Movement, Optics
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.motion import exponential
from verdigris.core.light.tone import SRGB, Tone
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.alignment.conditions import Conditions
from verdigris.core.tracking.alignment.fit import Fit
from verdigris.core.tracking.alignment.frame_pictures import FramePictures
from verdigris.core.tracking.alignment.grain import Grain
from verdigris.core.tracking.alignment.judgement import good_share
from verdigris.core.tracking.alignment.samples import box_of
from verdigris.core.tracking.alignment.synthesis import SMOOTHING_STEP, softness
from verdigris.core.tracking.alignment.uncertainty import BENDS, bent_jacobian
from verdigris.core.tracking.calibration.term_rows import by_shutter, by_tone
from verdigris.core.tracking.reference.appearance import USUAL_VARIANCE, build_appearance, under_other_optics

WIDTH, HEIGHT, AT = 480, 320, 6
PLAIN = Conditions(STILL, STILL)
MOVING = Movement(np.array([[0, 0, 14.0], [0, 0, 5.0], [0, 0, 0]]), STILL.a)


@pytest.fixture(scope="module")
def plate():
    return make_plate(noise=0.0)


@pytest.fixture(scope="module")
def appearance(plate):
    region = region_mask([plate.corners], [], None, WIDTH, HEIGHT)
    return build_appearance(plate.frames[plate.reference], region, Optics(WIDTH, HEIGHT))


def compared(appearance, values, h, conditions=PLAIN) -> Fit:
    optics = Optics(WIDTH, HEIGHT)
    box = box_of(appearance, optics, h, STILL)
    fit = Fit(appearance, optics, FramePictures(values, box, SRGB), conditions, "perspective")
    assert fit.place(h, None)
    fit.look(h, USUAL_VARIANCE)
    return fit


def half_size(plate):
    """The plane seen at half its size, frame and pose."""
    h = about(np.array([240.0, 160.0]), np.diag([0.5, 0.5, 1.0]))
    return look_up(texture(1, WIDTH, HEIGHT), h, WIDTH, HEIGHT), h


def test_at_the_true_pose_the_prediction_is_the_frame(plate, appearance):
    fit = compared(appearance, plate.frames[AT], plate.truth[AT])
    assert fit.view.seen.mean() > 0.9
    assert np.sqrt(np.mean(fit.residuals()[fit.view.seen] ** 2)) < 0.002
    assert good_share(fit) > 0.99


@pytest.mark.parametrize(("gain", "bias"), [(1.3, 0.05), (0.6, 0.2)])
def test_brighter_or_flatter_tiles_are_the_same_surface(plate, appearance, gain, bias):
    values = plate.frames[AT].copy()
    values[:, 240:] = gain * values[:, 240:] * 0.7 + bias
    fit = compared(appearance, values, plate.truth[AT])
    # Tiles across the seam aside.
    centres = apply_homography(plate.truth[AT], appearance.centres)[:, 0]
    away = np.abs(centres - 240) > 20
    tiles = fit.samples.tiles
    assert np.sqrt(np.mean(fit.residuals()[fit.view.seen & away[tiles]] ** 2)) < 0.003
    right = away & (centres > 240) & (fit.tiles.mass > 0)
    assert fit.tiles.gain[right] == pytest.approx(np.full(right.sum(), 0.7 * gain), rel=0.03)


def test_where_the_plane_is_seen_smaller_every_pixel_counts_once_and_covered_ones_not_at_all(plate, appearance):
    values, h = half_size(plate)
    hidden = np.zeros((HEIGHT, WIDTH), bool)
    hidden[:, 240:] = True
    for conditions in (PLAIN, Conditions(STILL, STILL, hidden=hidden)):
        pixels = compared(appearance, values, h, conditions).samples.pixels
        assert len(np.unique(pixels, axis=0)) == len(pixels)
        assert len(pixels) > 1000
    assert pixels[:, 0].max() < 240


def test_a_prediction_changes_with_the_pose_as_its_jacobian_says(plate, appearance):
    h = plate.truth[AT]
    fit = compared(appearance, plate.frames[AT], h)
    n, size = fit.normaliser, 2e-3
    for k in range(8):
        step = np.zeros(8)
        step[k] = size
        moved = [np.linalg.inv(n) @ exponential(sign * step) @ n @ h for sign in (1, -1)]
        there = []
        for pose in moved:
            fit.look(pose, USUAL_VARIANCE)
            there.append(fit.view.template.copy())
        fit.look(h, USUAL_VARIANCE)
        change, said = (there[0] - there[1])[fit.view.seen] / (2 * size), fit.view.jacobian[k, fit.view.seen]
        assert np.corrcoef(change, said)[0, 1] > 0.999
        assert np.std(change) == pytest.approx(np.std(said), rel=0.02)


def test_equations_are_those_of_least_squares_with_gain_and_bias_of_every_tile_free(plate, appearance):
    h = plate.truth[AT].copy()
    h[0, 2] += 0.4
    # Nothing is taken out for noise where there is none.
    fit = compared(appearance, plate.frames[AT], h, Conditions(STILL, STILL, grain=Grain(0.0, 0.5)))
    fit.reweigh()
    hessians, scores = fit.equations()
    hessian, score = hessians.sum(axis=0), scores.sum(axis=0)
    expected, pulls = np.zeros_like(hessian), np.zeros_like(score)
    tiles, used = fit.samples.tiles, fit.view.seen & (fit.weights > 0)
    for tile in np.unique(tiles[used]):
        i = np.flatnonzero(used & (tiles == tile))
        if fit.tiles.mass[tile] == 0:
            continue
        root = np.sqrt(fit.weights[i].astype(float))[:, None]
        free = root * np.stack([fit.view.template[i], np.ones(len(i))], axis=1)
        jac = root * fit.tiles.gain[tile] * fit.view.jacobian[:, i].T
        left = jac - free @ np.linalg.lstsq(free, jac, rcond=None)[0]
        expected += left.T @ left
        pulls += left.T @ (root[:, 0] * fit.residuals()[i])
    scale = np.sqrt(np.outer(np.diag(expected), np.diag(expected)))
    assert np.abs((hessian - expected) / scale).max() < 1e-3
    assert np.abs((score - pulls) / np.sqrt(np.diag(expected))).max() < 1e-3 * np.abs(pulls / np.sqrt(np.diag(expected))).max()


def test_a_freer_fit_has_the_pose_s_own_equations_within_it(plate, appearance):
    fit = compared(appearance, plate.frames[AT], plate.truth[AT])
    fit.reweigh()
    own, free = fit.equations(), fit.equations(bent_jacobian(fit))
    k = fit.freedoms + 1
    assert free[0].shape[1:] == (k + BENDS, k + BENDS)
    assert free[0][:, :k, :k] == pytest.approx(own[0], rel=1e-3, abs=1e-4 * np.abs(own[0]).max())
    assert free[1][:, :k] == pytest.approx(own[1], rel=1e-3, abs=1e-4 * np.abs(own[1]).max())


def test_what_covers_a_part_loses_its_weight(plate, appearance):
    values = plate.frames[AT].copy()
    middle = apply_homography(plate.truth[AT], plate.corners).mean(axis=0).astype(int)
    box = np.s_[middle[1] - 30 : middle[1] + 30, middle[0] - 30 : middle[0] + 30]
    values[box] = texture(9, 60, 60)[::4, ::4]
    fit = compared(appearance, values, plate.truth[AT])
    for _ in range(3):
        fit.reweigh()
    x, y = (fit.samples.pixels - middle).T
    covered = (np.abs(x) < 26) & (np.abs(y) < 26)
    assert covered.sum() > 500
    assert fit.weights[covered].mean() < 0.1 * fit.weights[~covered & (np.maximum(np.abs(x), np.abs(y)) > 45)].mean()


@pytest.mark.parametrize("blur", [0.0, 2.0, 9.0])
def test_a_softer_frame_is_met_by_a_softer_prediction(plate, appearance, blur):
    values = plate.frames[AT]
    if blur:
        values = cv2.GaussianBlur(values, (0, 0), float(np.sqrt(blur)), borderType=cv2.BORDER_REFLECT_101)
    left = {}
    for told in (0.0, 2.0, 9.0):
        fit = compared(appearance, values, plate.truth[AT], Conditions(STILL, STILL, blur=told))
        left[told] = float(np.sqrt(np.mean(fit.residuals()[fit.view.seen] ** 2)))
    assert min(left, key=left.__getitem__) == blur


def test_a_frame_is_smoothed_in_steps_and_never_by_less_than_asked(appearance):
    found = {softness(appearance, np.eye(3), STILL, STILL, blur, 0.0, USUAL_VARIANCE).smoothing for blur in np.linspace(-6, 0.5, 300)}
    steps = np.log(np.array(sorted(found)) / USUAL_VARIANCE) / np.log(SMOOTHING_STEP)
    assert min(found) == USUAL_VARIANCE
    assert max(found) >= 6
    assert np.abs(steps - np.round(steps)).max() < 1e-6
    assert len(found) < 60


def test_a_small_step_needs_no_new_look(plate, appearance):
    h, step = plate.truth[AT], np.zeros(9)
    step[:2] = 5e-4, -3e-4
    fit = compared(appearance, plate.frames[AT], h)
    n = fit.normaliser
    fit.advance(step)
    said = fit.view.template.copy()
    fit.look(np.linalg.inv(n) @ exponential(step[:8]) @ n @ h, USUAL_VARIANCE)
    moved = np.abs(step[:2]).max() / n[0, 0]
    assert moved > 0.05
    assert np.std((said - fit.view.template)[fit.view.seen]) < 0.03 * moved * np.std(fit.view.slope[fit.view.seen])


def test_a_tile_that_shows_something_else_says_nothing_of_the_noise_and_is_told_so_at_every_look(plate, appearance):
    values = plate.frames[AT] + np.random.default_rng(3).normal(0, 0.004, plate.frames[AT].shape).astype(np.float32)
    clean = compared(appearance, values, plate.truth[AT])
    clean.reweigh()
    values = values.copy()
    values[:, :240] = np.random.default_rng(4).uniform(0.2, 0.8, (HEIGHT, 240))
    fit = compared(appearance, values, plate.truth[AT])
    other = apply_homography(plate.truth[AT], appearance.centres)[:, 0] < 215
    agreement = []
    for _ in range(4):
        fit.reweigh()
        agreement.append(fit.tiles.agreement[other])
    assert np.mean(np.array(agreement[2:]) < 0.05) > 0.9
    assert not np.isnan(np.array(agreement)).any()
    assert fit.noise == pytest.approx(clean.noise, rel=0.4)


def test_on_a_bowed_surface_shutter_and_tone_change_what_is_predicted_and_nothing_else(plate, appearance):
    size, h = (WIDTH, HEIGHT), plate.truth[AT]
    bow = Bow.of(plate.corners, size, (0.02, 0.01))
    fit = compared(appearance, plate.frames[AT], h, Conditions(MOVING, STILL, shutter=0.01, bow=bow))
    longer = compared(appearance, plate.frames[AT], h, Conditions(MOVING, STILL, shutter=0.012, bow=bow))
    both = fit.view.seen & longer.view.seen
    change = (longer.view.template - fit.view.template)[both] / 0.002
    assert np.corrcoef(by_shutter(fit, h)[both], change)[0, 1] > 0.98
    flat = compared(appearance, plate.frames[AT], h, Conditions(MOVING, STILL, shutter=0.01))
    bend = Tone(tilt=0.1)
    bent = under_other_optics(appearance, plate.frames[plate.reference], Optics(WIDTH, HEIGHT, tone=bend), STILL)
    assert np.std(by_tone(fit, bent, bend, h)) == pytest.approx(np.std(by_tone(flat, bent, bend, h)), rel=0.2)
