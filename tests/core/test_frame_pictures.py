"""A frame's pictures: as soft as asked, kept from one comparison to the next, and a reference's softnesses made when wanted."""

import cv2
import numpy as np
import pytest

from verdigris.core.light.tone import SRGB, Tone, to_light
from verdigris.core.tracking.alignment.frame_pictures import MOST_KEPT, ROOM_PX, FramePictures, KeptPictures
from verdigris.core.tracking.reference.appearance import SOFT, USUAL_VARIANCE, VARIANCES, Pyramid

VALUES = np.clip(0.5 + 0.2 * cv2.GaussianBlur(np.random.default_rng(3).normal(size=(90, 160)).astype(np.float32), (0, 0), 2.0) * 7, 0, 1)
BOX = (40, 20, 120, 70)


@pytest.mark.parametrize("variance", [0.64, 3.0])
@pytest.mark.parametrize("tone", [SRGB, Tone(0.5, 0.1)])
def test_a_frame_is_smoothed_in_light(variance, tone):
    pictures = FramePictures(VALUES, BOX, tone)
    light = to_light(np.ascontiguousarray(VALUES[20:70, 40:120]), tone)
    expected = cv2.GaussianBlur(light, (0, 0), np.sqrt(variance), borderType=cv2.BORDER_REFLECT_101)
    assert np.abs(pictures.smoothed(variance) - expected).max() < 1e-6
    assert pictures.origin == (40, 20)


def test_few_softnesses_are_kept_and_each_comes_back_the_same():
    pictures = FramePictures(VALUES, BOX, SRGB)
    first = pictures.smoothed(0.64).copy()
    for variance in np.linspace(1, 4, MOST_KEPT + 3):
        pictures.smoothed(float(variance))
    assert len(pictures._made) == MOST_KEPT
    assert np.array_equal(pictures.smoothed(0.64), first)
    assert pictures.smoothed(0.64) is pictures.smoothed(0.64)


def test_the_next_look_at_about_the_same_place_finds_what_was_made():
    kept = KeptPictures(VALUES)
    pictures = kept.around(BOX, SRGB)
    x0, y0, x1, y1 = BOX
    room = ROOM_PX - 2
    assert kept.around((x0 - room, y0 - room, x1 + room, y1 + room), SRGB) is pictures
    assert kept.around((x0 + 5, y0 + 5, x1 - 5, y1 - 5), SRGB) is pictures
    # Further out, or under another tone curve, it is made anew, and covers what was asked for.
    assert kept.around((0, 0, x1, y1), SRGB) is not pictures
    other = kept.around(BOX, Tone(1.0, 0.0))
    assert other is not pictures
    height, width = other.smoothed(0.64).shape
    left, top = other.origin
    assert left <= x0
    assert top <= y0
    assert left + width >= x1
    assert top + height >= y1


def test_a_box_at_the_rim_stays_in_the_picture():
    pictures = KeptPictures(VALUES).around((0, 0, 160, 90), SRGB)
    assert pictures.origin == (0, 0)
    assert pictures.smoothed(1.0).shape == VALUES.shape


def test_a_frame_under_another_tone_curve_lies_where_it_lay():
    pictures = FramePictures(VALUES, BOX, SRGB)
    bent = pictures.bent(Tone(0.8, 0.0))
    assert bent.origin == pictures.origin
    assert bent.smoothed(0.64).shape == pictures.smoothed(0.64).shape
    assert np.abs(bent.smoothed(0.64) - pictures.smoothed(0.64)).max() > 0.01


def test_softnesses_are_made_when_they_are_wanted():
    pyramid = Pyramid(to_light(VALUES, SRGB))
    assert pyramid._made == set()
    pyramid.splines(np.array([USUAL_VARIANCE, 1.1]))
    assert pyramid._made == {1, 2}
    pyramid.splines(np.array([VARIANCES[-1] * 3]))
    assert pyramid._made == {1, 2, len(VARIANCES) - 2, len(VARIANCES) - 1}
    pyramid.splines(np.array([0.01]))
    assert {0, 1} <= pyramid._made


@pytest.mark.parametrize("level", range(len(VARIANCES)))
def test_a_softness_is_the_same_whichever_was_made_before(level):
    light = to_light(VALUES, SRGB)
    alone, after = Pyramid(light), Pyramid(light)
    for other in range(len(VARIANCES)):
        after.softened(other)
    assert np.array_equal(alone.softened(level), after.softened(level))
    exact = cv2.GaussianBlur(light, (0, 0), float(np.sqrt(VARIANCES[level])), borderType=cv2.BORDER_REFLECT_101)
    assert np.abs(alone.softened(level) - exact)[20:-20, 20:-20].max() < (1e-6 if VARIANCES[level] < SOFT else 2e-3)
    between = np.array([VARIANCES[level]])
    assert np.array_equal(alone.splines(between)[level], after.splines(VARIANCES)[level])
