"""What is nearer takes its area; composed frames; what is missing is said first."""

from functools import partial

import numpy as np
import pytest

from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.media.facts import MediaFacts
from verdigris.media.frames import RgbFrame
from verdigris.runs.errors import RunError
from verdigris.runs.render.compose import check_ready, draw_frame, frames_without_track, plan_frame
from verdigris.runs.scene.artwork import PlacedArtwork
from verdigris.runs.scene.in_front import corners_at, coverage_in_front, in_front_of, outline_at
from verdigris.shot.model.artwork import FileArtwork
from verdigris.shot.model.document import Shot
from verdigris.shot.model.match import Grade, Movement, SurfaceMatch
from verdigris.shot.model.media import Plate
from verdigris.shot.model.outline import Occluder, ShapeKey
from verdigris.shot.model.placement import Placement
from verdigris.shot.model.surface import Correction, Surface

W, H = 120, 80
BACK = ((10.0, 10.0), (110.0, 10.0), (110.0, 70.0), (10.0, 70.0))
FRONT = ((40.0, 20.0), (80.0, 20.0), (80.0, 60.0), (40.0, 60.0))


def result(n: int, dx: float = 0.0, lost: bool = False) -> FrameResult:
    h = np.array([[1, 0, dx], [0, 1, 0], [0, 0, 1.0]])
    return FrameResult(n, "lost" if lost else "followed", None if lost else h, None, None, None, 1.0)


class Still:
    """Artwork of one colour."""

    def __init__(self, value: int) -> None:
        self.facts = MediaFacts(kind="still", width=20, height=12, frame_count=1, rate=None, codec="png", pixel_format="u8", bit_depth=8)
        self.value = value

    def frame(self, n: int) -> RgbFrame:
        return RgbFrame(np.full((12, 20, 3), self.value, np.uint8))

    def close(self) -> None:
        pass


PLATE = MediaFacts(kind="film", width=W, height=H, frame_count=3, rate=None, codec="x", pixel_format="u8", bit_depth=8)


@pytest.fixture
def shot() -> Shot:
    return Shot(
        plate=Plate(path="p.mp4"),
        surfaces=[Surface(id="back", name="Wall", depth=2, corners=BACK), Surface(id="front", name="Card", depth=1, corners=FRONT)],
        occluders=[
            Occluder(id="post", name="Post", depth=0, span=(1, 2), feather_px=0, keys=[
                ShapeKey(frame=0, points=[(0, 0), (20, 0), (20, 80), (0, 80)]), ShapeKey(frame=2, points=[(40, 0), (60, 0), (60, 80), (40, 80)])])
        ],
        placements=[Placement(id=s, surface=s, artwork=FileArtwork(path="a.png"), fit="stretch", overshoot_px=0) for s in ("front", "back")],
    )  # fmt: skip


TRACKS = {"back": {n: result(n) for n in range(3)}, "front": {0: result(0), 1: result(1, 10), 2: result(2, lost=True)}}


def test_an_occluder_is_there_within_its_span_and_moves_between_keys(shot):
    assert outline_at(shot.occluder("post"), 0) is None
    assert outline_at(shot.occluder("post"), 1)[0] == pytest.approx([20, 0])


def test_nearer_occluders_and_surfaces_stand_in_front_and_farther_ones_do_not(shot):
    assert len(in_front_of(shot, shot.surface("back"), TRACKS, 1, (W, H))[0]) == 2
    assert len(in_front_of(shot, shot.surface("front"), TRACKS, 1, (W, H))[0]) == 1
    assert in_front_of(shot, shot.surface("front"), TRACKS, 0, (W, H))[0] == []
    cover = coverage_in_front(shot, shot.surface("back"), TRACKS, 1, W, H)
    assert cover[40, 70] == 1
    assert cover[40, 30] == 1
    assert cover[40, 105] == 0
    assert coverage_in_front(shot, shot.surface("front"), TRACKS, 0, W, H) is None


def test_corners_follow_the_track_and_its_corrections(shot):
    card = shot.surface("front").model_copy(update={"corrections": [Correction(frame=1, corner=0, dx_px=2, dy_px=-1)], "reach_frames": 0})
    assert corners_at(card, TRACKS["front"], 1)[0] == pytest.approx([52, 19])
    assert corners_at(card, TRACKS["front"], 0)[0] == pytest.approx([40, 20])
    assert corners_at(card, TRACKS["front"], 2) is None
    assert corners_at(card, {}, 0) is None


def opened(art, ref):
    return art


def test_a_nearer_surface_covers_a_farther_one_and_a_post_covers_both(shot):
    plate = RgbFrame(np.full((H, W, 3), 100, np.uint8))
    codes = {"back": 30, "front": 220}
    placed = [PlacedArtwork(p, shot.surface(p.surface), partial(opened, Still(codes[p.surface or ""])), PLATE) for p in shot.placements]
    out = draw_frame(plan_frame(shot, placed, TRACKS, 1), placed, plate).pixels[..., 0]
    assert out[40, 75] == 220
    assert out[40, 100] == 30
    assert out[40, 25] == 100
    assert out[3, 3] == 100
    lost = draw_frame(plan_frame(shot, placed, TRACKS, 2), placed, plate).pixels[..., 0]
    assert lost[40, 75] == 30


def test_the_plate_itself_is_never_written_into(shot):
    plate = RgbFrame(np.full((H, W, 3), 100, np.uint8))
    placed = [PlacedArtwork(p, shot.surface(p.surface), lambda _: Still(30), PLATE) for p in shot.placements]
    draw_frame(plan_frame(shot, placed, TRACKS, 0), placed, plate)
    assert (plate.pixels == 100).all()


def test_what_is_missing_before_rendering_is_said(shot):
    cases = [
        (shot.model_copy(update={"placements": []}), TRACKS, "nothing_placed"),
        (shot, {"back": TRACKS["back"]}, "not_tracked"),
        (shot.model_copy(update={"surfaces": [s.model_copy(update={"corners": None}) for s in shot.surfaces]}), TRACKS, "no_corners"),
    ]
    for document, tracks, code in cases:
        with pytest.raises(RunError) as error:
            check_ready(document, tracks)
        assert error.value.code == code
    check_ready(shot, TRACKS)
    assert frames_without_track(shot, TRACKS, 3) == [2]


def test_a_moving_outline_is_blurred_by_the_shutter_and_only_where_its_movement_is_told(shot):
    tracks = {s.id: {n: result(n) for n in range(3)} for s in shot.surfaces}

    def post(frame, shutter):
        shot.occluders[0] = shot.occluders[0].model_copy(update={"shutter": shutter})
        return in_front_of(shot, shot.surface("back"), tracks, frame, (W, H), blurred=True)[0][0]

    # It goes 20 px a frame: half a frame of it lies evenly around where it is.
    moving = post(1, 0.5)
    assert moving.ndim == 3
    assert moving.mean(axis=0) == pytest.approx(post(1, 0.0))
    assert np.ptp(moving[:, 0, 0]) == pytest.approx(10 * (1 - 1 / len(moving)))
    # Beyond its last key it is only held, and there it goes on as it came.
    assert np.ptp(post(2, 0.5)[:, 0, 0]) == pytest.approx(np.ptp(moving[:, 0, 0]))
    # Without a shutter of its own, that of a match counts; without either, it is sharp.
    assert post(1, None).ndim == 2
    matched = shot.model_copy(update={"match": [SurfaceMatch(surface="back", movement=Movement(shutter=0.25))]})
    [[quarter, _], _] = in_front_of(matched, shot.surface("back"), tracks, 1, (W, H), blurred=True)
    assert np.ptp(quarter[:, 0, 0]) == pytest.approx(5 * (1 - 1 / len(quarter)))


def test_the_whole_picture_is_graded_after_everything_else_and_not_at_all_without_strength(shot):
    tracks = {s.id: {n: result(n) for n in range(3)} for s in shot.surfaces}
    rng = np.random.default_rng(2)
    picture = RgbFrame(rng.integers(0, 60000, (H, W, 3)).astype(np.uint16))

    def drawn(grade):
        graded = shot.model_copy(update={"grade": grade})
        placed = [PlacedArtwork(p, graded.surface(p.surface), lambda ref: Still(200), PLATE) for p in graded.placements]
        return draw_frame(plan_frame(graded, placed, tracks, 1), placed, picture).pixels

    plain = drawn(None)
    assert np.array_equal(drawn(Grade(slope=(0.5, 1.0, 1.0), strength=0.0)), plain)
    half = drawn(Grade(slope=(0.5, 1.0, 1.0)))
    assert np.abs(half[..., 0].astype(float) - plain[..., 0] * 0.5).max() < 12
    assert np.abs(half[..., 1:].astype(float) - plain[..., 1:]).max() < 12
