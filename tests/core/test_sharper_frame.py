"""A reference that is smeared: frames are compared with a sharper one, and corners stay those of the reference."""

from dataclasses import replace

import numpy as np
import pytest

from bench.tracking.cases import Path, Recipe, a_photograph, make
from bench.tracking.ours import follow
from bench.tracking.render import Camera, shutter
from verdigris.core.camera.optics import Movement
from verdigris.core.geometry.homography import apply_homography, homography_from_quads
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.refinement import passes
from verdigris.core.tracking.refinement.sharper_frame import SharperFrame, makes_surer, sharper_frame
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import Evidence, FrameResult
from verdigris.core.tracking.sequence.plane import AnalysisPicture

REFERENCE = 6
CAMERA = Camera(shutter(0.5, 11), readout=0.4, noise=1.0)
RECIPE = Recipe(count=13, reference=REFERENCE, size=(640, 360), scale=0.4, camera=CAMERA)


def rushed(rng: np.random.Generator, p: Path) -> Path:
    """Quickest at the reference frame, at rest six frames before and after."""
    return replace(p, x=lambda t: 110 * np.sin(np.pi * (t - REFERENCE) / 12))


@pytest.fixture(scope="module")
def plate():
    return make(3, RECIPE, a_photograph, change=rushed)


@pytest.fixture(scope="module")
def results(plate):
    return follow(plate)


def errors(plate, results) -> np.ndarray:
    return np.array([np.linalg.norm(r.corners - plate.truth[r.frame], axis=1) for r in results if r.frame != plate.reference])


def test_frames_lie_closer_than_against_the_smeared_reference(plate, results, monkeypatch):
    monkeypatch.setattr(passes, "sharper_frame", lambda *a: None)
    alone = follow(plate)
    assert np.median(errors(plate, results)) < 0.7 * np.median(errors(plate, alone))
    sigma = np.array([r.sigma_px for r in results if r.frame != plate.reference])
    assert np.median(sigma) < np.median([r.sigma_px for r in alone if r.frame != plate.reference])
    assert np.mean(errors(plate, results) > 4 * sigma) < 0.03


def test_the_reference_stays_what_was_set(plate, results):
    own = results[REFERENCE]
    assert np.array_equal(own.corners, plate.truth[REFERENCE])
    for r in results:
        assert np.allclose(apply_homography(r.homography, plate.truth[REFERENCE]), r.corners, atol=1e-6)


def test_frames_are_left_as_they_were_unless_they_become_surer(plate, monkeypatch):
    kept = {}

    def unsure(stated, results):
        kept.update(results)
        return False

    monkeypatch.setattr(passes, "makes_surer", unsure)
    assert all(np.array_equal(r.corners, kept[r.frame].corners) for r in follow(plate))


def follower_of(plate) -> PlaneFollower:
    height, width = plate.frames[0].shape
    picture = AnalysisPicture.of(plate.frames[REFERENCE].astype(np.float32) / 255)
    return PlaneFollower(
        picture, region_mask(plate.include, [], None, width, height), plate.truth[REFERENCE], "perspective", REFERENCE
    )  # fmt: skip


def at(plate, base, n, corners=None, **evidence) -> FrameResult:
    """A frame that was found where it is, or elsewhere, in a run that knows its shutter."""
    corners = plate.truth[n] if corners is None else corners
    known = Evidence(homography_from_quads(base.plane_corners, corners), shutter=0.5**2 / 12, good=1.0)
    return FrameResult(n, "followed", known.pose, corners, np.full(4, 0.1), 0.1, 0.5, "", replace(known, **evidence))


@pytest.fixture(scope="module")
def base(plate):
    return follower_of(plate)


def chosen(plate, base, run, hidden=lambda n, _: None) -> int | None:
    def picture(n):
        return AnalysisPicture.of(plate.frames[n].astype(np.float32) / 255)

    found = sharper_frame(base, run, picture, hidden)
    return None if found is None else found.follower.reference_frame


def test_the_frame_that_is_taken_is_one_at_rest(plate, base):
    run = {n: at(plate, base, n) for n in range(13)}
    assert chosen(plate, base, run) in (0, 1, 11, 12)
    # One that was lost, or looked at through another, or shows little of what it should, does not lead.
    for n in (0, 1):
        run[n] = replace(run[n], through=4)
    run[12] = at(plate, base, 12, good=0.2)
    assert chosen(plate, base, run) == 11


def test_a_frame_in_which_something_covers_the_plane_is_not_taken(plate, base):
    run = {n: at(plate, base, n) for n in range(13)}
    covered = np.zeros(plate.frames[0].shape, bool)
    covered[:, :400] = True
    assert chosen(plate, base, run, lambda n, _: covered if n > 6 else None) in (0, 1)
    assert chosen(plate, base, run, lambda n, _: covered) is None


def test_a_reference_that_is_as_sharp_as_the_others_stays(plate, base):
    still = {n: at(plate, base, n, corners=plate.truth[REFERENCE] + 2.0 * (n - REFERENCE)) for n in range(13)}
    assert chosen(plate, base, still) is None
    # In a run that does not tell the shutter, nothing is known to be smeared.
    unknown = {n: at(plate, base, n, shutter=None) for n in range(13)}
    assert chosen(plate, base, unknown) is None


def test_a_reference_out_of_focus_gives_way_to_a_frame_in_focus(plate, base):
    corners = {n: plate.truth[REFERENCE] + 0.5 * (n - REFERENCE) for n in range(13)}
    run = {n: at(plate, base, n, corners=c, blur=-9.0 if n == 9 else 0.0) for n, c in corners.items()}
    assert chosen(plate, base, run) == 9


def test_what_the_sharper_frame_was_off_by_is_not_in_what_is_stated(plate, base):
    """Its corners are where the smeared reference had them; the reference found against it tells by how much they were off."""
    off = homography_from_quads(plate.truth[0], plate.truth[0] + np.array([[0.5, -0.3], [0.2, 0.4], [-0.4, 0.1], [0.3, 0.2]]))
    corners = {n: apply_homography(homography_from_quads(plate.truth[0], plate.truth[n]) @ off, plate.truth[0]) for n in range(13)}
    sharp = PlaneFollower(
        AnalysisPicture.of(plate.frames[0].astype(np.float32) / 255), base.region, corners[0], "perspective", 0, base.optics, Movement(
            np.zeros((3, 3)), np.zeros((3, 3))
        ),
    )  # fmt: skip
    seen = {n: replace(at(plate, base, n, corners=c), margin_px=0.03, sigma_px=np.full(4, 0.03)) for n, c in corners.items()}
    seen[REFERENCE] = replace(seen[REFERENCE], sigma_px=np.full(4, 0.04), margin_px=0.04)
    stated = SharperFrame(base, sharp).stated(seen)
    assert sorted(stated) == [n for n in range(13) if n != REFERENCE]
    for n, r in stated.items():
        assert np.allclose(r.corners, plate.truth[n], atol=1e-6)
        # The doubt of the reference is in all of them; the sharper frame has none of its own.
        assert np.allclose(r.sigma_px, 0.04 if n == 0 else 0.05, rtol=0.1)
        assert r.margin_px == pytest.approx(0.05, rel=0.1)
    assert makes_surer(stated, {n: at(plate, base, n) for n in range(13)})
    assert not makes_surer(stated, {n: replace(r, sigma_px=np.full(4, 0.05)) for n, r in stated.items()})
    lost = replace(seen[REFERENCE], status="lost", corners=None, sigma_px=None)
    assert SharperFrame(base, sharp).stated({**seen, REFERENCE: lost}) == {}
    assert not makes_surer({}, seen)
