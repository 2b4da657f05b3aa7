"""Never wrong unsaid: patterns that fit at several places, and pictures that run inside what is followed."""

import cv2
import numpy as np
import pytest

from tests.plates import OVER, about, look_up, texture
from verdigris.core.geometry.homography import apply_homography
from verdigris.core.tracking.reference.edge_profiles import EdgeProfiles
from verdigris.core.tracking.reference.repetition import Repetition, masked_correlation
from verdigris.core.tracking.reference.rim import APART, Rim
from verdigris.core.tracking.refinement.passes import look_again
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.plane import AnalysisPicture
from verdigris.core.tracking.sequence.templates import Templates

W, H = 400, 300


def shifts(moves: list[tuple[float, float]], reference: int, turn: float = 0.0, centre=(200.0, 150.0)) -> list[np.ndarray]:
    """Homographies reference -> frame of a plane that is moved and turned."""
    poses = []
    for k, (x, y) in enumerate(moves):
        a = turn * (k - reference)
        rotation = about(np.array(centre), np.array([[np.cos(a), -np.sin(a), 0], [np.sin(a), np.cos(a), 0], [0, 0, 1.0]]))
        poses.append(np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]]) @ rotation)
    back = np.linalg.inv(poses[reference])
    return [p @ back for p in poses]


def seen(tex: np.ndarray, poses: list[np.ndarray], noise: float = 0.006, seed: int = 1) -> list[np.ndarray]:
    rng = np.random.default_rng(seed)
    return [np.clip(look_up(tex, p, W, H) + noise * rng.standard_normal((H, W)), 0, 1).astype(np.float32) for p in poses]


def follow(frames, region, corners, reference, motion="perspective") -> dict:
    pictures = [AnalysisPicture.of(np.ascontiguousarray(f)) for f in frames]
    follower = PlaneFollower(pictures[reference], region, corners, motion, reference)
    results = {reference: follower.reference_result()}
    for step in (1, -1):
        history, templates, n = [results[reference]], Templates(follower), reference + step
        while 0 <= n < len(frames):
            results[n] = templates.step(n, pictures[n - step], pictures[n], history, None)
            history.append(results[n])
            n += step
    for r in look_again(follower, dict(results), lambda n: pictures[n], lambda frames: [pictures[n] for n in frames], lambda n, _: None):
        results[r.frame] = r
    return results


def worst(results: dict, poses, corners) -> float:
    """Largest error of any corner that is not said to be lost, px."""
    errors = [
        np.linalg.norm(r.corners - apply_homography(poses[n], corners), axis=1).max() for n, r in results.items() if r.corners is not None
    ]
    return float(max(errors))


def inside(corners: np.ndarray) -> np.ndarray:
    region = np.zeros((H, W), np.uint8)
    cv2.fillConvexPoly(region, np.round(corners).astype(int), 1)
    return region > 0


def board(seed: int, cell: int = 24, n: int = 8) -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(seed)
    tex = (0.35 + 0.25 * (texture(seed, W, H) - 0.5)).astype(np.float32)
    x0, y0 = 104, 54
    for i in range(n):
        for j in range(n):
            box = np.s_[OVER * (y0 + j * cell) : OVER * (y0 + (j + 1) * cell), OVER * (x0 + i * cell) : OVER * (x0 + (i + 1) * cell)]
            tex[box] = (0.85 if (i + j) % 2 else 0.12) + 0.05 * rng.standard_normal()
    side = n * cell
    return np.clip(tex, 0, 1), np.array([[x0, y0], [x0 + side, y0], [x0 + side, y0 + side], [x0, y0 + side]], float)


def louvres(seed: int, period: float = 18.0) -> np.ndarray:
    y = np.mgrid[0 : H * OVER, 0 : W * OVER][0] / OVER
    rough = cv2.resize(np.random.default_rng(seed).standard_normal((H // 8, W // 8)).astype(np.float32), (W * OVER, H * OVER))
    return np.clip(0.5 + 0.35 * np.sin(2 * np.pi * y / period) + 0.02 * rough, 0, 1).astype(np.float32)


def test_how_a_pattern_repeats_is_measured_and_what_does_not_is_left_alone():
    quad = np.array([[120.0, 80], [280, 80], [280, 220], [120, 220]])
    picture = lambda tex: (look_up(tex, np.eye(3), W, H) * 255).astype(np.uint8)  # noqa: E731
    assert not Repetition(picture(texture(3, W, H)), inside(quad)).repeats
    assert Repetition(picture(louvres(1)), inside(quad)).period == pytest.approx(18, abs=2)
    tex, corners = board(1)
    # Two squares along, or one along and one down.
    assert Repetition(picture(tex), inside(corners)).period == pytest.approx(24 * np.sqrt(2), abs=2)


def test_correlation_heeds_only_what_both_pictures_show():
    rng = np.random.default_rng(1)
    a = rng.standard_normal((40, 50)).astype(np.float32)
    b = np.roll(a, (3, -5), (0, 1))
    mask = np.ones((40, 50), bool)
    mask[:, :8] = False
    spoilt = np.where(mask, b, 99).astype(np.float32)
    fits = masked_correlation(a, np.ones_like(mask), spoilt, mask)
    row, col = np.unravel_index(fits.argmax(), fits.shape)
    assert (int(row) - 39, int(col) - 49) == (3, -5)
    assert fits.max() == pytest.approx(1.0, abs=1e-5)


@pytest.mark.parametrize("seed", [0, 1])
def test_a_board_that_jumps_by_several_squares_is_found_where_it_is(seed):
    tex, corners = board(seed)
    rng = np.random.default_rng(50 + seed)
    moves = np.cumsum(rng.uniform(-45, 45, (7, 2)), axis=0).clip(-60, 60)
    poses = shifts([tuple(m) for m in moves], 3, 0.02)
    results = follow(seen(tex, poses), inside(corners), corners, 3)
    assert worst(results, poses, corners) < 1.0
    assert sum(r.status == "lost" for r in results.values()) <= 1


@pytest.mark.parametrize("seed", [1, 4])
def test_louvres_that_jump_are_lost_and_say_why(seed):
    corners = np.array([[130.0, 90], [270, 90], [270, 210], [130, 210]])
    moves = [(0.0, float(y)) for y in np.random.default_rng(seed).uniform(-30, 30, 6)]
    poses = shifts(moves, 2)
    results = follow(seen(louvres(seed), poses), inside(corners), corners, 2)
    wrong = [n for n, r in results.items() if r.corners is not None and worst({n: r}, poses, corners) > 3]
    assert wrong == []


def test_a_pattern_that_repeats_is_followed_where_it_moves_evenly():
    corners = np.array([[130.0, 90], [270, 90], [270, 210], [130, 210]])
    poses = shifts([(0.5 * k, 2.6 * k) for k in range(8)], 2)
    results = follow(seen(louvres(2), poses), inside(corners), corners, 2)
    assert [n for n, r in results.items() if r.status == "lost"] == []
    assert worst(results, poses, corners) < 1.5


def screen(kind: str, bezel: int = 10, count: int = 12, reference: int = 4) -> tuple[list[np.ndarray], list[np.ndarray], np.ndarray]:
    """A screen whose picture runs by itself, seen by a camera that moves; frames, poses, corners at the outer edge of its bezel."""
    around, content = 0.35 + 0.3 * (texture(9, W, H, 12) - 0.5), texture(3, 2 * W, 2 * H, 6.0)
    x0, y0, x1, y1 = 130, 70, 270, 230
    poses = shifts([(1.7 * k + 2 * np.sin(k / 3), 0.8 * k) for k in range(count)], reference, 0.003)
    frames, rng = [], np.random.default_rng(2)
    for k in range(count):
        n = k - reference
        tex = around.copy()
        tex[OVER * (y0 - bezel) : OVER * (y1 + bezel), OVER * (x0 - bezel) : OVER * (x1 + bezel)] = 0.06
        z = 1.03**n if kind == "zoom" else 1.0
        at = {"pan": (5.0 * n, 1.0 * n), "scroll": (0.0, 6.0 * n), "zoom": (0.0, 0.0)}[kind]
        middle = np.array([OVER * W, OVER * H], float)
        m = np.array([[z, 0, middle[0] * (1 - z) - at[0] * OVER], [0, z, middle[1] * (1 - z) - at[1] * OVER]])
        shown = cv2.warpAffine(content, m, content.shape[::-1], borderMode=cv2.BORDER_REFLECT)
        a, b = OVER * (H - (y1 - y0) // 2), OVER * (W - (x1 - x0) // 2)
        tex[OVER * y0 : OVER * y1, OVER * x0 : OVER * x1] = 0.15 + 0.7 * shown[a : a + OVER * (y1 - y0), b : b + OVER * (x1 - x0)]
        frames.append(np.clip(look_up(tex, poses[k], W, H) + 0.006 * rng.standard_normal((H, W)), 0, 1).astype(np.float32))
    outer = np.array([[x0 - bezel, y0 - bezel], [x1 + bezel, y0 - bezel], [x1 + bezel, y1 + bezel], [x0 - bezel, y1 + bezel]], float)
    return frames, poses, outer


@pytest.mark.parametrize("kind", ["pan", "scroll", "zoom"])
def test_a_picture_that_runs_inside_a_screen_does_not_take_it_along_unsaid(kind):
    frames, poses, corners = screen(kind)
    middle = corners.mean(axis=0)
    results = follow(frames, inside(middle + (corners - middle) * 1.03), corners, 4)
    assert worst(results, poses, corners) < 3.0
    assert all(r.reason for r in results.values() if r.status == "lost")


def test_edges_that_stayed_behind_are_seen_and_edges_that_go_along_are_not_called_that():
    frames, poses, corners = screen("pan")
    bytes_of = [AnalysisPicture.of(f).bytes for f in frames]
    rim = Rim(bytes_of[4], corners)
    for n in (6, 9):
        assert not rim.stayed_behind(bytes_of[n], poses[n])
        assert rim.goes_along(bytes_of[n], poses[n])
        with_the_picture = poses[n] @ np.array([[1, 0, 5.0 * (n - 4)], [0, 1, 1.0 * (n - 4)], [0, 0, 1.0]])
        assert rim.stayed_behind(bytes_of[n], with_the_picture)
        assert not rim.goes_along(bytes_of[n], with_the_picture)
    covered = np.ones((H, W), bool)
    assert not rim.stayed_behind(bytes_of[9], poses[9], covered)
    assert "Cut out" in APART


def test_edges_alone_say_where_the_plane_is_and_how_sure_that_is():
    frames, poses, corners = screen("pan")
    edges = EdgeProfiles(AnalysisPicture.of(frames[4]).bytes, corners)
    for n in (2, 7, 11):
        now = AnalysisPicture.of(frames[n]).bytes
        # Looked for where the plane was some frames before.
        found = edges.plane(now, poses[n] @ np.array([[1, 0, 4.0], [0, 1, -3.0], [0, 0, 1.0]]))
        assert found is not None
        h, sigma, left = found
        away = np.linalg.norm(apply_homography(h, corners) - apply_homography(poses[n], corners), axis=1)
        assert away.max() < 1.0
        assert (away < 4 * sigma).all()
        assert left < 0.5
    covered = np.zeros((H, W), bool)
    covered[:, 190:] = True
    assert edges.plane(AnalysisPicture.of(frames[7]).bytes, poses[7], covered) is None


def test_a_bezel_as_thin_as_a_line_holds_the_surface_while_the_picture_pans():
    frames, poses, corners = screen("pan", bezel=4, count=9)
    results = follow(frames, inside(corners), corners, 4)
    assert worst(results, poses, corners) < 2.0
    assert sum(r.status == "lost" for r in results.values()) <= 2


def test_a_board_is_told_from_its_neighbour_squares_while_what_is_behind_it_moves_by_itself():
    tex, corners = board(2)
    behind = 0.35 + 0.4 * (texture(8, W, H, 14) - 0.5)
    rng = np.random.default_rng(3)
    poses = shifts([(0.0, 0.0), (48.0, 0.0), (24.0, 24.0)], 0)
    frames = []
    for k, pose in enumerate(poses):
        mask = np.zeros(tex.shape, np.uint8)
        cv2.fillConvexPoly(mask, np.round(OVER * corners).astype(np.int32), 1)
        other = cv2.warpAffine(
            behind, np.array([[1, 0, -70.0 * OVER * k], [0, 1, 30.0 * OVER * k]]), tex.shape[::-1], borderMode=cv2.BORDER_REFLECT
        )
        alone = look_up(np.where(mask > 0, tex, 0).astype(np.float32), pose, W, H)
        cover = look_up(mask.astype(np.float32), pose, W, H)
        frames.append(
            np.clip(alone + (1 - cover) * look_up(other, np.eye(3), W, H) + 0.006 * rng.standard_normal((H, W)), 0, 1).astype(np.float32)
        )
    results = follow(frames, inside(corners), corners, 0)
    assert [r.status for r in results.values()] == ["followed"] * 3
    assert worst(results, poses, corners) < 1.0
