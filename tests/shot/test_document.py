import json
from typing import get_args

import numpy as np
import pytest

from verdigris.shot.edits.edit import EDIT, Edit, apply_edit
from verdigris.shot.errors import ShotError
from verdigris.shot.model.basis import tracking_key
from verdigris.shot.model.document import Shot, files_of, parse_shot, read_shot, with_files
from verdigris.shot.model.media import MediaRef

CORNERS = [[612.4, 233.1], [1188.0, 251.7], [1180.2, 702.9], [618.8, 690.3]]
MINIMAL = {
    "format": "verdigris.shot", "version": 1, "plate": {"path": "plate.mkv"},
    "surfaces": [{"id": "screen", "name": "Screen", "depth": 1, "reference_frame": 48, "motion": "perspective", "corners": CORNERS,
                  "region": {"include": [[[600, 220], [1200, 240], [1192, 716], [606, 704]]], "exclude": []}}],
    "occluders": [{"id": "arm", "name": "Arm", "depth": 0, "keys": [{"frame": 0, "points": [[900, 1080], [980, 820], [1100, 1080]]}]}],
    "placements": [{"surface": "screen", "artwork": {"path": "timetable.png"}, "fit": "fill", "overshoot_px": 1.0}],
}  # fmt: skip


@pytest.fixture
def shot() -> Shot:
    return parse_shot(MINIMAL)


def edit(shot: Shot, frame_count: int | None = None, **fields) -> Shot:
    return apply_edit(shot, EDIT.validate_python(fields), frame_count)


def test_the_minimal_document_is_read_and_comes_back_the_same(shot, tmp_path):
    assert shot.surfaces[0].quad() == pytest.approx(np.array(CORNERS))
    path = tmp_path / "shot.json"
    path.write_text(json.dumps(shot.to_json()))
    assert read_shot(path) == shot


@pytest.mark.parametrize(
    ("change", "code", "word"),
    [
        ({"format": "other"}, "not_a_shot", "format"), ({"version": 9}, "newer_version", "9"),
        ({"plate": {}}, "not_a_shot", "plate"), ({"plate": {"path": "a", "media": "b"}}, "not_a_shot", "plate"),
        ({"surprise": 1}, "not_a_shot", "surprise"), ({"surfaces": []}, "not_a_shot", "screen"),
        ({"occluders": [{**MINIMAL["occluders"][0], "id": "screen"}]}, "not_a_shot", "unique"),
        ({"occluders": [{**MINIMAL["occluders"][0], "keys": []}]}, "not_a_shot", "keys"),
    ],
)  # fmt: skip
def test_faults_are_named_with_their_place(change, code, word):
    with pytest.raises(ShotError) as error:
        parse_shot({**MINIMAL, **change})
    assert error.value.code == code
    assert word in error.value.sentence


def test_a_file_that_is_no_json_is_said_to_be_none(tmp_path):
    (tmp_path / "a.json").write_text("{nope")
    for name in ("a.json", "b.json"):
        with pytest.raises(ShotError) as error:
            read_shot(tmp_path / name)
        assert error.value.code == "not_a_shot"


def test_crossed_corners_are_refused_with_the_reason_and_nothing_changes(shot):
    with pytest.raises(ShotError) as error:
        edit(shot, kind="set_corners", surface="screen", corners=[CORNERS[1], CORNERS[0], CORNERS[2], CORNERS[3]])
    assert error.value.code == "corners_refused"
    assert "cross" in error.value.sentence
    assert shot == parse_shot(MINIMAL)


def test_edits_change_what_they_name(shot):
    assert edit(shot, kind="rename", name="Kiosk").name == "Kiosk"
    assert edit(shot, kind="rename", target="arm", name="Sleeve").occluder("arm").name == "Sleeve"
    assert edit(shot, kind="set_motion", surface="screen", motion="affine").surface("screen").motion == "affine"
    assert edit(shot, kind="set_plate_facts", rate="25/1", first_frame=1001).plate.rate == 25
    assert edit(shot, kind="set_reference", surface="screen", frame=3).surface("screen").reference_frame == 3
    assert edit(shot, kind="set_occluder", occluder="arm", feather_px=2, span=[3, 9]).occluder("arm").there_at(2) is False
    assert edit(shot, kind="choose_take", surface="screen", take="x").surface("screen").take == "x"
    assert edit(shot, kind="set_reach", surface="screen", reach_frames=3).surface("screen").reach_frames == 3
    assert edit(shot, kind="remove_placement", placement="p1").placements == []
    assert edit(shot, kind="set_delivery", delivery={"form": "exr"}).delivery.form == "exr"
    order = edit(shot, kind="set_depth_order", near_to_far=["screen", "arm"])
    assert order.surface("screen").depth < order.occluder("arm").depth


def test_removing_a_surface_takes_its_artwork_along(shot):
    gone = edit(shot, kind="remove", target="screen")
    assert gone.surfaces == []
    assert gone.placements == []
    assert edit(shot, kind="remove", target="arm").occluders == []


def test_a_nudge_is_set_replaced_and_taken_away(shot):
    nudge = {"frame": 5, "corner": 2, "dx_px": 0.5, "dy_px": 0}
    once = edit(shot, kind="nudge_corner", surface="screen", correction=nudge)
    twice = edit(once, kind="nudge_corner", surface="screen", correction={**nudge, "dx_px": 0.7})
    assert [c.dx_px for c in twice.surface("screen").corrections] == [0.7]
    assert edit(twice, kind="nudge_corner", surface="screen", correction={**nudge, "dx_px": 0}).surface("screen").corrections == []


@pytest.mark.parametrize(
    ("fields", "code"),
    [
        ({"kind": "set_motion", "surface": "wall", "motion": "affine"}, "unknown_id"),
        ({"kind": "remove", "target": "wall"}, "unknown_id"),
        ({"kind": "set_depth_order", "near_to_far": ["screen"]}, "unknown_id"),
        ({"kind": "add_surface", "surface": {"id": "arm", "name": "Arm"}}, "taken_id"),
        ({"kind": "set_reference", "surface": "screen", "frame": 500}, "frame_outside"),
        ({"kind": "set_occluder", "occluder": "arm", "feather_px": 1, "span": [9, 3]}, "shape_refused"),
        ({"kind": "set_occluder_keys", "occluder": "arm", "keys": [
            {"frame": 0, "points": [[0, 0], [1, 0], [1, 1]]}, {"frame": 5, "points": [[0, 0], [1, 0], [1, 1], [0, 1]]}]}, "shape_refused"),
    ],
)  # fmt: skip
def test_edits_that_make_no_sense_are_refused(shot, fields, code):
    with pytest.raises(ShotError) as error:
        edit(shot, 120, **fields)
    assert error.value.code == code


def test_every_edit_has_a_label():
    kinds = get_args(get_args(Edit)[0])
    assert all(k.label for k in kinds)
    assert len({k.label for k in kinds}) == len(kinds)


def test_a_take_goes_stale_with_what_it_was_computed_from_and_with_nothing_else(shot):
    key = tracking_key(shot, shot.surface("screen"))

    def after(**fields) -> bool:
        changed = edit(shot, **fields)
        return tracking_key(changed, changed.surface("screen")) != key

    assert after(kind="set_motion", surface="screen", motion="affine")
    assert after(kind="set_region", surface="screen", region={"include": [], "exclude": []})
    assert after(kind="remove", target="arm")
    assert after(kind="set_depth_order", near_to_far=["screen", "arm"])
    assert not after(kind="rename", target="arm", name="Sleeve")
    assert not after(kind="set_corners", surface="screen", corners=[[600, 233], *CORNERS[1:]])
    assert not after(kind="remove_placement", placement="p1")


def test_a_take_goes_stale_with_what_hides_or_carries_parts_of_it():
    near = {"id": "card", "name": "Card", "depth": 0.5, "reference_frame": 10, "corners": CORNERS, "take": "a"}
    arm = {**MINIMAL["occluders"][0], "rides": "card"}
    far = {**near, "id": "wall", "depth": 3.0}

    def key(surfaces=(near,), occluders=(arm,), **screen) -> str:
        own = {**MINIMAL["surfaces"][0], **screen}
        document = parse_shot({**MINIMAL, "surfaces": [own, *surfaces], "occluders": list(occluders)})
        return tracking_key(document, document.surface("screen"))

    moved = [[600, 233], *CORNERS[1:]]
    assert key([{**near, "corners": moved}]) != key()
    assert key([{**near, "take": "b"}]) != key()
    assert key([{**near, "smoothing": 2}]) != key()
    assert key([{**near, "name": "Sheet", "motion": "affine"}]) == key()
    # What is farther is in nobody's way, unless an outline rides it.
    assert key([near, far]) == key()
    rides_far = {**arm, "rides": "wall"}
    assert key([near, {**far, "take": "b"}], [rides_far]) != key([near, far], [rides_far])
    # Corners are the region where no shape says otherwise.
    no_region = {"region": {"include": [], "exclude": []}}
    assert key(corners=moved) == key()
    assert key(corners=moved, **no_region) != key(**no_region)


GRAIN = {"codes": [0.1, 0.8], "deviation": [[0.004] * 3, [0.006] * 3], "spatial": [[0, 0.1, 0], [0.1, 1, 0.1], [0, 0.1, 0]],
         "channels": [[1, 1, 1], [1, 1, 1], [1, 1, 1]]}  # fmt: skip


def matched(**parts) -> dict:
    return {**MINIMAL, "match": [{"surface": "screen", **parts}]}


def test_a_match_is_read_and_its_empty_parts_are_none():
    shot = parse_shot(matched(kind="screen", white_linear=0.7, levels={}, light={}, grain=GRAIN))
    match = shot.match_of("screen")
    assert match is not None
    assert match.white_linear == (0.7, 0.7, 0.7)
    assert (match.levels, match.light) == (None, None)
    assert parse_shot(shot.to_json()) == shot
    assert parse_shot(matched(on=False, grain=GRAIN)).match_of("screen") is None


@pytest.mark.parametrize(
    ("parts", "word"),
    [
        ({"grain": {**GRAIN, "deviation": [[0.1] * 3]}}, "deviation for each"),
        ({"grain": {**GRAIN, "codes": [0.8, 0.1]}}, "codes rise"),
        ({"grain": {**GRAIN, "spatial": [[1, 0], [0, 1]]}}, "odd size"),
        ({"grain": {**GRAIN, "spatial": [[0, 0, 0], [0, 1], [0, 0, 0]]}}, "odd size"),
        ({"grain": {**GRAIN, "channels": [[1, 2, 0], [2, 1, 0], [0, 0, 1]]}}, "three channels"),
        ({"grain": {**GRAIN, "channels": [[1], [1], [1]]}}, "three channels"),
        ({"reflections": {"kind": "field"}}, "name them"),
        ({"gloss": {}}, "gloss"),
    ],
)
def test_a_match_that_cannot_be_drawn_is_refused_with_its_place(parts, word):
    with pytest.raises(ShotError, match=word):
        parse_shot(matched(**parts))


def test_a_match_goes_with_its_surface_and_names_one_that_is_there(shot):
    with_match = apply_edit(
        shot, EDIT.validate_python({"kind": "set_match", "match": {"surface": "screen", "veil": {"light": [0.1, 0.1, 0.1]}}})
    )
    assert [m.surface for m in with_match.match] == ["screen"]
    assert apply_edit(with_match, EDIT.validate_python({"kind": "remove", "target": "screen"})).match == []
    with pytest.raises(ShotError):
        apply_edit(shot, EDIT.validate_python({"kind": "set_match", "match": {"surface": "other"}}))


def test_every_file_that_a_document_names_is_found_wherever_it_lies():
    plate, art, clean, table = (MediaRef(path=f"{name}.png") for name in ("plate", "art", "clean", "table"))
    corners = [[0, 0], [90, 0], [90, 50], [0, 50]]
    shape = {"kind": "shape", "keys": [{"frame": 0, "points": corners}]}
    differs = {"kind": "difference", "clean": clean.model_dump()}
    shot = parse_shot(
        {
            "format": "verdigris.shot", "version": 2, "plate": plate.model_dump(),
            "surfaces": [{"id": "s", "name": "S", "depth": 1, "corners": corners}],
            "placements": [{"id": "p", "surface": "s", "artwork": art.model_dump()}],
            "mattes": [{"id": "m", "surface": "s", "parts": [shape, differs]}],
            "grade": {"lut": table.model_dump()},
        }
    )  # fmt: skip
    assert [r.path for r in shot.files()] == ["plate.png", "art.png", "clean.png", "table.png"]
    # Also where it stands behind nothing, and behind points.
    assert [r.path for r in files_of([[], shot.grade])] == ["table.png"]
    assert [r.path for r in files_of([corners, None, shot.mattes])] == ["clean.png"]
    assert [r.path for r in with_files(shot, lambda r: r.model_copy(update={"path": f"x/{r.path}"})).files()][2:] == [
        "x/clean.png",
        "x/table.png",
    ]
