"""Grades as .cube tables: text, a line for each colour, red fastest.

References
----------
Cube LUT Specification, version 1.0, 2013 (LUT_3D_SIZE, order of entries, domain 0..1).
"""

from collections.abc import Callable

import numpy as np

from verdigris.core.types import Float32

SIZE = 33


def write_cube(grade: Callable[[Float32], Float32], title: str, size: int = SIZE) -> str:
    """A function of code values (N, 3) 0..1 as the text of a .cube."""
    steps = np.linspace(0, 1, size, dtype=np.float32)
    blue, green, red = np.meshgrid(steps, steps, steps, indexing="ij")
    values = grade(np.stack([red, green, blue], axis=-1).reshape(-1, 3))
    plain = "".join(c for c in title if c.isprintable() and c != '"')
    lines = "\n".join(f"{r:.6f} {g:.6f} {b:.6f}" for r, g, b in values)
    return f'TITLE "{plain}"\nLUT_3D_SIZE {size}\nDOMAIN_MIN 0.0 0.0 0.0\nDOMAIN_MAX 1.0 1.0 1.0\n{lines}\n'
