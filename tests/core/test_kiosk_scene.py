"""The demo shot itself: truth, what stands in front, and a track within the tolerance that is promised for it."""

import numpy as np
import pytest

from verdigris.core.geometry.quad import find_quad_problem
from verdigris.core.geometry.shapes import polygon_coverage
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.plane import AnalysisPicture
from verdigris.demo.render import expose, render_light, truth
from verdigris.demo.scenes import SCENES, build_scene
from verdigris.demo.shots import kiosk_document
from verdigris.media.frames import RgbFrame
from verdigris.shot.model.media import MediaRef

REFERENCE = SCENES["kiosk"].reference_frame


@pytest.fixture(scope="module")
def scene():
    return build_scene("kiosk")


@pytest.fixture(scope="module")
def rows(scene):
    return {row["frame"]: np.array(row["corners"]) for row in truth(scene, REFERENCE)["screen"]}


def test_the_screen_stays_in_the_picture_and_upright(scene, rows):
    for corners in rows.values():
        assert find_quad_problem(corners) is None
        assert corners.min() > 0
        assert (corners < [scene.width, scene.height]).all()


def test_the_arm_crosses_one_corner_and_goes_away(scene, rows):
    outline = scene.occluder_shapes["arm"](62.0)
    cover = polygon_coverage(outline, scene.width, scene.height)
    hidden = [bool(cover[int(y) - 30 : int(y) + 30, int(x) - 30 : int(x) + 30].max() > 0.5) for x, y in rows[62]]
    assert hidden == [False, False, True, False]
    assert scene.occluder_shapes["arm"](REFERENCE) is None
    assert scene.occluder_shapes["arm"](119) is None


def test_the_shot_is_followed_within_its_tolerance(scene, rows):
    pictures = {n: AnalysisPicture.of(RgbFrame(expose(scene, render_light(scene, n), n)).luma()) for n in range(REFERENCE, REFERENCE + 4)}
    described = {
        "reference_frame": REFERENCE,
        "surfaces": {"screen": truth(scene, REFERENCE)["screen"]},
        "occluders": {"arm": [None if (at := scene.occluder_shapes["arm"](n)) is None else at.tolist() for n in range(scene.frames)]},
    }
    document = kiosk_document(described, MediaRef(path="kiosk.mp4"), MediaRef(path="departures.mp4"))
    surface = document.surfaces[0]
    include, exclude = ([np.array(p) for p in shapes] for shapes in (surface.region.include, surface.region.exclude))
    mask = region_mask(include, exclude, None, scene.width, scene.height)
    follower = PlaneFollower(pictures[REFERENCE], mask, surface.quad(), "perspective", REFERENCE)
    assert follower.problem is None
    history = [follower.reference_result()]
    for n in range(REFERENCE + 1, REFERENCE + 4):
        result = follower.step(n, pictures[n - 1], pictures[n], history, None)
        history.append(result)
        assert result.status == "followed"
        assert np.linalg.norm(result.corners - rows[n], axis=1).max() < 0.35
    assert document.occluders[0].keys[0].frame == document.occluders[0].span[0]
