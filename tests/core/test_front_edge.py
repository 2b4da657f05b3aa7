"""The edge of what is in front of a surface: its own light, without the surface's, against mixtures that are known."""

import cv2
import numpy as np
import pytest

from verdigris.core.composite.front_edge import front_edge
from verdigris.core.composite.layer import Layer, layer_box
from verdigris.core.composite.stack import Laid, put_layers
from verdigris.core.composite.texture import Texture
from verdigris.core.composite.warp import Warp
from verdigris.core.geometry.homography import unit_square_to

WIDTH, HEIGHT = 160, 120
GREEN, SKIN = np.array([0.05, 0.5, 0.12], np.float32), np.array([0.45, 0.27, 0.18], np.float32)
SURFACE = np.ones((HEIGHT, WIDTH), np.float32)


def arm(soft: float) -> np.ndarray:
    """Share of an arm across the picture, its edges so soft, px."""
    sharp = np.zeros((HEIGHT, WIDTH), np.float32)
    sharp[:, 60:100] = 1
    return cv2.GaussianBlur(sharp, (0, 0), soft)


def even(light: np.ndarray, spread: float = 0.0, seed: int = 1) -> np.ndarray:
    """A picture of one light, smoothly uneven by a share."""
    noise = cv2.GaussianBlur(np.random.default_rng(seed).normal(size=(HEIGHT, WIDTH)).astype(np.float32), (0, 0), 3)
    return np.float32(1 + spread * noise / noise.std())[..., None] * light


def mixed(front: np.ndarray, own: np.ndarray, old: np.ndarray) -> np.ndarray:
    m = front[..., None]
    return np.asarray(m * own + (1 - m) * old, np.float32)


def change_of(light: np.ndarray, front: np.ndarray, surface: np.ndarray = SURFACE) -> np.ndarray:
    found = front_edge(light, front, surface)
    assert found is not None
    (x0, y0, x1, y1), change = found
    out = np.zeros_like(light)
    out[y0:y1, x0:x1] = change
    return out


@pytest.mark.parametrize("soft", [0.7, 2.0, 5.0])
def test_an_even_surface_is_taken_out_of_the_edge_and_what_is_in_front_keeps_its_own_texture(soft):
    front, own = arm(soft), even(SKIN, 0.1)
    light = mixed(front, own, even(GREEN))
    wanted = front[..., None] * (own - light)
    at = (front > 0.05) & (front < 0.95)
    left = np.abs(wanted - change_of(light, front))[at]
    assert left.mean() < 0.08 * np.abs(wanted[at]).mean()


def test_of_a_surface_that_varies_no_more_is_taken_than_is_known():
    """A print with strong contrast: what is left is less than before, and the edge never becomes another colour than there is."""
    front, own, old = arm(2.0), even(SKIN, 0.05), even(np.full(3, 0.4, np.float32), 0.5)
    light = mixed(front, own, old)
    wanted, change = front[..., None] * (own - light), change_of(light, front)
    at = (front > 0.05) & (front < 0.95)
    assert np.abs(wanted - change)[at].mean() < 0.7 * np.abs(wanted)[at].mean()
    told = (light + change / np.maximum(front, 1e-3)[..., None])[at]
    assert told.min() > 0.5 * own.min()
    assert told.max() < 1.5 * own.max()


def test_a_matte_that_reaches_too_far_changes_nothing_for_the_worse():
    """Where the matte says half and the plate shows the bare surface, the surface is what is there."""
    true, given = arm(1.0), cv2.dilate(arm(1.0), np.ones((1, 9), np.uint8))
    light = mixed(true, even(SKIN), even(GREEN))
    bare = (given > 0.05) & (given < 0.95) & (true < 0.001)
    assert bare.sum() > 200
    assert np.abs(change_of(light, given)[bare]).max() < 0.02


def test_nothing_is_told_where_nothing_is_mixed_or_one_side_is_not_known():
    light = mixed(arm(1.0), even(SKIN), even(GREEN))
    assert front_edge(light, np.zeros_like(SURFACE), SURFACE) is None
    assert front_edge(light, np.ones_like(SURFACE), SURFACE) is None
    assert front_edge(light, arm(1.0), np.zeros_like(SURFACE)) is None
    # A veil over all of it: what is in front is nowhere alone.
    assert not change_of(light, np.full_like(SURFACE, 0.5)).any()


@pytest.mark.parametrize("shown", [1.0, 0.25])
def test_artwork_behind_an_arm_looks_as_if_it_had_been_there(shown):
    """Composed against the truth; where only a quarter of the artwork is shown, only a quarter of the edge changes."""
    quad = np.array([[20.0, 15], [140, 15], [140, 105], [20, 105]])
    art = np.ones((8, 8, 4), np.float32)
    art[..., :3] = (0.1, 0.2, 0.6)
    layer = Layer(Texture(art), Warp(unit_square_to(quad)[None], np.ones(1), quad[None]), np.diag([8.0, 8, 1]))
    front, own, old = arm(1.5), even(SKIN, 0.1), even(GREEN)
    light = mixed(front, own, old)
    box = layer_box(layer, WIDTH, HEIGHT)
    assert box is not None
    part = np.s_[box[1] : box[3], box[0] : box[2]]
    m = np.ascontiguousarray(front[part])
    nearer = np.ascontiguousarray(1 - (1 - m) * np.float32(shown))
    result, touched = put_layers(light, (0, 0, WIDTH, HEIGHT), [Laid(layer, box, nearer, m)])
    twin = shown * mixed(front, own, even(art[0, 0, :3])) + (1 - shown) * light
    inside = np.zeros_like(touched)
    inside[20:100, 25:135] = True
    assert np.abs(result - twin)[inside].max() < 0.03 * shown
    assert np.abs(result - twin)[inside & (front < 1e-4)].max() < 1e-4
    assert np.array_equal(result[~touched], light[~touched])
