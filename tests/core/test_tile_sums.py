"""Compiled sums against the same sums written out in full: gain and bias, equations, noise, weights."""

import numpy as np
import pytest

from verdigris.core.tracking.alignment.tile_sums import (
    LEAST_SAMPLES,
    TRACE,
    TUKEY,
    expect,
    fit_tiles,
    left_and_slope,
    project_out,
    reweigh,
    tell_noise,
)

LEAST_NOISE, SLIPS, MEDIAN = 1e-3, (0.005, 0.5), 1.4826


class Samples:
    """Random samples in tiles of different sizes, seen with a gain and a bias of each tile's own, and noise."""

    def __init__(self, seed: int = 0, sizes: tuple[int, ...] = (300, 420, 260, 510), noise: float = 0.01) -> None:
        rng = np.random.default_rng(seed)
        self.sizes, n = sizes, sum(sizes)
        self.starts = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64)
        self.tiles = np.repeat(np.arange(len(sizes)), sizes)
        self.true_gain, self.true_bias = rng.uniform(0.6, 1.5, len(sizes)), rng.uniform(-0.1, 0.1, len(sizes))
        self.template = rng.uniform(0.1, 0.9, n).astype(np.float32)
        clean = self.true_gain[self.tiles] * self.template + self.true_bias[self.tiles]
        self.values = (clean + rng.normal(0, noise, n)).astype(np.float32)
        self.slope = rng.exponential(0.05, n).astype(np.float32)
        self.seen = rng.uniform(size=n) > 0.1
        self.weights = (rng.uniform(0.2, 1.0, n) * self.seen).astype(np.float32)
        count = len(sizes)
        self.gain, self.bias = np.ones(count), np.zeros(count)
        self.correlation, self.mass, self.energy = np.zeros(count), np.zeros(count), np.zeros(count)

    def fitted(self) -> "Samples":
        fit_tiles(
            self.starts, self.template, self.values, self.seen, self.weights, self.gain, self.bias, self.correlation, self.mass, self.energy
        )
        return self

    def part(self, tile: int) -> slice:
        return slice(self.starts[tile], self.starts[tile + 1])

    def told(self, mass: np.ndarray | None = None) -> tuple[float, float]:
        use = self.mass if mass is None else mass
        return tell_noise(
            self.starts, self.template, self.values, self.slope, self.seen, self.gain, self.bias, use, MEDIAN, LEAST_NOISE, *SLIPS
        )


@pytest.fixture
def samples():
    return Samples().fitted()


def test_gain_and_bias_are_those_of_weighted_least_squares(samples):
    for tile in range(len(samples.sizes)):
        i = samples.part(tile)
        root = np.sqrt(samples.weights[i].astype(float))
        design = np.stack([samples.template[i], np.ones(samples.sizes[tile])], axis=1).astype(float)
        gain, bias = np.linalg.lstsq(root[:, None] * design, root * samples.values[i], rcond=None)[0]
        assert (samples.gain[tile], samples.bias[tile]) == pytest.approx((gain, bias), abs=2e-5)
        assert samples.mass[tile] == samples.seen[i].sum()
        assert samples.energy[tile] == pytest.approx(np.average((samples.template[i] - np.average(samples.template[i], weights=samples.weights[i])) ** 2, weights=samples.weights[i]), rel=1e-4)  # fmt: skip
        assert 0.99 < samples.correlation[tile] <= 1.0


def test_a_tile_with_too_few_samples_holds_nothing(samples):
    samples.seen[samples.part(1)][LEAST_SAMPLES - 1 :] = False
    samples.seen[samples.part(1)][: LEAST_SAMPLES - 1] = True
    samples.fitted()
    assert (samples.mass[1], samples.gain[1], samples.bias[1]) == (0.0, 1.0, 0.0)
    assert np.all(samples.mass[[0, 2, 3]] > 0)


@pytest.mark.parametrize("freedoms", [1, 3, 9])
def test_equations_are_those_with_every_tiles_gain_and_bias_eliminated(samples, freedoms):
    """The full normal equations of freedoms, gain and bias of a tile, reduced by their Schur complement."""
    rng = np.random.default_rng(freedoms)
    rows = rng.normal(size=(freedoms, len(samples.template))).astype(np.float32)
    count = len(samples.sizes)
    hessians, scores = np.empty((count, freedoms, freedoms)), np.empty((count, freedoms))
    project_out(
        samples.starts, rows, samples.template, samples.values, samples.weights, samples.gain, samples.bias, samples.mass, hessians, scores
    )  # fmt: skip
    for tile in range(count):
        i = samples.part(tile)
        w, t = samples.weights[i].astype(float), samples.template[i].astype(float)
        residual = samples.values[i] - samples.gain[tile] * t - samples.bias[tile]
        design = np.concatenate([samples.gain[tile] * rows[:, i], t[None], np.ones((1, len(t)))]).astype(float)
        full, right = (design * w) @ design.T, (design * w) @ residual
        own, both, rest = full[:freedoms, :freedoms], full[:freedoms, freedoms:], full[freedoms:, freedoms:]
        carry = both @ np.linalg.inv(rest)
        scale = np.abs(own).max()
        assert hessians[tile] == pytest.approx(own - carry @ both.T, abs=2e-4 * scale)
        assert scores[tile] == pytest.approx(right[:freedoms] - carry @ right[freedoms:], abs=2e-4 * scale)


def test_a_tile_that_holds_no_gain_has_no_equations(samples):
    samples.mass[2] = 0
    rows = np.ones((2, len(samples.template)), np.float32)
    hessians, scores = np.full((4, 2, 2), np.nan), np.full((4, 2), np.nan)
    project_out(
        samples.starts, rows, samples.template, samples.values, samples.weights, samples.gain, samples.bias, samples.mass, hessians, scores
    )  # fmt: skip
    assert np.all(hessians[2] == 0)
    assert np.all(scores[2] == 0)
    assert np.all(np.isfinite(hessians))


@pytest.mark.parametrize("noise", [0.004, 0.02])
def test_noise_is_told_from_what_is_flat(noise):
    told, _ = Samples(3, (900, 1200, 800, 1100), noise).fitted().told()
    assert told == pytest.approx(noise, rel=0.15)


@pytest.mark.parametrize("slip", [0.05, 0.2])
def test_slip_is_told_from_what_is_steep(slip):
    """Every sample is off by a slip along its slope, one way or the other."""
    s = Samples(4, (900, 1200, 800, 1100), 0.0005)
    sign = np.where(np.random.default_rng(1).uniform(size=len(s.values)) > 0.5, 1.0, -1.0)
    s.values += (slip * s.true_gain[s.tiles] * s.slope * sign).astype(np.float32)
    _, told = s.fitted().told()
    # The median of a slip that is the same everywhere, as a standard deviation.
    assert told == pytest.approx(MEDIAN * slip, rel=0.25)


def test_something_crisp_in_front_of_a_few_tiles_does_not_speak_for_all():
    """A fifth of the tiles show steeper edges than all the others, displaced by pixels."""
    sizes = (300,) * 10
    clear, covered = Samples(5, sizes, 0.002), Samples(5, sizes, 0.002)
    in_front = covered.tiles < 2
    covered.slope[in_front] *= 8
    covered.values[in_front] += (np.where(np.arange(in_front.sum()) % 2, 3.0, -3.0) * covered.slope[in_front]).astype(np.float32)
    assert covered.fitted().told()[1] < clear.fitted().told()[1] + 0.05


def test_tiles_without_mass_say_nothing_of_the_noise(samples):
    i = samples.part(0)
    samples.values[i] += np.random.default_rng(2).normal(0, 0.3, samples.sizes[0]).astype(np.float32)
    alone = np.where(np.arange(4) == 0, 0.0, samples.mass)
    assert samples.told(alone)[0] == pytest.approx(0.01, rel=0.3)


def test_residuals_are_counted_in_what_is_expected_of_them(samples):
    ratio, square = np.empty(len(samples.values), np.float32), np.empty(4)
    expect(
        samples.starts, samples.template, samples.values, samples.slope, samples.seen, samples.gain, samples.bias, samples.mass, 0.01, 0.1,
        ratio, square,
    )  # fmt: skip
    gain, bias = samples.gain[samples.tiles], samples.bias[samples.tiles]
    residual = samples.values - gain * samples.template - bias
    assert ratio == pytest.approx(residual / np.hypot(0.01, 0.1 * gain * samples.slope), abs=1e-3)
    for tile in range(4):
        seen = samples.seen[samples.part(tile)]
        assert square[tile] == pytest.approx(np.mean(ratio[samples.part(tile)][seen].astype(float) ** 2), rel=1e-3)


def test_what_disagrees_loses_its_weight_and_tiles_told_apart_keep_a_trace(samples):
    n = len(samples.values)
    ratio = np.zeros(n, np.float32)
    ratio[::7] = TUKEY + 0.1
    ratio[1::7] = 0.5 * TUKEY
    samples.seen[:] = True
    own = np.array([1.0, 0.0, 0.5, 1.0])
    weights = np.full(n, -1, np.float32)
    samples.slope[:] = 0.0
    reweigh(samples.starts, ratio, samples.slope, samples.seen, samples.gain, samples.mass, own, 0.01, 0.1, weights)
    inside = np.where(ratio > TUKEY, 0.0, (1 - (ratio / TUKEY) ** 2) ** 2)
    expected = np.where(samples.tiles == 1, TRACE, own[samples.tiles] * inside)
    assert weights == pytest.approx(expected, abs=1e-5)


def test_steep_samples_count_by_what_is_expected_of_them(samples):
    weights, flat = np.empty(len(samples.values), np.float32), np.zeros(len(samples.values), np.float32)
    samples.seen[:] = True
    samples.slope[:] = 0.2
    reweigh(samples.starts, flat, samples.slope, samples.seen, samples.gain, samples.mass, np.ones(4), 0.01, 0.1, weights)
    expected = 0.01**2 / (0.01**2 + (0.1 * samples.gain[samples.tiles] * 0.2) ** 2)
    assert weights == pytest.approx(expected, rel=1e-4)


def test_sums_of_residuals_and_slopes_are_the_weighted_ones(samples):
    left, steep = left_and_slope(
        samples.starts, samples.template, samples.values, samples.slope, samples.weights, samples.gain, samples.bias
    )
    gain, bias = samples.gain[samples.tiles], samples.bias[samples.tiles]
    residual = samples.values - gain * samples.template - bias
    assert left == pytest.approx(float(np.sum(samples.weights * residual**2)), rel=1e-3)
    assert steep == pytest.approx(float(np.sum(samples.weights * (gain * samples.slope) ** 2)), rel=1e-3)
