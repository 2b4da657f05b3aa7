"""What a pose predicts at a frame's pixels, beside what the frame shows there."""

from dataclasses import dataclass

import numba
import numpy as np

from verdigris.core.light.tone import encode_one
from verdigris.core.tracking.alignment.conditions import Conditions
from verdigris.core.tracking.alignment.frame_pictures import FramePictures
from verdigris.core.tracking.alignment.grain import kept_and_pull
from verdigris.core.tracking.alignment.samples import Samples
from verdigris.core.tracking.alignment.synthesis import Softness, predict, rim_px, softness
from verdigris.core.tracking.reference.appearance import Appearance
from verdigris.core.types import Bool, Float32, Float64

# Of what is known, so much has to lie away from the rim; a narrow region keeps its middle, from so many px on.
LEAST_SEEN, NARROW_PX = 0.35, 2.5


@dataclass
class View:
    """A frame seen under a pose.

    Attributes
    ----------
    soft : how soft frame and reference are
    flat : (N, 2) float64, where the samples are on the surface laid flat, ideal frame px
    prediction : (N, 6) float32, see `synthesis.predict`
    template, values : (N,) float32, code values predicted and seen
    slope : (N,) float32, how steep the picture is, code values per px
    jacobian : (freedoms + 1, N) float32, change of the prediction with the pose's freedoms and with blur
    seen : (N,) bool, samples that are compared
    kept, pull : (tiles,) what softness leaves of the reference's noise, and has in common with it
    """

    soft: Softness
    flat: Float64
    prediction: Float32
    template: Float32
    values: Float32
    slope: Float32
    jacobian: Float32
    seen: Bool
    kept: Float64
    pull: Float64

    @classmethod
    def under(
        cls, h: Float64, appearance: Appearance, pictures: FramePictures, conditions: Conditions, samples: Samples,
        normaliser: Float64, freedoms: int, blur: float, least: float,
    ) -> "View":  # fmt: skip
        """Predict the samples under a pose, and read the frame there.

        Parameters
        ----------
        h : (3, 3), ideal frame px from ideal reference px
        normaliser : (3, 3), what the pose's freedoms count in
        blur : variance by which the frame is softer than the reference, plate px^2
        least : what the frame is smoothed by at least, px^2
        """
        c, s, n = conditions, samples, len(samples.tiles)
        soft = softness(appearance, h, c.movement, c.reference_movement, blur, c.shutter, least)
        flat = s.ideal if c.bow is None else c.bow.flat(s.ideal, h)
        prediction = predict(appearance, soft, flat, s.times, s.tiles, h, c.movement, c.shutter)
        template, values, slope = np.empty(n, np.float32), np.empty(n, np.float32), np.empty(n, np.float32)
        jacobian = np.empty((freedoms + 1, n), np.float32)
        known, seen = np.empty(n, np.bool_), np.empty(n, np.bool_)
        rim, (x0, y0) = rim_px(soft), pictures.origin
        _prepare(
            prediction, pictures.smoothed(soft.smoothing), pictures.table, x0, y0, s.pixels, s.ideal, s.depth, s.tiles, rim, normaliser,
            freedoms, template, values, slope, jacobian, known, seen,
        )  # fmt: skip
        if seen.sum() < LEAST_SEEN * known.sum():
            seen = known & (s.depth >= np.minimum(rim, NARROW_PX)[s.tiles])
        return cls(soft, flat, prediction, template, values, slope, jacobian, seen, *kept_and_pull(soft, c.grain.px2))


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
