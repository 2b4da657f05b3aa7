"""Planes of Y'CbCr and R'G'B' code values, region by region; what is not touched stays bit for bit.

References
----------
ITU-R BT.601-7, BT.709-6 and BT.2020-2 (luma coefficients and quantisation); chroma of 4:2:0 is taken at the
left (horizontally) and in the middle (vertically), as H.264 has it by default.
"""

from dataclasses import dataclass

import numba
import numpy as np

from verdigris.core.types import AnyArray, Bool, Float32

LUMA_WEIGHTS = {"bt601": (0.299, 0.114), "bt709": (0.2126, 0.0722), "bt2020": (0.2627, 0.0593)}


@dataclass(frozen=True)
class YuvCoding:
    """How code values of three planes make colour.

    Attributes
    ----------
    matrix : `bt601`, `bt709` or `bt2020`; or `rgb` where the planes are G', B' and R' themselves
    full_range : 0..max instead of 16..235 (scaled to the depth)
    depth : bits of a sample
    shift_x, shift_y : chroma subsampling as powers of two
    siting : where subsampled chroma lies: `left` (in the middle between rows), `centre`, or `topleft`
    """

    matrix: str
    full_range: bool
    depth: int
    shift_x: int
    shift_y: int
    siting: str = "left"

    @property
    def offsets(self) -> tuple[float, float]:
        """How far a chroma sample lies from its first pixel's centre, px of the picture, across and down."""
        across = 0.5 if self.siting == "centre" and self.shift_x else 0.0
        down = 0.0 if self.siting == "topleft" or not self.shift_y else 0.5
        return across, down

    @property
    def numbers(self) -> tuple[float, float, float, float, float, float, float]:
        """Offset and range of luma, middle and range of chroma, largest code value, Kr, Kb."""
        unit = float(1 << (self.depth - 8))
        top = float((1 << self.depth) - 1)
        if self.matrix == "rgb":
            low, span = (0.0, top) if self.full_range else (16 * unit, 219 * unit)
            return low, span, low, span, top, 0.0, 0.0
        kr, kb = LUMA_WEIGHTS[self.matrix]
        if self.full_range:
            return 0.0, top, float(1 << (self.depth - 1)), top, top, kr, kb
        return 16 * unit, 219 * unit, 128 * unit, 224 * unit, top, kr, kb


Planes = tuple[AnyArray, AnyArray, AnyArray]
Box = tuple[int, int, int, int]


def region_to_rgb(planes: Planes, coding: YuvCoding, box: Box) -> Float32:
    """R'G'B' of a region.

    Parameters
    ----------
    planes : Y (H, W), Cb and Cr (H >> shift_y, W >> shift_x), uint8 or uint16
    box : x0, y0, x1, y1 in plate px, end exclusive, inside the picture

    Returns
    -------
    (y1 - y0, x1 - x0, 3) float32, code values, nominal 0..1, may lie outside
    """
    x0, y0, x1, y1 = box
    out = np.empty((y1 - y0, x1 - x0, 3), np.float32)
    if coding.matrix == "rgb":
        offset, span, *_ = coding.numbers
        for channel, plane in ((0, planes[2]), (1, planes[0]), (2, planes[1])):
            out[..., channel] = (plane[y0:y1, x0:x1].astype(np.float32) - np.float32(offset)) * np.float32(1 / span)
        return out
    _to_rgb(*planes, x0, y0, coding.shift_x, coding.shift_y, coding.offsets, coding.numbers, out)
    return out


@numba.njit(cache=True, nogil=True, fastmath=True)
def _to_rgb(yp, up, vp, x0, y0, sx, sy, offsets, numbers, out):  # type: ignore[no-untyped-def]
    # All in 32 bits, and no division in the loop.
    kr, kb = np.float32(numbers[5]), np.float32(numbers[6])
    over_kg = np.float32(1.0 / (1.0 - numbers[5] - numbers[6]))
    y_off, y_scale, c_mid = np.float32(numbers[0]), np.float32(1.0 / numbers[1]), np.float32(numbers[2])
    red_scale, blue_scale = np.float32(2 * (1 - numbers[5]) / numbers[3]), np.float32(2 * (1 - numbers[6]) / numbers[3])
    one = np.float32(1.0)
    ch, cw = up.shape
    rows, cols = out.shape[0], out.shape[1]
    half = np.float32(0.5)
    # Chroma columns the region needs.
    first, last = (max((x0 - 1) >> 1, 0), min(((x0 + cols - 1) + 1) >> 1, cw - 1)) if sx else (x0, x0 + cols - 1)
    across = last - first + 1
    blue_row, red_row = np.empty(across, np.float32), np.empty(across, np.float32)
    for r in range(rows):
        y = y0 + r
        if sy:
            pos = (y - offsets[1]) * 0.5
            base = int(np.floor(pos))
            fy = np.float32(pos - base)
            ra, rb = min(max(base, 0), ch - 1), min(max(base + 1, 0), ch - 1)
        else:
            ra, rb, fy = y, y, np.float32(0.0)
        # Up and down first: a row of chroma serves the whole row of pixels.
        for k in range(across):
            at = first + k
            blue_row[k] = (np.float32(up[ra, at]) * (one - fy) + np.float32(up[rb, at]) * fy - c_mid) * blue_scale
            red_row[k] = (np.float32(vp[ra, at]) * (one - fy) + np.float32(vp[rb, at]) * fy - c_mid) * red_scale
        for c in range(cols):
            x = x0 + c
            if not sx:
                blue, red = blue_row[c], red_row[c]
            elif offsets[0] == 0.0:
                k = (x >> 1) - first
                j = min(k + (x & 1), across - 1)
                blue, red = half * (blue_row[k] + blue_row[j]), half * (red_row[k] + red_row[j])
            else:
                k, j = max((x - 1) >> 1, 0) - first, min((x + 1) >> 1, cw - 1) - first
                near = np.float32(0.25) if x & 1 else np.float32(0.75)
                blue, red = blue_row[k] * (one - near) + blue_row[j] * near, red_row[k] * (one - near) + red_row[j] * near
            luma = (np.float32(yp[y, x]) - y_off) * y_scale
            rr, bb = luma + red, luma + blue
            out[r, c, 0] = rr
            out[r, c, 1] = (luma - kr * rr - kb * bb) * over_kg
            out[r, c, 2] = bb


def write_region(planes: Planes, coding: YuvCoding, box: Box, before: Float32, after: Float32, touched: Bool) -> None:
    """Write changed R'G'B' back into planes, in place, as a change to what is there.

    Parameters
    ----------
    planes : Y, Cb, Cr, written in place where something is touched
    before, after : (h, w, 3) float32 code values of the region
    touched : (h, w) bool, pixels that changed

    Notes
    -----
    A chroma sample takes the mean change of the pixels it belongs to, so one that has no touched pixel keeps
    its value exactly.
    """
    x0, y0, x1, y1 = box
    if coding.matrix == "rgb":
        offset, span, _, _, top, *_ = coding.numbers
        kind = planes[0].dtype
        for channel, plane in ((0, planes[2]), (1, planes[0]), (2, planes[1])):
            new = np.clip(np.floor(after[..., channel] * span + offset + 0.5), 0, top).astype(kind)
            np.copyto(plane[y0:y1, x0:x1], new, where=touched)
        return
    _write(*planes, x0, y0, coding.shift_x, coding.shift_y, coding.numbers, before, after, touched)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _write(yp, up, vp, x0, y0, sx, sy, numbers, before, after, touched):  # type: ignore[no-untyped-def]
    y_off, y_range, _, c_range, top, kr, kb = numbers
    kg = 1.0 - kr - kb
    rows, cols = touched.shape
    for r in range(rows):
        for c in range(cols):
            if touched[r, c]:
                luma = kr * after[r, c, 0] + kg * after[r, c, 1] + kb * after[r, c, 2]
                yp[y0 + r, x0 + c] = min(max(np.floor(luma * y_range + y_off + 0.5), 0.0), top)
    ch, cw = up.shape
    share = 1.0 / ((1 << sx) * (1 << sy))
    for cr in range(y0 >> sy, min(ch, ((y0 + rows - 1) >> sy) + 1)):
        for cc in range(x0 >> sx, min(cw, ((x0 + cols - 1) >> sx) + 1)):
            du, dv, any_touched = 0.0, 0.0, False
            for yy in range(cr << sy, (cr + 1) << sy):
                for xx in range(cc << sx, (cc + 1) << sx):
                    r, c = yy - y0, xx - x0
                    if 0 <= r < rows and 0 <= c < cols and touched[r, c]:
                        any_touched = True
                        d0 = after[r, c, 0] - before[r, c, 0]
                        d1 = after[r, c, 1] - before[r, c, 1]
                        d2 = after[r, c, 2] - before[r, c, 2]
                        dy = kr * d0 + kg * d1 + kb * d2
                        du += (d2 - dy) / (2 * (1 - kb))
                        dv += (d0 - dy) / (2 * (1 - kr))
            if any_touched:
                up[cr, cc] = min(max(np.floor(up[cr, cc] + du * share * c_range + 0.5), 0.0), top)
                vp[cr, cc] = min(max(np.floor(vp[cr, cc] + dv * share * c_range + 0.5), 0.0), top)
