"""One frame compared with the reference at one pose: samples, prediction, weights, and gain and bias of every tile."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from verdigris.core.camera.optics import Optics
from verdigris.core.geometry.motion import FREEDOMS, Motion
from verdigris.core.tracking.alignment.conditions import Conditions
from verdigris.core.tracking.alignment.frame_pictures import FramePictures
from verdigris.core.tracking.alignment.grain import left_in_frame
from verdigris.core.tracking.alignment.neighbourhood import agreement_around
from verdigris.core.tracking.alignment.samples import Samples, place
from verdigris.core.tracking.alignment.tile_sums import (
    TUKEY,
    expect,
    fit_tiles,
    judge_tiles,
    project_out,
    residuals,
    reweigh,
    tell_noise,
    total_weights,
)
from verdigris.core.tracking.alignment.view import View
from verdigris.core.tracking.reference.appearance import Appearance, frame_normaliser
from verdigris.core.types import Bool, Float32, Float64, Int

MEDIAN_TO_SIGMA = 1.4826
# Noise is never taken to be less, code values, nor slip to be less or more, px.
LEAST_NOISE = 1e-3
SLIP_PX = (0.005, 0.5)
# So many tiles that move with the plane tell the noise without those that do not.
LEAST_TELLING = 12
# So many samples are needed at least.
LEAST_SAMPLES = 60
# What weights leave of noise against what they leave of its count: the biweight has less to say of large residuals.
WEIGHED = (1 - 6 / TUKEY**2 + 15 / TUKEY**4) / (1 - 2 / TUKEY**2 + 3 / TUKEY**4)
# By so much, px^2, noise may ask for blur at most: what would be more is no noise.
MOST_ASKED_PX2 = 0.25


def median(values: Float32 | Float64) -> float:
    """The upper median, in a fifth of the time."""
    half = len(values) // 2
    return float(np.partition(values, half)[half])


@dataclass
class TileFits:
    """How each tile of the reference fits, all (tiles,).

    Attributes
    ----------
    gain, bias : by which the prediction becomes the frame, code values
    correlation : of prediction and frame
    mass : sum of the weights
    energy : variance of the prediction
    apart : whether it sees something else than the plane
    agreement : how far it goes with the plane, 0..1; not known until samples were weighed, which too few of them never are
    """

    gain: Float64
    bias: Float64
    correlation: Float64
    mass: Float64
    energy: Float64
    apart: Bool
    agreement: Float32

    @classmethod
    def fresh(cls, count: int) -> "TileFits":
        """So many tiles of which nothing is known."""
        return cls(
            np.ones(count), np.zeros(count), np.zeros(count), np.zeros(count), np.zeros(count), np.zeros(count, np.bool_),
            np.full(count, np.nan, np.float32),
        )  # fmt: skip


class Fit:
    """Working state of one alignment: `place` chooses pixels, `look` predicts them, `reweigh` judges them, `equations` say the step.

    Attributes
    ----------
    blur : variance by which the frame is softer than the reference, plate px^2
    noise, slip : what is left where the picture is flat, code values, and where it is steep, px
    tiles : gain, bias and trust of every tile
    weights, used : (N,) of the samples, and of those that are seen
    normaliser : (3, 3), what the pose's freedoms count in
    total : how many samples there would be if all were in the picture
    placed : whether samples beside something in front have less to say: further off, all that is steep looks like that
    """

    def __init__(
        self, appearance: Appearance, optics: Optics, pictures: FramePictures, conditions: Conditions, motion: Motion, placed: bool = False
    ) -> None:
        self.appearance, self.optics, self.pictures, self.conditions = appearance, optics, pictures, conditions
        self.motion, self.freedoms = motion, FREEDOMS[motion]
        self.tiles = TileFits.fresh(len(appearance.centres))
        self.blur, self.noise, self.slip = conditions.blur, 0.0, 0.0
        self.placed = placed
        self._samples: Samples | None = None
        self._view: View | None = None
        self._steep: Bool | None = None

    @property
    def samples(self) -> Samples:
        """The pixels that are compared.

        Raises
        ------
        ValueError
            When none were chosen yet.
        """
        if self._samples is None:
            raise ValueError("no pixels are chosen yet: `place` comes first")
        return self._samples

    @property
    def view(self) -> View:
        """What was predicted and seen there.

        Raises
        ------
        ValueError
            When the frame was not looked at yet.
        """
        if self._view is None:
            raise ValueError("nothing is predicted yet: `look` comes first")
        return self._view

    def place(self, h: Float64, which: Int | None) -> bool:
        """Choose pixels for a pose; False when hardly any are left."""
        self._samples = place(self.appearance, self.optics, h, self.conditions.movement, self.conditions.hidden, which)
        self.normaliser = frame_normaliser(self.appearance, h)
        n = len(self.samples.tiles)
        trust = self.conditions.trust
        self.weights = np.ones(n, np.float32) if trust is None else trust[self.samples.tiles].astype(np.float32)
        self.total = len(self.appearance.points) if which is None else len(which)
        return n >= LEAST_SAMPLES

    def adopt(self, other: "Fit", h: Float64, least: float) -> None:
        """Look at the pixels of another fit with its weights, so that both can be compared pixel by pixel."""
        s = other.samples
        centres = np.asarray(s.pixels + 0.5, np.float64)
        times = self.optics.row_time(centres[:, 1]) if self.optics.readout else np.zeros(len(centres))
        self._samples = replace(s, ideal=self.optics.ideal(centres), times=times)
        self.weights = other.weights.copy()
        self.look(h, least)

    def look(self, h: Float64, least: float) -> None:
        """Predict the pixels under a pose, and read the frame there, smoothed by `least` px^2 or more."""
        self._steep = None
        self._view = View.under(
            h, self.appearance, self.pictures, self.conditions, self.samples, self.normaliser, self.freedoms, self.blur, least
        )  # fmt: skip
        self._fit_tiles()

    def advance(self, step: Float64) -> None:
        """Predict the pixels a small step (freedoms, blur) on, as the Jacobian says."""
        self.view.template += step.astype(np.float32) @ self.view.jacobian
        self._fit_tiles()

    def _fit_tiles(self) -> None:
        """Gain and bias of the tiles with the weights at hand."""
        tiles, view = self.tiles, self.view
        self.used = self.weights * view.seen
        fit_tiles(
            self.samples.starts, view.template, view.values, view.seen, self.used,
            tiles.gain, tiles.bias, tiles.correlation, tiles.mass, tiles.energy,
        )  # fmt: skip

    def residuals(self) -> Float64:
        """Frame minus prediction after gain and bias, code values, (N,)."""
        left = residuals(self.samples.starts, self.view.template, self.view.values, self.tiles.gain, self.tiles.bias)
        return np.asarray(left, np.float64)

    def reweigh(self) -> None:
        """Give samples and tiles that disagree less weight.

        Notes
        -----
        Even a right pose leaves residuals where the picture is steep: what is expected is noise, and a slip (px) times
        the gradient. Both are measured, noise where the picture is flat, slip where it is steepest.
        """
        tiles, view = self.tiles, self.view
        alive = tiles.mass > 0
        if not alive.any():
            return
        starts, ratio, square = self.samples.starts, np.empty(len(self.weights), np.float32), np.empty(len(tiles.gain))
        predicted = starts, view.template, view.values, view.slope, view.seen, tiles.gain, tiles.bias
        # Tiles that see something else say nothing of the noise, as long as there are others.
        others = (alive & ~tiles.apart).sum() >= LEAST_TELLING
        telling = np.where(tiles.apart, 0.0, tiles.mass) if others else tiles.mass
        self.noise, self.slip = tell_noise(*predicted, telling, MEDIAN_TO_SIGMA, LEAST_NOISE, *SLIP_PX)
        expect(*predicted, tiles.mass, self.noise, self.slip, ratio, square)
        trust = self.conditions.trust
        tile_weight, tiles.agreement = np.empty(len(square)), np.empty(len(square), np.float32)
        judge_tiles(
            square, tiles.correlation, tiles.mass, tiles.energy, self.noise, np.zeros(0) if trust is None else trust,
            tile_weight, tiles.apart, tiles.agreement,
        )  # fmt: skip
        reweigh(starts, ratio, view.slope, view.seen, tiles.gain, tiles.mass, tile_weight, self.noise, self.slip, self.weights)
        if self.placed:
            steep = (view.slope * tiles.gain[self.samples.tiles] * (self.slip / self.noise)).astype(np.float32)
            self.weights *= agreement_around(self.samples.neighbourhoods, ratio, steep, view.seen)
        self._fit_tiles()

    def leave_out(self, these: Bool) -> None:
        """Give some samples (N,) no weight."""
        self.weights[these] = 0
        self.used = self.weights * self.view.seen

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
        rows = self.view.jacobian[:, which] if jacobian is None else jacobian
        count, k = len(self.tiles.gain), len(rows)
        hessians, scores = np.empty((count, k, k)), np.empty((count, k))
        starts = s.starts if which == np.s_[:] else np.searchsorted(s.tiles[which], np.arange(count + 1))
        project_out(
            starts, rows, *(np.ascontiguousarray(a[which]) for a in (self.view.template, self.view.values, self.used)),
            self.tiles.gain, self.tiles.bias, self.tiles.mass, hessians, scores,
        )  # fmt: skip
        for row, pull in {self.freedoms: self.view.pull, **(pulls or {})}.items():
            asked = self._asked_by_noise(pull) / (which.step or 1)
            most = MOST_ASKED_PX2 * self.view.pull.sum() / min(float(pull.sum()), -1e-12) * float(hessians[:, row, row].sum())
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
        sure = np.maximum(1 - pixel * self.view.kept / np.maximum(self.tiles.energy, 1e-12), 0.0)
        return np.asarray(-WEIGHED * pixel * self.tiles.gain**2 * self.tile_weights() * sure * pull)

    def steep(self) -> Bool:
        """The quarter of the trusted samples where the picture is steepest: those that would show a fault, (N,)."""
        if self._steep is not None:
            return self._steep
        usable, trust = self.view.seen, self.conditions.trust
        if trust is not None:
            trusted = usable & (trust[self.samples.tiles] > 0.3)
            usable = trusted if trusted.sum() > 100 else usable
        slope = self.view.slope * usable
        told = slope[usable]
        least = float(np.partition(told, 3 * len(told) // 4)[3 * len(told) // 4]) if len(told) else 0.0
        self._steep = np.asarray(slope > max(least, 1e-6))
        return self._steep

    def tile_weights(self) -> Float64:
        """Sum of the weights of each tile's samples, (tiles,)."""
        return np.asarray(total_weights(self.samples.starts, self.used), np.float64)

    def pixel_noise(self) -> float:
        """Variance of one pixel's noise, code values squared, if nothing else is left where the picture is flat."""
        left = (self.tiles.mass * self.tiles.gain**2) @ self.view.kept / max(float(self.tiles.mass.sum()), 1e-9)
        return float(self.noise**2 / (left_in_frame(self.view.soft, self.conditions.grain.px2) + left))
