"""Grain: how it depends on brightness, how it hangs together between neighbours and channels, measured and made again.

It is measured in code values, where a camera's noise was quantised and compressed, in blocks of the plate that are flat.
"""

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numba
import numpy as np
from scipy.stats import chi2

from verdigris.core.types import Bool, Float32, Float64

BLOCK = 8
# The flattest share of blocks at each level, and how many levels of brightness.
FLATTEST, BINS = 0.12, 8
LAGS = 2
# Quantiles of the blocks' variances that tell which share of them is flat.
TAIL = (0.03, 0.06, 0.1, 0.15)
# Steps of the scale of codes that deviation is looked up in.
STEPS = 1023
# Px of the template that grain is laid from: as large as most pictures, so that nothing is seen twice in one.
TEMPLATE, TEMPLATE_SEED = (1200, 2048), 1
LEAST_BLOCKS, MOST_BLOCKS = 12, 4000


@dataclass(frozen=True)
class Grain:
    """Grain as it is made.

    Attributes
    ----------
    codes : (L,) float64, codes of a channel, rising
    deviation : (L, 3) float64, standard deviation there, codes
    spatial : (2 LAGS + 1, 2 LAGS + 1) float64, correlation between neighbours, 1 in the middle
    channels : (3, 3) float64, correlation between R, G and B
    """

    codes: Float64
    deviation: Float64
    spatial: Float64
    channels: Float64

    @property
    def table(self) -> Float32:
        """Standard deviation at STEPS + 1 even steps of codes, for each channel."""
        steps = np.linspace(0, 1, STEPS + 1)
        return np.stack([np.interp(steps, self.codes, self.deviation[:, c]) for c in range(3)], axis=1).astype(np.float32)

    def at(self, codes: Float32) -> Float32:
        """Standard deviation for codes (h, w, 3)."""
        table = self.table
        at = np.clip(codes * np.float32(STEPS) + np.float32(0.5), 0, STEPS).astype(np.int32)
        return np.stack([table[at[..., c], c] for c in range(3)], axis=2)


def measure_grain(pictures: list[tuple[Float32, Bool]], at_most: float = 1.0) -> Grain | None:
    """Grain of pictures (h, w, 3) codes, each with where to look; None where too little is flat.

    What varies by more than `at_most`, a standard deviation in codes, is no grain: print so fine that no block of it is flat.
    """
    levels: list[Float64] = []
    variances: list[Float64] = []
    covariances: list[Float64] = []
    correlations: list[Float64] = []
    n = BLOCK
    y, x = (np.mgrid[0:n, 0:n] - (n - 1) / 2) / n
    shape = np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], axis=2).reshape(-1, 6)
    project = np.eye(n * n) - shape @ np.linalg.pinv(shape)
    for codes, where in pictures:
        rows, cols = codes.shape[0] // n, codes.shape[1] // n
        if rows == 0 or cols == 0:
            continue
        whole = where[: rows * n, : cols * n].reshape(rows, n, cols, n).all(axis=(1, 3))
        cut = codes[: rows * n, : cols * n].reshape(rows, n, cols, n, 3).transpose(0, 2, 1, 3, 4)[whole]
        clipped = ((cut <= 0.002) | (cut >= 0.998)).mean(axis=(1, 2, 3)) > 0.02
        cut = cut[~clipped]
        cut = cut[:: len(cut) // MOST_BLOCKS + 1]
        if len(cut) == 0:
            continue
        left = (cut.reshape(len(cut), n * n, 3).transpose(0, 2, 1) @ project).transpose(0, 2, 1) * np.sqrt(n * n / (n * n - 6))
        levels.append(cut.mean(axis=(1, 2)))
        variances.append((left**2).mean(axis=1))
        covariances.append(left.transpose(0, 2, 1) @ left / (n * n))
        correlations.append(_lags(left.reshape(-1, n, n, 3).mean(axis=3)))
    if not levels or sum(map(len, levels)) < LEAST_BLOCKS:
        return None
    level, variance, covariance, lag = (np.concatenate(v) for v in (levels, variances, covariances, correlations))
    # By each channel's own level: on a green screen red is dark, whatever the luma.
    bins: list[list[tuple[float, Float64]]] = []
    chosen = np.zeros(len(level), np.bool_)
    for c in range(3):
        own: list[tuple[float, Float64]] = []
        edges = np.quantile(level[:, c], np.linspace(0, 1, BINS + 1))
        for k in range(BINS):
            within = np.flatnonzero((level[:, c] >= edges[k]) & (level[:, c] <= edges[k + 1]))
            if len(within) < LEAST_BLOCKS // 2:
                continue
            flat = within[np.argsort(variance[within, c])[: max(4, int(FLATTEST * len(within)))]]
            chosen[flat] = True
            if variance[flat, c].mean() <= at_most**2:
                own.append((float(np.median(level[flat, c])), np.sort(variance[within, c])))
        bins.append(own)
    if not any(bins):
        return None
    spatial, grown = _before_fit(lag[chosen].mean(axis=0), project)
    independent = max(6.0, (n * n - 6) / float((spatial**2).sum()))
    points = [[(at, _of_flat(found, independent) * grown) for at, found in own] for own in bins]
    codes_at, deviation = _curves(points)
    # Each block by its own channels' deviation: they differ with brightness.
    deviations = np.sqrt(np.maximum(variance[chosen], 1e-12))
    both = (covariance[chosen] / (deviations[:, :, None] * deviations[:, None, :])).mean(axis=0)
    return Grain(codes_at, deviation, spatial, both)


def _before_fit(seen: Float64, project: Float64) -> tuple[Float64, float]:
    """Correlation between neighbours as it was before a surface was fitted to each block, and how much larger the variance was.

    The fit takes the slow part of the noise away; what that does to each lag is known exactly, and is undone.
    """
    n, k = BLOCK, LAGS
    rows, cols = np.mgrid[0:n, 0:n].reshape(2, -1)
    dy, dx = rows[:, None] - rows[None], cols[:, None] - cols[None]
    half = [(a, b) for a in range(-k, k + 1) for b in range(-k, k + 1) if (a, b) >= (0, 0)]
    masks = [((dy == a) & (dx == b)) | ((dy == -a) & (dx == -b)) for a, b in half]
    left = [project @ m.astype(float) @ project for m in masks]
    table = np.array([[(c * m).sum() / m.sum() for c in left] for m in masks])
    seen = seen * (n * n - 6) / (n * n)
    told = np.linalg.solve(table.T @ table + 1e-4 * np.eye(len(half)), table.T @ np.array([seen[a + k, b + k] for a, b in half]))
    out = np.zeros((2 * k + 1, 2 * k + 1))
    for (a, b), v in zip(half, told, strict=True):
        out[a + k, b + k] = out[k - a, k - b] = v
    # Lags were seen stretched by what a fit takes from white noise.
    return out / out[k, k], float(out[k, k] / seen[k, k]) * (n * n - 6) / (n * n)


def _curves(points: list[list[tuple[float, float]]]) -> tuple[Float64, Float64]:
    """Deviation of each channel on one scale of codes; beyond what a channel shows, as the others have it, times how much noisier it is."""
    every = np.array(sorted(p for own in points for p in own))
    at = np.unique(np.round(np.quantile(every[:, 0], np.linspace(0, 1, 2 * BINS)), 3))
    smooth = np.array([np.median(every[np.argsort(np.abs(every[:, 0] - a))[:5], 1]) for a in at])
    out = np.zeros((len(at), 3))
    for c, own in enumerate(points):
        if not own:
            out[:, c] = smooth
            continue
        mine = np.array(sorted(own))
        ratio = float(np.median(mine[:, 1] / np.maximum(np.interp(mine[:, 0], at, smooth), 1e-12)))
        inside = (at >= mine[0, 0] - 0.02) & (at <= mine[-1, 0] + 0.02)
        out[:, c] = np.where(inside, np.interp(at, mine[:, 0], mine[:, 1]), smooth * ratio)
    return at, np.sqrt(np.maximum(out, 0))


def _of_flat(variances: Float64, freedom: float) -> float:
    """The variance of grain from those of many blocks, sorted, of which some share is flat.

    The lowest follow the lower end of a chi-square distribution. How steeply they rise tells which share of all blocks is flat, and
    so how lucky the lowest of them were.
    """
    at = np.quantile(variances, TAIL)
    best, found = np.inf, float(at[-1])
    for share in np.linspace(max(TAIL) * 1.1, 1.0, 24):
        expected = chi2.ppf(np.array(TAIL) / share, freedom) / freedom
        scale = np.log(np.maximum(at, 1e-12) / expected)
        if scale.std() < best:
            best, found = float(scale.std()), float(np.exp(scale.mean()))
    return found


def _lags(block: Float64) -> Float64:
    """Products of neighbours, (B, 2 LAGS + 1, 2 LAGS + 1), over blocks (B, n, n)."""
    n, k = block.shape[1], LAGS
    out = np.zeros((len(block), 2 * k + 1, 2 * k + 1))
    for dy in range(-k, k + 1):
        for dx in range(-k, k + 1):
            a = block[:, max(0, dy) : n + min(0, dy), max(0, dx) : n + min(0, dx)]
            b = block[:, max(0, -dy) : n + min(0, -dy), max(0, -dx) : n + min(0, -dx)]
            out[:, dy + k, dx + k] = (a * b).mean(axis=(1, 2))
    return out


def kernel_of(spatial: Float64) -> Float32:
    """A filter that gives white noise of deviation 1 this correlation between neighbours, and keeps its deviation."""
    size = 32
    wide = np.zeros((size, size))
    k = len(spatial) // 2
    taper = np.outer(*(np.interp(np.abs(np.arange(-k, k + 1)), [0, k, k + 1], [1, 0.75, 0]) for _ in range(2)))
    for dy in range(-k, k + 1):
        for dx in range(-k, k + 1):
            wide[dy % size, dx % size] = spatial[dy + k, dx + k] * taper[dy + k, dx + k] if (dy or dx) else 1.0
    root = np.fft.ifft2(np.sqrt(np.maximum(np.fft.fft2(wide).real, 1e-4))).real
    near = k + 1
    shift = np.roll(root, (near, near), axis=(0, 1))[: 2 * near + 1, : 2 * near + 1]
    return np.asarray(shift / np.sqrt((shift**2).sum()), np.float32)


@lru_cache(maxsize=2)
def _template(spatial: bytes, size: int, channels: bytes) -> Float32:
    """Grain of standard deviation 1 that goes on over its own edges, (TEMPLATE rows and columns, 3)."""
    rng = np.random.default_rng(TEMPLATE_SEED)
    white = rng.standard_normal((*TEMPLATE, 3), np.float32)
    # Channels that are one, as on a grey plate, leave nothing for the others: a root that bears that.
    value, vector = np.linalg.eigh(np.frombuffer(channels, np.float64).reshape(3, 3))
    mixed = white @ (vector * np.sqrt(np.maximum(value, 0))).T.astype(np.float32)
    kernel = kernel_of(np.frombuffer(spatial, np.float64).reshape(size, size))
    reach = kernel.shape[0] // 2
    wide = np.pad(mixed, ((reach, reach), (reach, reach), (0, 0)), mode="wrap")
    noise = cv2.filter2D(wide, -1, kernel)[reach:-reach, reach:-reach] if reach else cv2.filter2D(wide, -1, kernel)
    return np.ascontiguousarray(noise, np.float32)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _grain_rows(template, row, column, way, level, table, out):  # type: ignore[no-untyped-def]
    """Grain of a template from a place on, by each pixel's level; `way` is 1, or -1 to go backwards."""
    rows, columns = template.shape[0], template.shape[1]
    steps = table.shape[0] - 1
    for r in range(out.shape[0]):
        y = (row + way * r) % rows
        for c in range(out.shape[1]):
            x = (column + way * c) % columns
            for i in range(3):
                at = int(min(max(level[r, c, i] * steps + np.float32(0.5), np.float32(0)), np.float32(steps)))
                out[r, c, i] = template[y, x, i] * table[at, i]


def made(grain: Grain, codes: Float32, seed: tuple[int, ...], origin: tuple[int, int] = (0, 0)) -> Float32:
    """Fresh grain for a region of codes (h, w, 3): the same for the same seed and place.

    A large template is laid from another place, and in another direction, for every seed, as in the film grain synthesis of AV1
    (AV1 Bitstream and Decoding Process Specification, 7.18.3), with one block that is as large as the picture.
    """
    spatial, channels = np.ascontiguousarray(grain.spatial, np.float64), np.ascontiguousarray(grain.channels, np.float64)
    template = _template(spatial.tobytes(), len(spatial), channels.tobytes())
    rng = np.random.default_rng([*seed, *origin])
    row, column = (int(rng.integers(n)) for n in template.shape[:2])
    # Forwards or backwards both ways: how neighbours hang together is the same from both ends.
    way = int(rng.choice((-1, 1)))
    level = cv2.GaussianBlur(np.ascontiguousarray(codes, np.float32), (0, 0), 1.2)
    out = np.empty_like(level)
    _grain_rows(template, row, column, way, level, grain.table, out)
    return out
