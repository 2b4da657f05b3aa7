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
    y_off, y_range, c_mid, c_range, _, kr, kb = numbers
    kg = 1.0 - kr - kb
    ch, cw = up.shape
    rows, cols = out.shape[0], out.shape[1]
    for r in range(rows):
        y = y0 + r
        if sy:
            pos = (y - offsets[1]) * 0.5
            base = int(np.floor(pos))
            fy = np.float32(pos - base)
            ra, rb = min(max(base, 0), ch - 1), min(max(base + 1, 0), ch - 1)
        else:
            ra, rb, fy = y, y, np.float32(0.0)
        for c in range(cols):
            x = x0 + c
            if sx and offsets[0] == 0.0:
                ca = x >> 1
                cb = min(ca + (x & 1), cw - 1)
                fx = np.float32(0.5)
            elif sx:
                ca, cb = min(max((x - 1) >> 1, 0), cw - 1), min(max((x + 1) >> 1, 0), cw - 1)
                fx = np.float32(0.25) if x & 1 else np.float32(0.75)
            else:
                ca, cb, fx = x, x, np.float32(0.0)
            ua = up[ra, ca] * (1 - fx) + up[ra, cb] * fx
            ub = up[rb, ca] * (1 - fx) + up[rb, cb] * fx
            va = vp[ra, ca] * (1 - fx) + vp[ra, cb] * fx
            vb = vp[rb, ca] * (1 - fx) + vp[rb, cb] * fx
            luma = (yp[y, x] - y_off) / y_range
            blue = (ua * (1 - fy) + ub * fy - c_mid) / c_range
            red = (va * (1 - fy) + vb * fy - c_mid) / c_range
            rr = luma + 2 * (1 - kr) * red
            bb = luma + 2 * (1 - kb) * blue
            out[r, c, 0] = rr
            out[r, c, 1] = (luma - kr * rr - kb * bb) / kg
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
