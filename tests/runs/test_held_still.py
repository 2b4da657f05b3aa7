"""The plate held still on a canvas, and work painted there riding back to where it was painted."""

import json

import numpy as np
import pytest
from pydantic import ValidationError

from tests.runs.test_mending_and_advice import folder, shot, true_track  # noqa: F401
from verdigris.core.geometry.held_still import HELD, canvas_for, frame_to_still
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.formats.still_json import StillFrames
from verdigris.media.reader import open_media
from verdigris.media.stills import read_still, write_still
from verdigris.runs.errors import RunError
from verdigris.runs.render.compose import check_ready
from verdigris.runs.render.open_shot import OpenShot
from verdigris.runs.scene.held_still import HeldStill
from verdigris.shot.model.artwork import FileArtwork
from verdigris.shot.model.delivery import Delivery, StillPicture
from verdigris.shot.model.placement import Placement

SIZE = (480, 320)


def still_of(shot, track, how="full") -> HeldStill:  # noqa: F811
    return HeldStill(shot.surfaces[0], {"s": track}, how, SIZE)


@pytest.mark.parametrize("how", HELD)
def test_every_frame_finds_room_and_comes_back_to_where_it_was(plate, shot, true_track, how):  # noqa: F811
    still = still_of(shot, true_track, how)
    rim = np.array([[0.0, 0], [480, 0], [480, 320], [0, 320]])
    for n in (0, 25, 59):
        on_canvas = apply_homography(still.canvas_from_plate(n), rim)
        assert on_canvas.min() > -1e-6
        assert np.all(on_canvas.max(axis=0) <= [still.canvas.width + 1e-6, still.canvas.height + 1e-6])
        back = apply_homography(np.linalg.inv(still.canvas_from_plate(n)), on_canvas)
        assert np.allclose(back, rim, atol=1e-6)
    if how == "full":
        where = [apply_homography(still.canvas_from_plate(n), plate.corners_at(n)) for n in (0, 25, 59)]
        assert np.allclose(where[0], where[2], atol=1e-5)


def test_what_is_held_by_position_alone_only_shifts(plate):
    back = frame_to_still(plate.corners, plate.corners_at(40), "position")
    assert np.allclose(back[:2, :2], np.eye(2), atol=1e-12)
    assert np.allclose(back[2], [0, 0, 1])


def test_a_frame_seen_from_the_side_does_not_ask_for_endless_room():
    steep = np.array([[1.0, 0, 0], [0, 1, 0], [0.0019, 0, 0.1]])
    canvas = canvas_for([np.eye(3), steep], 480, 320)
    assert canvas.width <= 3 * 480
    assert canvas.height <= 3 * 320
    assert canvas_for([np.array([[1.0, 0, 0], [0, 1, 0], [-0.01, 0, 1]])], 480, 320).width == 480


def test_stills_are_handed_over_with_their_places_and_nothing_where_the_surface_is_lost(shot, folder, true_track, tmp_path):  # noqa: F811
    track = {**true_track, 7: FrameResult(7, "lost", None, None, None, None, 0.0, "covered")}
    document = shot.model_copy(update={"delivery": Delivery(form="png", still=StillPicture(surface="s"))})
    with OpenShot(document, folder) as opened:
        opened.render({"s": track}, tmp_path / "held")
    said = StillFrames.model_validate(json.loads((tmp_path / "held" / "still.json").read_text()))
    assert len(list((tmp_path / "held").glob("*.png"))) == 60
    assert said.frames[7].canvas_from_plate is None
    empty, seen = (read_still(tmp_path / "held" / f"held.{n:04d}.png") for n in (7, 8))
    assert empty.alpha.max() == 0
    assert (seen.width, seen.height) == (said.width, said.height)
    middle = apply_homography(np.array(said.frames[8].canvas_from_plate), np.array([[240.0, 160.0]]))[0].astype(int)
    assert seen.alpha[middle[1], middle[0]] == 1
    assert seen.alpha[0, 0] < 1


def test_what_is_painted_on_still_frames_rides_back_with_its_edges_whole(plate, shot, folder, true_track, tmp_path):  # noqa: F811
    still = still_of(shot, true_track)
    mark = np.array([[210.0, 130], [270, 132], [268, 190], [212, 188]])
    on_canvas = apply_homography(still.canvas_from_plate(plate.reference), mark)
    low, high = on_canvas.min(axis=0).astype(int) - 2, on_canvas.max(axis=0).astype(int) + 2
    painted = tmp_path / "painted"
    painted.mkdir()
    pixels = np.zeros((still.canvas.height, still.canvas.width, 4), np.uint16)
    pixels[low[1] : high[1], low[0] : high[0]] = [65535, 0, 0, 65535]
    for n in range(60):
        write_still(painted / f"painted.{n:04d}.png", pixels)
    placement = Placement(id="p1", surface="s", artwork=FileArtwork(path=str(painted), rate="24/1"), painted="full")
    document = shot.model_copy(update={"placements": [placement]})
    with OpenShot(document, folder) as opened, open_media(folder / "plate.mp4") as reader:
        for n in (2, 45):
            before = reader.frame(n).codes()
            after = next(iter(opened.composed({"s": true_track}, n, n + 1))).codes()
            area = np.array([[low[0], low[1]], [high[0], low[1]], [high[0], high[1]], [low[0], high[1]]], float)
            there = apply_homography(np.linalg.inv(still.canvas_from_plate(n)), area)
            inner = there.mean(axis=0) + 0.8 * (there - there.mean(axis=0))
            for x, y in inner.astype(int):
                assert after[y, x, 0] > 0.9
                assert after[y, x, 1] < 0.15
            outer = there.mean(axis=0) + 1.25 * (there - there.mean(axis=0))
            for x, y in outer.astype(int):
                assert np.allclose(after[y, x], before[y, x], atol=1e-6)


def test_a_still_delivery_asks_for_stills_and_for_a_track(shot, true_track):  # noqa: F811
    with pytest.raises(ValidationError, match="PNG or EXR"):
        Delivery(form="mp4", still=StillPicture(surface="s"))
    document = shot.model_copy(update={"delivery": Delivery(form="exr", still=StillPicture(surface="s"))})
    check_ready(document, {"s": true_track})
    with pytest.raises(RunError, match="hold the plate still by"):
        check_ready(document, {})
