"""What the track says about the camera, on plates rendered through a shutter, rows and a lens."""

from dataclasses import replace

import numpy as np
import pytest

from bench.tracking.cases import Path, Recipe, a_photograph, make, turning, wave
from bench.tracking.ours import follow
from bench.tracking.render import Camera, seen_at, shutter
from verdigris.core.light.tone import SRGB, Tone, light_of
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.alignment.frame_pictures import KeptPictures
from verdigris.core.tracking.alignment.grain import Grain, common_grain
from verdigris.core.tracking.calibration.calibrate import calibrate, trust_of_run, worth_settling
from verdigris.core.tracking.calibration.equations import Asked, linearise
from verdigris.core.tracking.calibration.solve_parameters import MOST_AHEAD, ahead_by
from verdigris.core.tracking.refinement.passes import look_again
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.plane import AnalysisPicture

SMALL = Recipe(count=11, reference=5, size=(640, 360), scale=0.34, camera=Camera(noise=1.0))


def run(plate):
    """First look in both directions, and what the run says about the camera."""
    height, width = plate.frames[0].shape
    pictures = [AnalysisPicture.of(f.astype(np.float32) / 255) for f in plate.frames]
    region = region_mask(plate.include, plate.exclude, None, width, height)
    follower = PlaneFollower(pictures[plate.reference], region, plate.truth[plate.reference], "perspective", plate.reference)
    results = {plate.reference: follower.reference_result()}
    for step in (1, -1):
        history, n = [results[plate.reference]], plate.reference + step
        while 0 <= n < len(pictures):
            results[n] = follower.step(n, pictures[n - step], pictures[n], history, None)
            history.append(results[n])
            n += step
    return follower, results, calibrate(follower, results, pictures.__getitem__, lambda n: None)


def errors(plate, results) -> np.ndarray:
    return np.array([np.linalg.norm(r.corners - plate.truth[r.frame], axis=1) for r in results if r.corners is not None])


def test_a_lens_is_found_and_corners_are_where_the_lens_shows_them():
    plate = make(3, replace(SMALL, scale=0.45, camera=Camera(noise=1.0, lens=(-0.12, 0.0, 320.0, 180.0))), a_photograph)
    follower, results, found = run(plate)
    assert found.optics.lens is not None
    assert found.optics.lens.k1 == pytest.approx(-0.12, abs=0.02)
    assert found.gain > 0.1
    assert worth_settling(follower, results, found)
    settled = errors(plate, follow(plate))
    assert np.median(settled) < 0.5 * np.median(errors(plate, results.values()))
    assert np.percentile(settled, 95) < 0.2


def test_rows_read_one_after_another_are_found_from_the_track():
    camera = Camera(shutter(0.3, 5), readout=0.6, noise=1.0)
    plate = make(4, replace(SMALL, camera=camera), a_photograph, change=turning)
    _, results, found = run(plate)
    # The first estimate is made around poses that know of no rows; it closes in when all frames were looked at again.
    assert 0.3 < found.optics.readout < 0.75
    settled = errors(plate, follow(plate))
    assert np.median(settled) < 0.15 * np.median(errors(plate, results.values()))


def test_a_bowed_surface_is_found_and_told_from_rows_read_late():
    camera = Camera(shutter(0.4, 7), readout=0.4, noise=1.0)
    plate = make(10, replace(SMALL, scale=0.5, amount=1.6, camera=camera), a_photograph, bow=0.01)
    pictures = [AnalysisPicture.of(f.astype(np.float32) / 255) for f in plate.frames]
    follower, results, _ = run(plate)
    first = errors(plate, results.values())
    for better in look_again(follower, results, pictures.__getitem__, lambda frames: [pictures[n] for n in frames], lambda n, _: None):
        results[better.frame] = better
    found = calibrate(follower, results, pictures.__getitem__, lambda n: None)
    assert np.median(errors(plate, results.values())) < 0.3 * np.median(first)
    assert found.optics.bow[0] == pytest.approx(0.01, rel=0.3)
    assert found.optics.readout == pytest.approx(0.4, rel=0.3)


def test_an_ideal_camera_is_left_alone():
    plate = make(5, SMALL, a_photograph)
    follower, results, found = run(plate)
    assert found.optics.lens is None
    assert found.optics.readout == 0
    assert found.optics.bow == (0.0, 0.0)
    assert errors(plate, results.values()).max() < 0.1
    trust = trust_of_run(follower, results)
    assert trust is not None
    assert trust.min() > 0.5


def test_a_long_exposure_is_matched_by_the_smear_it_makes():
    plate = make(6, replace(SMALL, camera=Camera(shutter(0.5, 11), noise=1.0)), a_photograph, change=swung)
    _, _, found = run(plate)
    assert found.optics.shutter == pytest.approx(0.5**2 / 12, rel=0.35)
    assert np.percentile(errors(plate, follow(plate)), 95) < 0.25


def swung(rng: np.random.Generator, p: Path) -> Path:
    return replace(p, x=wave(rng, 60, (23.0, 11.0)))


def test_a_tone_curve_that_is_not_srgb_is_found_from_how_edges_smear():
    camera = Camera(shutter(0.5, 11), noise=0.5, tone="camera")
    plate = make(8, replace(SMALL, scale=0.5, camera=camera), a_photograph, change=swung)
    follower, results, _ = run(plate)
    pictures = [AnalysisPicture.of(f.astype(np.float32) / 255) for f in plate.frames]
    for better in look_again(follower, results, pictures.__getitem__, lambda frames: [pictures[n] for n in frames], lambda n, _: None):
        results[better.frame] = better
    found = calibrate(follower, results, pictures.__getitem__, lambda n: None)
    light = np.linspace(0.01, 1, 400)
    code = 0.03 + 0.95 * np.log1p(14 * light) / np.log1p(14 * 1.05)

    def away(tone: Tone) -> float:
        """From the curve the plate was made with; light may be scaled and lifted."""
        told = light_of(np.concatenate([[0.0], code, [1.0]]), tone)[1:-1]
        a = np.stack([told, np.ones_like(told)], axis=1)
        return float(np.std(a @ np.linalg.lstsq(a, light, rcond=None)[0] - light))

    assert found.optics.tone.ends > 0.1
    assert away(found.optics.tone) < 0.6 * away(SRGB)


@pytest.mark.parametrize("seed", [6, 9])
def test_noise_does_not_make_an_exposure_look_shorter(seed):
    """Where the reference smears most, a shorter exposure would have it blurred more, which leaves less of its noise."""

    def quickest_at_the_reference(rng: np.random.Generator, p: Path) -> Path:
        return replace(p, x=lambda t: 35 * np.tanh((t - 5) / 3.0))

    camera = Camera(shutter(0.5, 11), noise=6.0, correlated=True)
    plate = make(seed, replace(SMALL, scale=0.5, camera=camera), a_photograph, change=quickest_at_the_reference)
    follower, results, _ = run(plate)
    truth = 0.5**2 / 12
    pictures = [AnalysisPicture.of(f.astype(np.float32) / 255) for f in plate.frames]
    follower = follower.under(replace(follower.optics, shutter=truth), follower.movement_at(plate.reference, results))
    results = follower.restated(results)
    results = {n: follower.settle(n, pictures[n], results, None) for n in results}
    grain = common_grain(r.evidence.grain for r in results.values())

    def asked_for(grain: Grain) -> float:
        asked = {n: Asked(KeptPictures(pictures[n].values), None, None, grain) for n in results if n != plate.reference}
        equations = linearise(follower, results, asked, ("shutter",), lambda: False)
        return float(equations.score[0] / equations.hessian[0, 0])

    assert asked_for(grain._replace(variance=0.0)) < -0.07 * truth
    assert abs(asked_for(grain)) < 0.07 * truth


def test_the_renderer_shows_a_corner_in_the_row_that_is_read_when_it_passes():
    camera = Camera(readout=0.5)

    def falling(t: np.ndarray) -> np.ndarray:
        h = np.tile(np.eye(3), (len(t), 1, 1))
        h[:, 1, 2] = 100 * t
        return h

    at = seen_at(np.array([[50.0, 60.0]]), falling, 1.0, camera, 200, 200)[0]
    # y = 60 + 100 (1 + 0.5 (y / 200 - 0.5)), solved for y.
    assert at[1] == pytest.approx((60 + 100 - 25) / (1 - 0.25))


def test_a_lens_off_centre_is_found_with_its_centre_once_it_is_known_to_bend(monkeypatch):
    lens = (-0.12, 0.0, 338.0, 168.0)
    plate = make(3, replace(SMALL, count=17, reference=8, scale=0.55, camera=Camera(noise=1.0, lens=lens)), a_photograph)
    follower, results, first = run(plate)
    assert first.optics.lens is not None
    assert first.optics.lens.centre == (320.0, 180.0)
    pictures = [AnalysisPicture.of(f.astype(np.float32) / 255) for f in plate.frames]
    looks = []
    settle = PlaneFollower.settle

    def watched(self, *args, **kwargs):
        looks.append(self.optics)
        return settle(self, *args, **kwargs)

    monkeypatch.setattr(PlaneFollower, "settle", watched)
    for better in look_again(follower, results, pictures.__getitem__, lambda frames: [pictures[n] for n in frames], lambda n, _: None):
        results[better.frame] = better
    found = looks[-1].lens
    assert found.centre == pytest.approx((338, 168), abs=4)
    assert found.k1 == pytest.approx(-0.12, abs=0.004)


@pytest.mark.parametrize("seed", [2, 4, 6])
def test_a_lens_off_centre_is_found_from_how_the_plane_moves(seed):
    """The tiles that disagree most are those that tell of it, and a second term or a bow would do some of the centre's work."""
    lens = (-0.12, 0.0, 338.0, 168.0)
    plate = make(seed, replace(SMALL, count=17, reference=8, scale=0.55, camera=Camera(noise=1.0, lens=lens)), a_photograph)
    results = [r for n, r in enumerate(follow(plate)) if n != plate.reference and r.corners is not None]
    assert len(results) == 16
    error = np.array([np.linalg.norm(r.corners - plate.truth[r.frame], axis=1) for r in results])
    assert np.median(error) < 0.08
    assert error.max() < 0.4


def test_steps_that_shrink_evenly_are_takenahead_by():
    steps = [0.6**k * np.array([3.0, -1.0]) for k in range(40)]
    assert (1 + ahead_by(steps[1], steps[0])) * steps[1] == pytest.approx(np.sum(steps[1:], axis=0))
    assert ahead_by(0.95 * steps[0], steps[0]) == MOST_AHEAD
    # To and fro, growing, or of other terms: nothing is said of what comes.
    assert ahead_by(-steps[1], steps[0]) == ahead_by(2 * steps[0], steps[0]) == ahead_by(steps[1], np.zeros(0)) == 0.0
