"""Whatever the tracker is fed, it answers: followed, or lost with a reason; never a traceback, never a number that is none."""

import warnings

import cv2
import numpy as np
import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from tests.plates import look_up, texture
from verdigris.core.tracking.refinement.passes import look_again
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.plane import AnalysisPicture
from verdigris.core.tracking.sequence.templates import Templates

W, H, COUNT = 160, 120, 6
KINDS = ("plane", "noise", "black", "white", "repeated", "jumped", "inverted", "half", "stripes")


def frame_of(kind: str, n: int, seed: int) -> np.ndarray:
    rng = np.random.default_rng(seed * 31 + n)
    if kind == "noise":
        return rng.random((H, W), dtype=np.float32)
    if kind in ("black", "white"):
        return np.full((H, W), float(kind == "white"), np.float32)
    if kind == "stripes":
        return np.tile(np.float32(0.5) + 0.4 * np.sign(np.sin(np.arange(W) / 3 + n)).astype(np.float32), (H, 1))
    shift = {"repeated": 0, "jumped": int(rng.integers(-70, 70))}.get(kind, 2 * n)
    there = look_up(texture(seed, W, H), np.array([[1, 0, shift], [0, 1, 0.5 * shift], [0, 0, 1.0]]), W, H)
    if kind == "inverted":
        return np.asarray(1 - there, np.float32)
    if kind == "half":
        there = there.copy()
        there[:, : W // 2] = 0
    return there


def run(frames: list[np.ndarray], region: np.ndarray, corners: np.ndarray, motion: str) -> list:
    pictures = [AnalysisPicture.of(np.ascontiguousarray(f)) for f in frames]
    follower = PlaneFollower(pictures[1], region, corners, motion, 1)
    if follower.problem is not None:
        assert follower.problem.reason
        return []
    results = {1: follower.reference_result()}
    for step in (1, -1):
        history, templates, n = [results[1]], Templates(follower), 1 + step
        while 0 <= n < len(frames):
            results[n] = templates.step(n, pictures[n - step], pictures[n], history, None)
            history.append(results[n])
            n += step
    for r in look_again(follower, dict(results), lambda n: pictures[n], lambda frames: [pictures[n] for n in frames], lambda n, _: None):
        results[r.frame] = r
    return list(results.values())


def check(results: list) -> None:
    for r in results:
        if r.status == "lost":
            assert r.reason
            assert r.corners is None
        else:
            for values in (r.homography, r.corners, r.sigma_px, r.residual_px, r.share_used):
                assert np.isfinite(values).all()


@settings(max_examples=25, phases=[Phase.generate], suppress_health_check=[HealthCheck.too_slow], derandomize=True, deadline=None)
@given(
    kinds=st.lists(st.sampled_from(KINDS), min_size=COUNT, max_size=COUNT),
    seed=st.integers(0, 1000),
    box=st.tuples(st.integers(0, W - 2), st.integers(0, H - 2), st.integers(1, W), st.integers(1, H)),
    holes=st.booleans(),
    motion=st.sampled_from(["translation", "similarity", "perspective"]),
)
def test_nothing_that_a_camera_may_deliver_ends_in_a_traceback(kinds, seed, box, holes, motion):
    x, y, w, h = box
    region = np.zeros((H, W), bool)
    region[y : y + h, x : x + w] = True
    if holes:
        region &= np.random.default_rng(seed).random((H, W)) > 0.5
    corners = np.array([[20.0, 20], [130, 24], [126, 100], [24, 96]])
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        check(run([frame_of(k, n, seed) for n, k in enumerate(kinds)], region, corners, motion))


@pytest.mark.parametrize("pixels", [1, 2, 20, 399, 401, 420])
def test_a_region_of_hardly_any_pixel_is_said_or_followed(pixels):
    region = np.zeros(W * H, bool)
    region[W * 40 + 30 :][:pixels] = True
    corners = np.array([[20.0, 20], [130, 24], [126, 100], [24, 96]])
    check(run([frame_of("plane", n, 3) for n in range(COUNT)], region.reshape(H, W), corners, "perspective"))


def test_a_board_photographed_in_large_steps_is_followed_or_said_to_be_lost():
    rng = np.random.default_rng(4)
    board = cv2.resize((np.indices((8, 8)).sum(axis=0) % 2).astype(np.float32) * 0.7 + 0.15, (96, 96), interpolation=cv2.INTER_NEAREST)
    frames = []
    for _ in range(6):
        x, y = rng.integers(0, W - 96), rng.integers(0, H - 96)
        frame = 0.4 + 0.05 * rng.standard_normal((H, W))
        frame[y : y + 96, x : x + 96] = board + 0.01 * rng.standard_normal((96, 96))
        frames.append(np.clip(cv2.GaussianBlur(frame.astype(np.float32), (0, 0), 0.7), 0, 1))
        if len(frames) == 2:
            corners = np.array([[x, y], [x + 96, y], [x + 96, y + 96], [x, y + 96]], float)
    region = np.zeros((H, W), np.uint8)
    cv2.fillConvexPoly(region, corners.astype(int), 1)
    check(run(frames, region > 0, corners, "perspective"))
