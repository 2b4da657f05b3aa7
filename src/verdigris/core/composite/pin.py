"""Pin artwork onto four corners: coverage weighs new minus old, whatever is in front stays in front.

At an edge pixel the plate shows c0 of the old surface and 1 - c0 of what is behind it. Mixing the artwork over
that mixture would leave a rim of the old surface. The old surface's colour is therefore read just inside the
edge and taken out before the new one is put in:

    result = c1 new + (1 - c1) / (1 - c0) (plate - c0 old)

with c0 the coverage of the surface and c1 that of the surface grown by the overshoot.

References
----------
Porter and Duff, Compositing digital images, SIGGRAPH 1984 (premultiplied over). Coverage is the exact
area of a pixel on the inner side of each edge; where two edges meet in a pixel, the product of both.
"""

from dataclasses import dataclass

import numba
import numpy as np

from verdigris.core.composite.artwork import Artwork
from verdigris.core.geometry.homography import unit_square_to
from verdigris.core.geometry.quad import grow_quad
from verdigris.core.types import Bool, Float32, Float64

Box = tuple[int, int, int, int]
INSIDE_PX = 1.6


@dataclass(frozen=True)
class Pin:
    """What to pin where, on one frame.

    Attributes
    ----------
    artwork : the picture
    corners : (4, 2) float64, plate px
    art_from_surface : (3, 3) float64, unit square to artwork px
    overshoot_px : how far the edge is moved outwards
    black_bars : fill the surface around fitted artwork with black instead of leaving the old surface
    """

    artwork: Artwork
    corners: Float64
    art_from_surface: Float64
    overshoot_px: float = 0.0
    black_bars: bool = True


def pinned_box(pin: Pin, width: int, height: int) -> Box | None:
    """The pixels a pin may touch: x0, y0, x1, y1, end exclusive, on even borders; None when off the picture."""
    q = grow_quad(pin.corners, pin.overshoot_px)
    x0, y0 = np.floor(q.min(axis=0) - 1.5).astype(int) // 2 * 2
    x1, y1 = -(-np.ceil(q.max(axis=0) + 1.5).astype(int) // 2) * 2
    box = (max(0, int(x0)), max(0, int(y0)), min(width, int(x1)), min(height, int(y1)))
    return box if box[2] > box[0] and box[3] > box[1] else None


def pin_region(pin: Pin, plate: Float32, box: Box, in_front: Float32 | None) -> tuple[Float32, Bool]:
    """Compose the region of one pin.

    Parameters
    ----------
    plate : (h, w, 3) float32, linear light of the region; negative values and highlights are as good as any
    box : where the region lies, plate px
    in_front : (h, w) float32 coverage of what is nearer, or None

    Returns
    -------
    (h, w, 3) float32 linear light, equal to `plate` where nothing covers, and (h, w) bool of touched pixels
    """
    surface_from_plate = np.linalg.inv(unit_square_to(pin.corners))
    art_w, art_h = pin.artwork.size
    sx, sy = _seen_scale(pin)
    art = pin.artwork.for_scale(sx, sy)
    reduce = np.diag([art.shape[1] / art_w, art.shape[0] / art_h, 1.0])
    art_from_plate = reduce @ pin.art_from_surface @ surface_from_plate
    # Bars: where the artwork does not reach the surface's edge.
    corner_uv = (pin.art_from_surface @ np.array([[0, 1], [0, 1], [1, 1.0]])).T
    bars = bool(corner_uv.min() < -1e-6 or corner_uv[1, 0] > art_w + 1e-6 or corner_uv[1, 1] > art_h + 1e-6)
    mode = 0 if not bars else (1 if pin.black_bars else 2)
    matte = np.zeros((1, 1), np.float32) if in_front is None else in_front
    out = plate.copy()
    touched = np.zeros(plate.shape[:2], np.bool_)
    _pin(
        plate, out, touched, matte, in_front is not None, art, art_from_plate / np.abs(art_from_plate).max(),
        _edges(pin.corners), _edges(grow_quad(pin.corners, pin.overshoot_px)), float(box[0]), float(box[1]), mode,
    )  # fmt: skip
    return out, touched


def _seen_scale(pin: Pin) -> tuple[float, float]:
    """Largest plate px per artwork px along the artwork's two axes, over the quad's edges."""
    side = np.linalg.norm(np.roll(pin.corners, -1, axis=0) - pin.corners, axis=1)
    return (
        float(max(side[0], side[2]) / abs(pin.art_from_surface[0, 0])),
        float(max(side[1], side[3]) / abs(pin.art_from_surface[1, 1])),
    )


def _edges(quad: Float64) -> Float64:
    """Half-planes (4, 4): inward normal, offset, and the normal's box width |nx| + |ny|."""
    along = np.roll(quad, -1, axis=0) - quad
    inward = np.stack([-along[:, 1], along[:, 0]], axis=1) / np.linalg.norm(along, axis=1)[:, None]
    return np.concatenate([inward, -np.sum(inward * quad, axis=1)[:, None], np.abs(inward).sum(axis=1)[:, None]], axis=1)


@numba.njit(cache=True, nogil=True, fastmath=True, inline="always")
def _covered(edges, x, y):  # type: ignore[no-untyped-def]
    """Coverage of the pixel centred at x, y: for one edge the exact area of a unit square on its inner side."""
    c = 1.0
    for e in range(4):
        d = edges[e, 0] * x + edges[e, 1] * y + edges[e, 2]
        reach = 0.5 * edges[e, 3]
        if d >= reach:
            continue
        if d <= -reach:
            return 0.0
        long = max(abs(edges[e, 0]), abs(edges[e, 1]))
        short = edges[e, 3] - long
        away = abs(d)
        if away <= 0.5 * (long - short):
            c *= 0.5 + d / long
        else:
            # Only a corner of the pixel is cut off: a triangle.
            triangle = (reach - away) ** 2 / (2.0 * long * short)
            c *= 1.0 - triangle if d > 0 else triangle
    return c


@numba.njit(cache=True, nogil=True, fastmath=True)
def _whole_span(edges, y):  # type: ignore[no-untyped-def]
    """Range of x at which a pixel centred in row y is wholly inside four half-planes."""
    low, high = -1e30, 1e30
    for e in range(4):
        nx, rest = edges[e, 0], edges[e, 1] * y + edges[e, 2] - 0.5 * edges[e, 3]
        if abs(nx) < 1e-12:
            if rest < 0:
                return 1.0, 0.0
        elif nx > 0:
            low = max(low, -rest / nx)
        else:
            high = min(high, -rest / nx)
    return low, high


@numba.njit(cache=True, nogil=True, fastmath=True)
def _pin(plate, out, touched, matte, has_matte, art, h, inner, outer, bx, by, bars):  # type: ignore[no-untyped-def]
    rows, cols = plate.shape[0], plate.shape[1]
    ah, aw = art.shape[0], art.shape[1]
    for r in range(rows):
        y = by + r + 0.5
        # Span of the row that the outer quad reaches, so that the rest costs nothing.
        low, high = -1e30, 1e30
        for e in range(4):
            nx = outer[e, 0]
            rest = outer[e, 1] * y + outer[e, 2] + 0.5 * outer[e, 3]
            if abs(nx) < 1e-12:
                if rest < 0:
                    low, high = 1.0, 0.0
            elif nx > 0:
                low = max(low, -rest / nx)
            else:
                high = min(high, -rest / nx)
        if low > high:
            continue
        first = max(0, int(np.floor(low - bx - 0.5)))
        last = min(cols, int(np.ceil(high - bx + 0.5)))
        # Span in which the inner quad covers pixels wholly: no edges to look at there.
        whole_low, whole_high = _whole_span(inner, y)
        wu, wv, ww = h[0, 1] * y + h[0, 2], h[1, 1] * y + h[1, 2], h[2, 1] * y + h[2, 2]
        for c in range(first, last):
            m = matte[r, c] if has_matte else np.float32(0.0)
            if m >= 0.9999:
                continue
            x = bx + c + 0.5
            c0, c1 = 1.0, 1.0
            if not whole_low <= x <= whole_high:
                c1 = _covered(outer, x, y)
                if c1 <= 0.0:
                    continue
                c0 = _covered(inner, x, y)
            over_w = 1.0 / (h[2, 0] * x + ww)
            u = (h[0, 0] * x + wu) * over_w
            v = (h[1, 0] * x + wv) * over_w
            uu = min(max(u - 0.5, 0.0), aw - 1.0)
            vv = min(max(v - 0.5, 0.0), ah - 1.0)
            iu, iv = int(uu), int(vv)
            ju, jv = min(iu + 1, aw - 1), min(iv + 1, ah - 1)
            fu, fv = np.float32(uu - iu), np.float32(vv - iv)
            w11 = fu * fv
            w10, w01 = fu - w11, fv - w11
            w00 = np.float32(1.0) - fu - w01
            top, low_row = art[iv], art[jv]
            n0 = w00 * top[iu, 0] + w10 * top[ju, 0] + w01 * low_row[iu, 0] + w11 * low_row[ju, 0]
            n1 = w00 * top[iu, 1] + w10 * top[ju, 1] + w01 * low_row[iu, 1] + w11 * low_row[ju, 1]
            n2 = w00 * top[iu, 2] + w10 * top[ju, 2] + w01 * low_row[iu, 2] + w11 * low_row[ju, 2]
            a = w00 * top[iu, 3] + w10 * top[ju, 3] + w01 * low_row[iu, 3] + w11 * low_row[ju, 3]
            if bars:
                # Soft edge of the artwork itself, one sample wide; the corners of the surface are handled above.
                inside = min(max(u + 0.5, 0.0), 1.0) * min(max(aw + 0.5 - u, 0.0), 1.0)
                inside *= min(max(v + 0.5, 0.0), 1.0) * min(max(ah + 0.5 - v, 0.0), 1.0)
                n0, n1, n2 = n0 * inside, n1 * inside, n2 * inside
                a = 1.0 - inside * (1.0 - a) if bars == 1 else a * inside
            touched[r, c] = True
            if c0 >= 1.0 and m <= 0.0001 and a >= 0.9999:
                out[r, c, 0], out[r, c, 1], out[r, c, 2] = n0, n1, n2
                continue
            p0, p1, p2 = plate[r, c, 0], plate[r, c, 1], plate[r, c, 2]
            o0, o1, o2 = p0, p1, p2
            if 0.0 < c0 < 1.0:
                # The old surface's own colour, read just inside its edges.
                qx, qy = x, y
                for e in range(4):
                    d = inner[e, 0] * qx + inner[e, 1] * qy + inner[e, 2]
                    if d < INSIDE_PX:
                        qx += inner[e, 0] * (INSIDE_PX - d)
                        qy += inner[e, 1] * (INSIDE_PX - d)
                rr = min(max(int(np.floor(qy - by)), 0), rows - 1)
                cc = min(max(int(np.floor(qx - bx)), 0), cols - 1)
                o0, o1, o2 = plate[rr, cc, 0], plate[rr, cc, 1], plate[rr, cc, 2]
            keep = 0.0 if c1 >= 1.0 else min(1.0, (1.0 - c1) / max(1.0 - c0, 1e-4))
            s0 = c1 * (n0 + (1 - a) * o0) + keep * (p0 - c0 * o0)
            s1 = c1 * (n1 + (1 - a) * o1) + keep * (p1 - c0 * o1)
            s2 = c1 * (n2 + (1 - a) * o2) + keep * (p2 - c0 * o2)
            # An edge that was taken for another colour must not become darker than black; what the plate has below black stays.
            out[r, c, 0] = m * p0 + (1 - m) * max(s0, min(p0, 0.0))
            out[r, c, 1] = m * p1 + (1 - m) * max(s1, min(p1, 0.0))
            out[r, c, 2] = m * p2 + (1 - m) * max(s2, min(p2, 0.0))
