"""How much of a pixel lies inside a surface: exact for one straight edge, the product where two meet.

Kernels take edges as half-planes (4, 4): inward normal, offset, and the normal's box width |nx| + |ny|.
"""

import numba
import numpy as np

from verdigris.core.types import Float64


def half_planes(quad: Float64) -> Float64:
    """Edges of a quad (4, 2), clockwise on screen, as half-planes (4, 4)."""
    along = np.roll(quad, -1, axis=0) - quad
    inward = np.stack([-along[:, 1], along[:, 0]], axis=1) / np.linalg.norm(along, axis=1)[:, None]
    return np.concatenate([inward, -np.sum(inward * quad, axis=1)[:, None], np.abs(inward).sum(axis=1)[:, None]], axis=1)


@numba.njit(cache=True, nogil=True, fastmath=True, inline="always")
def share_inside(d, nx, ny):  # type: ignore[no-untyped-def]
    """Area of a unit square on the inner side of an edge at distance d from its middle, with the unit normal nx, ny."""
    ax, ay = abs(nx), abs(ny)
    reach = 0.5 * (ax + ay)
    if d >= reach:
        return 1.0
    if d <= -reach:
        return 0.0
    long, short = max(ax, ay), min(ax, ay)
    away = abs(d)
    if away <= 0.5 * (long - short):
        return 0.5 + d / long
    # Only a corner of the pixel is cut off: a triangle.
    triangle = (reach - away) ** 2 / (2.0 * long * short)
    return 1.0 - triangle if d > 0 else triangle


@numba.njit(cache=True, nogil=True, fastmath=True, inline="always")
def covered(edges, grown, x, y):  # type: ignore[no-untyped-def]
    """Coverage of the pixel centred at x, y by the inner side of four edges, each moved outwards by its `grown` px."""
    c = 1.0
    for e in range(4):
        c *= share_inside(edges[e, 0] * x + edges[e, 1] * y + edges[e, 2] + grown[e], edges[e, 0], edges[e, 1])
        if c <= 0.0:
            return 0.0
    return c


@numba.njit(cache=True, nogil=True, fastmath=True)
def span(edges, grown, y, reach):  # type: ignore[no-untyped-def]
    """Range of x in a row at y that lies inside four edges, each moved outwards by its `grown` px and by `reach` half widths of a pixel.

    With a reach of -1 pixels in it are wholly covered, with 1 those outside are not covered at all.
    """
    low, high = -1e30, 1e30
    for e in range(4):
        nx, rest = edges[e, 0], edges[e, 1] * y + edges[e, 2] + grown[e] + reach * 0.5 * edges[e, 3]
        if abs(nx) < 1e-12:
            if rest < 0:
                return 1.0, 0.0
        elif nx > 0:
            low = max(low, -rest / nx)
        else:
            high = min(high, -rest / nx)
    return low, high


def rounded_outline(across: float, down: float, steps: int = 12) -> Float64:
    """The unit square with rounded corners, (N, 2), clockwise from the top; radii are shares of its width and height."""
    turn = np.linspace(0, np.pi / 2, steps)
    arcs = []
    middles = ((across, down), (1 - across, down), (1 - across, 1 - down), (across, 1 - down))
    for (cx, cy), start in zip(middles, (np.pi, 1.5 * np.pi, 0.0, 0.5 * np.pi), strict=True):
        arcs.append(np.stack([cx + across * np.cos(start + turn), cy + down * np.sin(start + turn)], axis=1))
    return np.concatenate(arcs)
