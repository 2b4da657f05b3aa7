"""What several placements, mattes, times and layouts make of a frame."""

import json
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest

from verdigris.core.light.transfer import linear_to_srgb, srgb_to_linear
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.runs.errors import RunError
from verdigris.runs.render.handover import MatteStill
from verdigris.runs.render.open_shot import OpenShot
from verdigris.runs.scene.artwork import PlacedArtwork, open_ref
from verdigris.shot.errors import ShotError
from verdigris.shot.model.document import parse_shot
from verdigris.shot.model.without import without

W, H, N = 200, 120, 6
QUAD = [[40.0, 20], [160, 20], [160, 100], [40, 100]]
GREEN, SKIN, WALL, ART = (0.05, 0.5, 0.1), (0.45, 0.27, 0.18), (0.2, 0.2, 0.2), (0.6, 0.1, 0.3)


def save(path: Path, light: np.ndarray, alpha: np.ndarray | None = None) -> None:
    codes = np.clip(linear_to_srgb(light), 0, 1) * 65535 + 0.5
    picture = codes.astype(np.uint16)[..., ::-1]
    if alpha is not None:
        picture = np.dstack([picture, (alpha * 65535).astype(np.uint16)])
    cv2.imwrite(str(path), picture)


def light_of(path: Path) -> np.ndarray:
    return srgb_to_linear(cv2.imread(str(path), cv2.IMREAD_UNCHANGED)[..., 2::-1] / 65535)


def finger(n: int) -> np.ndarray:
    """Share of each pixel that a finger covers."""
    x = np.arange(W * 8) / 8
    row = (np.abs(x - 100.3 - n) < 15).astype(float).reshape(W, 8).mean(axis=1)
    return np.broadcast_to(row, (H, W)) * (np.arange(H)[:, None] >= 50)


@pytest.fixture(scope="module")
def folder(tmp_path_factory) -> Path:
    folder = tmp_path_factory.mktemp("placed")
    (folder / "plate").mkdir()
    inside = np.zeros((H, W, 1))
    inside[20:100, 40:160] = 1
    for n in range(N):
        m = finger(n)[..., None]
        save(folder / "plate" / f"p.{n:04d}.png", m * SKIN + (1 - m) * (inside * GREEN + (1 - inside) * WALL))
    save(folder / "art.png", np.broadcast_to(ART, (40, 60, 3)))
    (folder / "film").mkdir()
    for n in range(3):
        save(folder / "film" / f"f.{n:04d}.png", np.full((40, 60, 3), 0.2 * (n + 1)))
    half = np.zeros((H, W))
    half[60:80, 60:80] = 1
    save(folder / "over.png", np.broadcast_to((0.9, 0.9, 0.1), (H, W, 3)), half)
    save(folder / "matte.png", np.repeat(half[..., None], 3, axis=2))
    return folder


def track(step: float = 0.0) -> dict:
    results = {}
    for n in range(N):
        h = np.array([[1, 0, step * n], [0, 1, 0], [0, 0, 1.0]])
        results[n] = FrameResult(n, "followed", h, np.array(QUAD) + [step * n, 0], np.full(4, 0.1), 0.1, 1.0)
    return {"screen": results}


def document(placements: list[dict], mattes: list[dict] | None = None, **rest) -> dict:
    base = {"artwork": {"path": "art.png"}, "surface": "screen", "fit": "stretch", "overshoot_px": 0}
    placed = [{"id": f"p{i}", **base, **p} for i, p in enumerate(placements)]
    surface = {"id": "screen", "name": "Screen", "depth": 1, "corners": QUAD}
    head = {"format": "verdigris.shot", "version": 2, "plate": {"path": "plate", "rate": "24/1"}, "surfaces": [surface]}
    return {**head, "placements": placed, "mattes": mattes or [], "delivery": {"form": "png"}, **rest}


def drawn(folder: Path, document: dict, frame: int = 2, tracks: dict | None = None) -> np.ndarray:
    with OpenShot(parse_shot(document), folder) as opened:
        (one,) = opened.film_frames(track() if tracks is None else tracks, frame, frame + 1)
        return one.light_of(one.values((0, 0, W, H)))


KEY = {"kind": "key", "samples": [{"frame": 0, "polygon": [[45, 25], [75, 25], [75, 45], [45, 45]]}]}
THUMB = {"id": "thumb", "surface": "screen", "parts": [KEY]}


def test_a_keyed_finger_stays_in_front_and_its_edges_mix_with_the_new_picture(folder):
    out = drawn(folder, document([{"kept_in_front": ["thumb"]}], [THUMB]))
    m = finger(2)[..., None]
    wanted = m * SKIN + (1 - m) * np.array(ART)
    assert np.abs(out - wanted)[25:95, 45:155].max() < 0.02
    plate = light_of(folder / "plate" / "p.0002.png")
    assert np.abs(out - plate)[:, :38].max() < 1e-4


def test_a_shape_limits_a_key_and_a_matte_may_be_where_artwork_is_seen(folder):
    shape = {
        "kind": "shape",
        "combine": "intersect",
        "keys": [{"frame": 0, "points": [[85, 70], [125, 70], [125, 100], [85, 100]]}],
        "rides": "screen",
    }
    limited = drawn(folder, document([{"kept_in_front": ["thumb"]}], [{**THUMB, "parts": [KEY, shape]}]))
    assert limited[60, 102] == pytest.approx(ART, abs=5e-3)
    assert limited[85, 102] == pytest.approx(SKIN, abs=5e-3)
    # A wide one keeps all of the key, and asks for no more than the surface's neighbourhood.
    wide = {**shape, "keys": [{"frame": 0, "points": [[2, 2], [198, 2], [198, 118], [2, 118]]}]}
    for only in ([{"kept_in_front": ["thumb"]}], [{"shown_only_in": ["thumb"]}]):
        kept = [
            drawn(folder, document(only, [{**THUMB, "parts": parts}]))
            for parts in ([KEY], [KEY, wide], [{**wide, "combine": "add"}, {**KEY, "combine": "intersect"}])
        ]
        assert np.abs(kept[1] - kept[0]).max() < 1e-6
        assert np.abs(kept[2] - kept[0]).max() < 0.02
    within = drawn(folder, document([{"shown_only_in": ["thumb"]}], [THUMB]))
    assert within[85, 102] == pytest.approx(ART, abs=5e-3)
    assert within[40, 60] == pytest.approx(GREEN, abs=5e-3)


def test_mattes_of_other_kinds_say_what_is_in_front(folder):
    def cover(part: dict, tracks: dict | None = None, **more) -> np.ndarray:
        delivery = {"form": "png", "matte": "m"}
        shot = parse_shot(document([], [{"id": "m", "surface": "screen", "parts": [part]}], **more) | {"delivery": delivery})
        with OpenShot(shot, folder) as opened:
            (still,) = opened.composed(tracks or track(), 2, 3)
            assert isinstance(still, MatteStill)
            return still.cover

    red = cover({"kind": "brightness", "channel": "red", "low": [0.5, 0.6]})
    assert red[85, 102] == 1
    assert red[30, 60] == 0
    region = cover({"kind": "region", "surface": "screen"})
    assert region[60, 60] == 0
    outline = {"id": "o", "name": "Post", "feather_px": 0, "keys": [{"frame": 0, "points": [[50, 30], [70, 30], [70, 90], [50, 90]]}]}
    post = cover({"kind": "outline", "outline": "o"}, occluders=[outline])
    assert (post[60, 60], post[60, 80]) == (1, 0)
    differs = cover({"kind": "difference", "clean": {"path": "plate/p.0000.png"}, "low": 0.05, "high": 0.1})
    assert differs[85, 117] == 1
    assert differs[85, 60] == 0
    lost = track()
    lost["screen"][2] = FrameResult(2, "lost", None, None, None, None, 0.0)
    assert cover(KEY)[85, 102] == 1
    assert cover(KEY, lost).max() == 0
    filed = cover({"kind": "file", "file": {"path": "matte.png"}, "invert": True, "strength": 0.5})
    assert (filed[70, 70], filed[30, 60]) == (0, pytest.approx(0.5))
    with pytest.raises(RunError) as error:
        cover({"kind": "file", "file": {"path": "art.png"}})
    assert error.value.code == "wrong_size"
    with pytest.raises(RunError) as error:
        cover({**KEY, "samples": [{"frame": 0, "polygon": [[500, 500], [510, 500], [510, 510]]}]})
    assert error.value.code == "bad_key"


def test_placements_lie_on_each_other_in_their_order_blended_and_half_seen(folder):
    colour = {"artwork": {"kind": "colour", "rgb": [188, 188, 188]}}
    grey = srgb_to_linear(np.array(188 / 255))
    assert drawn(folder, document([{}, {**colour, "blend": "multiply"}]))[60, 60] == pytest.approx(np.array(ART) * grey, abs=5e-3)
    assert drawn(folder, document([{}, {**colour, "opacity": 0.5}]))[60, 60] == pytest.approx((np.array(ART) + grey) / 2, abs=5e-3)
    assert drawn(folder, document([{}, {**colour, "on": False}]))[60, 60] == pytest.approx(ART, abs=5e-3)
    keys = [{"frame": 0, "value": 0}, {"frame": 4, "value": 1}]
    assert drawn(folder, document([{}, {**colour, "opacity": keys}]), 1)[60, 60] == pytest.approx(
        0.75 * np.array(ART) + 0.25 * grey, abs=5e-3
    )


def test_an_area_of_its_own_is_carried_by_the_surfaces_track(folder):
    area = [[60, 40], [90, 40], [90, 60], [60, 60]]
    out = drawn(folder, document([{"area": area}]), 3, track(2.0))
    assert out[50, 70] == pytest.approx(ART, abs=5e-3)
    assert out[50, 94] == pytest.approx(ART, abs=5e-3)
    assert out[50, 64] == pytest.approx(GREEN, abs=5e-3)
    still = drawn(folder, document([{"area": area, "surface": None}]), 3, track(2.0))
    assert still[50, 62] == pytest.approx(ART, abs=5e-3)


def test_artwork_is_moved_scaled_turned_and_cropped_in_its_area(folder):
    half = {"layout": [{"scale": [0.5, 0.5]}], "surround": "plate"}
    out = drawn(folder, document([half]), 0)
    assert out[30, 100] == pytest.approx(GREEN, abs=5e-3)
    assert out[45, 75] == pytest.approx(ART, abs=5e-3)
    assert drawn(folder, document([{"layout": [{"scale": [0.5, 0.5]}]}]), 0)[25, 100] == pytest.approx(0, abs=1e-3)
    moved = drawn(folder, document([{**half, "layout": [{"scale": [0.5, 0.5], "move": [0.25, 0.25]}]}]), 0)
    assert moved[95, 155] == pytest.approx(ART, abs=5e-3)
    assert moved[45, 75] == pytest.approx(GREEN, abs=5e-3)
    turned = drawn(folder, document([{**half, "layout": [{"scale": [0.5, 0.25], "turn_deg": 90}]}]), 0)
    # Then as high as it was wide: 60 by 20 px stand upright.
    assert turned[32, 95] == pytest.approx(ART, abs=5e-3)
    assert turned[48, 80] == pytest.approx(GREEN, abs=5e-3)
    cropped = drawn(folder, document([{"surround": "plate", "layout": [{"crop": [0.5, 0, 0, 0]}]}]), 0)
    assert cropped[30, 60] == pytest.approx(GREEN, abs=5e-3)
    assert cropped[30, 150] == pytest.approx(ART, abs=5e-3)
    keyed = [{"frame": 0, "move": [0, 0], "scale": [0.25, 0.25]}, {"frame": 4, "move": [0.4, 0], "scale": [0.25, 0.25]}]
    assert drawn(folder, document([{"surround": "plate", "layout": keyed}]), 2)[52, 124] == pytest.approx(ART, abs=5e-3)


def test_corners_are_rounded_and_a_shadow_falls_on_the_plane(folder):
    rounded = drawn(folder, document([{"rounding": 0.4}]), 0)
    assert rounded[22, 42] == pytest.approx(GREEN, abs=5e-3)
    assert rounded[22, 100] == pytest.approx(ART, abs=5e-3)
    small = {"area": [[60, 30], [80, 30], [80, 45], [60, 45]], "shadow": {"offset": [0.5, 0], "soft": 0.05, "strength": 0.5}}
    out = drawn(folder, document([small]), 0)
    assert out[37, 70] == pytest.approx(ART, abs=5e-3)
    assert out[37, 86] == pytest.approx(np.array(GREEN) / 2, abs=0.01)


def test_artwork_runs_at_its_own_time(folder):
    film = {"artwork": {"path": "film", "rate": "12/1"}}

    def shade(n: int, **time) -> float:
        return float(drawn(folder, document([{**film, "time": time}]), n)[30, 60, 0])

    assert [shade(n) for n in (0, 2, 5)] == pytest.approx([0.2, 0.4, 0.6], abs=5e-3)
    assert shade(3, frames="blended") == pytest.approx(0.5, abs=5e-3)
    assert shade(5, rate="plate", after="loop") == pytest.approx(0.6, abs=5e-3)
    assert shade(5, rate="plate", after="end") == pytest.approx(GREEN[0], abs=5e-3)


def test_what_was_drawn_over_a_frame_is_exact_there_and_rides_from_there(folder):
    over = {"artwork": {"path": "over.png"}, "drawn_over": 2}
    here = drawn(folder, document([over]), 2, track(3.0))
    there = drawn(folder, document([over]), 4, track(3.0))
    yellow = np.array([0.9, 0.9, 0.1])
    assert np.abs(here[60:80, 60:80] - yellow).max() < 0.01
    assert there[70, 84] == pytest.approx(yellow, abs=0.01)
    assert there[70, 62] == pytest.approx(GREEN, abs=5e-3)
    with pytest.raises(RunError) as error:
        drawn(folder, document([{"artwork": {"path": "art.png"}, "drawn_over": 2}]))
    assert error.value.code == "wrong_size"


def test_what_cannot_be_drawn_says_which_part_it_is_and_the_rest_is_drawn_once_it_is_left_out(folder):
    save(folder / "small.png", np.ones((10, 10, 3)))
    parts = [{"kind": "brightness", "low": [0.9, 1.0], "high": [1.0, 1.0]}, {"kind": "file", "file": {"path": "small.png"}}]
    data = document([{"id": "good", "kept_in_front": ["sheet"]}], mattes=[{"id": "sheet", "surface": "screen", "parts": parts}])
    with pytest.raises(RunError) as error:
        drawn(folder, data)
    assert error.value.facts["part"] == "sheet:2"
    assert "Matte sheet, part 2" in error.value.sentence
    assert "off" in error.value.sentence
    shot = parse_shot(data)
    assert drawn(folder, without(shot, ["sheet:2"]).to_json())[30, 60] == pytest.approx(ART, abs=5e-3)
    assert not any(p.on for p in without(shot, ["sheet"]).matte("sheet").parts)
    assert drawn(folder, without(shot, ["good"]).to_json())[30, 60] == pytest.approx(GREEN, abs=5e-3)
    for unknown in ("nothing", "sheet:3", "sheet:x"):
        with pytest.raises(ShotError) as refused:
            without(shot, [unknown])
        assert refused.value.code == "unknown_id"
    fill = {"path": "art.png", "matte": {"path": "small.png"}}
    with pytest.raises(RunError) as error:
        drawn(folder, document([{"id": "good"}, {"id": "sticker", "name": "Sticker", "artwork": fill}]))
    assert error.value.facts["part"] == "sticker"
    assert error.value.sentence.startswith("Sticker: ")


def test_it_rides_by_its_place_only_and_goes_on_beyond_its_area(folder):
    growing = track()
    h = np.array([[2.0, 0, -90], [0, 2, -60], [0, 0, 1]])
    growing["screen"][3] = FrameResult(3, "followed", h, np.array(QUAD) * 2 - [90, 60], np.full(4, 0.1), 0.1, 1.0)
    area = [[90, 50], [110, 50], [110, 70], [90, 70]]
    flat, whole = (drawn(folder, document([{"area": area, "rides": r}]), 3, growing) for r in ("position", "full"))
    covered = [int((np.abs(x - np.array(ART)).max(axis=2) < 0.01).sum()) for x in (flat, whole)]
    assert covered == [pytest.approx(400, abs=30), pytest.approx(1600, abs=60)]
    sky = drawn(folder, document([{"area": area, "beyond": "repeat"}]), 0)
    assert np.abs(sky - np.array(ART)).max() < 0.01


def test_running_orders_text_and_charts_are_made_here(folder):
    order = {"kind": "order", "width": 60, "height": 40, "items": [
        {"artwork": {"kind": "colour", "rgb": [255, 0, 0]}, "frames": 2}, {"artwork": {"path": "art.png"}, "frames": 2, "dissolve": 1, "fit": "stretch"}]}  # fmt: skip
    seen = [drawn(folder, document([{"artwork": order}]), n)[30, 60] for n in (0, 2, 3)]
    assert seen[0] == pytest.approx([1, 0, 0], abs=5e-3)
    assert seen[1] == pytest.approx((np.array([1, 0, 0]) + ART) / 2, abs=5e-3)
    assert seen[2] == pytest.approx(ART, abs=5e-3)
    text = {"kind": "text", "text": "Quay", "rgb": [255, 255, 255], "ground": [0, 0, 0]}
    letters = drawn(folder, document([{"artwork": text}]), 0)[20:48, 40:160]
    assert letters.max() > 0.9
    assert np.median(letters) < 0.1
    assert drawn(folder, document([{"artwork": {"kind": "chart"}}]), 0)[20:48, 42:158].std() > 0.15


def test_pictures_of_a_running_order_are_shared_between_plates_of_one_rate_only(folder):
    order = {"kind": "order", "width": 60, "height": 40, "items": [{"artwork": {"path": "film", "rate": "12/1"}, "frames": 6}]}
    shared: dict = {}

    def keep(name, make):
        if name not in shared:
            shared[name] = make()
        return shared[name]

    seen = []
    with OpenShot(parse_shot(document([{"artwork": order}])), folder) as opened:
        for rate in (24, 12, 24):
            plate = opened.plate.facts.model_copy(update={"rate": Fraction(rate)})
            placed = PlacedArtwork(
                opened.shot.placements[0], opened.shot.surface("screen"), lambda ref: open_ref(ref, folder), plate, keep=keep
            )
            (plan,) = placed.plans_at(opened.shot, track(), 1)
            seen.append(float(placed.texture(plan)[0].pixels[..., 0].mean()))
            placed.close()
    assert seen == pytest.approx([0.2, 0.4, 0.2], abs=0.01)
    assert len(shared) == 2


def test_fill_and_matte_come_from_two_files(folder):
    plain = drawn(
        folder,
        document(
            [{"artwork": {"path": "over.png", "alpha": "none", "matte": {"path": "matte.png"}}, "area": [[0, 0], [W, 0], [W, H], [0, H]]}]
        ),
        0,
    )
    assert plain[70, 70] == pytest.approx([0.9, 0.9, 0.1], abs=0.01)
    assert plain[30, 60] == pytest.approx(GREEN, abs=5e-3)
    with pytest.raises(RunError) as error:
        drawn(folder, document([{"artwork": {"path": "art.png", "matte": {"path": "matte.png"}}}]))
    assert error.value.code == "wrong_size"


def test_mattes_are_handed_over_as_stills_and_as_layers(folder, tmp_path):
    OpenEXR = pytest.importorskip("OpenEXR")
    shot = document([{"kept_in_front": ["thumb"]}], [THUMB])
    with OpenShot(parse_shot({**shot, "delivery": {"form": "png", "matte": "thumb", "depth": 8}}), folder) as opened:
        opened.render(track(), tmp_path / "m")
    grey = cv2.imread(str(tmp_path / "m" / "m.0002.png"), cv2.IMREAD_UNCHANGED)
    assert grey.dtype == np.uint8
    assert grey.ndim == 2
    assert np.abs(grey[55:95, 45:155] / 255 - finger(2)[55:95, 45:155]).max() < 0.06
    with OpenShot(parse_shot({**shot, "delivery": {"form": "exr", "with_mattes": True}}), folder) as opened:
        opened.render(track(), tmp_path / "e")
    with OpenEXR.File(str(tmp_path / "e" / "e.0002.exr"), separate_channels=True) as exr:
        layer = exr.channels()["thumb.Y"].pixels.astype(float)
    assert np.abs(layer[55:95, 45:155] - finger(2)[55:95, 45:155]).max() < 0.06


def test_documents_of_version_1_mean_the_same(folder):
    old = document([{}])
    old["version"] = 1
    old["placements"] = [
        {"surface": "screen", "artwork": {"path": "film", "rate": "12/1"}, "fit": "stretch", "overshoot_px": 0.5, "after_end": "loop"}
    ]
    shot = parse_shot(old)
    (placement,) = shot.placements
    assert (placement.id, placement.overshoot_px, placement.time.rate, placement.time.after) == ("p1", (0.5,) * 4, "plate", "loop")
    assert parse_shot(json.loads(json.dumps(shot.to_json()))) == shot
    assert drawn(folder, old, 4)[30, 60] == pytest.approx(0.4, abs=5e-3)
