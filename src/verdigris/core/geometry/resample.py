"""Read a picture between its pixels, exactly where asked.

General image libraries round places to a thirty-second of a pixel and use kernels that move a ramp by hundredths of one: good
to look at, not good enough to measure with.

References
----------
Laakso, Valimaki, Karjalainen and Laine, Splitting the unit delay, IEEE Signal Processing Magazine 13(1), 1996
(fractional delays by least squares over a band).
"""

from functools import lru_cache

import numba
import numpy as np

from verdigris.core.types import Float32, Float64

TAPS = 8
PHASES = 2048
FAR_PX = 1e6
# Shortest waves that are to come out right, radians a pixel; shorter ones are mostly noise.
MOST_WAVE = 0.7 * np.pi


@lru_cache(maxsize=1)
def kernel() -> Float32:
    """Weights of the taps, (PHASES + 1, TAPS): phase 0 to 1 between the middle taps.

    Waves are to come out as they went in, long ones above all, as pictures have most of them; ramps stay ramps.
    """
    phase = np.linspace(0.0, 1.0, PHASES + 1)[:, None, None]
    x = np.arange(TAPS) - (TAPS // 2 - 1) - phase
    wave = np.linspace(0.02, MOST_WAVE, 160)[:, None]
    rows = np.concatenate([np.cos(wave * x), np.sin(wave * x)], axis=1) / np.concatenate([wave, wave])
    wanted = np.concatenate([1 / wave, 0 * wave])
    moments = np.concatenate([np.ones_like(x), x], axis=1)
    # Least squares with both moments held (Lagrange multipliers).
    top = np.concatenate([rows.transpose(0, 2, 1) @ rows, moments.transpose(0, 2, 1)], axis=2)
    bottom = np.concatenate([moments, np.zeros((len(x), 2, 2))], axis=2)
    right = np.concatenate([rows.transpose(0, 2, 1) @ wanted, np.broadcast_to([[1.0], [0.0]], (len(x), 2, 1))], axis=1)
    return np.linalg.solve(np.concatenate([top, bottom], axis=1), right)[:, :TAPS, 0].astype(np.float32)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _resample(picture, at, weights, outside, replicate, out):  # type: ignore[no-untyped-def]
    height, width = picture.shape
    reach = TAPS // 2
    for i in range(at.shape[0]):
        u, v = at[i, 0] - 0.5, at[i, 1] - 0.5
        if replicate:
            u, v = min(max(u, 0.0), width - 1.0), min(max(v, 0.0), height - 1.0)
        elif not (u >= 0.0 and v >= 0.0 and u <= width - 1.0 and v <= height - 1.0):
            out[i] = outside
            continue
        iu, iv = int(u), int(v)
        across, down = int((u - iu) * PHASES + 0.5), int((v - iv) * PHASES + 0.5)
        x, y = iu - reach + 1, iv - reach + 1
        total = np.float32(0)
        if x >= 0 and y >= 0 and x + TAPS <= width and y + TAPS <= height:
            # Columns outside, and no slices: so all eight of a row go at once.
            for c in range(TAPS):
                column = np.float32(0)
                for r in range(TAPS):
                    column += weights[down, r] * picture[y + r, x + c]
                total += weights[across, c] * column
        else:
            for r in range(TAPS):
                row = np.float32(0)
                for c in range(TAPS):
                    row += weights[across, c] * picture[min(max(y + r, 0), height - 1), min(max(x + c, 0), width - 1)]
                total += weights[down, r] * row
        out[i] = total


def resample(picture: Float32, at: Float64 | Float32, outside: float | None = None) -> Float32:
    """Values of a picture at some places.

    Parameters
    ----------
    picture : (H, W) float32
    at : (..., 2) plate px, pixel centres at +0.5; what is nowhere (NaN, infinite) lies outside
    outside : value beyond the outermost pixel centres; None for that of the nearest pixel

    Returns
    -------
    (...) float32
    """
    flat = np.nan_to_num(np.ascontiguousarray(at).reshape(-1, 2), nan=-FAR_PX, posinf=FAR_PX, neginf=-FAR_PX)
    out = np.empty(len(flat), np.float32)
    _resample(np.ascontiguousarray(picture), flat, kernel(), np.float32(outside or 0.0), outside is None, out)
    return out.reshape(at.shape[:-1])
