"""What the document says about mending, points, shapes and the analysis picture, on a real film."""

import numpy as np
import pytest
from pydantic import ValidationError

from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.runs.advice.followed import advise_exclusions, advise_motion
from verdigris.runs.errors import RunError
from verdigris.runs.follow.surface import follow_surface, optics_of
from verdigris.runs.render.open_shot import OpenShot
from verdigris.runs.scene.in_front import outline_at
from verdigris.runs.scene.mending import mended
from verdigris.runs.scene.regions import region_at_reference, shape_at, unusable_at
from verdigris.shot.model.basis import tracking_key
from verdigris.shot.model.camera import CameraModel, LensModel
from verdigris.shot.model.document import Shot
from verdigris.shot.model.media import Plate
from verdigris.shot.model.outline import Occluder, ShapeKey
from verdigris.shot.model.points import PointKey, TrackPoint
from verdigris.shot.model.region import PointsKey, Region, RegionShape
from verdigris.shot.model.surface import Analysis, HeldFrame, Surface


@pytest.fixture
def shot(plate) -> Shot:
    quad = tuple((float(x), float(y)) for x, y in plate.corners)
    return Shot(plate=Plate(path="plate.mp4"), surfaces=[Surface(id="s", name="Sign", reference_frame=plate.reference, corners=quad)])


@pytest.fixture
def folder(plate_film, tmp_path):
    (tmp_path / "plate.mp4").write_bytes(plate_film.read_bytes())
    return tmp_path


@pytest.fixture
def true_track(plate) -> dict[int, FrameResult]:
    return {n: FrameResult(n, "followed", h, plate.corners_at(n), np.full(4, 0.1), 0.1, 1.0) for n, h in enumerate(plate.truth)}


def changed(shot: Shot, **fields) -> Shot:
    return shot.model_copy(update={"surfaces": [shot.surfaces[0].model_copy(update=fields)]})


def worst(plate, results) -> float:
    return max(float(np.linalg.norm(r.corners - plate.corners_at(n), axis=1).max()) for n, r in results.items())


def follow(shot: Shot, folder) -> dict[int, FrameResult]:
    results: dict[int, FrameResult] = {}
    with OpenShot(shot, folder) as opened:
        for step in follow_surface(opened.plate, shot, shot.surfaces[0]):
            results[step.result.frame] = step.result
    return results


@pytest.mark.parametrize("analysis", [Analysis(channel="best", contrast=1.5), Analysis(channel="green", deflicker="local", gamma=0.8)])
def test_a_helped_picture_is_followed_as_well(plate, shot, folder, analysis):
    results = follow(changed(shot, analysis=analysis), folder)
    assert len(results) == 60
    assert worst(plate, results) < 0.6


def test_four_points_carry_the_corners(plate, shot, folder):
    at = [plate.corners.mean(axis=0) + d for d in ((-60, -30), (60, -35), (55, 40), (-50, 35), (5, 0))]
    points = [
        TrackPoint(id=f"p{i}", keys=[PointKey(frame=plate.reference, at=(float(x), float(y)))], motion="similarity", half_size_px=(16, 16))
        for i, (x, y) in enumerate(at)
    ]
    results = follow(changed(shot, follow="points", points=points), folder)
    near = {n: r for n, r in results.items() if abs(n - plate.reference) < 8 and r.corners is not None}
    assert len(near) >= 12
    assert worst(plate, near) < 1.5
    with OpenShot(shot, folder) as opened:
        by_points = changed(shot, follow="points", points=points)
        steps = follow_surface(opened.plate, by_points, by_points.surfaces[0], {}, results, span=(28, 31))
        assert [s.result.frame for s in steps] == [28, 29, 30, 31]
    none = changed(shot, follow="points")
    with OpenShot(none, folder) as opened, pytest.raises(RunError, match="Set a point"):
        list(follow_surface(opened.plate, none, none.surfaces[0]))


def test_held_frames_smoothing_and_carrying_are_laid_over_the_take(plate, shot, true_track):
    quad = tuple((float(x) + 0.7, float(y)) for x, y in plate.corners_at(40))
    surface = changed(shot, held=[HeldFrame(frame=40, corners=quad)], smoothing=0.5, carry=True).surfaces[0]
    lost = {**true_track, 10: FrameResult(10, "lost", None, None, None, None, 0.0, "covered")}
    result = mended(surface, lost)
    assert result[10].status == "carried"
    assert np.linalg.norm(result[10].corners - plate.corners_at(10), axis=1).max() < 1.0
    assert np.abs(result[40].corners - np.array(quad)).max() < 0.3
    assert lost[10].corners is None
    crossed = changed(shot, held=[HeldFrame(frame=4, corners=(quad[1], quad[0], quad[2], quad[3]))])
    with pytest.raises(RunError, match="Sign"):
        mended(crossed.surface("s"), true_track)


def test_the_simplest_sufficient_motion_is_advised_with_its_figures(shot, folder, true_track):
    with OpenShot(shot, folder) as opened:
        found = advise_motion(opened.plate, shot, shot.surfaces[0], {}, true_track)
        with pytest.raises(RunError) as refused:
            advise_motion(opened.plate, shot, shot.surfaces[0], {}, {})
    assert found.motion == "perspective"
    assert len(found.figures) == 5
    assert refused.value.code == "no_evidence"


def test_a_plane_that_moves_as_one_has_nothing_to_exclude(shot, folder):
    results = follow(shot, folder)
    with OpenShot(shot, folder) as opened:
        assert advise_exclusions(opened.plate, shot, shot.surfaces[0], {}, results, 0, 59) == []


def test_a_shape_rides_the_plane_or_stands_in_the_picture(plate, true_track):
    points = [(200.0, 100.0), (260.0, 100.0), (260.0, 160.0)]
    poses = {n: r.homography for n, r in true_track.items()}
    riding = RegionShape(keys=[PointsKey(frame=plate.reference, points=points)])
    standing = RegionShape(
        rides="picture", keys=[PointsKey(frame=0, points=points), PointsKey(frame=10, points=[None, (270.0, 100.0), None])]
    )
    moved = shape_at(riding, plate.reference + 5, poses)
    p = np.concatenate([points, np.ones((3, 1))], axis=1) @ plate.truth[plate.reference + 5].T
    assert np.allclose(moved, p[:, :2] / p[:, 2:])
    assert np.allclose(shape_at(standing, 5, poses), [(200, 100), (265, 100), (260, 160)])
    smooth = RegionShape(outline="smooth", keys=[PointsKey(frame=0, points=points)])
    assert len(shape_at(smooth, 0, {})) == 36


def test_keyed_shapes_limit_what_is_compared(plate, shot, true_track):
    hole = RegionShape(role="exclude", rides="picture", keys=[PointsKey(frame=0, points=[(210.0, 130.0), (260.0, 130.0), (260.0, 180.0)])])
    kept = RegionShape(keys=[PointsKey(frame=plate.reference, points=[(160.0, 100.0), (330.0, 100.0), (330.0, 220.0), (160.0, 220.0)])])
    surface = changed(shot, region=Region(shapes=[hole, kept])).surfaces[0]
    mask = region_at_reference(shot, surface, {}, 480, 320)
    assert mask[120, 180]
    assert not mask[140, 250]
    assert not mask[90, 180]
    hidden = unusable_at(shot, surface, {}, true_track, 3, 480, 320)
    assert hidden is not None
    assert hidden[140, 250]
    assert not hidden[120, 180]
    assert unusable_at(shot, shot.surfaces[0], {}, true_track, 3, 480, 320) is None


def test_an_outline_in_front_can_ride_a_surface(shot, true_track, plate):
    outline = Occluder(
        id="o", name="Lamp", rides="s", keys=[ShapeKey(frame=plate.reference, points=[(200.0, 100.0), (220.0, 100.0), (210.0, 150.0)])]
    )
    still = outline_at(outline, 40)
    moved = outline_at(outline, 40, {"s": true_track})
    assert np.allclose(still, [(200, 100), (220, 100), (210, 150)])
    assert np.abs(moved - still).max() > 1
    with pytest.raises(ValidationError, match="rides"):
        Shot(plate=Plate(path="p"), occluders=[outline])


def test_lens_and_readout_of_the_document_reach_the_tracker(shot, folder):
    given = shot.model_copy(update={"lens": LensModel(mode="given", k1=-0.1, centre=(230.0, 160.0)), "camera": CameraModel(readout=0.4)})
    with OpenShot(given, folder) as opened:
        optics = optics_of(given, (opened.plate.facts.width, opened.plate.facts.height))
    assert optics.lens.k1 == -0.1
    assert optics.lens.centre == (230.0, 160.0)
    assert optics.readout == 0.4
    assert tracking_key(given, given.surfaces[0]) != tracking_key(shot, shot.surfaces[0])


def test_broken_shapes_are_refused_with_their_reason():
    three = [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0)]
    for keys, reason in (
        ([PointsKey(frame=3, points=three), PointsKey(frame=1, points=three)], "order"),
        ([PointsKey(frame=1, points=three), PointsKey(frame=3, points=[*three, (0.0, 1.0)])], "same number"),
        ([PointsKey(frame=1, points=[None, (1.0, 0.0), (1.0, 1.0)])], "has a key"),
    ):
        with pytest.raises(ValidationError, match=reason):
            RegionShape(keys=keys)
