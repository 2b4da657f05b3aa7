"""Old surface out, new one in: coverage weighs new minus old, whatever is in front stays in front.

At an edge pixel the plate shows c0 of the old surface and 1 - c0 of what is behind it. Mixing the new picture over
that mixture would leave a rim of the old surface. The old surface's colour is therefore read just inside the
edge and taken out before the new one is put in:

    result = c1 new + (1 - c1) / (1 - c0) (plate - c0 old)

with c0 the coverage of the surface and c1 that of the surface grown by the overshoot. Over an exposure, new, c0 and c1 are the
weighted means of its moments: the plate's own edge was smeared just so.

References
----------
Porter and Duff, Compositing digital images, SIGGRAPH 1984 (premultiplied over).
"""

from dataclasses import dataclass

import numba
import numpy as np

from verdigris.core.composite.coverage import covered, half_planes, share_inside, span
from verdigris.core.composite.layer import Box, Layer
from verdigris.core.composite.warp import GRID_PX
from verdigris.core.types import Bool, Float32, Float64

INSIDE_PX = 1.6
# From so far inside all edges on, px, a pixel is covered whichever way the edges run.
WELL_INSIDE_PX = 0.75
NOT_GROWN = np.zeros(4)
# What is around the picture: nothing to see there 0, black 1, the old surface 2, the picture again 3, mirrored 4.
REPEATED, MIRRORED = 3, 4


@dataclass(frozen=True)
class Front:
    """What is in front of a surface whose own light is known everywhere: a screen that is keyed.

    Attributes
    ----------
    matte : (h, w) float32, share of what is in front
    field : (h, w, 3) float32, linear light of the bare surface
    """

    matte: Float32
    field: Float32


NO_FRONT = Front(np.zeros((1, 1), np.float32), np.zeros((1, 1, 3), np.float32))


def put_layer(layer: Layer, plate: Float32, box: Box, in_front: Float32 | None, keyed: Front | None = None) -> tuple[Float32, Bool]:
    """Put one layer into a region.

    Parameters
    ----------
    plate : (h, w, 3) float32, linear light of the region; negative values and highlights are as good as any
    box : where the region lies, plate px
    in_front : (h, w) float32 coverage of what is nearer, or None
    keyed : what stands before the bare surface: the surface's light is taken out of mixed pixels, not covered up

    Returns
    -------
    (h, w, 3) float32 linear light, equal to `plate` where nothing covers, and (h, w) bool of touched pixels
    """
    warp = layer.warp
    art, maps, edges, mode = _prepared(layer)
    matte = np.zeros((1, 1), np.float32) if in_front is None else in_front
    bend = warp.bend
    away, left, top = (np.zeros((1, 1, 1, 2), np.float32), 0.0, 0.0) if bend is None else (bend.away, bend.left, bend.top)
    inside = INSIDE_PX + (0.5 * warp.travel_px if len(warp.weights) > 1 else 0.0)
    out = plate.copy()
    touched = np.zeros(plate.shape[:2], np.bool_)
    grown, front = layer.grown, keyed or NO_FRONT
    opacity, is_keyed = np.float32(layer.opacity), keyed is not None
    if bend is None and len(warp.weights) == 1:
        _put_straight(
            plate, out, touched, matte, in_front is not None, art, np.ascontiguousarray(maps[0]), edges[0], grown,
            away[0], float(box[0]), float(box[1]), mode, inside, opacity, is_keyed, front.matte, front.field,
        )  # fmt: skip
        return out, touched
    _put(
        plate, out, touched, matte, in_front is not None, art, maps, edges, np.asarray(warp.weights, np.float32),
        grown, away, left, top, bend is not None, float(box[0]), float(box[1]), mode, inside, opacity, is_keyed, front.matte, front.field,
    )  # fmt: skip
    return out, touched


def _prepared(layer: Layer) -> tuple[Float32, Float64, Float64, int]:
    """The picture at the size it is seen, maps from straight px to it, half planes of the edges, and what is around it."""
    warp = layer.warp
    art_w, art_h = layer.texture.size
    art = layer.texture.for_scale(*layer.seen_scale)
    reduce = np.diag([art.shape[1] / art_w, art.shape[0] / art_h, 1.0])
    if min(art.shape[:2]) < 2:
        # Between two columns, and two rows, there is always something to read.
        art = np.pad(art, ((0, art.shape[0] < 2), (0, art.shape[1] < 2), (0, 0)), mode="edge")
    maps = reduce @ layer.art_from_surface @ np.linalg.inv(warp.straight_from_surface)
    maps = maps / np.abs(maps).max(axis=(1, 2), keepdims=True)
    edges = np.array([half_planes(q) for q in warp.corners])
    mode = 0 if not layer.has_bars else (1 if layer.black_bars else 2)
    if layer.beyond != "nothing":
        mode = REPEATED if layer.beyond == "repeat" else MIRRORED
    return art, np.ascontiguousarray(maps), edges, mode


@dataclass(frozen=True)
class Gathered:
    """A layer over a region, not put in yet.

    Attributes
    ----------
    art : (h, w, 3) float32, premultiplied light of the picture
    alpha : (h, w) float32, its coverage
    cover, old : (h, w) float32, coverage of the surface grown by the overshoot, and as it is
    unit : (h, w, 2) float32, place on the surface's unit square at the middle of the exposure
    """

    art: Float32
    alpha: Float32
    cover: Float32
    old: Float32
    unit: Float32


def gathered(layer: Layer, box: Box) -> Gathered:
    """A layer over a region (see `Gathered`); `box` as for `put_layer`."""
    warp, (w, h) = layer.warp, (box[2] - box[0], box[3] - box[1])
    art, maps, edges, mode = _prepared(layer)
    bend = warp.bend
    away, left, top = (np.zeros((1, 1, 1, 2), np.float32), 0.0, 0.0) if bend is None else (bend.away, bend.left, bend.top)
    sums, old, at = np.zeros((h, w, 5), np.float32), np.zeros((h, w), np.float32), np.zeros((h, w, 2), np.float32)
    weights = np.asarray(warp.weights, np.float32)
    straight = warp.straight_from_surface[len(weights) // 2]
    unit = np.linalg.inv(straight)
    _gather(
        sums, old, at, art, maps, edges, weights, layer.grown, away, left, top, bend is not None, float(box[0]), float(box[1]), mode,
        np.ascontiguousarray(unit / np.abs(unit).max()),
    )  # fmt: skip
    return Gathered(sums[..., :3], np.ascontiguousarray(sums[..., 3]), np.ascontiguousarray(sums[..., 4]), old, at)


@numba.njit(cache=True, nogil=True, fastmath=True, inline="always")
def _again(u, size, mode):  # type: ignore[no-untyped-def]
    """Where in a picture that goes on and on a place lies; every other one runs backwards when it is mirrored."""
    times = np.floor(u / size)
    rest = u - times * size
    return size - rest if mode == MIRRORED and int(times) % 2 != 0 else rest


@numba.njit(cache=True, nogil=True, fastmath=True, inline="always")
def _sampled(art, u, v, bars):  # type: ignore[no-untyped-def]
    """The picture at u, v: premultiplied colour and coverage."""
    ah, aw = art.shape[0], art.shape[1]
    if bars >= REPEATED:
        u, v = _again(u, aw, bars), _again(v, ah, bars)
    uu = min(max(u - 0.5, 0.0), aw - 1.0)
    vv = min(max(v - 0.5, 0.0), ah - 1.0)
    iu, iv = int(uu), int(vv)
    ju, jv = min(iu + 1, aw - 1), min(iv + 1, ah - 1)
    fu, fv = np.float32(uu - iu), np.float32(vv - iv)
    w11 = fu * fv
    w10, w01 = fu - w11, fv - w11
    w00 = np.float32(1.0) - fu - w01
    top, low = art[iv], art[jv]
    n0 = w00 * top[iu, 0] + w10 * top[ju, 0] + w01 * low[iu, 0] + w11 * low[ju, 0]
    n1 = w00 * top[iu, 1] + w10 * top[ju, 1] + w01 * low[iu, 1] + w11 * low[ju, 1]
    n2 = w00 * top[iu, 2] + w10 * top[ju, 2] + w01 * low[iu, 2] + w11 * low[ju, 2]
    a = w00 * top[iu, 3] + w10 * top[ju, 3] + w01 * low[iu, 3] + w11 * low[ju, 3]
    if 0 < bars < REPEATED:
        # Soft edge of the picture itself, one sample wide; the corners of the surface are handled elsewhere.
        within = np.float32(min(max(u + 0.5, 0.0), 1.0) * min(max(aw + 0.5 - u, 0.0), 1.0))
        within *= np.float32(min(max(v + 0.5, 0.0), 1.0) * min(max(ah + 0.5 - v, 0.0), 1.0))
        n0, n1, n2 = n0 * within, n1 * within, n2 * within
        a = np.float32(1.0) - within * (np.float32(1.0) - a) if bars == 1 else a * within
    return n0, n1, n2, a


@numba.njit(cache=True, nogil=True, fastmath=True, inline="always")
def _add(art, u, v, bars, amount, c0, new, old, c):  # type: ignore[no-untyped-def]
    """Add the picture at u, v to a row's sums: premultiplied colour, its coverage, the surface's; and the old surface's coverage."""
    n0, n1, n2, a = _sampled(art, u, v, bars)
    new[c, 0] += amount * n0
    new[c, 1] += amount * n1
    new[c, 2] += amount * n2
    new[c, 3] += amount * a
    new[c, 4] += amount
    old[c] += c0


@numba.njit(cache=True, nogil=True, fastmath=True)
def _add_whole(art, h, wu, wv, ww, weight, bx, first, last, new, old):  # type: ignore[no-untyped-def]
    """The columns of a row that are wholly covered, by a picture that reaches all edges."""
    right, bottom = art.shape[1] - 1.0, art.shape[0] - 1.0
    ju, jv = art.shape[1] - 2, art.shape[0] - 2
    for c in range(first, last):
        x = bx + c + 0.5
        over_w = 1.0 / (h[2, 0] * x + ww)
        uu = min(max((h[0, 0] * x + wu) * over_w - 0.5, 0.0), right)
        vv = min(max((h[1, 0] * x + wv) * over_w - 0.5, 0.0), bottom)
        iu, iv = min(np.int32(uu), ju), min(np.int32(vv), jv)
        fu, fv = np.float32(uu - iu), np.float32(vv - iv) * weight
        w11 = fu * fv
        w10, w01 = fu * weight - w11, fv - w11
        w00 = weight - fu * weight - w01
        for i in range(4):
            new[c, i] += w00 * art[iv, iu, i] + w10 * art[iv, iu + 1, i] + w01 * art[iv + 1, iu, i] + w11 * art[iv + 1, iu + 1, i]
        new[c, 4] += weight
        old[c] += weight


@numba.njit(cache=True, nogil=True, fastmath=True)
def _add_straight_row(art, h, edges, weight, grown, bx, y, cols, bars, new, old):  # type: ignore[no-untyped-def]
    """One moment of a row where nothing is bent; returns the columns it reached."""
    low, high = span(edges, grown, y, 1.0)
    if low > high:
        return cols, 0
    first = max(0, int(np.floor(low - bx - 0.5)))
    last = min(cols, int(np.ceil(high - bx + 0.5)))
    # Here pixels are wholly covered: no edges to look at.
    whole_low, whole_high = span(edges, NOT_GROWN, y, -1.0)
    wu, wv, ww = h[0, 1] * y + h[0, 2], h[1, 1] * y + h[1, 2], h[2, 1] * y + h[2, 2]
    whole_first = min(max(int(np.ceil(whole_low - bx - 0.5)), first), last)
    whole_last = min(max(int(np.floor(whole_high - bx - 0.5)) + 1, whole_first), last)
    for part in range(2):
        for c in range(first if part == 0 else whole_last, whole_first if part == 0 else last):
            x = bx + c + 0.5
            c1 = covered(edges, grown, x, y)
            if c1 <= 0.0:
                continue
            over_w = 1.0 / (h[2, 0] * x + ww)
            u, v = (h[0, 0] * x + wu) * over_w, (h[1, 0] * x + wv) * over_w
            _add(art, u, v, bars, np.float32(c1 * weight), covered(edges, NOT_GROWN, x, y) * weight, new, old, c)
    if bars:
        for c in range(whole_first, whole_last):
            x = bx + c + 0.5
            over_w = 1.0 / (h[2, 0] * x + ww)
            _add(art, (h[0, 0] * x + wu) * over_w, (h[1, 0] * x + wv) * over_w, bars, weight, weight, new, old, c)
    else:
        _add_whole(art, h, wu, wv, ww, weight, bx, whole_first, whole_last, new, old)
    return first, last


@numba.njit(cache=True, nogil=True, fastmath=True)
def _add_bent_row(art, h, edges, weight, grown, away, left, top, bx, y, cols, bars, new, old):  # type: ignore[no-untyped-def]
    """One moment of a row through the grid that says where its pixels lie in straight px."""
    scale = 1.0 / GRID_PX
    gy = (y - top) * scale
    j = min(max(int(gy), 0), away.shape[0] - 2)
    fy = gy - j
    first, last = cols, 0
    for c in range(cols):
        x = bx + c + 0.5
        gx = (x - left) * scale
        i = min(max(int(gx), 0), away.shape[1] - 2)
        fx = gx - i
        ax0, ax1, bx0, bx1 = away[j, i, 0], away[j, i + 1, 0], away[j + 1, i, 0], away[j + 1, i + 1, 0]
        ay0, ay1, by0, by1 = away[j, i, 1], away[j, i + 1, 1], away[j + 1, i, 1], away[j + 1, i + 1, 1]
        sx = x + (1 - fy) * (ax0 + fx * (ax1 - ax0)) + fy * (bx0 + fx * (bx1 - bx0))
        sy = y + (1 - fy) * (ay0 + fx * (ay1 - ay0)) + fy * (by0 + fx * (by1 - by0))
        # How the grid stretches there: an edge's distance and direction are those it has in the plate.
        xx, yx = 1 + scale * ((1 - fy) * (ax1 - ax0) + fy * (bx1 - bx0)), scale * ((1 - fy) * (ay1 - ay0) + fy * (by1 - by0))
        xy, yy = scale * ((1 - fx) * (bx0 - ax0) + fx * (bx1 - ax1)), 1 + scale * ((1 - fx) * (by0 - ay0) + fx * (by1 - ay1))
        c0, c1 = 1.0, 1.0
        for e in range(4):
            d = edges[e, 0] * sx + edges[e, 1] * sy + edges[e, 2]
            nx, ny = edges[e, 0] * xx + edges[e, 1] * yx, edges[e, 0] * xy + edges[e, 1] * yy
            over = 1.0 / np.sqrt(nx * nx + ny * ny)
            d *= over
            if d > WELL_INSIDE_PX:
                continue
            c1 *= share_inside(d + grown[e], nx * over, ny * over)
            c0 *= share_inside(d, nx * over, ny * over)
        if c1 <= 0.0:
            continue
        over_w = 1.0 / (h[2, 0] * sx + h[2, 1] * sy + h[2, 2])
        u = (h[0, 0] * sx + h[0, 1] * sy + h[0, 2]) * over_w
        v = (h[1, 0] * sx + h[1, 1] * sy + h[1, 2]) * over_w
        _add(art, u, v, bars, np.float32(c1 * weight), c0 * weight, new, old, c)
        first, last = min(first, c), c + 1
    return first, last


@numba.njit(cache=True, nogil=True, fastmath=True, inline="always")
def _inside(edges, away, left, top, bent, x, y, inside):  # type: ignore[no-untyped-def]
    """A place just inside all edges, near x, y."""
    ox, oy = 0.0, 0.0
    if bent:
        i = min(max(int((x - left) / GRID_PX), 0), away.shape[1] - 1)
        j = min(max(int((y - top) / GRID_PX), 0), away.shape[0] - 1)
        ox, oy = away[j, i, 0], away[j, i, 1]
    qx, qy = x + ox, y + oy
    for e in range(4):
        d = edges[e, 0] * qx + edges[e, 1] * qy + edges[e, 2]
        if d < inside:
            qx += edges[e, 0] * (inside - d)
            qy += edges[e, 1] * (inside - d)
    return qx - ox, qy - oy


@numba.njit(cache=True, nogil=True, fastmath=True, inline="always")
def _mix(plate, out, r, c, n0, n1, n2, a, c1, c0, m, qx, qy, opacity, keyed, front, field):  # type: ignore[no-untyped-def]
    """Old surface out, new one in, at one pixel; the old surface's own colour is read at column qx of row qy of the region."""
    p0, p1, p2 = plate[r, c, 0], plate[r, c, 1], plate[r, c, 2]
    n0, n1, n2, a = opacity * n0, opacity * n1, opacity * n2, opacity * a
    if c0 >= 0.99999 and m <= 0.0001 and a >= 0.9999 and (not keyed or front[r, c] <= 0.0001):
        out[r, c, 0], out[r, c, 1], out[r, c, 2] = n0, n1, n2
        return
    if keyed:
        # Of what is not in front, as much is the old surface as there is of it, and as much the new one: where what is around the
        # surface is in front for the key, growing beyond the edge covers none of it.
        bare = np.float32(1.0) - front[r, c]
        old, new = min(c0, bare), min(c1, bare)
        share = new / max(c1, np.float32(1e-4))
        o0, o1, o2 = field[r, c, 0], field[r, c, 1], field[r, c, 2]
        keep = min(np.float32(1.0), (np.float32(1.0) - new) / max(np.float32(1.0) - old, np.float32(1e-4)))
        s0 = share * (n0 + (c1 - a) * o0) + keep * (p0 - old * o0)
        s1 = share * (n1 + (c1 - a) * o1) + keep * (p1 - old * o1)
        s2 = share * (n2 + (c1 - a) * o2) + keep * (p2 - old * o2)
    else:
        o0, o1, o2 = p0, p1, p2
        if 0.0 < c0 < 0.99999:
            rr = min(max(int(np.floor(qy)), 0), plate.shape[0] - 1)
            cc = min(max(int(np.floor(qx)), 0), plate.shape[1] - 1)
            o0, o1, o2 = plate[rr, cc, 0], plate[rr, cc, 1], plate[rr, cc, 2]
        keep = 0.0 if c1 >= 0.99999 else min(1.0, (1.0 - c1) / max(1.0 - c0, 1e-4))
        s0 = n0 + (c1 - a) * o0 + keep * (p0 - c0 * o0)
        s1 = n1 + (c1 - a) * o1 + keep * (p1 - c0 * o1)
        s2 = n2 + (c1 - a) * o2 + keep * (p2 - c0 * o2)
    # An edge that was taken for another colour must not become darker than black; what the plate has below black stays.
    out[r, c, 0] = m * p0 + (1 - m) * max(s0, min(p0, 0.0))
    out[r, c, 1] = m * p1 + (1 - m) * max(s1, min(p1, 0.0))
    out[r, c, 2] = m * p2 + (1 - m) * max(s2, min(p2, 0.0))


@numba.njit(cache=True, nogil=True, fastmath=True)
def _put(  # type: ignore[no-untyped-def]
    plate, out, touched, matte, has_matte, art, maps, edges, weights, grown, away, left, top, bent, bx, by, bars, inside, opacity, keyed,
    front, field,
):  # fmt: skip
    rows, cols = plate.shape[0], plate.shape[1]
    samples = weights.shape[0]
    middle = samples // 2
    new, old = np.zeros((cols, 5), np.float32), np.zeros(cols, np.float32)
    for r in range(rows):
        y = by + r + 0.5
        first, last = cols, 0
        for k in range(samples):
            if bent:
                a, b = _add_bent_row(art, maps[k], edges[k], weights[k], grown, away[k], left, top, bx, y, cols, bars, new, old)
            else:
                a, b = _add_straight_row(art, maps[k], edges[k], weights[k], grown, bx, y, cols, bars, new, old)
            first, last = min(first, a), max(last, b)
        for c in range(first, last):
            n0, n1, n2, a, c1, c0 = new[c, 0], new[c, 1], new[c, 2], new[c, 3], new[c, 4], old[c]
            new[c, 0], new[c, 1], new[c, 2], new[c, 3], new[c, 4], old[c] = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
            m = matte[r, c] if has_matte else np.float32(0.0)
            if m >= 0.9999 or c1 <= 0.0 or (keyed and front[r, c] >= 0.9999):
                continue
            touched[r, c] = True
            qx, qy = bx + c + 0.5, y
            if 0.0 < c0 < 0.99999:
                qx, qy = _inside(edges[middle], away[middle if bent else 0], left, top, bent, qx, y, inside)
            _mix(plate, out, r, c, n0, n1, n2, a, c1, c0, m, qx - bx, qy - by, opacity, keyed, front, field)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _gather(sums, old, at, art, maps, edges, weights, grown, away, left, top, bent, bx, by, bars, unit):  # type: ignore[no-untyped-def]
    rows, cols = old.shape
    samples = weights.shape[0]
    middle = samples // 2
    grid = away[middle if bent else 0]
    for r in range(rows):
        y = by + r + 0.5
        first, last = cols, 0
        for k in range(samples):
            if bent:
                a, b = _add_bent_row(art, maps[k], edges[k], weights[k], grown, away[k], left, top, bx, y, cols, bars, sums[r], old[r])
            else:
                a, b = _add_straight_row(art, maps[k], edges[k], weights[k], grown, bx, y, cols, bars, sums[r], old[r])
            first, last = min(first, a), max(last, b)
        for c in range(first, last):
            x, yy = bx + c + 0.5, y
            if bent:
                # Smooth: the nearest node of the grid and its neighbours, as everywhere.
                gx, gy = (x - left) / GRID_PX, (y - top) / GRID_PX
                i, j = min(max(int(gx), 0), grid.shape[1] - 2), min(max(int(gy), 0), grid.shape[0] - 2)
                fx, fy = gx - i, gy - j
                x += (1 - fy) * (grid[j, i, 0] + fx * (grid[j, i + 1, 0] - grid[j, i, 0])) + fy * (
                    grid[j + 1, i, 0] + fx * (grid[j + 1, i + 1, 0] - grid[j + 1, i, 0])
                )
                yy += (1 - fy) * (grid[j, i, 1] + fx * (grid[j, i + 1, 1] - grid[j, i, 1])) + fy * (
                    grid[j + 1, i, 1] + fx * (grid[j + 1, i + 1, 1] - grid[j + 1, i, 1])
                )
            over_w = 1.0 / (unit[2, 0] * x + unit[2, 1] * yy + unit[2, 2])
            at[r, c, 0] = (unit[0, 0] * x + unit[0, 1] * yy + unit[0, 2]) * over_w
            at[r, c, 1] = (unit[1, 0] * x + unit[1, 1] * yy + unit[1, 2]) * over_w


@numba.njit(cache=True, nogil=True, fastmath=True)
def _put_straight(plate, out, touched, matte, has_matte, art, h, edges, grown, none, bx, by, bars, inside, opacity, keyed, front, field):  # type: ignore[no-untyped-def]
    """As `_put`, for one moment and nothing bent: what most frames are, without sums in between."""
    rows, cols = plate.shape[0], plate.shape[1]
    plain = opacity >= 0.9999
    for r in range(rows):
        y = by + r + 0.5
        low, high = span(edges, grown, y, 1.0)
        if low > high:
            continue
        first, last = max(0, int(np.floor(low - bx - 0.5))), min(cols, int(np.ceil(high - bx + 0.5)))
        # Here pixels are wholly covered: no edges to look at.
        whole_low, whole_high = span(edges, NOT_GROWN, y, -1.0)
        wu, wv, ww = h[0, 1] * y + h[0, 2], h[1, 1] * y + h[1, 2], h[2, 1] * y + h[2, 2]
        for c in range(first, last):
            m = matte[r, c] if has_matte else np.float32(0.0)
            if m >= 0.9999 or (keyed and front[r, c] >= 0.9999):
                continue
            x = bx + c + 0.5
            c0, c1 = np.float32(1.0), np.float32(1.0)
            qx, qy = x, y
            if not whole_low <= x <= whole_high:
                c1 = np.float32(covered(edges, grown, x, y))
                if c1 <= 0.0:
                    continue
                c0 = np.float32(covered(edges, NOT_GROWN, x, y))
                if 0.0 < c0 < 0.99999:
                    qx, qy = _inside(edges, none, 0.0, 0.0, False, x, y, inside)
            over_w = 1.0 / (h[2, 0] * x + ww)
            n0, n1, n2, a = _sampled(art, (h[0, 0] * x + wu) * over_w, (h[1, 0] * x + wv) * over_w, bars)
            touched[r, c] = True
            if plain and c0 >= 1.0 and m <= 0.0001 and a >= 0.9999 and (not keyed or front[r, c] <= 0.0001):
                out[r, c, 0], out[r, c, 1], out[r, c, 2] = n0, n1, n2
                continue
            _mix(plate, out, r, c, c1 * n0, c1 * n1, c1 * n2, c1 * a, c1, c0, m, qx - bx, qy - by, opacity, keyed, front, field)
