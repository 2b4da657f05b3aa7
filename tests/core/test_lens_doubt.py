"""A lens nobody knows of: where it is not allowed to be found, its corners' doubt has to contain it."""

from dataclasses import replace

import numpy as np
import pytest

from bench.tracking import ours
from bench.tracking.cases import Recipe, a_photograph, make
from bench.tracking.render import Camera

SMALL = Recipe(count=13, reference=6, size=(640, 360), scale=0.45, camera=Camera(noise=1.0, lens=(-0.12, 0.0, 320.0, 180.0)))


@pytest.fixture
def without_lens(monkeypatch):
    look_again = ours.look_again
    monkeypatch.setattr(ours, "look_again", lambda *a, **k: look_again(*a, **{**k, "lens": False}))


@pytest.mark.parametrize(("seed", "k1", "k2"), [(3, -0.12, 0.0), (5, 0.08, 0.0), (3, -0.15, 0.06)])
def test_doubt_contains_a_lens_that_is_not_allowed_for(without_lens, seed, k1, k2):
    plate = make(seed, replace(SMALL, camera=Camera(noise=1.0, lens=(k1, k2, 320.0, 180.0))), a_photograph)
    results = [r for n, r in enumerate(ours.follow(plate)) if n != plate.reference and r.corners is not None]
    # Where a lens is not allowed for, the frame furthest off may be lost rather than wrong.
    assert len(results) >= 11
    error = np.array([np.linalg.norm(r.corners - plate.truth[r.frame], axis=1) for r in results])
    ratio = error / np.array([r.sigma_px for r in results])
    assert np.median(error) > 0.1
    assert np.median(ratio) < 1.5
    assert np.mean(ratio > 4) < 0.05


def test_where_there_is_no_lens_there_is_next_to_no_margin(without_lens):
    plate = make(3, replace(SMALL, camera=Camera(noise=1.0)), a_photograph)
    results = [r for n, r in enumerate(ours.follow(plate)) if n != plate.reference]
    share = [r.margin_px / r.sigma_px.max() for r in results]
    assert np.median(share) < 0.7
    assert max(r.sigma_px.max() for r in results) < 0.1
