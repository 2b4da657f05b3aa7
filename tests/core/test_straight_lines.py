"""A lens from lines that should be straight, against lenses that are known."""

import numpy as np
import pytest

from verdigris.core.geometry.lens import Lens
from verdigris.core.geometry.straight_lines import LinesProblem, lens_from_lines


def drawn(lens: Lens, noise: float, rng: np.random.Generator) -> list[np.ndarray]:
    """Six long lines as the lens shows them, drawn by a hand that shakes."""
    ends = [((80, 60), (1190, 90)), ((60, 650), (1210, 600)), ((120, 40), (90, 690)), ((1180, 30), (1150, 700)), ((300, 60), (900, 650))]
    ends.append(((40, 330), (1230, 380)))
    lines = []
    for a, b in ends:
        t = np.linspace(0, 1, 9)[:, None]
        ideal = (1 - t) * np.array(a, float) + t * np.array(b, float)
        lines.append(lens.distort(ideal) + rng.normal(0, noise, (9, 2)))
    return lines


@pytest.mark.parametrize("k1", [-0.12, -0.03, 0.06])
def test_the_radial_term_is_found_within_its_doubt(k1):
    lines = drawn(Lens.of_picture(1280, 720, k1), 0.2, np.random.default_rng(1))
    found = lens_from_lines(lines, 1280, 720)
    corners = np.array([[0.0, 0], [1280, 0], [1280, 720], [0, 720]])
    true = Lens.of_picture(1280, 720, k1).undistort(corners)
    assert np.linalg.norm(found.lens.undistort(corners) - true, axis=1).max() < 3.0
    assert found.residual_px < 0.3 < found.before_px


def test_a_centre_off_the_middle_is_found():
    lens = Lens((690.0, 330.0), float(np.hypot(1280, 720)) / 2, -0.15)
    found = lens_from_lines(drawn(lens, 0.05, np.random.default_rng(2)), 1280, 720)
    assert np.linalg.norm(np.subtract(found.lens.centre, lens.centre)) < 4 * found.sigma["centre"]
    assert found.sigma["centre"] < 10
    assert found.lens.k1 == pytest.approx(-0.15, abs=0.02)


def test_straight_lines_ask_for_no_lens():
    lines = drawn(Lens.of_picture(1280, 720), 0.2, np.random.default_rng(3))
    found = lens_from_lines(lines, 1280, 720)
    assert abs(found.lens.k1) < 4 * found.sigma["k1"]
    assert found.lens.k2 == 0


def test_two_points_are_no_line():
    with pytest.raises(LinesProblem, match="three points"):
        lens_from_lines([np.array([[0.0, 0], [10, 0]])], 1280, 720)
