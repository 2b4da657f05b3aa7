"""Coverage as a picture: which pixels are compared, and why others are not."""

import numba
import numpy as np

from verdigris.core.types import Bool, Float32, Uint8

# Verdigris where pixels are used, copper where they are not, sRGB.
USED, NOT_USED = (98, 181, 163), (209, 140, 92)
# Coverage in front above which a pixel is not compared.
IN_FRONT = 0.01


def paint_coverage(picture: Uint8, reach: Bool, wanted: Bool, in_front: Float32 | None, outside: Bool | None) -> Uint8:
    """The darkened picture with its pixels marked, (H, W, 3) uint8 sRGB.

    Filled: used. Stripes: covered by something nearer. Dots: cut out, or outside keyed shapes.

    Parameters
    ----------
    picture : (H, W, 3) uint8, sRGB
    reach : (H, W) bool, where the region would lie if nothing took anything from it
    wanted : (H, W) bool, what of it may be compared as far as the reference frame says
    in_front : (H, W) float32, coverage of what is nearer at this frame; None when nothing is
    outside : (H, W) bool, what keyed shapes leave out at this frame; None when nothing
    """
    blocked = np.zeros(reach.shape, np.uint8)
    if in_front is not None:
        blocked |= (in_front > IN_FRONT).view(np.uint8)
    if outside is not None:
        blocked |= outside.view(np.uint8) << 1
    region = reach.view(np.uint8) | (wanted.view(np.uint8) << 1)
    out = np.empty_like(picture)
    _paint(picture, region, blocked, np.array([USED, NOT_USED], np.uint8), out)
    return out


@numba.njit(cache=True, nogil=True)
def _paint(picture, region, blocked, colours, out):  # type: ignore[no-untyped-def]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            colour = -1
            if region[y, x] & 1:
                if blocked[y, x] & 1:
                    colour = 1 if (x + y) % 8 < 4 else -1
                elif blocked[y, x] & 2 or not region[y, x] & 2:
                    colour = 1 if x % 6 < 2 and y % 6 < 2 else -1
                else:
                    colour = 0
            for c in range(3):
                # 0.55 of the picture, or an even mix of that and the colour.
                dark = (np.int32(picture[y, x, c]) * 141) >> 8
                out[y, x, c] = dark if colour < 0 else (dark + colours[colour, c]) >> 1
