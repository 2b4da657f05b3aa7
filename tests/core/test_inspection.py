import numpy as np
import pytest

from verdigris.core.inspection.crops import CROP_PX, centred_crop, crop_box
from verdigris.core.inspection.doubt import Evidence, frames_to_look_at


def _evidence(count: int = 20) -> list[Evidence]:
    base = np.array([[10.0, 10], [50, 10], [50, 40], [10, 40]])
    return [Evidence(n, base + [0.8 * n, 0.02 * (n % 2)], np.full(4, 0.05), 0.9, "") for n in range(count)]


def test_a_smooth_sure_take_needs_no_eyes():
    assert frames_to_look_at(_evidence()) == []


def test_lost_frames_come_first_then_the_least_sure():
    rows = _evidence()
    rows[4] = Evidence(4, None, None, 0.0, "It is covered.")
    rows[9] = Evidence(9, rows[9].corners, np.array([0.1, 0.1, 1.8, 0.1]), 0.4, "")
    looks = frames_to_look_at(rows)
    assert [x.frame for x in looks[:2]] == [4, 9]
    assert looks[0].reason == "It is covered."
    assert "square" in looks[1].reason
    assert "40 %" in looks[1].reason


def test_a_jump_is_seen_even_when_the_tracker_was_sure():
    rows = _evidence()
    jumped = rows[12].corners.copy()
    jumped[1] += [7.0, 0]
    rows[12] = Evidence(12, jumped, rows[12].sigma_px, 0.9, "")
    looks = frames_to_look_at(rows)
    assert looks[0].frame == 12
    assert "triangle" in looks[0].reason


def test_a_crop_has_the_corner_exactly_in_its_middle():
    picture = np.zeros((200, 200, 3), np.float32)
    corner = np.array([100.3, 80.7])
    y, x = np.mgrid[0.5:200, 0.5:200]
    picture[..., 0] = 255 * np.exp(-((x - corner[0]) ** 2 + (y - corner[1]) ** 2) / 18)
    box = crop_box(corner)
    crop = centred_crop(np.ascontiguousarray(picture[box[1] : box[3], box[0] : box[2]]).astype(np.uint8), box, corner)[..., 0].astype(float)
    yy, xx = np.mgrid[0.5:CROP_PX, 0.5:CROP_PX]
    middle = (crop * xx).sum() / crop.sum(), (crop * yy).sum() / crop.sum()
    assert middle == pytest.approx((CROP_PX / 2, CROP_PX / 2), abs=0.05)
