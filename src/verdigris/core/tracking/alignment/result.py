"""What an alignment found."""

from dataclasses import dataclass

from verdigris.core.tracking.alignment.grain import Grain
from verdigris.core.types import Float32, Float64


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
    grain : the noise, if nothing else is left where the picture is flat
    only_noise : whether nothing but noise is left
    tiles : (tiles,) float32, 0..1, how far each tile moves with the plane; NaN where it does not show
    converged : whether the last step stayed well within the doubt; if not, it is part of the covariance
    bend : (k + b,) float64, step of a freer fit, in coordinates of `normaliser`: the pose's freedoms, and the bends of `doubt`
    bend_covariance : (k + b, k + b) float64
    seen : (2, 2) float64, low and high corner of what was compared, in coordinates of `normaliser`
    picture : (3,) float64, centre and half diagonal of the picture, in coordinates of `normaliser`
    by_camera : (k, terms) float64, how the pose follows what is not known of the camera, see `camera_doubt`; None where nothing is
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
    grain: Grain
    only_noise: bool
    tiles: Float32
    converged: bool
    bend: Float64
    bend_covariance: Float64
    seen: Float64
    picture: Float64
    by_camera: Float64 | None
