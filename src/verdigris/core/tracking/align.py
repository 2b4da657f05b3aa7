"""Photometric refinement: bring a frame onto the template, tile by tile gain and bias, robustly.

References
----------
Baker and Matthews, Lucas-Kanade 20 years on, IJCV 56(3), 2004: inverse compositional alignment.
Bartoli, Groupwise geometric and photometric direct image registration, PAMI 30(12), 2008: gain and bias
eliminated from the normal equations (Schur complement), here for every tile.
Liang and Zeger, Longitudinal data analysis using generalized linear models, Biometrika 73(1), 1986:
cluster-robust covariance, here with tiles as clusters, because residuals within a tile hang together.
"""

from dataclasses import dataclass

import numba
import numpy as np

from verdigris.core.geometry.homography import apply_homography, normalised
from verdigris.core.tracking.motion import exponential, point_jacobian
from verdigris.core.tracking.template import Template, TemplateLevel
from verdigris.core.types import Bool, Float32, Float64


@dataclass(frozen=True)
class Alignment:
    """Outcome of an alignment.

    Attributes
    ----------
    frame_from_reference : (3, 3) float64
    covariance : (k, k) float64 of the warp parameters at the template, normalised coordinates
    residual_px : weighted residual over weighted gradient, plate px
    share_used : 0..1, weight used of all samples of the region
    agreement : median correlation of the tiles that are in view
    converged : whether the last step moved no point of the region by more than the tolerance
    """

    frame_from_reference: Float64
    covariance: Float64
    residual_px: float
    share_used: float
    agreement: float
    converged: bool


@numba.njit(cache=True, nogil=True, fastmath=True)
def _sample(image, h, points, usable, values, seen):  # type: ignore[no-untyped-def]
    """Catmull-Rom samples of `image` at h(points), level px; `seen` is False outside the picture."""
    height, width = image.shape
    for i in range(points.shape[0]):
        x, y = points[i, 0], points[i, 1]
        w = h[2, 0] * x + h[2, 1] * y + h[2, 2]
        u = (h[0, 0] * x + h[0, 1] * y + h[0, 2]) / w - 0.5
        v = (h[1, 0] * x + h[1, 1] * y + h[1, 2]) / w - 0.5
        inside = w > 0 and u >= 2.0 and v >= 2.0 and u < width - 3.0 and v < height - 3.0
        if not inside or not usable[i]:
            seen[i] = False
            continue
        iu, iv = int(u), int(v)
        fu, fv = u - iu, v - iv
        a0 = ((-0.5 * fu + 1.0) * fu - 0.5) * fu
        a1 = (1.5 * fu - 2.5) * fu * fu + 1.0
        a2 = ((-1.5 * fu + 2.0) * fu + 0.5) * fu
        a3 = (0.5 * fu - 0.5) * fu * fu
        b0 = ((-0.5 * fv + 1.0) * fv - 0.5) * fv
        b1 = (1.5 * fv - 2.5) * fv * fv + 1.0
        b2 = ((-1.5 * fv + 2.0) * fv + 0.5) * fv
        b3 = (0.5 * fv - 0.5) * fv * fv
        total = 0.0
        for r in range(4):
            row = image[iv - 1 + r]
            line = a0 * row[iu - 1] + a1 * row[iu] + a2 * row[iu + 1] + a3 * row[iu + 2]
            if r == 0:
                total += b0 * line
            elif r == 1:
                total += b1 * line
            elif r == 2:
                total += b2 * line
            else:
                total += b3 * line
        values[i] = total
        seen[i] = True


@numba.njit(cache=True, nogil=True, fastmath=True)
def _fit_tiles(template, values, seen, weights, tiles, gain, bias, spread, correlation, mass):  # type: ignore[no-untyped-def]
    """Weighted gain and bias of every tile, its residual variance, correlation and number of samples seen."""
    count = gain.shape[0]
    sums = np.zeros((count, 6))
    for i in range(template.shape[0]):
        if seen[i]:
            w, t, v = weights[i], template[i], values[i]
            s = sums[tiles[i]]
            s[0] += w
            s[1] += w * t
            s[2] += w * v
            s[3] += w * t * t
            s[4] += w * t * v
            s[5] += w * v * v
            mass[tiles[i]] += 1.0
    for k in range(count):
        w = sums[k, 0]
        gain[k], bias[k], spread[k], correlation[k] = 1.0, 0.0, 1.0, 0.0
        if mass[k] < 12 or w < 1e-6:
            mass[k] = 0.0
            continue
        mt, mv = sums[k, 1] / w, sums[k, 2] / w
        vt = max(sums[k, 3] / w - mt * mt, 1e-9)
        vv = max(sums[k, 5] / w - mv * mv, 1e-9)
        c = sums[k, 4] / w - mt * mv
        g = min(max(c / vt, 0.05), 20.0)
        gain[k], bias[k] = g, mv - g * mt
        correlation[k] = c / np.sqrt(vt * vv)
        spread[k] = max(vv - 2 * g * c + g * g * vt, 1e-10)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _normal_equations(jacobian, template, values, seen, weights, tiles, gain, bias, mass, hessian, score, tile_score):  # type: ignore[no-untyped-def]
    """Accumulate Gauss-Newton terms with every tile's gain and bias projected out."""
    n, k = jacobian.shape
    count = gain.shape[0]
    sw = np.zeros(count)
    st = np.zeros(count)
    stt = np.zeros(count)
    sj = np.zeros((count, k))
    stj = np.zeros((count, k))
    for i in range(n):
        if seen[i]:
            w, t, tile = weights[i], template[i], tiles[i]
            sw[tile] += w
            st[tile] += w * t
            stt[tile] += w * t * t
            for a in range(k):
                wj = w * jacobian[i, a]
                sj[tile, a] += wj
                stj[tile, a] += wj * t
    mean = np.zeros((count, k))
    slope = np.zeros((count, k))
    middle = np.zeros(count)
    for tile in range(count):
        if mass[tile] > 0 and sw[tile] > 1e-9:
            middle[tile] = st[tile] / sw[tile]
            var = max(stt[tile] - st[tile] * middle[tile], 1e-12)
            for a in range(k):
                mean[tile, a] = sj[tile, a] / sw[tile]
                slope[tile, a] = (stj[tile, a] - middle[tile] * sj[tile, a]) / var
    j = np.empty(k)
    for i in range(n):
        tile = tiles[i]
        if seen[i] and mass[tile] > 0:
            w, t, g = weights[i], template[i], gain[tile]
            r = values[i] - g * t - bias[tile]
            for a in range(k):
                j[a] = g * (jacobian[i, a] - mean[tile, a] - slope[tile, a] * (t - middle[tile]))
            for a in range(k):
                wj = w * j[a]
                tile_score[tile, a] += wj * r
                for b in range(a, k):
                    hessian[a, b] += wj * j[b]
    for a in range(k):
        for tile in range(count):
            score[a] += tile_score[tile, a]
        for b in range(a):
            hessian[a, b] = hessian[b, a]


@numba.njit(cache=True, nogil=True, fastmath=True)
def _reweigh(template, values, seen, tiles, gain, bias, mass, tile_weight, scale, weights):  # type: ignore[no-untyped-def]
    """Tukey's biweight on the residual, times the weight of the tile."""
    cut = 4.685 * scale
    for i in range(template.shape[0]):
        tile = tiles[i]
        if not seen[i] or mass[tile] == 0:
            weights[i] = 0.0
            continue
        r = (values[i] - gain[tile] * template[i] - bias[tile]) / cut
        inside = 1.0 - r * r
        weights[i] = tile_weight[tile] * inside * inside if inside > 0 else 0.0


class _Fit:
    """Working state of one level's alignment."""

    def __init__(self, level: TemplateLevel, image: Float32, usable: Bool) -> None:
        n, count = len(level.points), level.tile_count
        self.level, self.image, self.usable = level, image, usable
        self.values = np.zeros(n, np.float32)
        self.seen = np.zeros(n, np.bool_)
        self.weights = np.ones(n, np.float32)
        self.gain, self.bias = np.ones(count), np.zeros(count)
        self.spread, self.correlation, self.mass = np.ones(count), np.zeros(count), np.zeros(count)

    def look(self, h: Float64) -> None:
        """Sample the frame under a warp and fit the tiles with the weights at hand."""
        to_level = np.diag([self.level.scale, self.level.scale, 1.0])
        _sample(self.image, to_level @ h, self.level.points, self.usable, self.values, self.seen)
        self.mass[:] = 0
        _fit_tiles(
            self.level.values, self.values, self.seen, self.weights, self.level.tiles,
            self.gain, self.bias, self.spread, self.correlation, self.mass,
        )  # fmt: skip

    def reweigh(self) -> None:
        """Give samples and tiles that disagree less weight."""
        alive = self.mass > 0
        if not alive.any():
            return
        typical = float(np.median(self.spread[alive]))
        # A tile with a residual variance far above its fellows sees something else.
        tile_weight = np.minimum(1.0, (3.0 * typical / self.spread) ** 2)
        tile_weight[self.correlation < 0.3] = 0.0
        residual = self.values - self.gain[self.level.tiles] * self.level.values - self.bias[self.level.tiles]
        counted = self.seen & (tile_weight[self.level.tiles] > 0.05)
        scale = 1.4826 * float(np.median(np.abs(residual[counted]))) if counted.any() else 1.0
        _reweigh(
            self.level.values, self.values, self.seen, self.level.tiles, self.gain, self.bias, self.mass,
            tile_weight, max(scale, 1e-3), self.weights,
        )  # fmt: skip

    def equations(self) -> tuple[Float64, Float64, Float64]:
        """Hessian (k, k), score (k,), score of every tile (tiles, k)."""
        k = self.level.jacobian.shape[1]
        hessian, score, tile_score = np.zeros((k, k)), np.zeros(k), np.zeros((self.level.tile_count, k))
        _normal_equations(
            self.level.jacobian, self.level.values, self.values, self.seen, self.weights, self.level.tiles,
            self.gain, self.bias, self.mass, hessian, score, tile_score,
        )  # fmt: skip
        return hessian, score, tile_score


def agreement(template: Template, images: tuple[Float32, ...], h: Float64, usable: Bool) -> float:
    """Median correlation of the tiles at the coarse level under a warp; 0 when nothing is in view."""
    fit = _Fit(template.levels[0], images[0], usable)
    fit.look(h)
    return float(np.median(fit.correlation[fit.mass > 0])) if (fit.mass > 0).any() else 0.0


def align(
    template: Template, images: tuple[Float32, ...], start: Float64, usable: tuple[Bool, ...], tolerance_px: float = 0.003
) -> Alignment:
    """Refine a warp from coarse to fine.

    Parameters
    ----------
    template : what the plane looks like at its reference frame
    images : one smoothed (H, W) float32 picture per template level, code values 0..1
    start : (3, 3) float64, first guess of frame_from_reference, plate px
    usable : per level (N,) bool, samples that nothing nearer covers at this frame
    tolerance_px : step at which it stops, fine level
    """
    n, n_inv = template.normaliser, np.linalg.inv(template.normaliser)
    h, fit, converged, step = start, None, False, np.zeros(1)
    for index, level in enumerate(template.levels):
        fine = index == len(template.levels) - 1
        fit = _Fit(level, images[index], usable[index])
        stop = (tolerance_px if fine else 0.05) * n[0, 0]
        converged = False
        for iteration in range(20 if fine else 12):
            fit.look(h)
            if iteration:
                fit.reweigh()
                fit.look(h)
            hessian, score, _ = fit.equations()
            damping = 1e-9 * np.trace(hessian) / len(hessian) + 1e-12
            step = np.linalg.solve(hessian + damping * np.eye(len(hessian)), score)
            if not np.all(np.isfinite(step)) or np.abs(step).max() > 0.5:
                break
            try:
                h = normalised(h @ n_inv @ np.linalg.inv(exponential(step)) @ n)
            except (ValueError, np.linalg.LinAlgError):
                break
            if np.abs(step).sum() < stop:
                converged = True
                break
    assert fit is not None
    return _conclude(fit, h, converged)


def _conclude(fit: _Fit, h: Float64, converged: bool) -> Alignment:
    fit.look(h)
    fit.reweigh()
    fit.look(h)
    hessian, _, tile_score = fit.equations()
    level = fit.level
    k = len(hessian)
    inverse = np.linalg.pinv(hessian + 1e-12 * np.eye(k))
    alive = int((np.abs(tile_score).sum(axis=1) > 0).sum())
    correction = alive / max(1, alive - k) if alive > k else 50.0
    covariance = correction * inverse @ (tile_score.T @ tile_score) @ inverse
    residual = (fit.values - fit.gain[level.tiles] * level.values - fit.bias[level.tiles]) * (fit.mass[level.tiles] > 0)
    pull = fit.gain[level.tiles] * level.gradient
    w = fit.weights
    residual_px = float(np.sqrt(np.sum(w * residual**2) / max(float(np.sum(w * pull**2)), 1e-12)))
    shown = fit.mass > 0
    middle = float(np.median(fit.correlation[shown])) if shown.any() else 0.0
    return Alignment(h, covariance, residual_px, float(w.sum()) / len(w), middle, converged)


def corner_sigmas(template: Template, alignment: Alignment, corners: Float64) -> Float64:
    """Radial standard deviation of each corner in the frame, (4,) float64, plate px.

    Notes
    -----
    The warp is H exp(p)^-1 with p ~ N(0, covariance); its effect on a corner is carried through H's own
    derivative. The square root of the trace is the root mean square distance from the true corner.
    """
    n = template.normaliser
    inner = apply_homography(n, corners)
    k = alignment.covariance.shape[0]
    jac = point_jacobian(inner, k) / n[0, 0]
    h = alignment.frame_from_reference
    sigmas = np.empty(4)
    for i, (x, y) in enumerate(corners):
        w = h[2, 0] * x + h[2, 1] * y + h[2, 2]
        u, v = (h[0, :2] @ (x, y) + h[0, 2]) / w, (h[1, :2] @ (x, y) + h[1, 2]) / w
        local = np.array([h[0, :2] - u * h[2, :2], h[1, :2] - v * h[2, :2]]) / w
        full = local @ jac[i]
        sigmas[i] = np.sqrt(max(float(np.trace(full @ alignment.covariance @ full.T)), 0.0))
    return sigmas
