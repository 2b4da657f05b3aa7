"""Samples beside something in front: told by their neighbours, and only by those."""

import numpy as np
import pytest

from verdigris.core.tracking.alignment.neighbourhood import Neighbourhoods, agreement_around

WIDTH, HEIGHT = 300, 200


def scattered(seed=3, count=9000):
    """Samples of a region, with residuals as they are expected."""
    rng = np.random.default_rng(seed)
    cells = rng.choice(WIDTH * HEIGHT, count, replace=False)
    pixels = np.stack([cells % WIDTH + 40, cells // WIDTH + 70], axis=1)
    return pixels, rng.standard_normal(count).astype(np.float32), rng.uniform(0, 3, count).astype(np.float32), np.ones(count, bool), rng


def covered(pixels, share=0.5):
    """What a slanted band in front covers, and what lies within 17 px of it."""
    across = (pixels[:, 0] - 40) + 0.6 * (pixels[:, 1] - 70) - 140
    return np.abs(across) < 60 * share, np.abs(across) < 60 * share + 20


def test_what_looks_right_by_chance_under_something_in_front_loses_its_weight():
    pixels, ratio, steep, seen, rng = scattered()
    under, beside = covered(pixels)
    # Half of what is covered looks just like the plane.
    odd = under & (rng.random(len(pixels)) < 0.5)
    ratio[odd] = rng.choice([-6.0, 6.0], odd.sum())
    steep[odd] *= 0.1
    agreement = agreement_around(Neighbourhoods.of(pixels), ratio, steep, seen)
    chance = under & ~odd
    assert np.median(agreement[chance]) < 0.1
    assert agreement[~beside].min() == 1
    assert np.median(agreement[beside & ~under]) > 0.6


def test_noise_and_scattered_outliers_are_left_to_the_weights_of_single_samples():
    pixels, ratio, steep, seen, rng = scattered()
    for spoiled in (0.0, 0.1):
        odd = rng.random(len(ratio)) < spoiled
        ratio[odd] = 9.0
        assert agreement_around(Neighbourhoods.of(pixels), ratio, steep, seen).min() == 1


def test_slips_larger_than_usual_where_it_is_steep_are_nothing_in_front():
    pixels, ratio, steep, seen, _ = scattered()
    band, _ = covered(pixels)
    steep[band], ratio[band] = 8.0, 4.0
    assert agreement_around(Neighbourhoods.of(pixels), ratio, steep, seen).min() == 1
    # The same residuals where it is flat can be no slips.
    steep[band] = 0.0
    assert agreement_around(Neighbourhoods.of(pixels), ratio, steep, seen)[band].max() < 0.15


@pytest.mark.parametrize("scale", [2, 5])
def test_cells_grow_as_samples_get_thinner(scale):
    pixels, ratio, steep, seen, _ = scattered(count=6000)
    under, _ = covered(pixels)
    ratio[under], steep[under] = 7.0, 0.0
    agreement = agreement_around(Neighbourhoods.of(pixels * scale), ratio, steep, seen)
    assert agreement[under].max() < 0.2
    assert np.mean(agreement[~under] == 1) > 0.9


def test_what_is_not_seen_and_an_empty_region_say_nothing():
    pixels, ratio, steep, seen, _ = scattered()
    under, _ = covered(pixels)
    ratio[under], steep[under] = 9.0, 0.0
    assert agreement_around(Neighbourhoods.of(pixels), ratio, steep, ~under).min() == 1
    assert agreement_around(Neighbourhoods.of(pixels), ratio, steep, np.zeros(len(ratio), bool)).min() == 1
    assert agreement_around(Neighbourhoods.of(pixels), np.full(len(ratio), 9, np.float32), steep, seen).min() == 1
