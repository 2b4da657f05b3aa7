"""Doubt from the scatter of tiles: against simulated truth, and away from what is seen."""

from dataclasses import replace

import numpy as np
import pytest

from verdigris.core.tracking.alignment import Alignment
from verdigris.core.tracking.doubt import corner_margins, corner_sigmas, sandwich

K = 8
ALIGNMENT = Alignment(
    np.eye(3), 1e-4 * np.eye(K), np.diag([0.01, 0.01, 1.0]), 0.05, 0.9, 0.9, 0.0, 0.0, 0.01, np.ones(4, np.float32), True,
    np.zeros(K + 4), 1e-9 * np.eye(K + 4), np.array([[-0.5, -0.4], [0.5, 0.4]]),
)  # fmt: skip


def at(x: float, y: float) -> np.ndarray:
    """A corner in frame px, from coordinates in which what is compared spans -0.5..0.5 by -0.4..0.4."""
    return np.array([[100 * x, 100 * y]])


def test_within_what_is_seen_doubt_is_what_the_covariance_says():
    # At the middle only the shift counts: a radial deviation of sqrt(2) of it.
    assert corner_sigmas(ALIGNMENT, at(0, 0))[0] == pytest.approx(np.sqrt(2e-4) * 100)
    assert corner_sigmas(replace(ALIGNMENT, covariance=4e-4 * np.eye(K)), at(0.3, 0.3)) == pytest.approx(
        2 * corner_sigmas(ALIGNMENT, at(0.3, 0.3))
    )


def test_beyond_what_is_seen_doubt_grows_with_the_distance():
    out = np.array([corner_sigmas(ALIGNMENT, at(x, 0))[0] for x in (0.5, 0.7, 1.0, 1.5, 2.0)])
    assert np.all(np.diff(out) > 0)
    # A corner one whole view beyond the rim is several times less sure than the covariance alone would have it.
    everything = replace(ALIGNMENT, seen=np.array([[-9.0, -9.0], [9.0, 9.0]]))
    assert out[3] > 3 * corner_sigmas(everything, at(1.5, 0))[0]
    assert out[0] == pytest.approx(corner_sigmas(everything, at(0.5, 0))[0])


def test_a_bend_within_chance_is_no_margin_and_a_plain_one_is():
    corners = np.concatenate([at(-0.7, -0.5), at(0.7, 0.5)])
    assert np.all(corner_margins(ALIGNMENT, corners) == 0)
    bend = np.zeros(K + 4)
    bend[K] = 0.02
    margin = corner_margins(replace(ALIGNMENT, bend=bend), corners)
    assert margin == pytest.approx([0.02 * 0.49 * 100] * 2, rel=0.05)
    unsure = corner_margins(replace(ALIGNMENT, bend=bend, bend_covariance=1e-2 * np.eye(K + 4)), corners)
    assert np.all(unsure == 0)


def test_the_sandwich_is_as_wide_as_estimates_scatter_when_residuals_of_a_tile_hang_together():
    rng = np.random.default_rng(5)
    tiles, each, k = 40, 25, 3
    x = rng.normal(size=(tiles, each, k)) + rng.normal(size=(tiles, 1, k))
    flat = x.reshape(-1, k)
    hessian = flat.T @ flat
    tile_hessian = np.einsum("tei,tej->tij", x, x)
    found, stated, naive = [], [], []
    for _ in range(300):
        # Half of the noise is shared by a whole tile.
        noise = rng.normal(size=(tiles, each)) + rng.normal(size=(tiles, 1))
        beta = np.linalg.solve(hessian, np.einsum("tei,te->i", x, noise))
        residual = noise - x @ beta
        found.append(beta)
        stated.append(np.diag(sandwich(hessian, np.einsum("tei,te->ti", x, residual), tile_hessian)))
        naive.append(np.diag(np.linalg.inv(hessian)) * residual.var())
    actual = np.var(found, axis=0)
    assert np.mean(stated, axis=0) / actual == pytest.approx(np.ones(k), abs=0.25)
    assert np.all(np.mean(naive, axis=0) < 0.4 * actual)
