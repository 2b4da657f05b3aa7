"""A frame is taken for drawing, and what comes back lies on it as drawn."""

import cv2
import numpy as np
import pytest

from verdigris.core.light.transfer import srgb_to_linear
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.media.facts import MediaFacts
from verdigris.media.frames import RgbFrame, linear_light
from verdigris.media.reader import open_media
from verdigris.runs.render.drawing_frame import write_for_drawing, write_guides
from verdigris.runs.render.open_shot import OpenShot
from verdigris.shot.model.document import parse_shot

QUAD = [[40.0, 20], [160, 20], [160, 100], [40, 100]]
W, H = 200, 120


@pytest.fixture
def frame() -> RgbFrame:
    rng = np.random.default_rng(2)
    return RgbFrame(rng.integers(0, 65535, (H, W, 3), dtype=np.uint16))


@pytest.mark.parametrize("form", ["png", "tif", "exr"])
def test_what_is_read_again_is_the_frames_own_light(tmp_path, frame, form):
    write_for_drawing(tmp_path / f"f.{form}", frame, form)
    again = open_media(tmp_path / f"f.{form}").frame(0)
    assert np.abs(linear_light(again) - linear_light(frame)).max() < (5e-4 if form == "exr" else 3e-5)


def test_a_bt709_frame_comes_as_a_painting_program_expects_it_and_keeps_its_light(tmp_path, frame):
    camera = RgbFrame(frame.pixels, transfer="bt709")
    write_for_drawing(tmp_path / "f.png", camera, "png")
    codes = cv2.imread(str(tmp_path / "f.png"), cv2.IMREAD_UNCHANGED)[..., ::-1] / 65535
    assert np.abs(srgb_to_linear(codes) - linear_light(camera)).max() < 3e-5


def still_document(path, placements=()):
    surface = {"id": "screen", "name": "Screen", "reference_frame": 0, "corners": QUAD}
    return parse_shot(
        {"format": "verdigris.shot", "version": 2, "plate": {"path": str(path)}, "surfaces": [surface], "placements": list(placements)}
    )


def test_guides_lie_on_the_surfaces_edges_and_are_clear_elsewhere(tmp_path):
    facts = MediaFacts(kind="still", width=W, height=H, frame_count=1, rate=None, codec="png", pixel_format="uint8 rgb", bit_depth=8)
    track = {"screen": {0: FrameResult(0, "followed", np.eye(3), np.array(QUAD), np.full(4, 0.1), 0.1, 1.0)}}
    write_guides(tmp_path / "g.png", still_document("x.png"), track, 0, facts)
    alpha = cv2.imread(str(tmp_path / "g.png"), cv2.IMREAD_UNCHANGED)[..., 3]
    assert alpha.shape == (H, W)
    assert alpha[60, 39:42].max() > 120
    assert alpha[60, 99:102].max() > 80
    assert alpha[60, 20] == 0
    assert alpha[50, 70] == 0


def test_a_frame_that_comes_back_undrawn_leaves_the_plate_as_it_was(tmp_path, frame):
    (tmp_path / "plate").mkdir()
    write_for_drawing(tmp_path / "plate" / "p.0000.png", frame, "png")
    write_for_drawing(tmp_path / "back.png", open_media(tmp_path / "plate").frame(0), "png")
    placement = {"id": "a", "surface": "screen", "artwork": {"path": str(tmp_path / "back.png")}, "drawn_over": 0}
    shot = still_document(tmp_path / "plate", [placement])
    track = {"screen": {0: FrameResult(0, "followed", np.eye(3), np.array(QUAD), np.full(4, 0.1), 0.1, 1.0)}}
    with OpenShot(shot, tmp_path) as opened:
        before = opened.plate.frame(0)
        (after,) = opened.composed(track, 0, 1)
    difference = np.abs(after.pixels.astype(int) - before.pixels)
    assert difference[:20].max() == 0
    assert difference.max() <= 6
