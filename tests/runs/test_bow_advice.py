"""A poster on a bowed board, as a film: followed to its corners, and said to be bowed."""

import dataclasses
from types import SimpleNamespace

import numpy as np
import pytest

from bench.tracking.cases import Recipe, a_photograph, make
from bench.tracking.render import Camera, shutter
from tests.plates import write_plate
from verdigris.core.camera.optics import STILL, Optics
from verdigris.core.tracking.calibration.result import Calibration
from verdigris.runs.advice.followed import advise_camera, describe_bow
from verdigris.runs.follow.surface import follow_surface
from verdigris.runs.render.open_shot import OpenShot
from verdigris.shot.model.document import Shot
from verdigris.shot.model.media import Plate
from verdigris.shot.model.surface import Surface

BOARD = Recipe(count=11, reference=5, size=(640, 360), scale=0.5, amount=1.6, camera=Camera(shutter(0.4, 7), readout=0.4, noise=1.0))


@pytest.fixture(scope="module")
def board():
    return make(10, BOARD, a_photograph, bow=0.01)


def test_a_bowed_board_is_followed_to_its_corners_and_said_to_be_bowed(board, tmp_path):
    write_plate(tmp_path / "plate.mp4", SimpleNamespace(frames=[f.astype(np.float32) / 255 for f in board.frames]))
    quad = tuple((float(x), float(y)) for x, y in board.truth[board.reference])
    shot = Shot(plate=Plate(path="plate.mp4"), surfaces=[Surface(id="s", name="Poster", reference_frame=board.reference, corners=quad)])
    results = {}
    with OpenShot(shot, tmp_path) as opened:
        for step in follow_surface(opened.plate, shot, shot.surfaces[0]):
            results[step.result.frame] = step.result
        found = advise_camera(opened.plate, shot, shot.surfaces[0], {"s": results}, results)
    off = [np.linalg.norm(r.corners - board.truth[n], axis=1).max() for n, r in results.items()]
    assert np.median(off) < 0.2
    assert found.optics.bow[0] == pytest.approx(0.01, rel=0.4)
    assert describe_bow(found).startswith("The surface is bowed: its middle stands out by")


@pytest.mark.parametrize(
    ("bow", "said"),
    [
        ((0.0, 0.0), ""),
        ((0.0028, 0.0), "The surface is bowed: its middle stands out by 0.28 % of its width."),
        ((0.0, -0.01), "The surface is bowed: its middle lies back by 1.00 % of its height."),
        ((-0.002, 0.004), "The surface is bowed: its middle lies back by 0.20 % of its width and stands out by 0.40 % of its height."),
    ],
)
def test_a_bow_is_told_in_words(bow, said):
    optics = dataclasses.replace(Optics(640, 360), bow=bow)
    assert describe_bow(Calibration(optics, STILL, {}, 0.0)) == said
