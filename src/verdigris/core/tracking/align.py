"""Photometric refinement: move the plane until the predicted frame is the frame, tile by tile gain and bias, robustly.

References
----------
Baker and Matthews, Lucas-Kanade 20 years on, IJCV 56(3), 2004: compositional Gauss-Newton alignment.
Bartoli, Groupwise geometric and photometric direct image registration, PAMI 30(12), 2008: gain and bias
eliminated from the normal equations (Schur complement), here for every tile.
Liang and Zeger, Longitudinal data analysis using generalized linear models, Biometrika 73(1), 1986:
cluster-robust covariance, here with tiles as clusters, because residuals within a tile hang together.
"""

from dataclasses import dataclass, field, replace
from itertools import pairwise

import cv2
import numba
import numpy as np

from verdigris.core.geometry.homography import apply_homography, normalised
from verdigris.core.tracking.appearance import USUAL_VARIANCE, Appearance, frame_normaliser
from verdigris.core.tracking.motion import FREEDOMS, Motion, exponential, point_jacobian
from verdigris.core.tracking.optics import Movement, Optics
from verdigris.core.tracking.synthesis import predict, rim_px, softness
from verdigris.core.tracking.tone import encode_table, to_code, to_light
from verdigris.core.types import Bool, Float32, Float64, Int

COARSE_VARIANCE = 5.0
TRUSTED_SHARE = 0.67
# A step this small against its standard deviation changes nothing any more.
SETTLED = 0.08
USUAL_BEND_PX = 0.7
MOST_REACH = 1.5
# How quickly doubt grows with the distance beyond that.
REACH_GROWTH = 2.5
# How far corners usually lie outside of the samples, in half sizes of what is seen.
USUAL_REACH = 0.3
# Which samples, least smoothing of the frame (px^2), most steps, and the step (px) at which it is done.
_Stage = tuple[Int | None, float, int, float]


@dataclass(frozen=True)
class Conditions:
    """What a frame is like, as far as it is known before it is compared.

    Attributes
    ----------
    movement, reference_movement : how the plane moves at the frame and at the reference
    blur : variance by which the frame is softer than the reference, plate px^2
    shutter : variance of the exposure in time, frames^2
    shutters : values to choose from, where it is not known
    hidden : (H, W) bool, what something nearer covers, or None
    trust : (tiles,) 0..1, how far each tile has moved with the plane in other frames, or None
    """

    movement: Movement
    reference_movement: Movement
    blur: float = 0.0
    shutter: float = 0.0
    shutters: tuple[float, ...] = ()
    hidden: Bool | None = None
    trust: Float64 | None = None


@dataclass(frozen=True)
class Alignment:
    """Outcome of an alignment.

    Attributes
    ----------
    h : (3, 3) float64, ideal frame px from ideal reference px
    covariance : (k, k) float64 of the frame-side warp parameters, in coordinates of `normaliser`
    normaliser : (3, 3) float64
    residual_px : weighted residual over weighted gradient, plate px
    share_used : 0..1, weight used of all samples of the region
    good_share : 0..1, share of the region's texture that is seen as it should be
    blur : variance by which the frame is softer than the reference, plate px^2
    shutter : variance of the exposure in time it was compared with, frames^2
    cost : root mean square of the smaller residuals where the picture is steep, code values
    tiles : (tiles,) float32, 0..1, how far each tile moves with the plane; NaN where it does not show
    converged : whether the last step stayed well within the doubt
    bend : (k + 4,) float64, step of a freer fit, in coordinates of `normaliser`: the pose's freedoms, and x^2 and y^2 of either
        coordinate
    bend_covariance : (k + 4, k + 4) float64
    seen : (2, 2) float64, low and high corner of what was compared, in coordinates of `normaliser`
    """

    h: Float64
    covariance: Float64
    normaliser: Float64
    residual_px: float
    share_used: float
    good_share: float
    blur: float
    shutter: float
    cost: float
    tiles: Float32
    converged: bool
    bend: Float64
    bend_covariance: Float64
    seen: Float64


class FramePictures:
    """Smoothed versions of one frame around a box, made when asked for."""

    def __init__(self, values: Float32, box: tuple[int, int, int, int], bend: float) -> None:
        x0, y0, x1, y1 = box
        self.origin = (x0, y0)
        self._values = np.ascontiguousarray(values[y0:y1, x0:x1])
        self._light, self._table, self._bend = to_light(self._values, bend), encode_table(bend), bend
        self._made: dict[float, Float32] = {}

    def smoothed(self, variance: float) -> Float32:
        """Code values after smoothing in linear light."""
        key = round(variance, 3)
        if key not in self._made:
            if len(self._made) > 3:
                self._made.clear()
            soft = cv2.GaussianBlur(self._light, (0, 0), float(np.sqrt(variance)), borderType=cv2.BORDER_REFLECT_101)
            self._made[key] = to_code(soft, self._table)
        return self._made[key]

    def bent(self, bend: float) -> "FramePictures":
        """The same frame under another tone curve."""
        height, width = self._values.shape
        other = FramePictures(self._values, (0, 0, width, height), bend)
        other.origin = self.origin
        return other


@numba.njit(cache=True, nogil=True, fastmath=True)
def _fit_tiles(template, values, seen, weights, tiles, gain, bias, spread, correlation, mass, energy):  # type: ignore[no-untyped-def]
    """Weighted gain and bias of every tile, its residual variance, correlation, number of samples and template variance."""
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
        gain[k], bias[k], spread[k], correlation[k], energy[k] = 1.0, 0.0, 1.0, 0.0, 0.0
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
        energy[k] = vt


@numba.njit(cache=True, nogil=True, fastmath=True)
def _project_out(jacobian, template, values, seen, weights, tiles, gain, bias, mass, rows, pulls):  # type: ignore[no-untyped-def]
    """Weighted Jacobian rows with every tile's gain and bias projected out, and rows times residual."""
    n, k = jacobian.shape
    count = gain.shape[0]
    sums = np.zeros((count, 3))
    sj = np.zeros((count, k))
    stj = np.zeros((count, k))
    for i in range(n):
        if seen[i]:
            w, t, tile = weights[i], template[i], tiles[i]
            s, p, q = sums[tile], sj[tile], stj[tile]
            s[0] += w
            s[1] += w * t
            s[2] += w * t * t
            for a in range(k):
                wj = w * jacobian[i, a]
                p[a] += wj
                q[a] += wj * t
    middle = np.zeros(count)
    for tile in range(count):
        if mass[tile] > 0 and sums[tile, 0] > 1e-9:
            w = sums[tile, 0]
            middle[tile] = sums[tile, 1] / w
            var = max(sums[tile, 2] - sums[tile, 1] * middle[tile], 1e-12)
            for a in range(k):
                slope = (stj[tile, a] - middle[tile] * sj[tile, a]) / var
                sj[tile, a] /= w
                stj[tile, a] = slope
    for i in range(n):
        tile = tiles[i]
        if seen[i] and mass[tile] > 0 and weights[i] > 0:
            t, g = template[i], gain[tile]
            root = np.sqrt(weights[i])
            r = root * (values[i] - g * t - bias[tile])
            c, p, q = t - middle[tile], sj[tile], stj[tile]
            for a in range(k):
                j = root * g * (jacobian[i, a] - p[a] - q[a] * c)
                rows[i, a] = j
                pulls[i, a] = j * r
        else:
            for a in range(k):
                rows[i, a] = 0.0
                pulls[i, a] = 0.0


@numba.njit(cache=True, nogil=True, fastmath=True)
def _prepare(prediction, image, x0, y0, pixels, ideal, depth, tiles, rim, normaliser, freedoms, template, values, jacobian, known, seen):  # type: ignore[no-untyped-def]
    """Frame values, and how each prediction changes with the pose's freedoms and with blur."""
    s, nx, ny = normaliser[0, 0], normaliser[0, 2], normaliser[1, 2]
    for i in range(pixels.shape[0]):
        row, col = pixels[i, 1] - y0, pixels[i, 0] - x0
        there = prediction[i, 0] > -50 and row >= 0 and col >= 0 and row < image.shape[0] and col < image.shape[1]
        known[i] = there
        seen[i] = there and depth[i] >= rim[tiles[i]]
        if not there:
            template[i] = 0.0
            for a in range(freedoms + 1):
                jacobian[i, a] = 0.0
            continue
        template[i] = prediction[i, 0]
        values[i] = image[row, col]
        x, y = s * ideal[i, 0] + nx, s * ideal[i, 1] + ny
        gx, gy = -prediction[i, 1] / s, -prediction[i, 2] / s
        radial = x * gx + y * gy
        j = jacobian[i]
        j[0], j[1] = gx, gy
        if freedoms > 2:
            j[2] = x * gy - y * gx
        if freedoms > 3:
            j[3] = 3 * radial
        if freedoms > 4:
            j[4], j[5] = x * gx - y * gy, y * gx + x * gy
        if freedoms > 6:
            j[6], j[7] = -x * radial, -y * radial
        j[freedoms] = prediction[i, 3]


@numba.njit(cache=True, nogil=True, fastmath=True)
def _expect(template, values, prediction, seen, tiles, gain, bias, mass, noise, slip, residual, expected, tile_square):  # type: ignore[no-untyped-def]
    """Residuals, what is expected of them, and the mean square of their ratio per tile."""
    total = np.zeros(gain.shape[0])
    for i in range(template.shape[0]):
        tile = tiles[i]
        if not seen[i] or mass[tile] == 0:
            residual[i], expected[i] = 0.0, 1.0
            continue
        g = gain[tile] * np.sqrt(prediction[i, 1] ** 2 + prediction[i, 2] ** 2)
        residual[i] = values[i] - gain[tile] * template[i] - bias[tile]
        expected[i] = np.sqrt(noise * noise + slip * slip * g * g)
        ratio = min(abs(residual[i]) / expected[i], 12.0)
        tile_square[tile] += ratio * ratio
        total[tile] += 1.0
    for tile in range(gain.shape[0]):
        tile_square[tile] = tile_square[tile] / total[tile] if total[tile] > 0 else 1.0


@numba.njit(cache=True, nogil=True, fastmath=True)
def _reweigh(residual, expected, seen, tiles, tile_weight, noise, weights):  # type: ignore[no-untyped-def]
    """Tukey's biweight on the residual against what is expected, times the weight of the tile and of the expectation."""
    for i in range(residual.shape[0]):
        if not seen[i]:
            weights[i] = 0.0
            continue
        r = residual[i] / (4.685 * expected[i])
        inside = 1.0 - r * r
        weights[i] = tile_weight[tiles[i]] * inside * inside * (noise / expected[i]) ** 2 if inside > 0 else 0.0


@dataclass
class _Samples:
    """Frame pixels compared at one pose."""

    pixels: Int
    ideal: Float64
    times: Float64
    tiles: Int
    depth: Float32
    values: Float32 = field(default_factory=lambda: np.zeros(0, np.float32))


def box_of(appearance: Appearance, optics: Optics, h: Float64, move: Movement) -> tuple[int, int, int, int] | None:
    """Box of frame pixels (x0, y0, x1, y1) around the region under a pose, with room for smoothing; None when outside."""
    at = optics.project(appearance.points[appearance.few], h, move)
    at = at[np.all(np.abs(at) < 9e4, axis=1)]
    if len(at) < 20:
        return None
    margin = 24
    x0, y0 = np.maximum(np.floor(at.min(axis=0)).astype(int) - margin, 0)
    x1, y1 = np.minimum(np.ceil(at.max(axis=0)).astype(int) + margin, [optics.width, optics.height])
    return (int(x0), int(y0), int(x1), int(y1)) if x1 - x0 > 8 and y1 - y0 > 8 else None


def _place(appearance: Appearance, optics: Optics, h: Float64, conditions: Conditions, which: Int | None) -> _Samples:
    """The frame's pixels nearest to where the samples fall; those covered or outside are left out."""
    points = appearance.points if which is None else appearance.points[which]
    tiles = appearance.tiles if which is None else appearance.tiles[which]
    depth = appearance.depth if which is None else appearance.depth[which]
    at = np.floor(optics.project(points, h, conditions.movement)).astype(np.int64)
    inside = (at[:, 0] >= 2) & (at[:, 1] >= 2) & (at[:, 0] < optics.width - 2) & (at[:, 1] < optics.height - 2)
    if conditions.hidden is not None:
        inside[inside] = ~conditions.hidden[at[inside, 1], at[inside, 0]]
    flat = at[:, 1] * optics.width + at[:, 0]
    # Where the plane is seen smaller, several samples fall on one pixel: it counts once.
    flat[~inside] = -1 - np.arange(int((~inside).sum()))
    _, first = np.unique(flat, return_index=True)
    keep = np.sort(first[inside[first]])
    at = at[keep]
    centres = at + 0.5
    return _Samples(
        at, optics.ideal(centres), optics.row_time(centres[:, 1]) if optics.readout else np.zeros(len(keep)), tiles[keep], depth[keep]
    )


class Fit:
    """Working state of one alignment: samples, prediction, weights, tiles."""

    def __init__(self, appearance: Appearance, optics: Optics, pictures: FramePictures, conditions: Conditions, motion: Motion) -> None:
        self.appearance, self.optics, self.pictures, self.conditions = appearance, optics, pictures, conditions
        self.freedoms = FREEDOMS[motion]
        count = len(appearance.centres)
        self.gain, self.bias, self.spread = np.ones(count), np.zeros(count), np.ones(count)
        self.correlation, self.mass, self.energy = np.zeros(count), np.zeros(count), np.zeros(count)
        self.blur = conditions.blur
        self.noise, self.slip = 0.0, 0.0
        self.samples: _Samples | None = None

    def place(self, h: Float64, which: Int | None) -> bool:
        """Choose pixels for a pose; False when hardly any are left."""
        self.samples = _place(self.appearance, self.optics, h, self.conditions, which)
        self.normaliser = frame_normaliser(self.appearance, h)
        n = len(self.samples.tiles)
        trust = self.conditions.trust
        self.weights = np.ones(n, np.float32) if trust is None else trust[self.samples.tiles].astype(np.float32)
        self.total = len(self.appearance.points) if which is None else len(which)
        return n >= 60

    def adopt(self, other: "Fit", h: Float64, least: float) -> None:
        """Look at the pixels of another fit with its weights, so that both can be compared pixel by pixel."""
        s = other.samples
        assert s is not None
        centres = np.asarray(s.pixels + 0.5, np.float64)
        times = self.optics.row_time(centres[:, 1]) if self.optics.readout else np.zeros(len(centres))
        self.samples = replace(s, ideal=self.optics.ideal(centres), times=times)
        self.weights = other.weights.copy()
        self.look(h, least)

    def look(self, h: Float64, least: float) -> None:
        """Predict the pixels under a pose, and read the frame there."""
        s = self.samples
        assert s is not None
        c = self.conditions
        self.soft = softness(self.appearance, h, c.movement, c.reference_movement, self.blur, c.shutter, least)
        image, (x0, y0) = self.pictures.smoothed(self.soft.smoothing), self.pictures.origin
        self.prediction = predict(self.appearance, self.soft, s.ideal, s.times, s.tiles, h, c.movement, c.shutter)
        n = len(s.tiles)
        self.template, self.values = np.empty(n, np.float32), np.zeros(n, np.float32)
        self.jacobian = np.empty((n, self.freedoms + 1), np.float32)
        known, seen = np.empty(n, np.bool_), np.empty(n, np.bool_)
        rim = rim_px(self.soft)
        _prepare(
            self.prediction, image, x0, y0, s.pixels, s.ideal, s.depth, s.tiles, rim, self.normaliser, self.freedoms,
            self.template, self.values, self.jacobian, known, seen,
        )  # fmt: skip
        # A narrow region keeps its middle, whatever the smear.
        if seen.sum() < 0.35 * known.sum():
            seen = known & (s.depth >= np.minimum(rim, 2.5)[s.tiles])
        self.seen = seen
        self.fit_tiles()

    def fit_tiles(self) -> None:
        """Gain and bias of the tiles with the weights at hand."""
        assert self.samples is not None
        self.mass[:] = 0
        _fit_tiles(
            self.template, self.values, self.seen, self.weights, self.samples.tiles,
            self.gain, self.bias, self.spread, self.correlation, self.mass, self.energy,
        )  # fmt: skip

    def residuals(self) -> Float64:
        """Frame minus prediction after gain and bias, code values, (N,)."""
        assert self.samples is not None
        tiles = self.samples.tiles
        return np.asarray(self.values - self.gain[tiles] * self.template - self.bias[tiles])

    def reweigh(self) -> None:
        """Give samples and tiles that disagree less weight.

        Notes
        -----
        Even a right pose leaves residuals where the picture is steep: what is expected is noise, and a slip (px) times
        the gradient. Both are measured, noise where the picture is flat, slip where it is steepest.
        """
        assert self.samples is not None
        alive = self.mass > 0
        if not alive.any():
            return
        tiles, n = self.samples.tiles, len(self.samples.tiles)
        counted = np.flatnonzero(self.seen & (self.mass[tiles] > 0))
        counted = counted[:: max(1, len(counted) // 3000)]
        r = np.abs(self.residuals()[counted])
        steep = self.gain[tiles[counted]] * np.hypot(self.prediction[counted, 1], self.prediction[counted, 2])
        order = np.argsort(steep)
        flat, edge = order[: len(order) // 2], order[-len(order) // 5 :]
        self.noise = max(1.4826 * float(np.median(r[flat])), 1e-3)
        self.slip = 1.4826 * float(
            np.median(np.sqrt(np.maximum(r[edge] ** 2 - (0.6745 * self.noise) ** 2, 0)) / np.maximum(steep[edge], 1e-4))
        )
        self.slip = float(np.clip(self.slip, 0.005, 0.5))
        residual, expected, square = np.empty(n, np.float32), np.empty(n, np.float32), np.zeros(len(self.gain))
        _expect(
            self.template, self.values, self.prediction, self.seen, tiles, self.gain, self.bias, self.mass, self.noise, self.slip,
            residual, expected, square,
        )  # fmt: skip
        # A tile that disagrees far more than its fellows sees something else; blank ones cannot disagree.
        trust = self.conditions.trust
        telling = alive & (self.energy > 4 * self.noise**2)
        if trust is not None and (telling & (trust > 0.5)).sum() >= 4:
            telling &= trust > 0.5
        typical = max(float(np.median(square[telling if telling.sum() >= 4 else alive])), 0.3)
        tile_weight = np.minimum(1.0, (3.0 * typical / np.maximum(square, 1e-9)) ** 2)
        tile_weight[(self.correlation < 0.3) & (self.energy > 4 * self.noise**2)] = 0.0
        self.agreement = np.where(alive, tile_weight, np.nan).astype(np.float32)
        if trust is not None:
            tile_weight = tile_weight * trust
        _reweigh(residual, expected, self.seen, tiles, tile_weight, self.noise, self.weights)
        self.fit_tiles()

    def equations(self, jacobian: Float32 | None = None) -> tuple[Float64, Float64, Float64]:
        """Hessian (k, k), score (k,), score of every tile (tiles, k)."""
        assert self.samples is not None
        jac = self.jacobian if jacobian is None else jacobian
        rows, pulls = np.empty_like(jac), np.empty_like(jac)
        tiles = self.samples.tiles
        _project_out(jac, self.template, self.values, self.seen, self.weights, tiles, self.gain, self.bias, self.mass, rows, pulls)
        self._rows = rows
        tile_score = np.add.reduceat(pulls, np.flatnonzero(np.diff(tiles, prepend=-1)), axis=0, dtype=np.float64)
        return (rows.T @ rows).astype(np.float64), tile_score.sum(axis=0), tile_score

    def tile_hessians(self) -> Float64:
        """Each tile's share of the last equations' Hessian, (tiles, k, k), tiles that have samples only."""
        assert self.samples is not None
        starts = [*np.flatnonzero(np.diff(self.samples.tiles, prepend=-1)), len(self.samples.tiles)]
        return np.array([(r := self._rows[a:b]).T @ r for a, b in pairwise(starts)], dtype=np.float64)

    def shutter_costs(self, h: Float64, least: float, candidates: tuple[float, ...]) -> Float64:
        """How well a pose that is nearly right fits with each of some shutters, code values: lower fits better."""
        costs, c = [], self.conditions
        # A softer comparison leaves less in any case: all are made at the softness that one of them needs.
        least = max(softness(self.appearance, h, c.movement, c.reference_movement, self.blur, s, least).smoothing for s in candidates)
        for shutter in candidates:
            self.conditions = replace(c, shutter=shutter)
            self.look(h, least)
            costs.append(self.cost())
        return np.array(costs)

    def by_shutter(self, h: Float64) -> Float32:
        """Change of the predicted values per unit of the shutter's variance, (N,)."""
        c, s, delta = self.conditions, self.samples, 0.002
        assert s is not None
        soft = softness(self.appearance, h, c.movement, c.reference_movement, self.blur, c.shutter + delta, self.soft.smoothing, True)
        other = predict(self.appearance, soft, s.ideal, s.times, s.tiles, h, c.movement, c.shutter + delta)[:, 0]
        return np.where(self.seen & (other > -50), (other - self.prediction[:, 0]) / delta, 0).astype(np.float32)

    def by_tone(self, bent: Appearance, bend: float, h: Float64) -> Float32:
        """Change of the predicted values against the frame's per unit of the tone curve's bend, (N,)."""
        c, s = self.conditions, self.samples
        assert s is not None
        delta = bend - self.optics.tone
        other = predict(bent, self.soft, s.ideal, s.times, s.tiles, h, c.movement, c.shutter)[:, 0]
        image, (x0, y0) = self.pictures.bent(bend).smoothed(self.soft.smoothing), self.pictures.origin
        values = image[np.clip(s.pixels[:, 1] - y0, 0, image.shape[0] - 1), np.clip(s.pixels[:, 0] - x0, 0, image.shape[1] - 1)]
        change = (other - self.prediction[:, 0]) - (values - self.values) / self.gain[s.tiles]
        return np.where(self.seen & (other > -50), change / delta, 0).astype(np.float32)

    def steep(self) -> Bool:
        """The quarter of the trusted samples where the picture is steepest: those that would show a fault, (N,)."""
        assert self.samples is not None
        usable, trust = self.seen, self.conditions.trust
        if trust is not None:
            trusted = usable & (trust[self.samples.tiles] > 0.3)
            usable = trusted if trusted.sum() > 100 else usable
        gradient = np.where(usable[:, None], self.prediction[:, 1:3], 0.0)
        slope = np.hypot(gradient[:, 0], gradient[:, 1])
        least = float(np.quantile(slope[usable], 0.75)) if usable.any() else 0.0
        return np.asarray(slope > max(least, 1e-6))

    def cost(self) -> float:
        """Root mean square of the smaller residuals where the picture is steep, code values: lower fits better.

        The largest third is what something in front leaves; it says nothing about the plane.
        """
        r = np.abs(self.residuals()[self.steep()])
        most = int(TRUSTED_SHARE * len(r))
        return float(np.sqrt(np.mean(np.partition(r, most)[:most] ** 2))) if most else 1.0

    def gain_over(self, other: "Fit") -> float | None:
        """Share of another fit's residual that this one does without, on the same pixels; None when there are too few.

        Noise is the same on both sides and cancels; the largest third is what something in front leaves.
        """
        both = other.steep() & self.seen
        mine, theirs = np.abs(self.residuals()[both]), np.abs(other.residuals()[both])
        most = int(TRUSTED_SHARE * len(mine))
        if most < 50:
            return None
        counted = np.argpartition(np.maximum(mine, theirs), most)[:most]
        return 1.0 - float(np.sqrt(np.mean(mine[counted] ** 2) / max(float(np.mean(theirs[counted] ** 2)), 1e-12)))

    def good_share(self) -> float:
        """Share of the texture in view (as variance, capped) that is seen as it should be."""
        # What correlation can be expected: signal against the noise that is there.
        noise = max(self.noise, 1e-3) ** 2
        signal = self.gain**2 * self.energy
        expected = np.sqrt(signal / (signal + noise))
        good = (self.correlation > 0.7 * expected) & (self.gain > 0.2) & (signal > 2 * noise)
        weight = self.mass * np.sqrt(
            np.minimum(self.energy, 4 * float(np.median(self.energy[self.mass > 0])) if (self.mass > 0).any() else 1.0)
        )
        if self.conditions.trust is not None:
            weight = weight * self.conditions.trust
        return float((weight * good).sum() / max(float(weight.sum()), 1e-12))


def align(
    appearance: Appearance, optics: Optics, values: Float32, start: Float64, conditions: Conditions, motion: Motion, coarse: bool = True,
    thorough: bool = True, tolerance_px: float = 0.0008,
) -> Alignment | None:  # fmt: skip
    """Refine a pose from coarse to fine; None when the region is hardly in the picture.

    Parameters
    ----------
    appearance : what the plane looks like at its reference frame
    values : (H, W) float32 code values 0..1 of the frame
    start : (3, 3) float64, first guess, ideal frame px from ideal reference px
    coarse : whether to look at a softer picture first, which finds the way from further off
    thorough : whether to look at all samples at the end
    tolerance_px : step at which it stops
    """
    plan: list[_Stage] = [(appearance.few, COARSE_VARIANCE, 8, 0.1)] if coarse else []
    plan.append((appearance.few, USUAL_VARIANCE, 6, 0.01))
    if thorough:
        plan.append((None, USUAL_VARIANCE, 6, tolerance_px))
    found = _refined(appearance, optics, values, start, conditions, motion, plan)
    return None if found is None else _conclude(*found)


def fit_at(
    appearance: Appearance, optics: Optics, values: Float32, start: Float64, conditions: Conditions, motion: Motion,
    least: float = USUAL_VARIANCE,
) -> tuple["Fit", Float64] | None:  # fmt: skip
    """Refine a pose that is nearly right, and hand out the fit's state at the end; `least` smooths the frame, px^2."""
    plan: list[_Stage] = [(appearance.few, least, 4, 0.01)]
    found = _refined(appearance, optics, values, start, conditions, motion, plan)
    if found is None:
        return None
    fit, h, _ = found
    fit.look(h, least)
    fit.reweigh()
    return fit, h


def _refined(
    appearance: Appearance, optics: Optics, values: Float32, start: Float64, conditions: Conditions, motion: Motion, plan: "list[_Stage]"
) -> tuple["Fit", Float64, float] | None:
    """Fit, pose, and the last step's length, px: 0 when it was too short to matter."""
    box = box_of(appearance, optics, start, conditions.movement)
    if box is None:
        return None
    fit = Fit(appearance, optics, FramePictures(values, box, optics.tone), conditions, motion)
    h, last = start, 0.0
    for stage, (which, least, most, stop) in enumerate(plan):
        if not fit.place(h, which):
            return None
        if stage == 0 and len(conditions.shutters) > 1:
            fit.conditions = conditions = replace(
                conditions, shutter=conditions.shutters[int(np.argmin(fit.shutter_costs(h, least, conditions.shutters)))]
            )
        placed_at, last = h, np.inf
        for iteration in range(most):
            fit.look(h, least)
            if iteration:
                fit.reweigh()
            found = _step(fit)
            if found is None:
                break
            step, step_sigma = found
            try:
                pose = step[:-1]
                n = fit.normaliser
                h = normalised(np.linalg.inv(n) @ exponential(pose) @ n @ h)
            except (ValueError, np.linalg.LinAlgError):
                break
            change = float(np.clip(step[-1], -0.35 - 0.3 * abs(fit.blur), 0.35 + 0.3 * abs(fit.blur)))
            fit.blur = float(np.clip(fit.blur + change, -25.0, 40.0))
            moved = float(np.abs(pose).sum()) / n[0, 0]
            if moved < max(stop, SETTLED * fit.noise * float(np.linalg.norm(step_sigma)) / n[0, 0]) and abs(change) < (
                0.05 + 0.03 * abs(fit.blur)
            ) * (10 if least >= COARSE_VARIANCE else 1):
                last = 0.0
                break
            last = moved
            if least < COARSE_VARIANCE and _drift(appearance, placed_at, h) > 1.0:
                placed_at = h
                if not fit.place(h, which):
                    return None
    return fit, h, last


def _drift(appearance: Appearance, a: Float64, b: Float64) -> float:
    return float(np.abs(apply_homography(a, appearance.centres) - apply_homography(b, appearance.centres)).max())


def _step(fit: Fit) -> tuple[Float64, Float64] | None:
    """Gauss-Newton step of pose and blur, and the pose's standard deviation per unit of noise; None when it runs away."""
    hessian, score, _ = fit.equations()
    scale = np.sqrt(np.maximum(np.diag(hessian), 1e-12))
    inverse = np.linalg.inv(hessian / np.outer(scale, scale) + 1e-9 * np.eye(len(hessian))) / np.outer(scale, scale)
    step = inverse @ score
    if not np.all(np.isfinite(step)) or np.abs(step[:-1]).max() >= 0.5:
        return None
    return step, np.sqrt(np.maximum(np.diag(inverse)[:-1], 0.0))


def _conclude(fit: Fit, h: Float64, last_step: float) -> Alignment:
    fit.look(h, USUAL_VARIANCE)
    fit.reweigh()
    hessian, _, tile_score = fit.equations()
    covariance = sandwich(hessian, tile_score, fit.tile_hessians())
    bend = _bend(fit)
    w = fit.weights
    slope = np.where(w[:, None] > 0, fit.prediction[:, 1:3], 0.0)
    pull = fit.gain[fit.samples.tiles] * np.hypot(slope[:, 0], slope[:, 1])  # type: ignore[union-attr]
    residual = np.where(w > 0, fit.residuals(), 0.0)
    residual_px = float(np.sqrt(np.sum(w * residual**2) / max(float(np.sum(w * pull**2)), 1e-12)))
    k = fit.freedoms
    # Steps that stay within the doubt go to and fro as weights change: that is settled too.
    doubt = float(np.sqrt(np.trace(covariance[:2, :2]))) / fit.normaliser[0, 0]
    return Alignment(
        h, covariance[:k, :k], fit.normaliser, residual_px, float(w.sum()) / max(1, fit.total), fit.good_share(), fit.blur,
        fit.conditions.shutter, fit.cost(), fit.agreement, last_step < 0.5 * doubt, *bend, _seen(fit),
    )  # fmt: skip


def _seen(fit: Fit) -> Float64:
    """Low and high corner of nearly all that holds the pose, normalised coordinates, (2, 2)."""
    assert fit.samples is not None
    at = fit.normaliser[0, 0] * fit.samples.ideal + fit.normaliser[:2, 2]
    slope = np.where(fit.weights[:, None] > 0, fit.prediction[:, 1:3], 0.0)
    pull = fit.weights * np.sum(slope**2, axis=1)
    box = np.zeros((2, 2))
    for axis in (0, 1):
        order = np.argsort(at[:, axis])
        share = np.cumsum(pull[order])
        ends = np.searchsorted(share, np.array([0.03, 0.97]) * share[-1])
        box[:, axis] = at[order[np.minimum(ends, len(order) - 1)], axis]
    return box


def _bend(fit: Fit) -> tuple[Float64, Float64]:
    """The step that a fit would take if the surface were allowed to bend a little, and its covariance."""
    s, n, k = fit.samples, fit.normaliser, fit.freedoms
    assert s is not None
    at = np.asarray(n[0, 0] * s.ideal + n[:2, 2], np.float32)
    squares = (at**2)[:, [0, 0, 1, 1]] * fit.jacobian[:, [0, 1, 0, 1]]
    hessian, score, tile_score = fit.equations(np.ascontiguousarray(np.concatenate([fit.jacobian, squares], axis=1)))
    held = hessian.copy()
    # A bend of a fraction of a pixel is what is looked for; where the picture cannot tell, there is none.
    unit = max(fit.noise, 1e-3) ** 2
    held[k + 1 :, k + 1 :] += unit / (n[0, 0] * USUAL_BEND_PX) ** 2 * np.eye(4)
    scale = np.sqrt(np.maximum(np.diag(held), 1e-12))
    inverse = np.linalg.pinv(held / np.outer(scale, scale) + 1e-10 * np.eye(len(held))) / np.outer(scale, scale)
    keep = [*range(k), *range(k + 1, k + 5)]
    return (inverse @ score)[keep], (inverse @ (tile_score.T @ tile_score) @ inverse)[np.ix_(keep, keep)]


def corner_margins(alignment: Alignment, corners: Float64) -> Float64:
    """How far each corner would move if the surface were allowed to bend, beyond what chance would show, (4,) plate px.

    A lens that is not quite what it was taken for, rows that are read later, a surface that is not quite flat: all of them
    leave a smooth remainder that the motion model cannot follow, and that neighbouring tiles agree on.

    Parameters
    ----------
    corners : (4, 2) float64, ideal frame px
    """
    n = alignment.normaliser
    at = corners @ n[:2, :2].T + n[:2, 2]
    # Far outside the region squares say nothing any more.
    far = np.clip(at, -MOST_REACH, MOST_REACH) ** 2
    squares = np.zeros((len(at), 2, 4))
    squares[:, 0, 0], squares[:, 1, 1], squares[:, 0, 2], squares[:, 1, 3] = far[:, 0], far[:, 0], far[:, 1], far[:, 1]
    jac = np.concatenate([point_jacobian(at, alignment.covariance.shape[0]), squares], axis=2) / n[0, 0]
    moved = np.einsum("nik,k->ni", jac, alignment.bend)
    chance = np.einsum("nik,kl,nil->n", jac, alignment.bend_covariance, jac)
    return np.asarray(np.sqrt(np.maximum(np.sum(moved**2, axis=1) - 3.0 * chance, 0.0)))


def sandwich(hessian: Float64, tile_score: Float64, tile_hessian: Float64 | None = None) -> Float64:
    """Covariance of a fit from the scatter of its tiles' pulls.

    Parameters
    ----------
    hessian : (k, k)
    tile_score : (tiles, k)
    tile_hessian : (tiles, k, k), each tile's share of the Hessian; with it, every tile's pull is what it would be if the fit
        had not seen the tile, which keeps few tiles far to one side from looking certain

    References
    ----------
    Bell and McCaffrey, Bias reduction in standard errors for linear regression with multi-stage samples, 2002.
    """
    k = len(hessian)
    scale = np.sqrt(np.maximum(np.diag(hessian), 1e-12))
    inverse = np.linalg.pinv(hessian / np.outer(scale, scale) + 1e-10 * np.eye(k)) / np.outer(scale, scale)
    alive = int((np.abs(tile_score).sum(axis=1) > 0).sum())
    if tile_hessian is not None:
        leverage = tile_hessian @ inverse
        # A tile that alone holds some freedom is left with a tenth of itself rather than with nothing.
        left = np.eye(k)[None] - 0.95 * leverage
        tile_score = np.linalg.solve(left, tile_score[:, :, None])[:, :, 0]
        correction = (alive - 1) / max(1, alive) if alive > k else 50.0
    else:
        correction = alive / max(1, alive - k) if alive > k else 50.0
    return np.asarray(correction * inverse @ (tile_score.T @ tile_score) @ inverse)


def corner_sigmas(alignment: Alignment, corners: Float64) -> Float64:
    """Radial standard deviation of each corner in the frame, (4,) float64, plate px.

    Parameters
    ----------
    corners : (4, 2) float64, ideal frame px

    Notes
    -----
    The square root of the covariance's trace is the root mean square distance from the true corner. What is small where
    the picture is seen grows away from it: a corner that lies out by more than is seen is several times less sure
    than the covariance says.
    """
    n = alignment.normaliser
    points = corners @ n[:2, :2].T + n[:2, 2]
    jac = point_jacobian(points, alignment.covariance.shape[0]) / n[0, 0]
    spread = np.einsum("nik,kl,nil->n", jac, alignment.covariance, jac)
    half = np.maximum((alignment.seen[1] - alignment.seen[0]) / 2, 1e-3)
    out = np.maximum(np.maximum(alignment.seen[0] - points, points - alignment.seen[1]), 0.0) / half
    reach = np.maximum(out.max(axis=1) - USUAL_REACH, 0.0)
    return np.asarray(np.sqrt(np.maximum(spread, 0.0) * (1 + (REACH_GROWTH * reach) ** 2)))
