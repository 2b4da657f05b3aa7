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
    """The new picture put in; `fresh` is how much of each pixel is new, for its grain."""
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
                        v += left * max(p - c0 * old[r, c, i], np.float32(0.0))
                changed[r, c, i] = v
                out[r, c, i] = p + seen * (v - p)
