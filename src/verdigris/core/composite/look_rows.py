"""The sums of a look, fused: each pixel is read once and written once."""

import numba
import numpy as np

# How the new picture goes in: the old surface out and the new one in, over what stays, or behind a key.
EXCHANGED, ADDED, KEYED = 0, 1, 2


@numba.njit(cache=True, nogil=True, fastmath=True)
def lit_rows(art, alpha, cover, gain, ink, offset, field, has_field, strength, shine, has_shine, shine_strength, shade, has_shade, out):  # type: ignore[no-untyped-def]
    """Premultiplied light of what is new: gain F (ink + (1 - ink) artwork) + offset + reflection, where the surface covers."""
    for r in range(cover.shape[0]):
        for c in range(cover.shape[1]):
            k = cover[r, c]
            if k <= 0:
                continue
            over_alpha = np.float32(1.0) / max(alpha[r, c], np.float32(1e-6))
            s = np.float32(1.0) - shade[r, c] if has_shade else np.float32(1.0)
            for i in range(3):
                v = gain[i] * (ink[i] + (np.float32(1.0) - ink[i]) * art[r, c, i] * over_alpha)
                if has_field:
                    f = max(field[r, c, i], np.float32(0.0))
                    v *= f if strength == 1 else f**strength
                v += offset[i]
                if has_shine:
                    v += shine_strength * shine[r, c, i]
                out[r, c, i] = v * s * k


@numba.njit(cache=True, nogil=True, fastmath=True)
def composed_rows(  # type: ignore[no-untyped-def]
    plate, new, cover, old_cover, old, front, share, mode, matte, field, inside, faint, noisy, out, changed, fresh, touched
):  # fmt: skip
    """The new picture put in; `fresh` is how much of each pixel is new, for its grain; `old` is as `carried_rows` makes it."""
    for r in range(plate.shape[0]):
        for c in range(plate.shape[1]):
            c1, c0 = cover[r, c], old_cover[r, c]
            seen = (np.float32(1.0) - front[r, c]) * share[r, c]
            if c1 <= np.float32(1e-4) or seen <= 0 or (mode == KEYED and c1 <= faint):
                for i in range(3):
                    out[r, c, i] = plate[r, c, i]
                    changed[r, c, i] = plate[r, c, i]
                continue
            touched[r, c] = True
            bare = np.float32(1.0) - matte[r, c] if mode == KEYED else c1
            fresh[r, c] = bare * seen
            left = np.float32(0.0)
            if mode == EXCHANGED and c0 <= inside:
                left = min(max((np.float32(1.0) - c1) / max(np.float32(1.0) - c0, np.float32(1e-3)), np.float32(0.0)), np.float32(1.0))
            if left > 0:
                known, red, green, blue = _halfway(old, r, c)
            for i in range(3):
                p = plate[r, c, i]
                if mode == ADDED:
                    v = p + new[r, c, i]
                elif mode == KEYED:
                    kept = max(p - bare * field[r, c, i], np.float32(0.0)) * min(matte[r, c] / noisy, np.float32(1.0))
                    v = bare * new[r, c, i] / max(c1, np.float32(1e-4)) + kept
                else:
                    v = new[r, c, i]
                    if left > 0:
                        was = (
                            (red if i == 0 else green if i == 1 else blue) / max(known, np.float32(1e-4)) if known > np.float32(1e-3) else p
                        )
                        v += left * max(p - c0 * was, np.float32(0.0))
                changed[r, c, i] = v
                out[r, c, i] = p + seen * (v - p)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _halfway(half, r, c):  # type: ignore[no-untyped-def]
    """A picture of half the size at a pixel of the whole one, between its four nearest: its fourth channel, and the first three."""
    rows, columns = half.shape[0], half.shape[1]
    y, x = (np.float32(r) - np.float32(0.5)) * np.float32(0.5), (np.float32(c) - np.float32(0.5)) * np.float32(0.5)
    y, x = min(max(y, np.float32(0)), np.float32(rows - 1)), min(max(x, np.float32(0)), np.float32(columns - 1))
    top, left = min(int(y), max(rows - 2, 0)), min(int(x), max(columns - 2, 0))
    below, right = min(top + 1, rows - 1), min(left + 1, columns - 1)
    v, u = y - np.float32(top), x - np.float32(left)
    a, b = (np.float32(1) - v) * (np.float32(1) - u), (np.float32(1) - v) * u
    d, e = v * (np.float32(1) - u), v * u
    known = a * half[top, left, 3] + b * half[top, right, 3] + d * half[below, left, 3] + e * half[below, right, 3]
    red = a * half[top, left, 0] + b * half[top, right, 0] + d * half[below, left, 0] + e * half[below, right, 0]
    green = a * half[top, left, 1] + b * half[top, right, 1] + d * half[below, left, 1] + e * half[below, right, 1]
    blue = a * half[top, left, 2] + b * half[top, right, 2] + d * half[below, left, 2] + e * half[below, right, 2]
    return known, red, green, blue


@numba.njit(cache=True, nogil=True, fastmath=True)
def sure_rows(plate, cover, front, inside, hidden, out):  # type: ignore[no-untyped-def]
    """The plate at half the size where the surface alone is seen, times how much of each pixel that is, and that share."""
    h, w = cover.shape
    for r in range(out.shape[0]):
        for c in range(out.shape[1]):
            red, green, blue, sure, many = np.float32(0), np.float32(0), np.float32(0), np.float32(0), np.float32(0)
            for y in range(2 * r, min(2 * r + 2, h)):
                for x in range(2 * c, min(2 * c + 2, w)):
                    many += np.float32(1)
                    if cover[y, x] > inside and front[y, x] < hidden:
                        red += plate[y, x, 0]
                        green += plate[y, x, 1]
                        blue += plate[y, x, 2]
                        sure += np.float32(1)
            out[r, c, 0], out[r, c, 1], out[r, c, 2], out[r, c, 3] = red / many, green / many, blue / many, sure / many


@numba.njit(cache=True, nogil=True, fastmath=True)
def carried_rows(near, wide, enough, out):  # type: ignore[no-untyped-def]
    """What is known near by, and farther off where that is too little: colour times how much is known, and that."""
    for r in range(out.shape[0]):
        for c in range(out.shape[1]):
            first = min(max(near[r, c, 3] / enough, np.float32(0)), np.float32(1))
            then = min(max(wide[r, c, 3] / enough, np.float32(0)), np.float32(1)) * (np.float32(1) - first)
            a, b = first / max(near[r, c, 3], np.float32(1e-4)), then / max(wide[r, c, 3], np.float32(1e-4))
            for i in range(3):
                out[r, c, i] = near[r, c, i] * a + wide[r, c, i] * b
            out[r, c, 3] = first + then
