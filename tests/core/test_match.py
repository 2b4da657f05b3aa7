"""What makes things sit, against what was put in."""

import cv2
import numpy as np
import pytest

from verdigris.core.camera.optics import Optics
from verdigris.core.composite.layer import Layer
from verdigris.core.composite.look import Cast, Glow, Look, cdl, put_looked, scaled
from verdigris.core.composite.texture import Texture
from verdigris.core.composite.unmix import Front, put_layer
from verdigris.core.composite.warp import warp_of
from verdigris.core.match.grain import Grain, kernel_of, made, measure_grain
from verdigris.core.match.levels import line_of, neutral_gain
from verdigris.core.match.light_field import clean_picture, local_change, paper_of, smooth_change
from verdigris.core.match.shading import shading_of
from verdigris.core.match.smooth import degree_for, field_of, fit_log
from verdigris.core.match.softness import edge_sigma, extra_sigma

W, H = 96, 72
QUAD = np.array([[20.3, 14.2], [74.6, 14.2], [74.6, 56.7], [20.3, 56.7]])
BOX = (0, 0, W, H)


def layer(colour=(0.5, 0.25, 0.1), alpha=1.0, **rest) -> Layer:
    pixels = np.broadcast_to(np.float32([*(c * alpha for c in colour), alpha]), (20, 20, 4)).copy()
    return Layer(Texture(pixels), warp_of(Optics(W, H), QUAD, {0: QUAD}), np.diag([20.0, 20, 1]), **rest)


def coverage() -> np.ndarray:
    fine = np.zeros((H * 10, W * 10), np.float32)
    fine[142:567, 203:746] = 1
    return fine.reshape(H, 10, W, 10).mean(axis=(1, 3))


def mixed(surface, wall, cover):
    return (cover[..., None] * np.float32(surface) + (1 - cover[..., None]) * np.float32(wall)).astype(np.float32)


def test_a_look_that_asks_for_nothing_is_the_plain_layer():
    plate = mixed((0.3, 0.3, 0.3), (0.1, 0.2, 0.3), coverage())
    plain, _ = put_layer(layer(), plate, BOX, None)
    looked, touched = put_looked(layer(), plate, BOX, None, None, Look())
    assert np.abs(plain - looked)[20:50, 30:65].max() < 1e-6
    assert np.abs(plain - looked).max() < 4e-3
    assert np.array_equal(looked[~touched], plate[~touched])


def test_levels_light_and_reflection_make_the_line_they_are():
    plate = np.full((H, W, 3), 0.4, np.float32)
    field = Texture(np.dstack([np.full((4, 4), 0.5, np.float32)] * 3 + [np.ones((4, 4), np.float32)]))
    shine = Texture(np.dstack([np.full((4, 4), 0.02, np.float32)] * 3 + [np.ones((4, 4), np.float32)]))
    look = Look((0.8, 0.6, 0.4), (0.05, 0.05, 0.1), (0.01, 0.0, 0.0), field, 1.0, shine)
    out, _ = put_looked(layer(), plate, BOX, None, None, look)
    ink = np.array([0.05, 0.05, 0.1])
    expected = np.array([0.8, 0.6, 0.4]) * (ink + (1 - ink) * [0.5, 0.25, 0.1]) * 0.5 + [0.01, 0, 0] + 0.02
    assert out[35, 48] == pytest.approx(expected, abs=1e-5)


@pytest.mark.parametrize("soft", [0.0, 0.8, 2.0])
def test_a_soft_surface_is_exchanged_as_if_the_new_one_had_been_seen(soft):
    def seen(colour):
        sharp = mixed(colour, (0.1, 0.2, 0.3), coverage())
        return cv2.GaussianBlur(sharp, (0, 0), soft) if soft else sharp

    out, _ = put_looked(layer(), seen((0.6, 0.6, 0.55)), BOX, None, None, Look(soft_px=soft))
    twin = seen((0.5, 0.25, 0.1))
    assert np.abs(out - twin).max() < 0.012


def test_dark_glass_keeps_what_it_reflects():
    rng = np.random.default_rng(3)
    plate = rng.uniform(0, 0.2, (H, W, 3)).astype(np.float32)
    out, _ = put_looked(layer(), plate, BOX, None, None, Look(gain=(0.5, 0.5, 0.5), keep_old=True))
    assert out[20:50, 30:65] == pytest.approx(plate[20:50, 30:65] + np.float32([0.25, 0.125, 0.05]), abs=1e-5)
    assert np.array_equal(out[:10], plate[:10])


def test_behind_a_key_no_rim_and_no_noise_of_the_old_screen_is_left():
    rng = np.random.default_rng(3)
    green, cover = np.float32([0.05, 0.6, 0.1]), coverage()
    finger = np.zeros((H, W), np.float32)
    finger[30:, 40:50] = 1
    front = 1 - (1 - finger) * cover
    surroundings = np.where(finger[..., None] > 0, np.float32([0.4, 0.25, 0.2]), np.float32([0.1, 0.2, 0.3]))
    plate = (front[..., None] * surroundings + (1 - front[..., None]) * green).astype(np.float32)
    plate += (front < 0.01)[..., None] * rng.normal(0, 0.02, plate.shape).astype(np.float32)
    keyed = Front(front, np.broadcast_to(green, plate.shape).astype(np.float32).copy())
    out, _ = put_looked(layer(), plate, BOX, None, keyed, Look())
    twin = front[..., None] * surroundings + (1 - front[..., None]) * np.float32([0.5, 0.25, 0.1])
    assert np.abs(out - twin).max() < 0.01


def test_what_is_in_front_casts_its_shadow_and_a_screen_glows_around_itself():
    plate = np.full((H, W, 3), 0.1, np.float32)
    front = np.zeros((H, W), np.float32)
    front[30:40, 40:50] = 1
    look = Look(cast=Cast((6.0, 0.0), 0.0, 0.5), glow=Glow(0.1, 4.0))
    out, _ = put_looked(layer(), plate, BOX, front, None, look)
    assert out[35, 53] == pytest.approx(np.array([0.25, 0.125, 0.05]), abs=1e-4)
    assert np.array_equal(out[35, 45, 1:], out[35, 45, 1:].clip(0.1))
    assert out[35, 15, 0] > 0.1005
    assert out[35, 15, 0] > out[35, 8, 0] > plate[0, 0, 0] - 1e-6
    assert scaled(look, 0.5).glow == Glow(0.1, 2.0)


def test_a_colour_decision_list_is_its_formula():
    grade = cdl((1.2, 1.0, 0.9), (0.02, 0.0, -0.01), (0.9, 1.0, 1.1), 0.8)
    out = grade(np.float32([[[0.4, 0.5, 0.6]]]))
    sop = (np.array([0.4, 0.5, 0.6]) * [1.2, 1, 0.9] + [0.02, 0, -0.01]) ** [0.9, 1, 1.1]
    luma = sop @ [0.2126, 0.7152, 0.0722]
    assert out[0, 0] == pytest.approx(luma + 0.8 * (sop - luma), abs=2e-3)


def test_grain_is_found_as_it_was_made_and_is_the_same_again_for_the_same_frame():
    rng = np.random.default_rng(1)
    y, x = np.mgrid[0:360, 0:480]
    base = np.stack([0.15 + 0.7 * x / 480, 0.8 - 0.6 * x / 480, 0.3 + 0.3 * y / 360], axis=2).astype(np.float32)
    spatial = np.zeros((5, 5))
    spatial[2, 1:4] = [0.35, 1, 0.35]
    spatial[1, 2] = spatial[3, 2] = 0.2
    channels = np.array([[1, 0.5, 0.2], [0.5, 1, 0.4], [0.2, 0.4, 1]])
    truth = Grain(np.array([0.1, 0.9]), np.array([[0.006] * 3, [0.014] * 3]), spatial, channels)
    pictures = [(base + made(truth, base, (int(rng.integers(1000)), n)), np.ones(base.shape[:2], bool)) for n in range(4)]
    found = measure_grain(pictures)
    assert found is not None
    for code in (0.3, 0.5, 0.7):
        at = np.full((1, 1, 3), code, np.float32)
        assert found.at(at) == pytest.approx(truth.at(at), rel=0.08)
    assert found.channels == pytest.approx(channels, abs=0.06)
    again = made(found, base, (5, 3))
    assert np.array_equal(again, made(found, base, (5, 3)))
    assert not np.array_equal(again, made(found, base, (5, 4)))
    assert float((kernel_of(spatial) ** 2).sum()) == pytest.approx(1)
    horizontal = (again[:, 1:] * again[:, :-1]).mean() / (again**2).mean()
    vertical = (again[1:] * again[:-1]).mean() / (again**2).mean()
    assert (horizontal, vertical) == (pytest.approx(0.3, abs=0.08), pytest.approx(0.18, abs=0.08))


def test_fine_print_is_not_taken_for_grain():
    rng = np.random.default_rng(1)
    letters = (rng.random((240, 320, 1)) < 0.5) * np.ones(3, np.float32) * 0.5
    assert measure_grain([(letters.astype(np.float32), np.ones((240, 320), bool))], at_most=0.02) is None


@pytest.mark.parametrize("sigma", [0.7, 1.2, 2.2])
def test_softness_is_told_from_edges(sigma):
    fine = np.zeros((1200, 1600), np.float32)
    cv2.fillConvexPoly(fine, np.array([[300, 200], [1300, 260], [1240, 1000], [260, 940]]), 0.7)
    fine = cv2.GaussianBlur(fine + 0.1, (0, 0), sigma * 5)
    light = fine.reshape(240, 5, 320, 5).mean(axis=(1, 3)) + np.random.default_rng(2).normal(0, 0.002, (240, 320)).astype(np.float32)
    told = edge_sigma(light.astype(np.float32), np.ones((240, 320), bool), 0.002)
    assert told is not None
    assert told[0] == pytest.approx(np.hypot(sigma, 0.29), rel=0.08)
    assert extra_sigma(0.3) == 0


def test_a_polynomial_of_log_light_goes_through_what_is_known_and_its_envelope_leaves_ink_out():
    y, x = np.mgrid[0:60, 0:90] / 60
    truth = np.exp(0.3 * x - 0.2 * y * y + 0.1 * x**3).astype(np.float32)
    printed = truth.copy()
    printed[20:40, 30:60] *= 0.3
    known = np.ones((60, 90), bool)
    coefficients, _ = fit_log(printed, known, degree_for(known), low=1.0, high=2.5)
    assert field_of(coefficients, 90, 60) == pytest.approx(truth, rel=0.01)


def scene(light, ink=0.05):
    """Paper with black bars and a colour patch under some light, (H, W, 3)."""
    art = np.ones((80, 120, 3), np.float32)
    art[10:70:10, 10:60] = 0
    art[30:60, 70:110] = (0.1, 0.3, 0.6)
    paper = np.float32([0.6, 0.55, 0.45])
    return (light[..., None] * paper * (ink + (1 - ink) * art)).astype(np.float32), paper


def test_paper_is_found_all_over_from_a_sample_of_it():
    y, x = np.mgrid[0:80, 0:120] / 80
    light = np.exp(0.4 * x - 0.3 * y).astype(np.float32)
    seen, paper = scene(light)
    found = paper_of(seen, np.ones((80, 120), bool), seen[2:8, 2:60].reshape(-1, 3))
    assert found is not None
    assert found.light == pytest.approx(light[..., None] * paper, rel=0.01)


def test_a_hard_shadow_keeps_its_edge_and_a_smooth_change_stays_smooth():
    y, x = np.mgrid[0:80, 0:120] / 80
    clean, _ = scene(np.ones((80, 120), np.float32))
    shadow = np.where(x + 0.2 * y < 0.8, 0.4, 1.0).astype(np.float32)
    seen = np.ones((80, 120), bool)
    change = local_change(clean * shadow[..., None], clean, seen, 1.0)
    far = np.abs(x + 0.2 * y - 0.8) > 0.08
    assert np.abs(change[far].mean(axis=1) / shadow[far] - 1).max() < 0.03
    assert smooth_change(clean * shadow[..., None], clean, seen, 1.0).departs > 0.05
    slope = (1 + 0.3 * x).astype(np.float32)
    smooth = smooth_change(clean * slope[..., None], clean, seen, 1.0)
    assert smooth.departs < 0.005
    assert smooth.field.mean(axis=2) == pytest.approx(slope, rel=0.01)


def test_a_percentile_over_time_looks_past_what_hides_and_what_darkens():
    clean, _ = scene(np.ones((80, 120), np.float32))
    stack = np.stack([clean * (0.4 if n % 3 == 0 else 1.0) for n in range(12)])
    seen = np.ones((12, 80, 120), bool)
    seen[4:9, :, :40] = False
    picture, ever = clean_picture(stack, seen, 92)
    assert ever.all()
    assert picture == pytest.approx(clean, rel=1e-5)


def test_spots_tell_a_line_for_each_channel_and_a_screen_is_taken_for_neutral():
    codes = np.array([[1.0, 1, 1], [0, 0, 0], [0.5, 0.2, 0]])
    seen = codes * [0.8, 0.7, 0.6] + [0.02, 0.03, 0.04]
    line = line_of(codes, seen, np.ones(3))
    assert line.sure
    assert line.gain == pytest.approx([0.8, 0.7, 0.6])
    assert line.offset == pytest.approx([0.02, 0.03, 0.04])
    green = line_of(np.array([[0.0, 1, 0]]), np.array([[0.01, 0.7, 0.02]]), np.ones(1))
    assert not green.sure
    assert neutral_gain(green.gain) == pytest.approx([0.7, 0.7, 0.7])


def creased(folds: bool):
    """A clean picture: paper under sloping light, letters and a dark block printed on it, with folds or without; and the folds."""
    y, x = np.mgrid[0:240, 0:320].astype(np.float32)
    slope = 0.5 + 0.2 * x / 320
    fold = (
        1 + 0.16 * np.exp(-(((x - 0.4 * y - 90) / 7) ** 2)) - 0.14 * np.exp(-(((x + 0.2 * y - 250) / 9) ** 2)) if folds else np.ones_like(x)
    )
    letters = np.full((240, 320, 3), 255, np.uint8)
    for k in range(9):
        cv2.putText(letters, "TIMES OF SAILING", (20, 24 + 22 * k), cv2.FONT_HERSHEY_SIMPLEX, 0.5, (10, 10, 12), 1, cv2.LINE_AA)
    print_ = letters.astype(np.float32) / 255
    print_[150:220, 210:300] = (0.5, 0.1, 0.1)
    # Grey print has paper's colour, and an edge.
    print_[20:60, 240:300] = 0.75
    clean = (slope * fold)[..., None] * np.float32([0.8, 0.76, 0.7]) * print_
    noise = np.random.default_rng(2).normal(0, 0.002, clean.shape)
    return (clean + noise).astype(np.float32), fold


def test_folds_are_told_from_bare_paper_and_what_is_printed_is_not_taken_for_one():
    seen = np.ones((240, 320), bool)
    clean, fold = creased(True)
    paper = paper_of(clean, seen, clean[2:10, 2:60].reshape(-1, 3))
    found = shading_of(clean, paper, seen)
    assert found.is_seen
    left = found.field[..., 1] / found.field[..., 1].mean() - fold / fold.mean()
    assert np.abs(left).mean() < 0.012
    # Neither grey print nor letters are in it.
    assert np.abs(left[25:55, 245:295]).mean() < 0.03
    flat, _ = creased(False)
    plain = shading_of(flat, paper_of(flat, seen, flat[2:10, 2:60].reshape(-1, 3)), seen)
    assert not plain.is_seen
    assert np.abs(plain.field - 1).max() < 0.06
