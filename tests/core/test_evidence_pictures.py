"""Pictures that show evidence: which pixels are compared, and a chart that lies on a surface."""

import numpy as np
import pytest

from verdigris.core.geometry.homography import apply_homography, homography_from_quads
from verdigris.core.inspection.coverage_picture import NOT_USED, USED, paint_coverage
from verdigris.core.inspection.stand_in import lay_stand_in, stand_in_chart

GREY = np.full((48, 60, 3), 100, np.uint8)
EVERYWHERE = np.ones((48, 60), bool)


def mixed(colour: tuple[int, int, int]) -> np.ndarray:
    return (np.array(colour) + 55) // 2


def test_what_is_used_is_filled_and_what_is_not_is_patterned():
    reach, wanted = EVERYWHERE.copy(), EVERYWHERE.copy()
    reach[:, 40:] = False
    wanted[:, 20:] = False
    front = np.zeros((48, 60), np.float32)
    front[:24, :] = 0.02
    picture = paint_coverage(GREY, reach, wanted, front, None)
    assert np.all(np.abs(picture[24:, :20].astype(int) - mixed(USED)) <= 1)
    copper = np.all(np.abs(picture.astype(int) - mixed(NOT_USED)) <= 1, axis=2)
    # Half of what is covered is striped, a ninth of what is cut out is dotted.
    assert copper[:24, :40].mean() == pytest.approx(0.5, abs=0.02)
    assert copper[24:, 20:40].mean() == pytest.approx(1 / 9, abs=0.02)
    assert not copper[:, 40:].any()
    assert np.all(picture[:, 40:] == 55)
    assert np.all(GREY == 100)


def test_a_trace_of_something_in_front_does_not_count_and_keyed_shapes_do():
    front = np.full((48, 60), 0.005, np.float32)
    outside = np.zeros((48, 60), bool)
    outside[:, :30] = True
    picture = paint_coverage(GREY, EVERYWHERE, EVERYWHERE, front, outside).astype(int)
    assert np.all(np.abs(picture[:, 30:] - mixed(USED)) <= 1)
    assert not np.any(np.all(np.abs(picture[:, :30] - mixed(USED)) <= 1, axis=2))


@pytest.mark.parametrize("aspect", [0.5, 1.0, 2.2])
def test_the_chart_has_the_surface_s_proportions_and_even_checks(aspect):
    chart = stand_in_chart(aspect)
    assert chart.shape[1] / chart.shape[0] == pytest.approx(aspect, rel=0.1)
    assert 0.3 < (chart.astype(int).mean(axis=2) > 128).mean() < 0.7


def test_the_chart_is_laid_exactly_into_the_corners():
    dark = np.zeros((200, 300, 3), np.uint8)
    corners = np.array([[60.0, 40], [240, 60], [220, 170], [80, 150]])
    laid = lay_stand_in(dark, corners, np.full((90, 150, 3), 200, np.uint8))
    covered = laid.max(axis=2) > 20
    unit = homography_from_quads(corners, np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]]))
    y, x = np.mgrid[0:200, 0:300]
    at = apply_homography(unit, np.stack([x.ravel() + 0.5, y.ravel() + 0.5], axis=1)).reshape(200, 300, 2)
    inside = np.all((at > 0) & (at < 1), axis=2)
    # They differ along the rim alone.
    assert (covered ^ inside).sum() < 700
    assert laid[100, 150].max() == pytest.approx(200 * 0.55, abs=2)
    with pytest.raises(ValueError, match=r"\w"):
        lay_stand_in(dark, np.array([[10.0, 10], [20, 20], [30, 30], [40, 40]]), stand_in_chart(1.0))
