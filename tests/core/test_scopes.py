"""Scopes of known colours."""

import numpy as np
import pytest

from verdigris.core.inspection.scopes import HEIGHT, SIDE, WIDTH, scope


def lit(picture: np.ndarray) -> tuple[float, float]:
    """Where it is brightest, shares of width and height."""
    y, x = np.nonzero(picture >= 0.98 * picture.max())
    return x.mean() / picture.shape[1], y.mean() / picture.shape[0]


def test_a_ramp_is_a_diagonal_in_the_waveform():
    place = np.linspace(0, 1, 4000, dtype=np.float32)
    codes = np.stack([place, np.full_like(place, 0.5), 1 - place], axis=1)
    seen = scope("waveform", codes, place)
    assert seen.shape == (HEIGHT, WIDTH, 3)
    columns = np.arange(8, WIDTH - 8, 8)
    assert seen[:, columns, 0].argmax(axis=0) / HEIGHT == pytest.approx(1 - columns / WIDTH, abs=0.02)
    assert seen[:, columns, 1].argmax(axis=0) / HEIGHT == pytest.approx(np.full(len(columns), 0.5), abs=0.02)
    assert seen[:, columns, 2].argmax(axis=0) / HEIGHT == pytest.approx(columns / WIDTH, abs=0.02)


@pytest.mark.parametrize(
    ("codes", "where"), [((0.4, 0.4, 0.4), (0.5, 0.5)), ((0.75, 0, 0), (0.422, 0.159)), ((0, 0, 0.75), (0.841, 0.531))]
)
def test_grey_lies_in_the_middle_and_colours_where_their_differences_say(codes, where):
    seen = scope("vectorscope", np.tile(np.float32(codes), (500, 1)), np.zeros(500, np.float32))
    assert seen.shape == (SIDE, SIDE, 3)
    assert lit(seen.astype(float).min(axis=2)) == pytest.approx(where, abs=0.02)
