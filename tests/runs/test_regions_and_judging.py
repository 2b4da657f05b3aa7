"""Regions of many shapes, and judging frames by the pictures."""

from dataclasses import replace

import numpy as np
import pytest

from tests.runs.test_mending_and_advice import changed, folder, shot, true_track  # noqa: F401
from verdigris.core.geometry.homography import homography_from_quads
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.tracking.sequence.mend import LEFT_OUT
from verdigris.media.reader import open_media
from verdigris.runs.advice.followed import advise_exclusions
from verdigris.runs.advice.judging import frames_as_reference, remaining_jitter
from verdigris.runs.errors import RunError
from verdigris.runs.render.open_shot import OpenShot
from verdigris.runs.scene.in_front import outline_at
from verdigris.runs.scene.mending import mended
from verdigris.runs.scene.regions import region_at_reference, unusable_at
from verdigris.runs.views.lens_views import StraightView, lens_of
from verdigris.runs.views.proxies import ProxyReader, write_proxies
from verdigris.shot.model.basis import tracking_key
from verdigris.shot.model.camera import LensModel
from verdigris.shot.model.outline import Occluder, ShapeKey
from verdigris.shot.model.region import PointsKey, Region, RegionShape
from verdigris.shot.model.surface import CalmedSpan

W, H = 480, 320


def box(x0: float, y0: float, x1: float, y1: float) -> list[tuple[float, float]]:
    return [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]


def keyed(role: str, frame: int, *keys: tuple[int, list], **fields) -> RegionShape:
    return RegionShape(role=role, keys=[PointsKey(frame=f, points=p) for f, p in keys or [(frame, [])]], **fields)


def test_several_patches_count_together_and_cut_outs_take_theirs(plate, shot):  # noqa: F811
    ref = plate.reference
    region = Region(
        include=[box(20, 20, 80, 80)],
        shapes=[keyed("include", ref, (ref, box(200, 20, 260, 80))), keyed("exclude", ref, (ref, box(40, 40, 60, 60)))],
    )
    mask = region_at_reference(shot, changed(shot, region=region).surfaces[0], {}, W, H)
    assert mask[30, 30]
    assert mask[50, 230]
    assert not mask[50, 50]
    assert mask.sum() == 2 * 60 * 60 - 20 * 20


def test_a_soft_edge_is_left_out_on_the_safe_side(plate, shot):  # noqa: F811
    ref = plate.reference
    region = Region(shapes=[
        keyed("include", ref, (ref, box(20, 20, 120, 120)), feather_px=5), keyed("exclude", ref, (ref, box(60, 60, 80, 80)), feather_px=4)
    ])  # fmt: skip
    mask = region_at_reference(shot, changed(shot, region=region).surfaces[0], {}, W, H)
    assert not mask[70, 23]
    assert mask[70, 27]
    assert not mask[70, 57]
    assert mask[70, 54]


def test_plain_polygons_and_the_same_shapes_are_one_region_with_one_fingerprint(plate, shot):  # noqa: F811
    plain = changed(shot, region=Region(include=[box(20, 20, 80, 80)], exclude=[box(30, 30, 40, 40)]))
    ref = plate.reference
    told = changed(
        shot, region=Region(shapes=[keyed("include", ref, (ref, box(20, 20, 80, 80))), keyed("exclude", ref, (ref, box(30, 30, 40, 40)))])
    )
    assert tracking_key(plain, plain.surfaces[0]) == tracking_key(told, told.surfaces[0])
    softer = changed(shot, region=Region(shapes=[keyed("include", ref, (ref, box(20, 20, 80, 80)), feather_px=2)]))
    assert tracking_key(softer, softer.surfaces[0]) != tracking_key(told, told.surfaces[0])


def test_a_keyed_shape_among_others_moves_what_may_be_compared(plate, shot, true_track):  # noqa: F811
    ref = plate.reference
    moving = keyed("include", ref, (ref, box(20, 20, 80, 80)), (40, box(300, 200, 360, 260)), rides="picture")
    surface = changed(shot, region=Region(include=[box(200, 100, 260, 160)], shapes=[moving])).surfaces[0]
    bad = unusable_at(shot, surface, {}, true_track, 40, W, H)
    assert bad is not None
    assert not bad[230, 330]
    assert bad[50, 50]
    # The other patch rides along with the plane.
    h = true_track[40].homography
    x, y, w = h @ [230, 130, 1]
    assert not bad[int(y / w), int(x / w)]


def test_a_smooth_outline_in_front_bulges_beyond_its_points():
    keys = [ShapeKey(frame=0, points=box(100, 100, 200, 200))]
    straight, smooth = (Occluder(id="o", name="Head", keys=keys, outline=o) for o in ("straight", "smooth"))
    assert len(outline_at(straight, 0)) == 4
    assert len(outline_at(smooth, 0)) == 48
    assert outline_at(smooth, 0)[:, 0].min() < 100 - 5


def test_spans_left_out_and_calmed_are_in_the_track_as_it_is_used(plate, shot, true_track):  # noqa: F811
    surface = changed(shot, left_out=[(50, 59)], calmed=[CalmedSpan(span=(5, 15))]).surfaces[0]
    used = mended(surface, true_track)
    assert {n for n, r in used.items() if r.status == "lost"} == set(range(50, 60))
    assert used[55].reason == LEFT_OUT
    carried = mended(surface.model_copy(update={"carry": True}), true_track)
    assert carried[51].status == "carried"


def test_what_slips_is_measured_in_the_plate_itself(plate, shot, folder, true_track):  # noqa: F811
    slipped = dict(true_track)
    at = plate.corners_at(44) + [0.0, 0.7]
    slipped[44] = replace(true_track[44], corners=at, homography=homography_from_quads(plate.corners, at))
    with open_media(folder / "plate.mp4") as reader:
        found = {j.frame: j for j in remaining_jitter(reader, shot, shot.surfaces[0], {"s": slipped})}
        assert set(found) == set(range(60))
        assert found[44].worst_px == pytest.approx(0.7, abs=0.25)
        assert np.nanmedian([j.worst_px for n, j in found.items() if n != 44]) < 0.15
        with pytest.raises(RunError, match="nothing to hold still"):
            remaining_jitter(reader, shot, shot.surfaces[0], {})


def test_a_large_free_frame_is_the_better_reference(plate, shot, folder, true_track):  # noqa: F811
    covered = Occluder(id="o", name="Post", span=(20, 22), keys=[ShapeKey(frame=0, points=box(0, 0, 240, 320))])
    document = shot.model_copy(update={"occluders": [covered]})
    with open_media(folder / "plate.mp4") as reader:
        rows = frames_as_reference(document, document.surfaces[0], {"s": true_track}, reader, W)
        bare = frames_as_reference(document, None, {}, reader, W)
    assert rows[21].hidden > 0.2
    assert rows[19].hidden < 0.05
    assert rows[21].worth < rows[19].worth
    assert rows[59].size > rows[0].size
    assert all(np.isnan(w.size) for w in bare)
    assert max(w.worth for w in bare) == 1.0


def test_what_runs_through_the_region_is_outlined_from_a_finished_track(plate, shot, folder, true_track):  # noqa: F811
    with OpenShot(shot, folder) as opened:
        assert advise_exclusions(opened.plate, shot, shot.surfaces[0], {}, true_track, 0, 59) == []
        with pytest.raises(RunError, match="Too few frames"):
            advise_exclusions(opened.plate, shot, shot.surfaces[0], {}, {3: true_track[3]}, 0, 59)


def test_the_corrected_frame_shows_all_of_the_plate(shot, folder, tmp_path):  # noqa: F811
    lens = LensModel(mode="given", k1=-0.15)
    document = shot.model_copy(update={"lens": lens})
    with open_media(folder / "plate.mp4") as reader:
        assert write_proxies(reader, tmp_path / "proxies", lambda done, total: None, lambda: False)
        facts = reader.facts
    found = lens_of(document, facts)
    picture = StraightView(found, ProxyReader(tmp_path / "proxies", facts), (W, H)).picture(3)
    # A barrel's corners are drawn out: the middle of each side falls short of the rim there, the corners reach it.
    assert np.abs(picture[2, 240].astype(int) - 44).max() < 12
    assert np.abs(picture[160, 240].astype(int) - 44).max() > 12
    with pytest.raises(RunError, match="No lens is known"):
        lens_of(shot, facts)


def test_a_lost_frame_says_nothing_of_size(plate, shot, folder, true_track):  # noqa: F811
    lost = {**true_track, 9: FrameResult(9, "lost", None, None, None, None, 0.0, "covered")}
    with open_media(folder / "plate.mp4") as reader:
        assert np.isnan(frames_as_reference(shot, shot.surfaces[0], {"s": lost}, reader, W)[9].size)
