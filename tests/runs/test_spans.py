"""Parts followed again, tied to what is kept; another reference frame; other views on a surface."""

import cv2
import numpy as np
import pytest

from tests.runs.test_mending_and_advice import changed, folder, shot, true_track, worst  # noqa: F401
from verdigris.core.geometry.held_still import HELD
from verdigris.core.geometry.homography import homography_from_quads
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.media.reader import open_media
from verdigris.runs.errors import RunError
from verdigris.runs.follow.anchoring import anchored
from verdigris.runs.follow.surface import follow_surface
from verdigris.runs.render.open_shot import OpenShot
from verdigris.runs.scene.in_front import corners_at
from verdigris.runs.scene.mending import tied
from verdigris.runs.scene.regions import shape_at
from verdigris.runs.views.proxies import ProxyReader, write_proxies
from verdigris.runs.views.surface_views import SurfaceViews
from verdigris.shot.model.outline import Occluder, ShapeKey
from verdigris.shot.model.region import PointsKey, Region, RegionShape
from verdigris.shot.model.surface import Analysis


def again(shot, folder, known, span, direction="both", stop=lambda: False) -> dict[int, FrameResult]:  # noqa: F811
    with OpenShot(shot, folder) as opened:
        steps = follow_surface(opened.plate, shot, shot.surfaces[0], {}, known, direction, stop, span)
        return {s.result.frame: s.result for s in steps}


@pytest.mark.parametrize(("span", "direction"), [((12, 16), "both"), ((28, 33), "both"), ((50, 59), "forwards"), ((3, 5), "backwards")])
def test_a_span_is_found_again_from_what_is_beside_it(plate, shot, folder, true_track, span, direction):  # noqa: F811
    spoiled = {n: r for n, r in true_track.items() if not span[0] <= n <= span[1]}
    found = again(shot, folder, spoiled, span, direction)
    assert set(found) == set(range(span[0], span[1] + 1)) - {plate.reference}
    assert worst(plate, found) < 0.2
    whole = tied(shot.surfaces[0], true_track, found, span)
    assert set(whole) == set(true_track)
    assert worst(plate, whole) < 0.2


def test_a_span_meets_the_corrected_frames_at_its_ends(plate, shot, folder, true_track):  # noqa: F811
    kept = dict(true_track)
    for n in (9, 21):
        at = plate.corners_at(n) + [1.0, 0]
        kept[n] = FrameResult(n, "by_hand", homography_from_quads(plate.corners, at), at, np.full(4, 1e-4), 0.0, 1.0)
    found = again(shot, folder, kept, (10, 20))
    assert {9, 21} < set(found)
    whole = tied(shot.surfaces[0], kept, found, (10, 20))
    path = np.array([whole[n].corners[0] - plate.corners_at(n)[0] for n in range(9, 22)])
    assert np.abs(np.diff(path, axis=0)).max() < 0.5
    assert path[6, 0] > 0.3


@pytest.mark.parametrize(
    ("known", "span", "word"), [([0, 1, 2], (20, 22), "beside"), ([], (3, 4), "beside"), ([19], (20, 99), "60 frames")]
)
def test_a_span_that_cannot_be_followed_says_why(shot, folder, true_track, known, span, word):  # noqa: F811
    with pytest.raises(RunError, match=word) as refused:
        again(shot, folder, {n: true_track[n] for n in known}, span)
    assert refused.value.code == "cannot_follow"


def test_a_stopped_span_gives_what_it_has(shot, folder, true_track):  # noqa: F811
    asked = iter(range(100))
    found = again(shot, folder, true_track, (40, 55), "forwards", lambda: next(asked) > 4)
    assert 0 < len(found) < 16
    assert min(found) == 40


def test_another_reference_frame_carries_corners_and_region(plate, shot, true_track):  # noqa: F811
    polygon = [(float(x), float(y)) for x, y in plate.corners]
    shape = RegionShape(role="exclude", keys=[PointsKey(frame=plate.reference, points=polygon)])
    surface = changed(shot, region=Region(include=[polygon], shapes=[shape])).surfaces[0]
    moved, track = anchored(surface, true_track, 44)
    assert np.allclose(shape_at(moved.region.shapes[0], 44, {44: np.eye(3)}), plate.corners_at(44), atol=1e-6)
    assert moved.reference_frame == 44
    assert np.allclose(moved.region.include[0], plate.corners_at(44), atol=1e-6)
    for n in (0, 30, 59):
        assert np.allclose(corners_at(moved, track, n), plate.corners_at(n), atol=1e-6)
    # Doubt of the new reference is in every other frame.
    assert track[10].sigma_px[0] > true_track[10].sigma_px[0]
    lost = {**true_track, 44: FrameResult(44, "lost", None, None, None, None, 0.0, "covered")}
    with pytest.raises(RunError, match="lost"):
        anchored(surface, lost, 44)


@pytest.fixture
def views(plate, shot, folder, true_track, tmp_path):  # noqa: F811
    with open_media(folder / "plate.mp4") as reader:
        assert write_proxies(reader, tmp_path / "proxies", lambda done, total: None, lambda: False)
        facts = reader.facts

    def make(document=shot, track=true_track):
        proxies = ProxyReader(tmp_path / "proxies", facts)
        return SurfaceViews(document, document.surfaces[0], {"s": track}, proxies, (facts.width, facts.height))

    return make


@pytest.mark.parametrize("how", HELD)
def test_the_whole_plate_finds_room_and_the_surface_stands_still(plate, views, how):
    made = views()
    pictures = {n: made.held(n, how) for n in (5, 30, 55)}
    # Wherever the plate goes, its corners are in the picture: beyond it lies the surround.
    for picture in pictures.values():
        rim = np.concatenate([picture[0], picture[-1], picture[:, 0], picture[:, -1]]).astype(int)
        assert np.mean(np.abs(rim - 44).max(axis=1) < 6) > 0.5
    if how == "full":
        grey = [cv2.cvtColor(pictures[n], cv2.COLOR_RGB2GRAY) for n in (5, 55)]
        middle = grey[0].shape[0] // 2 - 30, grey[0].shape[1] // 2 - 30
        patch = [np.float32(g[middle[0] : middle[0] + 60, middle[1] : middle[1] + 60]) for g in grey]
        (dx, dy), _ = cv2.phaseCorrelate(patch[0], patch[1])
        assert np.hypot(dx, dy) < 0.5


def test_nothing_is_held_by_a_lost_surface(views, true_track):  # noqa: F811
    lost = {**true_track, 10: FrameResult(10, "lost", None, None, None, None, 0.0, "covered")}
    with pytest.raises(RunError, match="nothing to hold it by"):
        views(track=lost).held(10, "full")


def test_the_analysis_picture_shows_the_settings(shot, views):  # noqa: F811
    plain = views().analysis(20).astype(int)
    assert np.all(plain[..., 0] == plain[..., 2])
    strong = views(changed(shot, analysis=Analysis(contrast=2.0))).analysis(20).astype(int)
    assert strong.std() > 1.4 * plain.std()


def test_coverage_shows_what_is_used_covered_and_cut_out(plate, shot, views):  # noqa: F811
    quad = plate.corners
    middle = quad.mean(axis=0)
    hole = [(float(middle[0] + x), float(middle[1] + y)) for x, y in ((-20, -15), (20, -15), (20, 15), (-20, 15))]
    left = [(0.0, 0.0), (float(quad[0, 0] + 30), 0.0), (float(quad[0, 0] + 30), 319.0), (0.0, 319.0)]
    document = changed(shot, region=Region(exclude=[hole]))
    document = document.model_copy(update={"occluders": [Occluder(id="o", name="Post", keys=[ShapeKey(frame=0, points=left)])]})
    picture = views(document).coverage(plate.reference).astype(int)
    used = picture[..., 1] - picture[..., 0]
    copper = picture[..., 0] - picture[..., 2]
    x, y = (int(v) for v in middle)
    assert used[y - 30 : y - 20, x - 10 : x + 10].min() > 20
    assert used[y - 5 : y + 5, x - 5 : x + 5].max() < 10
    assert copper[y - 6 : y + 6, x - 6 : x + 6].max() > 40
    post = copper[y - 10 : y + 10, int(quad[0, 0]) + 8 : int(quad[0, 0]) + 24]
    assert 0.3 < np.mean(post > 40) < 0.7
    assert abs(int(picture[5, 400, 0]) - int(picture[5, 400, 2])) < 25


def test_coverage_of_a_draft_is_that_of_the_shot_it_would_become(plate, shot, views):  # noqa: F811
    middle = plate.corners.mean(axis=0)
    hole = [(float(middle[0] + x), float(middle[1] + y)) for x, y in ((-20, -15), (20, -15), (20, 15), (-20, 15))]
    become = changed(shot, region=Region(exclude=[hole]))
    made = views()
    for frame in (plate.reference, 12):
        drawn = made.coverage(frame, become)
        assert np.array_equal(drawn, views(become).coverage(frame))
        assert not np.array_equal(drawn, made.coverage(frame))
    small = made.coverage(plate.reference, become, 240)
    assert small.shape == (160, 240, 3)
    # Half the size, the same picture but for its fine dots.
    large = cv2.resize(made.coverage(plate.reference, become), (240, 160), interpolation=cv2.INTER_AREA)
    assert np.mean(np.abs(cv2.blur(small, (7, 7)).astype(int) - cv2.blur(large, (7, 7)))) < 4


def test_a_stand_in_lies_where_the_track_says(plate, views):
    made = views()
    plain, charted = (made.held(20, "full", stand_in).astype(int) for stand_in in (False, True))
    changed_px = np.abs(plain - charted).max(axis=2) > 12
    ys, xs = np.nonzero(changed_px)
    side = np.linalg.norm(plate.corners[1] - plate.corners[0]) / np.linalg.norm(plate.corners[3] - plate.corners[0])
    # Held fully, it lies as at the reference frame: as wide against its height as the surface is.
    assert np.ptp(xs) / np.ptp(ys) == pytest.approx(side, rel=0.12)
    # It is at the same place in every frame.
    other = np.abs(made.held(50, "full", True).astype(int) - made.held(50, "full", False)).max(axis=2) > 12
    assert np.mean(other != changed_px) < 0.12
