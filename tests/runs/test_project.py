"""Runs on real files: following with what is known, rendering that goes on, proxies and previews."""

import cv2
import numpy as np
import pytest

from verdigris.core.light.yuv import YuvCoding
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.media.frames import RgbFrame, YuvFrame
from verdigris.media.reader import open_media
from verdigris.media.whole import whole_file
from verdigris.runs.errors import RunError
from verdigris.runs.follow.pace import SCALE, Pace
from verdigris.runs.follow.surface import follow_surface, in_depth_order
from verdigris.runs.render.handover import Stopped, film_parts, side_by_side, still_name
from verdigris.runs.render.kept_frames import keep_frame, restore_frame
from verdigris.runs.render.open_shot import OpenShot, render_key
from verdigris.runs.views.preview import Preview
from verdigris.runs.views.proxies import ProxyReader, proxy_size, write_proxies
from verdigris.shot.model.artwork import FileArtwork
from verdigris.shot.model.delivery import Delivery
from verdigris.shot.model.document import Shot
from verdigris.shot.model.media import Plate
from verdigris.shot.model.placement import Placement
from verdigris.shot.model.region import Region
from verdigris.shot.model.surface import Surface


@pytest.fixture
def folder(plate_film, art_still, tmp_path):
    for source in (plate_film, art_still):
        (tmp_path / source.name).write_bytes(source.read_bytes())
    return tmp_path


@pytest.fixture
def shot(plate) -> Shot:
    quad = tuple((float(x), float(y)) for x, y in plate.corners)
    return Shot(
        plate=Plate(path="plate.mp4"), surfaces=[Surface(id="s", name="Sign", reference_frame=plate.reference, corners=quad)],
        placements=[Placement(id="p1", surface="s", artwork=FileArtwork(path="red.png"), fit="stretch")], delivery=Delivery(preset="veryfast"),
    )  # fmt: skip


@pytest.fixture
def tracks(plate) -> dict[str, dict[int, FrameResult]]:
    return {"s": {n: FrameResult(n, "followed", h, plate.corners_at(n), np.full(4, 0.1), 0.1, 1.0) for n, h in enumerate(plate.truth)}}


def test_progress_keeps_one_scale_never_goes_back_and_never_stands_at_its_end():
    pace, told = Pace(28), []
    for look in range(200):
        pace.look(again=look >= 28)
        told.append((pace.done, pace.phase))
    done = [d for d, _ in told]
    assert done == sorted(done)
    assert done[27] == 400
    assert 900 < done[120] < SCALE
    assert {p for _, p in told[:28]} == {"first look"}
    assert {p for _, p in told[28:]} == {"closer look"}


def test_following_begins_at_the_reference_frame_and_goes_both_ways(folder, shot, plate):
    with OpenShot(shot, folder) as opened:
        order = [s.result.frame for s in follow_surface(opened.plate, shot, shot.surfaces[0]) if not s.again]
    assert order == [30, *range(31, 60), *range(29, -1, -1)]


def test_known_frames_are_kept_and_the_run_goes_on_behind_them(folder, shot, tracks):
    known = {n: tracks["s"][n] for n in (30, 31, 32, 29)}
    with OpenShot(shot, folder) as opened:
        steps = [s for s in follow_surface(opened.plate, shot, shot.surfaces[0], known=known, direction="forwards") if not s.again]
        both = [s.result.frame for s in follow_surface(opened.plate, shot, shot.surfaces[0], known=tracks["s"]) if not s.again]
    assert [s.result.frame for s in steps] == list(range(33, 60))
    assert both == []


def test_a_run_asked_to_stop_stops_between_frames(folder, shot):
    done = []
    with OpenShot(shot, folder) as opened:
        for step in follow_surface(opened.plate, shot, shot.surfaces[0], stop=lambda: len(done) >= 5):
            done.append(step.result.frame)
    assert len(done) == 5


def test_a_plane_that_cannot_be_followed_says_why(folder, shot):
    surface = shot.surfaces[0].model_copy(update={"region": Region(include=[[(1, 1), (6, 1), (6, 6)]])})
    with OpenShot(shot, folder) as opened, pytest.raises(RunError) as error:
        next(follow_surface(opened.plate, shot, surface))
    assert error.value.code == "cannot_follow"
    assert "pixels" in error.value.sentence


def test_nearer_surfaces_are_followed_first():
    surfaces = [Surface(id=i, name=i, depth=d) for i, d in (("a", 3), ("b", 1), ("c", 2))]
    assert [s.id for s in in_depth_order(Shot(plate=Plate(path="p"), surfaces=surfaces))] == ["b", "c", "a"]


def test_a_stopped_render_goes_on_and_parts_of_another_result_are_not_taken(folder, shot, tracks, monkeypatch):
    monkeypatch.setattr("verdigris.runs.render.handover.PART_FRAMES", 20)
    monkeypatch.setattr("verdigris.runs.render.open_shot.film_parts", lambda count: film_parts(count, 20))
    out = folder / "out.mp4"
    with OpenShot(shot, folder) as opened:
        done: list[int] = []
        with pytest.raises(Stopped):
            opened.render(tracks, out, lambda d, t: done.append(d), lambda: bool(done) and done[-1] >= 25)
        parts = list(folder.glob("out.mp4.*.parts/*.mp4"))
        assert [p.name for p in parts] == ["000000.mp4"]
        stamp = parts[0].stat().st_mtime_ns
        with pytest.raises(Stopped):
            opened.render(tracks, out, stopping=lambda: True)
        assert parts[0].stat().st_mtime_ns == stamp
        opened.render(tracks, out)
    with open_media(out) as film:
        assert film.facts.frame_count == 60
    assert not list(folder.glob("*.parts"))
    other = shot.model_copy(update={"delivery": Delivery(crf=30)})
    assert render_key(other, tracks) != render_key(shot, tracks)
    assert render_key(shot, {"s": {**tracks["s"], 3: FrameResult(3, "lost", None, None, None, None, 0)}}) != render_key(shot, tracks)


def test_stills_go_on_where_they_were_and_old_ones_are_replaced(folder, shot, tracks):
    png = shot.model_copy(update={"delivery": Delivery(form="png")})
    out = folder / "stills"
    with OpenShot(png, folder) as opened:
        done: list[int] = []
        with pytest.raises(Stopped):
            opened.render(tracks, out, lambda d, t: done.append(d), lambda: len(done) >= 10)
        first = sorted(out.glob("*.png"))
        assert 10 <= len(first) < 60
        stamps = {p: p.stat().st_mtime_ns for p in first}
        opened.render(tracks, out)
        assert all(p.stat().st_mtime_ns == s for p, s in stamps.items())
        assert len(list(out.glob("*.png"))) == 60
        assert not (out / ".rendering").exists()
        (out / ".rendering").write_text("another result")
        opened.render(tracks, out)
    assert all(p.stat().st_mtime_ns != s for p, s in stamps.items())


def test_pictures_worked_on_side_by_side_come_in_order_and_errors_come_out():
    frames = [RgbFrame(np.full((1, 1, 3), n, np.uint8)) for n in range(40)]
    assert [int(f.pixels[0, 0, 0]) for f in side_by_side(iter(frames), lambda f: f, 3)] == list(range(40))

    def break_at_seven(frame: RgbFrame) -> RgbFrame:
        if frame.pixels[0, 0, 0] == 7:
            raise ValueError("seven")
        return frame

    with pytest.raises(ValueError, match="seven"):
        list(side_by_side(iter(frames), break_at_seven))


def test_names_of_parts_and_stills(tmp_path):
    assert film_parts(130, 60) == [(0, 60), (60, 120), (120, 130)]
    assert still_name("kiosk", 1001, "png") == "kiosk.1001.png"
    assert still_name("kiosk", 7, "exr") == "kiosk.0007.exr"


def test_a_file_that_could_not_be_finished_leaves_nothing(tmp_path):
    def write() -> None:
        with whole_file(tmp_path / "a.mp4") as unfinished:
            assert unfinished.suffix == ".mp4"
            unfinished.write_bytes(b"half")
            raise OSError("no room")

    with pytest.raises(OSError, match="no room"):
        write()
    assert not list(tmp_path.glob("*.mp4"))


@pytest.mark.parametrize("coding", [None, YuvCoding("bt709", False, 8, 1, 1), YuvCoding("bt709", False, 10, 0, 0)])
def test_a_kept_frame_comes_back_bit_for_bit(tmp_path, coding):
    rng = np.random.default_rng(1)
    if coding is None:
        plate: RgbFrame | YuvFrame = RgbFrame(rng.integers(0, 256, (40, 60, 3), dtype=np.uint8))
    else:
        kind = np.uint8 if coding.depth == 8 else np.uint16
        shape = (40 >> coding.shift_y, 60 >> coding.shift_x)
        plate = YuvFrame((rng.integers(30, 200, (40, 60)).astype(kind), *(rng.integers(90, 160, shape).astype(kind) for _ in "uv")), coding)
    box = (10, 8, 40, 30)
    before = plate.codes(box)
    touched = np.zeros((22, 30), bool)
    touched[5:15, 6:20] = True
    composed = plate.with_region(box, before, np.where(touched[..., None], 0.3, before).astype(np.float32), touched)
    keep_frame(tmp_path / "f.npz", plate, composed)
    back = restore_frame(tmp_path / "f.npz", plate)
    if isinstance(back, YuvFrame):
        assert all(np.array_equal(a, b) for a, b in zip(back.planes, composed.planes, strict=True))
    else:
        assert np.array_equal(back.pixels, composed.pixels)
    keep_frame(tmp_path / "same.npz", plate, plate)
    assert (tmp_path / "same.npz").stat().st_size < 200


def test_proxies_are_written_once_stop_and_go_on(folder, plate_film):
    proxies = folder / "proxies"
    with open_media(plate_film) as reader:
        seen: list[int] = []
        assert not write_proxies(reader, proxies, lambda d, t: seen.append(d), lambda: len(seen) >= 8)
        assert len(list(proxies.iterdir())) == 8
        assert write_proxies(reader, proxies, lambda d, t: None, lambda: False)
        small = ProxyReader(proxies, reader.facts)
        assert (small.facts.width, small.facts.height) == (480, 320)
        assert np.abs(small.frame(20).pixels.astype(float) - reader.frame(20).rgb_integers()).mean() < 2
        half = ProxyReader(proxies, reader.facts, reduce=2)
        assert half.frame(20).pixels.shape == (160, 240, 3)
    assert proxy_size(1920, 1080) == (1280, 720)
    assert proxy_size(640, 3000) == (273, 1280)


def test_a_preview_shows_what_the_result_will(folder, shot, tracks, plate, plate_film, art_still):
    sources = {}
    for name, source in (("b" * 64, plate_film), ("a" * 64, art_still)):
        with open_media(source) as reader:
            write_proxies(reader, folder / name, lambda d, t: None, lambda: False)
            sources[name] = (folder / name, reader.facts)
    inside = shot.model_copy(
        update={
            "plate": Plate(path=None, media="b" * 64),
            "placements": [p.model_copy(update={"artwork": FileArtwork(path=None, media="a" * 64)}) for p in shot.placements],
        }
    )
    preview = cv2.imdecode(np.frombuffer(Preview(inside, tracks, sources).jpeg(12), np.uint8), 1)[..., ::-1]
    with OpenShot(shot, folder) as opened:
        result = next(iter(opened.composed(tracks, 12, 13))).rgb_integers()
    assert np.abs(preview.astype(float) - result).mean() < 3
    x, y = plate.corners_at(12).mean(axis=0).astype(int)
    assert np.allclose(preview[y, x], [210, 40, 30], atol=6)
