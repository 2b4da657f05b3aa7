import numpy as np
import pytest

from tests.plates import Plate, make_plate
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.geometry.motion import FREEDOMS, MOTIONS, Motion, estimate_motion, exponential, point_jacobian
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.tracking.sequence.plane import AnalysisPicture
from verdigris.core.types import Bool


def follow(
    plate: Plate, motion: Motion = "perspective", hidden: dict[int, Bool] | None = None, region: Bool | None = None
) -> dict[int, FrameResult]:
    pictures = [AnalysisPicture.of(f) for f in plate.frames]
    height, width = plate.frames[0].shape
    mask = region_mask([plate.corners], [], None, width, height) if region is None else region
    follower = PlaneFollower(pictures[plate.reference], mask, plate.corners, motion, plate.reference)
    assert follower.problem is None
    results = {plate.reference: follower.reference_result()}
    for step in (1, -1):
        history, n = [results[plate.reference]], plate.reference + step
        while 0 <= n < len(pictures):
            results[n] = follower.step(n, pictures[n - step], pictures[n], history, (hidden or {}).get(n))
            history.append(results[n])
            n += step
    return results


def errors(plate: Plate, results: dict[int, FrameResult]) -> np.ndarray:
    return np.array([np.linalg.norm(r.corners - plate.corners_at(n), axis=1) for n, r in sorted(results.items()) if r.corners is not None])


@pytest.mark.parametrize("motion", MOTIONS)
def test_each_motion_model_follows_its_own_motion_exactly(motion):
    plate = make_plate(motion)
    results = follow(plate, motion)
    assert all(r.status == "followed" for r in results.values())
    assert errors(plate, results).max() < 0.03


@pytest.mark.parametrize("motion", MOTIONS)
def test_an_update_never_leaves_its_model(motion):
    k = FREEDOMS[motion]
    h = exponential(np.random.default_rng(3).normal(0, 0.05, k))
    h = h / h[2, 2]
    if motion != "perspective":
        assert np.allclose(h[2], [0, 0, 1])
    if motion in ("translation", "rigid", "similarity"):
        assert np.allclose(h[:2, :2] @ h[:2, :2].T, np.eye(2) * np.linalg.det(h[:2, :2]))
    if motion in ("translation", "rigid"):
        assert np.linalg.det(h[:2, :2]) == pytest.approx(1)


def test_the_jacobian_is_the_derivative_of_the_warp():
    points = np.random.default_rng(4).uniform(-1, 1, (7, 2))
    jac, step = point_jacobian(points, 8), 1e-6
    for k in range(8):
        p = np.zeros(8)
        p[k] = step
        moved = apply_homography(exponential(p), points)
        assert np.allclose((moved - points) / step, jac[:, :, k], atol=1e-4)


def test_a_robust_fit_ignores_a_third_of_wrong_pairs():
    rng = np.random.default_rng(5)
    plate = make_plate("perspective", count=2, reference=0)
    src = rng.uniform([50, 50], [430, 270], (90, 2))
    dst = apply_homography(plate.truth[1], src)
    dst[:30] += rng.uniform(15, 60, (30, 2))
    h, inliers = estimate_motion(src, dst, "perspective")
    assert h is not None
    assert inliers.sum() == 60
    assert np.abs(apply_homography(h, plate.corners) - plate.corners_at(1)).max() < 1e-4


def test_too_few_pairs_are_a_refusal_not_an_identity():
    h, inliers = estimate_motion(np.zeros((3, 2)), np.zeros((3, 2)), "perspective")
    assert h is None
    assert not inliers.any()


def test_gain_bias_and_flicker_change_nothing():
    plate = make_plate(count=7)
    rng = np.random.default_rng(6)
    lit = [np.clip(f * rng.uniform(0.7, 1.15) + rng.uniform(-0.03, 0.03), 0, 1).astype(np.float32) for f in plate.frames]
    changed = Plate(lit, plate.truth, plate.corners, plate.reference)
    assert errors(plate, follow(changed)).max() < 0.05


def test_a_shift_of_the_plate_by_whole_pixels_shifts_the_result():
    plate = make_plate(count=6)
    height, width = plate.frames[0].shape
    moved = [np.ascontiguousarray(np.pad(f, ((0, 16), (0, 24)), mode="edge")[16:, 24:]) for f in plate.frames]
    shift = np.array([[1, 0, -24], [0, 1, -16], [0, 0, 1.0]])
    other = Plate(moved, [shift @ h @ np.linalg.inv(shift) for h in plate.truth], plate.corners - [24, 16], plate.reference)
    a, b = follow(plate), follow(other)
    for n in a:
        assert a[n].corners is not None
        assert b[n].corners is not None
        assert np.abs(a[n].corners - [24, 16] - b[n].corners).max() < 0.01
    assert (height, width) == other.frames[0].shape


def test_a_masked_occluder_costs_nothing_and_an_unmasked_one_little():
    plate = make_plate(count=8)
    covered, hidden = [], {}
    for n, f in enumerate(plate.frames):
        g, mask = f.copy(), np.zeros(f.shape, bool)
        if n != plate.reference:
            x = 150 + 22 * n
            mask[120:260, x : x + 60] = True
            g[mask] = 0.9
        covered.append(g)
        hidden[n] = mask
    with_arm = Plate(covered, plate.truth, plate.corners, plate.reference)
    assert errors(plate, follow(with_arm, hidden=hidden)).max() < 0.05
    assert np.median(errors(plate, follow(with_arm))) < 0.08


def test_a_wholly_hidden_plane_is_lost_with_a_reason_and_found_again():
    plate = make_plate(count=12, reference=1)
    frames = list(plate.frames)
    noise = np.random.default_rng(7)
    for n in (5, 6, 7):
        frames[n] = noise.uniform(0.3, 0.6, frames[n].shape).astype(np.float32)
    gone = Plate(frames, plate.truth, plate.corners, plate.reference)
    height, width = frames[0].shape
    wide = region_mask([plate.corners + np.array([[-60, -50], [60, -50], [60, 50], [-60, 50]])], [], None, width, height)
    results = follow(gone, region=wide)
    for n in (5, 6, 7):
        assert results[n].status == "lost"
        assert results[n].homography is None
        assert results[n].reason
    for n in (9, 10, 11):
        assert results[n].corners is not None
        assert np.abs(results[n].corners - plate.corners_at(n)).max() < 0.1


def test_large_jumps_between_frames_are_followed():
    plate = make_plate("translation", count=3, reference=0, size=(640, 360))
    big = [np.array([[1, 0, 55.0 * n], [0, 1, 20.0 * n], [0, 0, 1.0]]) for n in range(3)]
    from tests.plates import look_up, texture

    tex = texture(9, 640, 360)
    quick = Plate([look_up(tex, h, 640, 360) for h in big], big, plate.corners, 0)
    assert errors(quick, follow(quick)).max() < 0.05


@pytest.mark.parametrize("noise", [0.01, 0.04])
def test_stated_doubt_is_about_as_large_as_the_error(noise):
    ratios = []
    for seed in range(4):
        plate = make_plate(count=6, noise=noise, seed=20 + seed)
        for n, r in follow(plate).items():
            if n != plate.reference and r.corners is not None and r.sigma_px is not None:
                ratios += list(np.linalg.norm(r.corners - plate.corners_at(n), axis=1) / r.sigma_px)
    assert 0.3 < np.median(ratios) < 1.6
    assert np.mean(np.array(ratios) > 4) < 0.05


def test_what_cannot_be_followed_is_refused_in_words():
    plate = make_plate(count=1, reference=0)
    picture = AnalysisPicture.of(plate.frames[0])
    height, width = plate.frames[0].shape
    nothing = np.zeros((height, width), bool)
    small = nothing.copy()
    small[100:110, 100:110] = True
    everything = region_mask([plate.corners], [], None, width, height)
    flat = AnalysisPicture.of(np.full((height, width), 0.5, np.float32))
    cases = {
        "region_empty": PlaneFollower(picture, nothing, plate.corners, "perspective", 0),
        "region_small": PlaneFollower(picture, small, plate.corners, "perspective", 0),
        "no_texture": PlaneFollower(flat, everything, plate.corners, "perspective", 0),
        "corners": PlaneFollower(picture, everything, plate.corners[[1, 0, 2, 3]], "perspective", 0),
    }
    for code, follower in cases.items():
        assert follower.problem is not None
        assert follower.problem.code == code
        assert follower.problem.reason.endswith(".") or "wap" in follower.problem.reason
