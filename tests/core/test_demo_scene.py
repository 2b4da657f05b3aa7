"""The demo's renderer: deterministic, with truth that fits its pixels."""

import numpy as np
import pytest

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.types import Float64
from verdigris.demo.board_content import departures, timetable
from verdigris.demo.render import expose, render_light, shutter_times, truth
from verdigris.demo.scene import Lens, Plane, Scene, Sensor, Surface, hand_held, look, plane_through_view, standing_plane


def _scene(shutter: float = 0.0) -> Scene:
    """A white card in front of black, moving to the right."""
    card = np.ones((50, 80, 4), np.float32)
    world = standing_plane(np.array([-0.4, -0.25, 2.0]), np.array([1.0, 0, 0]), np.array([0.0, 1, 0]), 100.0)
    corners = np.array([[-0.4, -0.25, 2.0], [0.4, -0.25, 2], [0.4, 0.25, 2], [-0.4, 0.25, 2]])

    def camera(time: float) -> Float64:
        return look(np.array([-0.02 * time, 0, 0]), np.zeros(3))

    return Scene(
        "card", 200, 120, 4, (24, 1), camera, (Plane("card", world, lambda _t: card),), (Surface("card", corners),), Lens(200.0, 0.0),
        Sensor(shot=0.0, read=0.0, shutter=shutter),
    )  # fmt: skip


@pytest.mark.parametrize("frame", [0, 1, 3])
def test_pixels_and_truth_agree(frame):
    scene = _scene()
    light = render_light(scene, frame)[..., 0]
    y, x = np.mgrid[0.5:120, 0.5:200]
    middle = np.array([(light * x).sum(), (light * y).sum()]) / light.sum()
    corners = np.array(truth(scene, 0)["card"][frame]["corners"])
    assert np.allclose(middle, corners.mean(axis=0), atol=0.3)
    area = np.linalg.norm(corners[1] - corners[0]) * np.linalg.norm(corners[3] - corners[0])
    assert light.sum() == pytest.approx(area, rel=0.04)


def test_homographies_lead_from_the_reference_frame_to_each_frame():
    rows = truth(_scene(), 2)["card"]
    start = np.array(rows[2]["corners"])
    for row in rows:
        assert np.allclose(apply_homography(np.array(row["homography"]), start), row["corners"])


def test_the_shutter_blurs_evenly_around_the_frame():
    scene = _scene(shutter=1.0)
    times = shutter_times(scene, 2)
    assert np.mean(times) == pytest.approx(2)
    sharp, blurred = render_light(_scene(), 2), render_light(scene, 2)
    assert blurred.sum() == pytest.approx(sharp.sum(), rel=0.02)
    assert ((blurred > 0.05) & (blurred < 0.95)).sum() > ((sharp > 0.05) & (sharp < 0.95)).sum()


def test_exposing_twice_gives_the_same_noise_and_two_frames_do_not():
    scene = _scene()
    noisy = Scene(**{**vars(scene), "sensor": Sensor()})
    light = np.full((120, 200, 3), 0.2, np.float32)
    assert np.array_equal(expose(noisy, light, 1), expose(noisy, light, 1))
    assert not np.array_equal(expose(noisy, light, 1), expose(noisy, light, 2))


def test_a_plane_painted_in_the_view_lies_where_the_view_saw_it():
    world = plane_through_view(500.0, (100.0, 60.0), 1.0, np.array([0.0, 1, 0]), 1.5)
    point = world @ np.array([130.0, 90, 1])
    x, y, z = point[:3] / point[3]
    assert y == pytest.approx(1.5)
    assert (x / z * 500 + 100, y / z * 500 + 60) == pytest.approx((130, 90))


def test_a_hand_s_unrest_is_smooth_and_repeatable():
    a, b = hand_held(3, 0.01, 0.005, 24), hand_held(3, 0.01, 0.005, 24)
    assert np.array_equal(a(7.5)[0], b(7.5)[0])
    steps = np.diff([a(t)[1] for t in np.arange(0, 48, 0.5)], axis=0)
    assert np.abs(steps).max() < 0.005


def test_made_up_artwork_is_drawn_the_same_every_time_and_moves():
    assert np.array_equal(departures(5), departures(5))
    assert not np.array_equal(departures(5), departures(6))
    assert timetable().shape == (1200, 1600, 3)
