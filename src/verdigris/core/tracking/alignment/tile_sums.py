"""Compiled sums over the samples of each tile: gain and bias, weights, and the equations behind a step.

Samples lie tile by tile, one array a quantity, so that every sum runs over neighbouring numbers.

References
----------
Bartoli, Groupwise geometric and photometric direct image registration, PAMI 30(12), 2008: gain and bias
eliminated from the normal equations (Schur complement), here for every tile.
Beaton and Tukey, The fitting of power series, Technometrics 16(2), 1974: the biweight.
Hoare, Algorithm 65: Find, Communications of the ACM 4(7), 1961: a place in the order without sorting.
"""

import numba
import numpy as np

# Fewer samples than this, or less weight, do not hold a gain and a bias.
LEAST_SAMPLES = 12
LEAST_WEIGHT = 1e-6
TRACE = 1e-5
LEAST_VARIANCE, LEAST_GAIN, MOST_GAIN = np.float32(1e-9), np.float32(0.05), np.float32(20.0)
# Where the biweight ends, in standard deviations, and how large one residual may count in the mean square of a tile.
TUKEY = 4.685
MOST_RATIO = 12.0
# So many tiles tell the usual mean square, which is not taken to be less than this; a tile that correlates less sees something else.
LEAST_FELLOWS, LEAST_TYPICAL, LEAST_CORRELATION = 4, 0.3, 0.3
# As many samples tell the noise.
TOLD_BY = 3000


@numba.njit(cache=True, nogil=True, fastmath=True)
def fit_tiles(starts, template, values, seen, weights, gain, bias, correlation, mass, energy):  # type: ignore[no-untyped-def]
    """Weighted gain and bias of every tile, correlation, number of samples (0 where they are too few) and template variance."""
    for k in range(gain.shape[0]):
        gain[k], bias[k], correlation[k], mass[k], energy[k] = 1.0, 0.0, 0.0, 0.0, 0.0
        lo, hi = starts[k], starts[k + 1]
        t, v, w, s = template[lo:hi], values[lo:hi], weights[lo:hi], seen[lo:hi]
        count, total, first, second = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
        for i in range(t.shape[0]):
            count += np.float32(s[i])
            total += w[i]
            first += w[i] * t[i]
            second += w[i] * v[i]
        if count < LEAST_SAMPLES or total < LEAST_WEIGHT:
            continue
        mt, mv = first / total, second / total
        tt, tv, vv = np.float32(0), np.float32(0), np.float32(0)
        for i in range(t.shape[0]):
            a, b = t[i] - mt, v[i] - mv
            tt += w[i] * a * a
            tv += w[i] * a * b
            vv += w[i] * b * b
        vt, vf, c = max(tt / total, LEAST_VARIANCE), max(vv / total, LEAST_VARIANCE), tv / total
        g = min(max(c / vt, LEAST_GAIN), MOST_GAIN)
        gain[k], bias[k], correlation[k], mass[k], energy[k] = g, mv - g * mt, c / np.sqrt(vt * vf), count, vt


@numba.njit(cache=True, nogil=True, fastmath=True)
def project_out(starts, jacobian, template, values, weights, gain, bias, mass, hessians, scores):  # type: ignore[no-untyped-def]
    """Every tile's Hessian (tiles, k, k) and score (tiles, k) of Jacobian rows (k, N), its gain and bias projected out."""
    k = jacobian.shape[0]
    most = 1
    for tile in range(gain.shape[0]):
        most = max(most, starts[tile + 1] - starts[tile])
    rows = np.empty((k, most), np.float32)
    root, t, r = np.empty(most, np.float32), np.empty(most, np.float32), np.empty(most, np.float32)
    for tile in range(gain.shape[0]):
        lo, hi = starts[tile], starts[tile + 1]
        n = hi - lo
        g, b = np.float32(gain[tile]), np.float32(bias[tile])
        total, first = np.float32(0), np.float32(0)
        if mass[tile] > 0:
            w, tt, vv = weights[lo:hi], template[lo:hi], values[lo:hi]
            for i in range(n):
                total += w[i]
                first += w[i] * tt[i]
        if total <= 1e-9:
            scores[tile] = 0.0
            hessians[tile] = 0.0
            continue
        mean, square = first / total, np.float32(0)
        for i in range(n):
            root[i] = np.sqrt(w[i])
            r[i] = root[i] * (vv[i] - g * tt[i] - b)
            t[i] = root[i] * (tt[i] - mean)
            square += t[i] * t[i]
        square = max(square, np.float32(1e-12))
        for a in range(k):
            j, row = jacobian[a, lo:hi], rows[a]
            along, across = np.float32(0), np.float32(0)
            for i in range(n):
                row[i] = root[i] * j[i]
                along += root[i] * row[i]
                across += t[i] * row[i]
            along, across = along / total, across / square
            pull = np.float32(0)
            for i in range(n):
                row[i] = g * (row[i] - along * root[i] - across * t[i])
                pull += row[i] * r[i]
            scores[tile, a] = pull
        for a in range(k):
            one = rows[a]
            for c in range(a, k):
                other, dot = rows[c], np.float32(0)
                for i in range(n):
                    dot += one[i] * other[i]
                hessians[tile, a, c] = dot
                hessians[tile, c, a] = dot


@numba.njit(cache=True, nogil=True)
def _in_order(values, place):  # type: ignore[no-untyped-def]
    """The value at a place of the order, from 0; `values` are left partly sorted around it."""
    low, high = 0, values.shape[0] - 1
    while low < high:
        pivot, i, j = values[(low + high) // 2], low, high
        while i <= j:
            while values[i] < pivot:
                i += 1
            while pivot < values[j]:
                j -= 1
            if i <= j:
                values[i], values[j] = values[j], values[i]
                i += 1
                j -= 1
        if place <= j:
            high = j
        elif place >= i:
            low = i
        else:
            break
    return values[place]


@numba.njit(cache=True, nogil=True, fastmath=True)
def tell_noise(starts, template, values, slope, seen, gain, bias, mass, noise_of_flat, least_noise, least_slip, most_slip):  # type: ignore[no-untyped-def]
    """Noise where the picture is flat, code values, and slip where it is steep, px; from some of the samples.

    Steep is what is steeper than half of the picture and steepest in its tile: something crisp in front of a few must not speak for all.
    """
    count = 0
    for tile in range(gain.shape[0]):
        count += int(mass[tile])
    stride = max(1, count // TOLD_BY)
    r, steep = np.empty(count // stride + 1, np.float32), np.empty(count // stride + 1, np.float32)
    ends = np.empty(gain.shape[0], np.int64)
    skip, n = 0, 0
    for tile in range(gain.shape[0]):
        if mass[tile] > 0:
            g, b = gain[tile], bias[tile]
            for i in range(starts[tile], starts[tile + 1]):
                if seen[i]:
                    if skip == 0:
                        r[n] = abs(values[i] - g * template[i] - b)
                        steep[n] = g * slope[i]
                        n += 1
                        skip = stride
                    skip -= 1
        ends[tile] = n
    r, steep, order = r[:n], steep[:n], np.empty(n, np.float32)
    order[:] = steep
    half = _in_order(order, n // 2)
    m = 0
    for i in range(n):
        if steep[i] <= half:
            order[m] = r[i]
            m += 1
    noise = max(noise_of_flat * _in_order(order[:m], m // 2), least_noise)
    slips = np.empty(n, np.float32)
    m, first = 0, 0
    for tile in range(gain.shape[0]):
        own = ends[tile] - first
        if own > 0:
            order[:own] = steep[first : ends[tile]]
            edge = max(half, _in_order(order[:own], own - max(1, own // 5)))
            for i in range(first, ends[tile]):
                if steep[i] >= edge:
                    slips[m] = np.sqrt(max(r[i] * r[i] - (0.6745 * noise) ** 2, 0.0)) / max(steep[i], 1e-4)
                    m += 1
        first = ends[tile]
    slip = noise_of_flat * _in_order(slips[:m], m // 2)
    return noise, min(max(slip, least_slip), most_slip)


@numba.njit(cache=True, nogil=True, fastmath=True)
def residuals(starts, template, values, gain, bias):  # type: ignore[no-untyped-def]
    """Frame minus prediction after gain and bias, (N,)."""
    left = np.empty(template.shape[0], np.float64)
    for tile in range(gain.shape[0]):
        g, b = gain[tile], bias[tile]
        for i in range(starts[tile], starts[tile + 1]):
            left[i] = values[i] - g * template[i] - b
    return left


@numba.njit(cache=True, nogil=True, fastmath=True)
def total_weights(starts, weights):  # type: ignore[no-untyped-def]
    """Sum of the weights of each tile's samples, (tiles,)."""
    total = np.zeros(starts.shape[0] - 1)
    for tile in range(total.shape[0]):
        for i in range(starts[tile], starts[tile + 1]):
            total[tile] += weights[i]
    return total


@numba.njit(cache=True, nogil=True, fastmath=True)
def expect(starts, template, values, slope, seen, gain, bias, mass, noise, slip, ratio, square):  # type: ignore[no-untyped-def]
    """Residuals in units of what is expected of them, and the mean square of these per tile."""
    noise, slip, most = np.float32(noise), np.float32(slip), np.float32(MOST_RATIO)
    for tile in range(gain.shape[0]):
        lo, hi = starts[tile], starts[tile + 1]
        x, square[tile] = ratio[lo:hi], 1.0
        if mass[tile] == 0:
            x[:] = 0.0
            continue
        g, b = np.float32(gain[tile]), np.float32(bias[tile])
        t, v, s, d = template[lo:hi], values[lo:hi], seen[lo:hi], slope[lo:hi]
        total, count = np.float32(0), np.float32(0)
        for i in range(t.shape[0]):
            steep = slip * g * d[i]
            x[i] = (v[i] - g * t[i] - b) / np.sqrt(noise * noise + steep * steep)
            capped = min(abs(x[i]), most)
            total += np.float32(s[i]) * capped * capped
            count += np.float32(s[i])
        if count > 0:
            square[tile] = total / count


@numba.njit(cache=True, nogil=True)
def judge_tiles(square, correlation, mass, energy, noise, trust, tile_weight, apart, agreement):  # type: ignore[no-untyped-def]
    """Weight of every tile, which are told apart, and how far each agrees (NaN where it holds nothing).

    A tile that disagrees far more than its fellows sees something else; blank ones cannot disagree.
    """
    count, telling, alive = mass.shape[0], 0, 0
    varied = energy > 4 * noise * noise
    fellows, all_alive = np.empty(count), np.empty(count)
    for trusted in (True, False):
        if telling >= LEAST_FELLOWS or (trusted and trust.size == 0):
            continue
        telling = 0
        for k in range(count):
            if mass[k] > 0 and varied[k] and (not trusted or trust[k] > 0.5):
                fellows[telling] = square[k]
                telling += 1
    for k in range(count):
        if mass[k] > 0:
            all_alive[alive] = square[k]
            alive += 1
    if telling < LEAST_FELLOWS:
        fellows, telling = all_alive, alive
    typical = max(_in_order(fellows[:telling], telling // 2), LEAST_TYPICAL)
    for k in range(count):
        apart[k] = mass[k] > 0 and correlation[k] < LEAST_CORRELATION and varied[k]
        weight = 0.0 if apart[k] else min(1.0, (3.0 * typical / max(square[k], 1e-9)) ** 2)
        agreement[k] = weight if mass[k] > 0 else np.nan
        tile_weight[k] = weight if trust.size == 0 else weight * trust[k]


@numba.njit(cache=True, nogil=True, fastmath=True)
def reweigh(starts, ratio, slope, seen, gain, mass, tile_weight, noise, slip, weights):  # type: ignore[no-untyped-def]
    """Tukey's biweight on the residual against what is expected, times the weight of the tile and of the expectation.

    A tile that is told apart, or holds no gain, keeps a trace of a weight, so that it is judged again.
    """
    noise, slip = np.float32(noise), np.float32(slip)
    for tile in range(gain.shape[0]):
        lo, hi = starts[tile], starts[tile + 1]
        x, s, d, w = ratio[lo:hi], seen[lo:hi], slope[lo:hi], weights[lo:hi]
        own, g = np.float32(tile_weight[tile]), np.float32(gain[tile])
        if mass[tile] == 0 or own == 0:
            for i in range(x.shape[0]):
                w[i] = np.float32(s[i]) * np.float32(TRACE)
            continue
        for i in range(x.shape[0]):
            r, steep = x[i] / np.float32(TUKEY), slip * g * d[i]
            inside = max(np.float32(1) - r * r, np.float32(0))
            w[i] = np.float32(s[i]) * own * inside * inside * noise * noise / (noise * noise + steep * steep)


@numba.njit(cache=True, nogil=True, fastmath=True)
def left_and_slope(starts, template, values, slope, weights, gain, bias):  # type: ignore[no-untyped-def]
    """Weighted sums of squared residuals and of squared slopes."""
    left, steep = np.float64(0), np.float64(0)
    for tile in range(gain.shape[0]):
        g, b = np.float32(gain[tile]), np.float32(bias[tile])
        lo, hi = starts[tile], starts[tile + 1]
        t, v, d, w = template[lo:hi], values[lo:hi], slope[lo:hi], weights[lo:hi]
        own, far = np.float32(0), np.float32(0)
        for i in range(t.shape[0]):
            r, s = v[i] - g * t[i] - b, g * d[i]
            own += w[i] * r * r
            far += w[i] * s * s
        left, steep = left + own, steep + far
    return left, steep
