"""Which pixels of a frame a pose is tried at, against projection and lens as they are used everywhere else."""

import numpy as np
import pytest

from tests.plates import look_up, texture
from verdigris.core.camera.optics import STILL, Movement, Optics
from verdigris.core.geometry.lens import Lens
from verdigris.core.tracking.alignment.samples import MARGIN_PX, box_of, place
from verdigris.core.tracking.reference.appearance import build_appearance

WIDTH, HEIGHT = 480, 320
LENS = Lens.of_picture(WIDTH, HEIGHT, k1=-0.15, k2=0.03)
MOVES = Movement(np.array([[0, -0.01, 9.0], [0.01, 0, 30.0], [0, 0, 0]]), STILL.a)
POSE = np.array([[0.7, -0.12, 60.0], [0.1, 0.75, 20.0], [1e-4, -1e-4, 1.0]])


def seen_through(optics: Optics, move: Movement, part=np.s_[60:260, 90:400]):
    region = np.zeros((HEIGHT, WIDTH), bool)
    region[part] = True
    return build_appearance(look_up(texture(3, WIDTH, HEIGHT), np.eye(3), WIDTH, HEIGHT), region, optics, move)


@pytest.mark.parametrize("lens", [None, LENS], ids=["no lens", "lens"])
@pytest.mark.parametrize("move", [STILL, MOVES], ids=["still", "moving"])
def test_pixels_are_those_the_samples_fall_on_each_once(lens, move):
    optics = Optics(WIDTH, HEIGHT, lens=lens, readout=0.5)
    appearance = seen_through(optics, move)
    s = place(appearance, optics, POSE, move, None, None)
    wanted = np.floor(optics.project(appearance.points, POSE, move)).astype(int)
    assert {*map(tuple, s.pixels.tolist())} == {*map(tuple, wanted.tolist())}
    # Seen at less than the reference's size, several samples fall on one pixel.
    assert len({*map(tuple, s.pixels.tolist())}) == len(s.pixels) < len(wanted)
    assert np.allclose(s.ideal, optics.ideal(s.pixels + 0.5), atol=1e-6)
    assert np.allclose(s.times, optics.row_time(s.pixels[:, 1] + 0.5), atol=1e-12)
    assert np.array_equal(s.starts, np.searchsorted(s.tiles, np.arange(len(appearance.centres) + 1)))


def test_what_is_covered_or_outside_is_left_out():
    optics = Optics(WIDTH, HEIGHT)
    appearance = seen_through(optics, STILL)
    hidden = np.zeros((HEIGHT, WIDTH), bool)
    hidden[:, :200] = True
    h = np.eye(3)
    h[0, 2] = 250.0
    s = place(appearance, optics, h, STILL, hidden, appearance.some)
    assert s.pixels[:, 0].min() >= 200
    assert s.pixels[:, 0].max() < WIDTH - 2
    h[0, 2] = 1000.0
    gone = place(appearance, optics, h, STILL, hidden, appearance.some)
    assert len(gone.pixels) == 0
    assert not gone.starts.any()
    assert box_of(appearance, optics, h, STILL) is None
    # Behind the camera, and nowhere at all.
    assert len(place(appearance, optics, np.diag([1.0, 1.0, -1.0]), STILL, None, None).pixels) == 0
    assert len(place(appearance, optics, np.full((3, 3), np.nan), STILL, None, None).pixels) == 0


@pytest.mark.parametrize("lens", [None, LENS], ids=["no lens", "lens"])
def test_the_box_holds_every_sample_and_most_of_its_margin(lens):
    optics = Optics(WIDTH, HEIGHT, lens=lens, readout=0.5)
    appearance = seen_through(optics, MOVES)
    box = box_of(appearance, optics, POSE, MOVES)
    assert box is not None
    at = optics.project(appearance.points, POSE, MOVES)
    # It is drawn around few of them, and their outline on the plane is not quite what is outermost through lens and rows.
    least, most = at.min(axis=0) - 0.75 * MARGIN_PX, at.max(axis=0) + 0.75 * MARGIN_PX
    assert np.all(box[:2] <= np.maximum(least, 0))
    assert np.all(box[2:] >= np.minimum(most, [WIDTH, HEIGHT]))


def test_the_smallest_region_has_a_box_too():
    optics = Optics(WIDTH, HEIGHT)
    appearance = seen_through(optics, STILL, np.s_[100:106, 100:170])
    assert len(appearance.points) < 160
    assert box_of(appearance, optics, np.eye(3), STILL) is not None
