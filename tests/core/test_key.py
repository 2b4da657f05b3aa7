"""Keys against the coverage that was really drawn."""

import numpy as np
import pytest

from verdigris.core.matte.key import KeySettings, key, take_spill
from verdigris.core.matte.screen import mixed_screen, primary_of, screen_field, screen_of

H, W, FINE = 120, 160, 8
GREEN, BLUE, MAGENTA, GREY = (0.05, 0.5, 0.12), (0.04, 0.08, 0.6), (0.5, 0.05, 0.45), (0.4, 0.41, 0.4)
SKIN = np.array([0.45, 0.27, 0.18])


def reduced(a: np.ndarray) -> np.ndarray:
    return a.reshape(H, FINE, W, FINE, *a.shape[2:]).mean(axis=(1, 3))


def scene(colour, noise=0.0, uneven=0.0, hair=0.35, marks=False, seed=1) -> tuple[np.ndarray, np.ndarray]:
    """A finger and a hair before a screen: linear light, and the coverage of what is in front."""
    y, x = np.mgrid[0 : H * FINE, 0 : W * FINE] / FINE
    shade = 1 - uneven * ((x - 90) / 80) ** 2 - uneven / 2 * (y / H)
    screen = np.array(colour) * shade[..., None]
    if marks:
        cross = ((np.abs(x - 130) < 1) & (np.abs(y - 30) < 5)) | ((np.abs(y - 30) < 1) & (np.abs(x - 130) < 5))
        screen = np.where(cross[..., None], 0.6, screen)
    finger = (np.abs(x - 60 - 0.3 * (y - 60)) < 14) & (y > 40)
    thin = np.abs(x - 110 - 4 * np.sin(y / 17)) < hair
    front = finger | thin
    lit = SKIN * (1 + 0.15 * np.sin(x / 7))[..., None]
    light = reduced(np.where(front[..., None], lit, screen))
    if noise:
        light = light + np.random.default_rng(seed).normal(0, noise, light.shape) * np.sqrt(np.maximum(light, 0.01))
    return light.astype(np.float32), reduced(front.astype(float)).astype(np.float32)


def keyed(light, settings=None):
    screen = screen_of(light[5:35, 5:40].reshape(-1, 3))
    return key(light, np.ones(light.shape[:2], bool), screen, settings or KeySettings()), screen


@pytest.mark.parametrize("colour", [GREEN, BLUE, MAGENTA])
def test_a_clean_screen_of_any_colour_gives_the_coverage_that_is_there(colour):
    light, truth = scene(colour)
    answer, _ = keyed(light)
    away = np.abs(answer.matte - truth)
    assert away.mean() < 0.003
    edge = (truth > 0.02) & (truth < 0.98)
    assert away[edge].mean() < 0.04


def test_a_grey_screen_is_told_by_its_brightness():
    light, truth = scene(GREY)
    answer, _ = keyed(light)
    assert np.abs(answer.matte - truth).mean() < 0.03


def test_uneven_light_is_divided_out():
    light, truth = scene(GREEN, uneven=0.35)
    answer, _ = keyed(light)
    flat, _ = keyed(light, KeySettings(even=False))
    assert np.abs(answer.matte - truth).mean() < 0.004
    assert np.abs(answer.matte - truth).mean() < 0.5 * np.abs(flat.matte - truth).mean()


def test_noise_leaves_core_and_clear_solid():
    light, truth = scene(GREEN, noise=0.02)
    answer, _ = keyed(light)
    inside = truth > 0.999
    assert (answer.matte[inside] > 0.97).mean() > 0.98
    assert (answer.matte[truth < 0.001] < 0.1).mean() > 0.97


def test_marks_are_taken_out_and_the_hair_stays():
    light, truth = scene(GREEN, marks=True)
    bare, _ = keyed(light)
    answer, _ = keyed(light, KeySettings(marks_px=14))
    assert bare.matte[30, 130] > 0.3
    assert answer.matte[22:39, 122:139].max() < 0.02
    hair = (truth > 0.3) & (truth < 0.98)
    assert np.abs(answer.matte - truth)[hair].mean() < 0.06


def test_the_bare_screen_is_known_behind_what_is_in_front():
    light, truth = scene(GREEN, uneven=0.2)
    screen = screen_of(light[5:35, 5:40].reshape(-1, 3))
    field = screen_field(light, np.ones((H, W), bool), screen)
    y, x = np.mgrid[0:H, 0:W] + 0.5
    wanted = np.array(GREEN) * (1 - 0.2 * ((x - 90) / 80) ** 2 - 0.1 * (y / H))[..., None]
    assert np.abs(field / wanted - 1).max() < 0.03
    assert np.abs(field / wanted - 1)[truth > 0.5].mean() < 0.01


def test_bounds_of_core_and_clear_move_the_edge():
    light, _ = scene(BLUE)
    middle, tight = keyed(light)[0].matte, keyed(light, KeySettings(clear=0.4, core=0.9))[0].matte
    assert tight.sum() < middle.sum()


def test_spill_is_taken_and_something_else_given_back():
    light = np.full((4, 4, 3), SKIN, np.float32) + 0.5 * np.array(GREEN, np.float32)
    field, whole = np.full((4, 4, 3), GREEN, np.float32), np.ones((4, 4), np.float32)
    screen = screen_of(field.reshape(-1, 3))

    def without(matte, strength, give):
        out, changed = light.copy(), np.zeros((4, 4), bool)
        take_spill(out, (0, 0), field, matte, screen, strength, give, changed)
        assert np.array_equal(changed, np.any(out != light, axis=2))
        return out

    clean = without(whole, 1.0, (0.0, 0.0, 0.0))
    assert np.all(clean[..., 1] <= np.maximum(clean[..., 0], clean[..., 2]) + 1e-5)
    warm = without(whole, 1.0, (0.3, 0.0, 0.0))
    assert np.all(warm[..., 0] > clean[..., 0])
    assert np.array_equal(without(np.zeros((4, 4), np.float32), 1.0, (0, 0, 0)), light)
    assert np.array_equal(without(whole, 0.0, (1, 1, 1)), light)


def test_a_screen_is_told_by_what_stands_out():
    assert primary_of(GREEN) == (1, True)
    assert primary_of(BLUE) == (2, True)
    assert primary_of(MAGENTA) == (1, False)
    both = mixed_screen(screen_of(np.full((9, 3), GREEN)), screen_of(np.full((9, 3), BLUE)), 0.25)
    assert both.colour == pytest.approx(tuple(0.75 * np.array(GREEN) + 0.25 * np.array(BLUE)))
    for bad in (np.zeros((0, 3)), np.zeros((5, 3))):
        with pytest.raises(ValueError, match="sample"):
            screen_of(bad)
