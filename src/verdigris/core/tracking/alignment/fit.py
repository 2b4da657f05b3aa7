"""One frame compared with the reference at one pose: samples, prediction, weights, and gain and bias of every tile."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numba
import numpy as np

from verdigris.core.camera.bow import Bow
from verdigris.core.camera.optics import Movement, Optics
from verdigris.core.geometry.motion import FREEDOMS, Motion
from verdigris.core.light.tone import Tone, encode_one, to_code
from verdigris.core.tracking.alignment.frame_pictures import FramePictures
from verdigris.core.tracking.alignment.grain import USUAL_GRAIN, Grain, alike_px2, kept_and_pull, left_in_frame
from verdigris.core.tracking.alignment.neighbourhood import agreement_around
from verdigris.core.tracking.alignment.samples import Samples, place
from verdigris.core.tracking.alignment.synthesis import predict, rim_px, softness
from verdigris.core.tracking.alignment.tile_sums import (
    TUKEY,
    expect,
    fit_tiles,
    judge_tiles,
    left_and_slope,
    project_out,
    residuals,
    reweigh,
    tell_noise,
    total_weights,
)
from verdigris.core.tracking.reference.appearance import Appearance, frame_normaliser
from verdigris.core.types import Bool, Float32, Float64, Int

# Share of the pixels that two fits are compared on: the rest is what something in front leaves.
TRUSTED_SHARE = 0.67
MEDIAN_TO_SIGMA = 1.4826
# Noise is never taken to be less, code values, nor slip to be less or more, px.
LEAST_NOISE = 1e-3
SLIP_PX = (0.005, 0.5)
# So many tiles that move with the plane tell the noise without those that do not.
LEAST_TELLING = 12
# In pictures softer than this, px^2, neighbouring pixels do not tell how far noise is alike.
TELLING_PX2 = 1.3
# What weights leave of noise against what they leave of its count: the biweight has less to say of large residuals.
WEIGHED = (1 - 6 / TUKEY**2 + 15 / TUKEY**4) / (1 - 2 / TUKEY**2 + 3 / TUKEY**4)
# By so much, px^2, noise may ask for blur at most: what would be more is no noise.
MOST_ASKED_PX2 = 0.25


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
    bow : how the surface is bowed, or None when it is flat
    grain : noise as far as other frames show it
    """

    movement: Movement
    reference_movement: Movement
    blur: float = 0.0
    shutter: float = 0.0
    shutters: tuple[float, ...] = ()
    hidden: Bool | None = None
    trust: Float64 | None = None
    bow: Bow | None = None
    grain: Grain = USUAL_GRAIN


@numba.njit(cache=True, nogil=True, fastmath=True)
def _prepare(  # type: ignore[no-untyped-def]
    prediction, image, table, x0, y0, pixels, ideal, depth, tiles, rim, normaliser, freedoms, template, values, slope, jacobian, known, seen
):
    """Frame values, how steep the picture is, and how each prediction changes with the pose's freedoms and with blur."""
    s, nx, ny = normaliser[0, 0], normaliser[0, 2], normaliser[1, 2]
    for i in range(pixels.shape[0]):
        row, col = pixels[i, 1] - y0, pixels[i, 0] - x0
        there = prediction[i, 0] > -50 and row >= 0 and col >= 0 and row < image.shape[0] and col < image.shape[1]
        known[i] = there
        seen[i] = there and depth[i] >= rim[tiles[i]]
        if not there:
            template[i], values[i], slope[i] = 0.0, 0.0, 0.0
            for a in range(freedoms + 1):
                jacobian[a, i] = 0.0
            continue
        template[i] = prediction[i, 0]
        values[i] = encode_one(image[row, col], table)[0]
        slope[i] = np.sqrt(prediction[i, 1] * prediction[i, 1] + prediction[i, 2] * prediction[i, 2])
        x, y = np.float32(s * ideal[i, 0] + nx), np.float32(s * ideal[i, 1] + ny)
        gx, gy = -prediction[i, 1] / s, -prediction[i, 2] / s
        radial = x * gx + y * gy
        jacobian[0, i], jacobian[1, i] = gx, gy
        if freedoms > 2:
            jacobian[2, i] = x * gy - y * gx
        if freedoms > 3:
            jacobian[3, i] = 3 * radial
        if freedoms > 4:
            jacobian[4, i], jacobian[5, i] = x * gx - y * gy, y * gx + x * gy
        if freedoms > 6:
            jacobian[6, i], jacobian[7, i] = -x * radial, -y * radial
        jacobian[freedoms, i] = prediction[i, 3]


def _median(values: Float32 | Float64) -> float:
    """The upper median, in a fifth of the time."""
    half = len(values) // 2
    return float(np.partition(values, half)[half])


class Fit:
    """Working state of one alignment: samples, prediction, weights, tiles.

    While `placed` is set, samples beside something in front have less to say: further off, all that is steep looks like that.
    """

    def __init__(
        self, appearance: Appearance, optics: Optics, pictures: FramePictures, conditions: Conditions, motion: Motion, placed: bool = False
    ) -> None:
        self.appearance, self.optics, self.pictures, self.conditions = appearance, optics, pictures, conditions
        self.motion, self.freedoms = motion, FREEDOMS[motion]
        count = len(appearance.centres)
        self.gain, self.bias = np.ones(count), np.zeros(count)
        self.correlation, self.mass, self.energy = np.zeros(count), np.zeros(count), np.zeros(count)
        self.blur = conditions.blur
        self.noise, self.slip = 0.0, 0.0
        self.apart = np.zeros(count, np.bool_)
        # Not known until samples were weighed against each other, which too few of them never are.
        self.agreement = np.full(count, np.nan, np.float32)
        self.samples: Samples | None = None
        self._steep: Bool | None = None
        self.placed = placed

    def place(self, h: Float64, which: Int | None) -> bool:
        """Choose pixels for a pose; False when hardly any are left."""
        self.samples = place(self.appearance, self.optics, h, self.conditions.movement, self.conditions.hidden, which)
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
        self._steep = None
        self.soft = softness(self.appearance, h, c.movement, c.reference_movement, self.blur, c.shutter, least)
        image, (x0, y0) = self.pictures.smoothed(self.soft.smoothing), self.pictures.origin
        self.flat = s.ideal if c.bow is None else c.bow.flat(s.ideal, h)
        self.prediction = predict(self.appearance, self.soft, self.flat, s.times, s.tiles, h, c.movement, c.shutter)
        n = len(s.tiles)
        self.template, self.values, self.slope = np.empty(n, np.float32), np.empty(n, np.float32), np.empty(n, np.float32)
        self.jacobian = np.empty((self.freedoms + 1, n), np.float32)
        known, seen = np.empty(n, np.bool_), np.empty(n, np.bool_)
        rim = rim_px(self.soft)
        _prepare(
            self.prediction, image, self.pictures.table, x0, y0, s.pixels, s.ideal, s.depth, s.tiles, rim, self.normaliser, self.freedoms,
            self.template, self.values, self.slope, self.jacobian, known, seen,
        )  # fmt: skip
        # A narrow region keeps its middle, whatever the smear.
        if seen.sum() < 0.35 * known.sum():
            seen = known & (s.depth >= np.minimum(rim, 2.5)[s.tiles])
        self.seen = seen
        self.kept, self.pull = kept_and_pull(self.soft, c.grain.px2)
        self._fit_tiles()

    def advance(self, step: Float64) -> None:
        """Predict the pixels a small step (freedoms, blur) on, as the Jacobian says."""
        self.template += step.astype(np.float32) @ self.jacobian
        self._fit_tiles()

    def _fit_tiles(self) -> None:
        """Gain and bias of the tiles with the weights at hand."""
        assert self.samples is not None
        self._used = self.weights * self.seen
        fit_tiles(
            self.samples.starts, self.template, self.values, self.seen, self._used,
            self.gain, self.bias, self.correlation, self.mass, self.energy,
        )  # fmt: skip

    def residuals(self) -> Float64:
        """Frame minus prediction after gain and bias, code values, (N,)."""
        assert self.samples is not None
        return np.asarray(residuals(self.samples.starts, self.template, self.values, self.gain, self.bias), np.float64)

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
        starts, ratio, square = self.samples.starts, np.empty(len(self.weights), np.float32), np.empty(len(self.gain))
        # Tiles that see something else say nothing of the noise, as long as there are others.
        telling = np.where(self.apart, 0.0, self.mass) if (alive & ~self.apart).sum() >= LEAST_TELLING else self.mass
        self.noise, self.slip = tell_noise(
            starts, self.template, self.values, self.slope, self.seen, self.gain, self.bias, telling, MEDIAN_TO_SIGMA, LEAST_NOISE, *SLIP_PX
        )
        expect(
            starts, self.template, self.values, self.slope, self.seen, self.gain, self.bias, self.mass, self.noise, self.slip, ratio, square
        )
        trust = self.conditions.trust
        tile_weight, self.agreement = np.empty(len(square)), np.empty(len(square), np.float32)
        judge_tiles(
            square, self.correlation, self.mass, self.energy, self.noise, np.zeros(0) if trust is None else trust,
            tile_weight, self.apart, self.agreement,
        )  # fmt: skip
        reweigh(starts, ratio, self.slope, self.seen, self.gain, self.mass, tile_weight, self.noise, self.slip, self.weights)
        if self.placed:
            steep = (self.slope * self.gain[self.samples.tiles] * (self.slip / self.noise)).astype(np.float32)
            self.weights *= agreement_around(self.samples.neighbourhoods, ratio, steep, self.seen)
        self._fit_tiles()

    def leave_out(self, these: Bool) -> None:
        """Give some samples (N,) no weight."""
        self.weights[these] = 0
        self._used = self.weights * self.seen

    def equations(
        self, jacobian: Float32 | None = None, which: slice = np.s_[:], pulls: Mapping[int, Float64] | None = None
    ) -> tuple[Float64, Float64]:  # fmt: skip
        """Hessian (tiles, k, k) and score (tiles, k) of every tile, gain and bias eliminated, for Jacobian rows (k, N).

        Parameters
        ----------
        jacobian : rows of pose and blur, and any further ones; by default the fit's own
        which : every so many of the samples; the rows are theirs
        pulls : for rows that soften the reference, how much a pixel's noise and its change have in common, (tiles,)

        Notes
        -----
        The reference's own noise would ask for a blur that is not there, and the pose would make up for it: that is taken out.
        """
        s = self.samples
        assert s is not None
        rows = self.jacobian[:, which] if jacobian is None else jacobian
        count, k = len(self.gain), len(rows)
        hessians, scores = np.empty((count, k, k)), np.empty((count, k))
        starts = s.starts if which == np.s_[:] else np.searchsorted(s.tiles[which], np.arange(count + 1))
        project_out(
            starts, rows, *(np.ascontiguousarray(a[which]) for a in (self.template, self.values, self._used)),
            self.gain, self.bias, self.mass, hessians, scores,
        )  # fmt: skip
        for row, pull in {self.freedoms: self.pull, **(pulls or {})}.items():
            asked = self._asked_by_noise(pull) / (which.step or 1)
            most = MOST_ASKED_PX2 * self.pull.sum() / min(float(pull.sum()), -1e-12) * float(hessians[:, row, row].sum())
            scores[:, row] -= asked * min(1.0, most / max(float(asked.sum()), 1e-12))
        return hessians, scores

    def _asked_by_noise(self, pull: Float64) -> Float64:
        """What the reference's own noise adds to the scores of what softens it, (tiles,).

        References
        ----------
        Stefanski, Unbiased estimation of a nonlinear function of a normal mean, Comm. Stat. 18(12), 1989: corrected scores, here of
        least squares that also count the reference's noise, and would rather have less of it.
        """
        pixel = min(self.pixel_noise(), self.conditions.grain.variance)
        # Where hardly more than noise varies, nothing tells of a softness.
        sure = np.maximum(1 - pixel * self.kept / np.maximum(self.energy, 1e-12), 0.0)
        return np.asarray(-WEIGHED * pixel * self.gain**2 * self.tile_weights() * sure * pull)

    def by_shutter(self, h: Float64) -> Float32:
        """Change of the predicted values per unit of the shutter's variance, (N,)."""
        c, s, delta = self.conditions, self.samples, 0.002
        assert s is not None
        soft = softness(self.appearance, h, c.movement, c.reference_movement, self.blur, c.shutter + delta, self.soft.smoothing, True)
        other = predict(self.appearance, soft, self.flat, s.times, s.tiles, h, c.movement, c.shutter + delta)[:, 0]
        return np.where(self.seen & (other > -50), (other - self.prediction[:, 0]) / delta, 0).astype(np.float32)

    def by_tone(self, bent: Appearance, tone: Tone, h: Float64) -> Float32:
        """Change of the predicted values against the frame's from the present tone curve to another one, (N,)."""
        c, s = self.conditions, self.samples
        assert s is not None
        other = predict(bent, self.soft, self.flat, s.times, s.tiles, h, c.movement, c.shutter)[:, 0]
        pictures, (x0, y0) = self.pictures.bent(tone), self.pictures.origin
        image = pictures.smoothed(self.soft.smoothing)
        light = image[np.clip(s.pixels[:, 1] - y0, 0, image.shape[0] - 1), np.clip(s.pixels[:, 0] - x0, 0, image.shape[1] - 1)]
        values = to_code(light, pictures.table)
        change = (other - self.prediction[:, 0]) - (values - self.values) / self.gain[s.tiles]
        return np.where(self.seen & (other > -50), change, 0).astype(np.float32)

    def steep(self) -> Bool:
        """The quarter of the trusted samples where the picture is steepest: those that would show a fault, (N,)."""
        assert self.samples is not None
        if self._steep is not None:
            return self._steep
        usable, trust = self.seen, self.conditions.trust
        if trust is not None:
            trusted = usable & (trust[self.samples.tiles] > 0.3)
            usable = trusted if trusted.sum() > 100 else usable
        slope = self.slope * usable
        told = slope[usable]
        least = float(np.partition(told, 3 * len(told) // 4)[3 * len(told) // 4]) if len(told) else 0.0
        self._steep = np.asarray(slope > max(least, 1e-6))
        return self._steep

    def residual_px(self) -> float:
        """The residuals as a slip along the picture's slopes, root mean square by weight, px."""
        assert self.samples is not None
        starts = self.samples.starts
        left, slope = left_and_slope(starts, self.template, self.values, self.slope, self._used, self.gain, self.bias)
        return float(np.sqrt(left / max(slope, 1e-12)))

    def tile_weights(self) -> Float64:
        """Sum of the weights of each tile's samples, (tiles,)."""
        assert self.samples is not None
        return np.asarray(total_weights(self.samples.starts, self._used), np.float64)

    def pixel_noise(self) -> float:
        """Variance of one pixel's noise, code values squared, if nothing else is left where the picture is flat."""
        left = (self.mass * self.gain**2) @ self.kept / max(float(self.mass.sum()), 1e-9)
        return float(self.noise**2 / (left_in_frame(self.soft, self.conditions.grain.px2) + left))

    def grain(self) -> Grain:
        """The noise that shows where the picture is flat."""
        assert self.samples is not None
        slope = self.slope[self.seen]
        flat = self.seen & (self.slope <= _median(slope)) if len(slope) else self.seen
        reference = float(np.median(self.soft.all_around / self.soft.zoom))
        # In soft pictures all noise is alike, and along a smear.
        tells = max(self.soft.smoothing, reference) < TELLING_PX2 and not self.soft.has_line.any()
        softened = 0.5 * (self.soft.smoothing + reference)
        return Grain(self.pixel_noise(), alike_px2(self.samples.pixels, self.residuals(), flat, softened) if tells else np.nan)

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
