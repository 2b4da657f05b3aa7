"""Doubt from the scatter of tiles: against simulated truth, and away from what is seen."""

from dataclasses import replace

import numpy as np
import pytest

from verdigris.core.tracking.alignment.result import Alignment
from verdigris.core.tracking.alignment.uncertainty import BENDS, SHARED_BEND, bend_at, corner_margins, corner_sigmas, sandwich

K = 8
ALIGNMENT = Alignment(
    np.eye(3), 1e-4 * np.eye(K), np.diag([0.01, 0.01, 1.0]), 0.05, 0.9, 0.9, 0.0, 0.0, 0.01, 1e-5, False, np.ones(4, np.float32), True,
    np.zeros(K + BENDS), 1e-9 * np.eye(K + BENDS), np.array([[-0.5, -0.4], [0.5, 0.4]]),
    np.array([0.0, 0.0, 1.2]), None,
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
    assert out[3] > 2.5 * corner_sigmas(everything, at(1.5, 0))[0]
    assert out[0] == pytest.approx(corner_sigmas(everything, at(0.5, 0))[0])


CORNERS = np.concatenate([at(-0.7, -0.5), at(0.7, -0.5), at(0.7, 0.5), at(-0.7, 0.5)])


def bent(size: float, doubt: float = 1e-9) -> np.ndarray:
    """What an alignment says of its corners that found a bend, and how sure it was of it."""
    bend = np.zeros(K + BENDS)
    bend[K] = size
    return bend_at(replace(ALIGNMENT, bend=bend, bend_covariance=doubt * np.eye(K + BENDS)), CORNERS)


def test_a_bend_within_chance_is_no_margin_and_a_plain_one_is():
    assert np.all(corner_margins(bent(0.0)) == 0)
    assert corner_margins(bent(0.02)) == pytest.approx([0.02 * 0.49 * 100] * 4, rel=0.05)
    assert np.all(corner_margins(bent(0.02, 1e-2)) == 0)


def test_a_bend_that_neighbours_share_is_a_margin_even_where_none_of_them_is_sure_of_it():
    rng = np.random.default_rng(2)
    doubt = 1e-6
    own = [bent(0.01 + np.sqrt(doubt) * rng.standard_normal(), doubt) for _ in range(13)]
    alone = np.array([corner_margins(b) for b in own])
    together = np.array([corner_margins(b, [x for x in own if x is not b]) for b in own])
    assert np.mean(alone == 0) > 0.6
    assert np.all(together > 0)
    # It is of the size of the bend, or less.
    assert np.median(together) < 0.01 * 0.49 * 100


def test_chance_that_neighbours_do_not_share_makes_little_margin():
    """Bends that are nothing but chance, each within its own doubt."""
    rng, k = np.random.default_rng(3), K + BENDS
    covariance = 1e-5 * np.eye(k)
    own = [
        bend_at(replace(ALIGNMENT, bend=np.sqrt(1e-5) * rng.standard_normal(k), bend_covariance=covariance), CORNERS) for _ in range(200)
    ]
    chance = np.sqrt(np.mean([b[1] for b in own]))
    together = np.array([corner_margins(own[i], own[i - 6 : i] + own[i + 1 : i + 7]) for i in range(6, 190)])
    assert np.sqrt(np.mean(together**2)) < 0.7 * chance
    assert np.mean(together > 0) < 0.5


def test_few_neighbours_say_nothing():
    own = bent(0.01, 2e-5)
    assert np.array_equal(corner_margins(own, [own] * 3), corner_margins(own))


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


def test_a_corner_that_a_bend_seems_to_leave_alone_shares_what_the_others_have():
    own = np.array([[4.0, 1.0, 0.0, 1e-4], [0.0, 0.0, 0.0, 0.0]])
    assert corner_margins(own) == pytest.approx([2.0, 1.0, SHARED_BEND * 2.0, SHARED_BEND * 2.0])
