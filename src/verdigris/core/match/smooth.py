"""Smooth fields over a surface: low polynomials of the logarithm of light, fitted to what can be trusted."""

import numpy as np

from verdigris.core.types import Bool, Float32, Float64

# Degree, and the share of the surface that must be known for it.
DEGREES = ((3, 0.25), (2, 0.08), (1, 0.02), (0, 0.0))
MOST = 6_000
TINY = 1e-5


def _powers(degree: int) -> list[tuple[int, int]]:
    return [(i, j) for i in range(degree + 1) for j in range(degree + 1 - i)]


def _axis(size: int) -> Float64:
    return (np.arange(size) + 0.5) / size * 2 - 1


def degree_for(known: Bool) -> int:
    """The degree that so much of a surface can tell, spread as it is."""
    rows, cols = known.any(axis=1), known.any(axis=0)
    spread = float(known.mean()) if rows.mean() > 0.3 and cols.mean() > 0.3 else min(float(known.mean()), 0.05)
    return next(d for d, least in DEGREES if spread >= least)


def fit_log(values: Float32, known: Bool, degree: int, rounds: int = 6, low: float = 2.0, high: float = 2.0) -> tuple[Float64, float]:
    """Coefficients of a polynomial through the logarithm of one channel, and the spread left, robustly.

    Parameters
    ----------
    values, known : (h, w); at least a few px are known
    low, high : what lies so many spreads below or above counts no longer: a small `low` makes it the upper envelope
    """
    h, w = values.shape
    at = np.flatnonzero(known.ravel())
    if len(at) > MOST:
        at = at[:: len(at) // MOST + 1]
    x, y = _axis(w)[at % w], _axis(h)[at // w]
    basis = np.stack([x**i * y**j for i, j in _powers(degree)], axis=1)
    target = np.log(np.maximum(values.ravel()[at], TINY))
    keep = np.ones(len(at), np.bool_)
    found: Float64 = np.zeros(basis.shape[1])
    spread = 1.0
    for _ in range(rounds):
        found = _solved(basis[keep], target[keep])
        left = target - basis @ found
        spread = max(1.4826 * float(np.median(np.abs(left[keep] - np.median(left[keep])))), 1e-4)
        now = (left > -low * spread) & (left < high * spread)
        if now.sum() < 4 * basis.shape[1] or np.array_equal(now, keep):
            break
        keep = now
    return found, spread


def _solved(basis: Float64, target: Float64) -> Float64:
    normal = basis.T @ basis
    return np.asarray(np.linalg.solve(normal + 1e-9 * len(basis) * np.eye(len(normal)), basis.T @ target), np.float64)


def field_of(coefficients: Float64, width: int, height: int) -> Float32:
    """The field of a fit, (h, w) float32."""
    degree = {1: 0, 3: 1, 6: 2, 10: 3}[len(coefficients)]
    table = np.zeros((degree + 1, degree + 1))
    for c, (i, j) in zip(coefficients, _powers(degree), strict=True):
        table[j, i] = c
    x, y = (np.vander(_axis(n), degree + 1, increasing=True) for n in (width, height))
    return np.exp(y @ table @ x.T).astype(np.float32)
