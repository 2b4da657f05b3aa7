"""What a track knows of the camera reaches the delivered picture, what is in front, and what is kept for the next delivery."""

from dataclasses import replace

import numpy as np
import pytest

from verdigris.core.camera.optics import Optics
from verdigris.core.geometry.lens import Lens
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.formats.track_json import make_track, read_tracks, write_tracks
from verdigris.media.facts import MediaFacts
from verdigris.media.frames import RgbFrame
from verdigris.runs.render.compose import draw_frame, plan_frame
from verdigris.runs.render.kept_frames import KeptFrames
from verdigris.runs.scene.artwork import PlacedArtwork
from verdigris.runs.scene.in_front import in_front_of
from verdigris.runs.scene.mending import used_tracks
from verdigris.shot.model.artwork import FileArtwork
from verdigris.shot.model.document import Shot
from verdigris.shot.model.media import Plate
from verdigris.shot.model.placement import Placement
from verdigris.shot.model.surface import Surface

W, H = 320, 240
LENS = Lens((W / 2, H / 2), 200.0, -0.2)
IDEAL = np.array([[60.0, 30], [270, 34], [262, 190], [56, 186]])
CORNERS = LENS.distort(IDEAL)
FACTS = MediaFacts(kind="film", width=W, height=H, frame_count=3, rate=None, codec="x", pixel_format="u8", bit_depth=8)


class White:
    """A white still."""

    facts = FACTS.model_copy(update={"kind": "still", "width": 20, "height": 15, "frame_count": 1})

    def frame(self, n: int) -> RgbFrame:
        return RgbFrame(np.full((15, 20, 3), 255, np.uint8))

    def close(self) -> None:
        pass


def quad(corners: np.ndarray) -> tuple:
    return tuple((float(x), float(y)) for x, y in corners)


@pytest.fixture
def shot() -> Shot:
    wall = Surface(id="wall", name="Wall", depth=2, corners=quad(IDEAL + [[-20, 0], [20, 0], [20, 20], [-20, 20]]))
    return Shot(
        plate=Plate(path="p.mp4"), surfaces=[Surface(id="s", name="Sign", depth=1, corners=quad(CORNERS)), wall],
        placements=[Placement(id="p1", surface="s", artwork=FileArtwork(path="a.png"), fit="stretch", overshoot_px=0)],
    )  # fmt: skip


@pytest.fixture
def tracks(tmp_path) -> dict[str, dict[int, FrameResult]]:
    """As they come back from a file."""
    camera = Optics(W, H, LENS)
    results = [FrameResult(n, "followed", np.eye(3), CORNERS, np.full(4, 0.1), 0.1, 1.0, camera=camera) for n in range(3)]
    write_tracks(tmp_path / "t.json", [make_track("s", 0, results, mended=True)])
    return {
        **used_tracks(Shot(plate=Plate(path="p")), read_tracks(tmp_path / "t.json")),
        "wall": {n: replace(r, camera=None) for n, r in enumerate(results)},
    }


def drawn(shot: Shot, tracks) -> np.ndarray:
    placed = [PlacedArtwork(p, shot.surface(p.surface), lambda _: White(), FACTS) for p in shot.placements]
    plate = RgbFrame(np.full((H, W, 3), 20, np.uint8))
    return draw_frame(plan_frame(shot, placed, tracks, 1), placed, plate).pixels[..., 0]


def mid_edge(column: np.ndarray) -> float:
    """Where a column becomes white, px, from the light its edge pixel has."""
    first = int(np.argmax(column > 250))
    code = column[first - 1] / 255
    return first - float(((code + 0.055) / 1.055) ** 2.4 if code > 0.04045 else code / 12.92)


def test_edges_run_as_the_lens_shows_them_from_the_tracks_file_or_from_the_document(shot, tracks):
    seen = LENS.distort((IDEAL[0] + IDEAL[1])[None] / 2)[0]
    straight = (CORNERS[0] + CORNERS[1]) / 2
    assert straight[1] - seen[1] > 2
    with_lens = drawn(shot, tracks)
    assert mid_edge(with_lens[:, int(seen[0])]) == pytest.approx(seen[1], abs=0.06)
    bare = {k: {n: replace(r, camera=None) for n, r in t.items()} for k, t in tracks.items()}
    assert mid_edge(drawn(shot, bare)[:, int(seen[0])]) == pytest.approx(straight[1], abs=0.06)
    given = Shot.model_validate({**shot.model_dump(), "lens": {"mode": "given", "k1": -0.2}})
    told = drawn(given, bare)
    assert mid_edge(told[:, int(seen[0])]) == pytest.approx(seen[1], abs=0.06)


def test_what_a_bent_surface_hides_is_bent_too(shot, tracks):
    polygons, _ = in_front_of(shot, shot.surface("wall"), tracks, 1, (W, H))
    seen = LENS.distort((IDEAL[0] + IDEAL[1])[None] / 2)[0]
    assert np.linalg.norm(polygons[0] - seen, axis=1).min() < 0.05


def test_a_plan_stands_for_its_picture_and_only_what_differs_is_drawn_anew(shot, tracks, tmp_path):
    placed = [PlacedArtwork(p, shot.surface(p.surface), lambda _: White(), FACTS) for p in shot.placements]
    plan = plan_frame(shot, placed, tracks, 1)
    renamed = shot.model_copy(update={"name": "other", "surfaces": [x.model_copy(update={"name": "other"}) for x in shot.surfaces]})
    assert plan_frame(renamed, placed, tracks, 1).key == plan.key
    moved = {**tracks, "s": {**tracks["s"], 1: replace(tracks["s"][1], homography=np.array([[1, 0, 0.01], [0, 1, 0], [0, 0, 1.0]]))}}
    keys = {plan.key, plan_frame(shot, placed, moved, 1).key, plan_frame(shot, placed, tracks, 2).key}
    given = shot.model_copy(update={"plate": Plate(path="q.mp4")})
    assert len(keys | {plan_frame(given, placed, tracks, 1).key}) == 4

    plate, drawn_times = RgbFrame(np.full((H, W, 3), 20, np.uint8)), []

    def draw():
        drawn_times.append(1)
        return draw_frame(plan, placed, plate)

    first = KeptFrames(tmp_path / "first")
    result = first.frame(plan, plate, draw)
    again = KeptFrames(tmp_path / "second", tmp_path / "first")
    assert np.array_equal(again.frame(plan, plate, draw).pixels, result.pixels)
    assert (len(drawn_times), again.count) == (1, 1)
    again.frame(plan_frame(shot, placed, moved, 1), plate, draw)
    assert (len(drawn_times), again.count) == (2, 2)
