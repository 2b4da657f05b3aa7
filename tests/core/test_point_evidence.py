from dataclasses import replace

import numpy as np
import pytest

from tests.plates import Plate, make_plate
from verdigris.core.camera.optics import STILL
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.motion import exponential
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.alignment.align import align
from verdigris.core.tracking.alignment.conditions import Conditions
from verdigris.core.tracking.alignment.frame_pictures import KeptPictures
from verdigris.core.tracking.alignment.point_evidence import look_at_points, weigh_points
from verdigris.core.tracking.alignment.uncertainty import corner_sigmas
from verdigris.core.tracking.reference.features import choose_features
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.plane import AnalysisPicture

FRAME = 5
CONDITIONS = Conditions(STILL, STILL)


class Scene:
    """A plate, its follower, and a frame whose picture may be spoilt."""

    def __init__(self, plate: Plate, spoil=None):
        self.plate = plate
        pictures = [AnalysisPicture.of(f) for f in plate.frames]
        height, width = plate.frames[0].shape
        region = region_mask([plate.corners], [], None, width, height)
        self.follower = PlaneFollower(pictures[plate.reference], region, plate.corners, "perspective", plate.reference)
        self.features = choose_features(pictures[plate.reference].bytes, region)
        self.values = plate.frames[FRAME].copy()
        if spoil is not None:
            spoil(self.values)

    def look(self, h, conditions=CONDITIONS):
        f = self.follower
        return look_at_points(f.appearance, f.optics, KeptPictures(self.values), h, 0.0, conditions, self.features)

    def aligned(self, conditions=CONDITIONS):
        f = self.follower
        return align(f.appearance, f.optics, KeptPictures(self.values), self.plate.truth[FRAME], conditions, "perspective")


@pytest.fixture(scope="module")
def scene():
    return Scene(make_plate())


def test_points_see_how_far_a_pose_is_off(scene):
    shift = np.array([[1, 0, 0.4], [0, 1, -0.3], [0, 0, 1.0]])
    points = scene.look(shift @ scene.plate.truth[FRAME])
    assert len(points.at) > 40
    assert np.median(points.off, axis=0) == pytest.approx([-0.4, 0.3], abs=0.03)


def test_points_say_nothing_of_gain_and_bias(scene):
    dimmed = Scene(scene.plate, lambda v: np.copyto(v, 0.55 * v + 0.2))
    points = dimmed.look(scene.plate.truth[FRAME])
    assert np.abs(np.median(points.off, axis=0)).max() < 0.02


def test_their_doubt_is_what_they_scatter_by(scene):
    points = scene.look(scene.plate.truth[FRAME])
    error = np.linalg.norm(points.off, axis=1)
    stated = np.sqrt(np.trace(points.covariance, axis1=1, axis2=2) + 2 * 0.03**2)
    assert 0.2 < np.median(error / stated) < 1.5


def test_covered_points_have_no_say(scene):
    hidden = np.zeros(scene.values.shape, bool)
    middle = apply_homography(scene.plate.truth[FRAME], scene.plate.corners).mean(axis=0)
    hidden[:, int(middle[0]) :] = True
    points = scene.look(scene.plate.truth[FRAME], Conditions(STILL, STILL, hidden=hidden))
    assert len(points.at) >= 12
    assert points.at[:, 0].max() < middle[0] + 1


def test_a_region_of_few_points_is_left_to_the_intensities(scene):
    f = scene.follower
    few = look_at_points(f.appearance, f.optics, KeptPictures(scene.values), scene.plate.truth[FRAME], 0.0, CONDITIONS, scene.features[:6])
    assert few is None
    a = scene.aligned()
    assert weigh_points(a, few, "perspective", f.plane_corners) is a


def test_outside_of_the_picture_there_is_no_evidence(scene):
    away = np.array([[1, 0, 5000.0], [0, 1, 0], [0, 0, 1]])
    assert scene.look(away) is None


def error_of(scene, a):
    return np.linalg.norm(apply_homography(a.h, scene.plate.corners) - scene.plate.corners_at(FRAME), axis=1)


def weighed(scene, a, trust=None):
    return weigh_points(a, scene.look(a.h), "perspective", scene.follower.plane_corners, trust)


def test_a_pose_that_is_right_stays(scene):
    a = scene.aligned()
    both = weighed(scene, a)
    assert error_of(scene, both).max() < max(2 * error_of(scene, a).max(), 0.03)


def test_an_unsure_pose_goes_to_where_the_points_are(scene):
    a = scene.aligned()
    n = a.normaliser
    wrong = np.linalg.inv(n) @ exponential(np.array([0.002, -0.001, 0.001, 0, 0, 0, 0, 0])) @ n @ a.h
    unsure = replace(a, h=wrong, covariance=np.eye(8) * 0.003**2)
    both = weighed(scene, unsure)
    assert error_of(scene, both).max() < 0.3 * error_of(scene, unsure).max()


def test_a_disagreement_shows_as_doubt(scene):
    """Where intensities and points differ by more than both say, the doubt says so."""
    a = scene.aligned()
    n = a.normaliser
    wrong = np.linalg.inv(n) @ exponential(np.array([0.004, 0, 0, 0, 0, 0, 0, 0])) @ n @ a.h
    sure = replace(a, h=wrong)
    both = weighed(scene, sure)
    at = apply_homography(both.h, scene.follower.plane_corners)
    assert np.all(corner_sigmas(both, at) > 2 * corner_sigmas(sure, at))


def test_points_on_tiles_that_do_not_move_with_the_plane_are_not_asked(scene):
    a = scene.aligned()
    nobody = np.full(len(scene.follower.appearance.centres), 0.05)
    assert weighed(scene, a, nobody) is a


def test_a_leaf_in_front_spoils_its_own_windows_only(scene):
    middle = apply_homography(scene.plate.truth[FRAME], scene.plate.corners).mean(axis=0).astype(int)

    def leaf(values):
        values[middle[1] - 20 : middle[1] + 20, middle[0] - 30 : middle[0] + 30] = 0.9

    spoilt = Scene(scene.plate, leaf)
    a = spoilt.aligned()
    assert error_of(spoilt, weighed(spoilt, a)).max() < 0.05
