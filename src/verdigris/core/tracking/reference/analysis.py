"""The picture the tracker looks at: a channel, helped where it needs help. The delivered picture is never touched.

References
----------
ITU-R BT.709-6 (luma). Fisher, The use of multiple measurements in taxonomic problems, 1936: the channel with most
contrast is the direction of colour along which the region varies most (its first principal component).
"""

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np

from verdigris.core.types import Bool, Float32, Float64

Channel = Literal["luma", "red", "green", "blue", "best", "chroma"]
Deflicker = Literal["none", "global", "local"]
LUMA = np.array([0.2126, 0.7152, 0.0722])
LOCAL_PX = 48.0


@dataclass(frozen=True)
class AnalysisSettings:
    """How the analysis picture is made.

    Attributes
    ----------
    channel : what is looked at; `best` varies most over the region, `chroma` is the distance from the region's mean colour
    contrast : factor around the region's mean
    gamma : exponent on code values
    blur_px, sharpen : standard deviation of a blur, and strength of an unsharp mask of 1.5 px
    denoise : 0..1, edge-keeping smoothing
    deflicker : bring every frame's brightness to the reference frame's: of the region, or place by place
    normalise : bring mean and spread of the region to those of the reference frame
    """

    channel: Channel = "luma"
    contrast: float = 1.0
    gamma: float = 1.0
    blur_px: float = 0.0
    sharpen: float = 0.0
    denoise: float = 0.0
    deflicker: Deflicker = "none"
    normalise: bool = False

    @property
    def is_plain(self) -> bool:
        """Whether it is luma, untouched."""
        return self == AnalysisSettings()


class AnalysisMaker:
    """Makes analysis pictures; holds what the reference frame says about colour and brightness.

    Parameters
    ----------
    settings : how
    reference : (H, W, 3) float32 R'G'B' code values of the reference frame
    region : (H, W) bool
    """

    def __init__(self, settings: AnalysisSettings, reference: Float32, region: Bool) -> None:
        self.settings = settings
        inside = reference[region] if region.any() else reference.reshape(-1, 3)
        inside = inside[:: max(1, len(inside) // 20000)]
        self._mean_colour = inside.mean(axis=0).astype(np.float64)
        self.direction = self._direction(inside)
        grey = self._grey(reference)
        where = grey[region] if region.any() else grey.reshape(-1)
        # Flicker is measured by the median, which a passer-by moves less than the mean.
        self._median = float(np.median(where))
        self._mean, self._spread = float(where.mean()), max(float(where.std()), 1e-4)
        self._local = cv2.GaussianBlur(grey, (0, 0), LOCAL_PX) if settings.deflicker == "local" else None
        self._region = region

    def _direction(self, inside: Float32) -> Float64:
        names: dict[str, Float64] = {"red": np.eye(3)[0], "green": np.eye(3)[1], "blue": np.eye(3)[2], "luma": LUMA}
        if self.settings.channel in names:
            return names[self.settings.channel]
        _, vectors = np.linalg.eigh(np.cov(inside.T) + 1e-9 * np.eye(3))
        strongest = vectors[:, -1]
        return np.asarray(strongest * np.sign(strongest.sum() or 1.0) / np.abs(strongest).sum())

    def _grey(self, rgb: Float32) -> Float32:
        if self.settings.channel == "chroma":
            away = rgb - self._mean_colour.astype(np.float32)
            away = away - (away @ LUMA.astype(np.float32))[..., None]
            return np.asarray(0.1 + 1.5 * np.linalg.norm(away, axis=2), np.float32)
        grey = rgb @ self.direction.astype(np.float32)
        # A difference of channels may be negative: it is lifted into the range of pictures.
        return np.asarray(grey - min(0.0, float(self.direction[self.direction < 0].sum())), np.float32)

    def make(self, rgb: Float32) -> Float32:
        """Analysis picture of a frame, (H, W) float32 code values, mostly 0..1."""
        s = self.settings
        grey = self._grey(rgb)
        if s.denoise > 0:
            grey = cv2.bilateralFilter(grey, 5, 0.02 + 0.1 * s.denoise, 1.0 + 1.5 * s.denoise)
        if s.deflicker == "local" and self._local is not None:
            grey = grey * np.clip(self._local / np.maximum(cv2.GaussianBlur(grey, (0, 0), LOCAL_PX), 1e-3), 0.2, 5.0)
        elif s.deflicker == "global":
            grey = grey * float(np.clip(self._median / max(float(np.median(grey[self._region])), 1e-3), 0.2, 5.0))
        if s.normalise:
            where = grey[self._region]
            grey = (grey - where.mean()) * (self._spread / max(float(where.std()), 1e-4)) + self._mean
        if s.gamma != 1:
            grey = np.power(np.clip(grey, 0, None), s.gamma)
        if s.contrast != 1:
            grey = (grey - self._mean) * s.contrast + self._mean
        if s.blur_px > 0:
            grey = cv2.GaussianBlur(grey, (0, 0), s.blur_px)
        if s.sharpen > 0:
            grey = grey + s.sharpen * (grey - cv2.GaussianBlur(grey, (0, 0), 1.5))
        return np.clip(grey, 0.0, 1.2).astype(np.float32)
