"""Corners and everything between them lie where the camera shows them: lens, rows, bow, exposure, each against its own model."""

import cv2
import numpy as np
import pytest

from verdigris.core.camera.bow import Bow
from verdigris.core.camera.optics import STILL, Movement, Optics
from verdigris.core.composite.layer import Layer, layer_box
from verdigris.core.composite.texture import Texture
from verdigris.core.composite.unmix import put_layer
from verdigris.core.composite.warp import MOST_SAMPLES, exposure_of, scaled_camera, warp_of
from verdigris.core.geometry.homography import apply_homography, homography_from_quads, unit_square_to
from verdigris.core.geometry.lens import Lens
from verdigris.core.types import Float32, Float64

W, H = 320, 240
QUAD = np.array([[60.0, 50], [262, 58], [250, 196], [54, 186]])
# Seen in the reference frame before any lens; the plane's own coordinates are these.
SQUARE = np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]])
LENS = Lens((W / 2 + 4, H / 2 - 3), float(np.hypot(W, H)) / 2, -0.16, 0.03, 0.0, 0.002, -0.001)


def moving(by: float) -> Movement:
    """To the right and down, turning and coming nearer, as much as asked."""
    return Movement(by * np.array([[0.004, -0.02, 9.0], [0.02, 0.004, 4.0], [2e-5, 1e-5, -0.008]]), np.zeros((3, 3)))


def pose_at(t: float, move: Movement) -> Float64:
    start = np.array([[0.98, -0.05, 8.0], [0.04, 1.01, -5.0], [4e-5, -3e-5, 1.0]])
    term, total = np.eye(3), np.eye(3)
    for k in range(1, 12):
        term = term @ (t * move.v) / k
        total = total + term
    return start @ total


CASES = {
    "lens": (Optics(W, H, LENS), moving(0)),
    "rows": (Optics(W, H, None, 0.8), moving(1)),
    "lens and rows": (Optics(W, H, LENS, -0.6), moving(1)),
    "a bow": (Optics(W, H, bow=(0.2, -0.08), focal=1.2), moving(0)),
    "lens and bow": (Optics(W, H, LENS, bow=(0.05, 0.0), focal=1.2), moving(0)),
}


def seen(camera: Optics, points: Float64, t: float, move: Movement) -> Float64:
    """Where points of the plane, ideal reference px, are seen at a frame: the tracker's own model."""
    at = camera.project(points, pose_at(t, move), move)
    if not any(camera.bow):
        return at
    ideal = apply_homography(pose_at(t, move), points)
    bow = Bow.of(QUAD, (W, H), camera.bow, camera.focal or 0)
    return camera.seen(ideal + bow.offset(ideal, pose_at(t, move)))


def reference_corners(camera: Optics) -> Float64:
    return camera.seen(QUAD)


def corners_around(camera: Optics, move: Movement) -> dict[int, Float64]:
    return {k: seen(camera, QUAD, k, move) for k in range(-4, 5)}


def ramp(size: int = 64) -> Texture:
    """Its colour tells where on it one is: red along, green down."""
    at = (np.arange(size) + 0.5) / size
    x, y = np.meshgrid(at, at)
    return Texture(np.stack([x, y, np.full_like(x, 0.5), np.ones_like(x)], axis=2).astype(np.float32))


def drawn(layer: Layer, plate: Float32) -> tuple[Float32, np.ndarray]:
    box = layer_box(layer, W, H)
    assert box is not None
    x0, y0, x1, y1 = box
    out, touched = plate.copy(), np.zeros(plate.shape[:2], bool)
    out[y0:y1, x0:x1], touched[y0:y1, x0:x1] = put_layer(layer, np.ascontiguousarray(plate[y0:y1, x0:x1]), box, None)
    return out, touched


@pytest.mark.parametrize("name", CASES)
def test_everything_between_the_corners_lies_where_the_camera_shows_it(name):
    camera, move = CASES[name]
    warp = warp_of(camera, reference_corners(camera), corners_around(camera, move))
    art = ramp()
    out, _ = drawn(Layer(art, warp, np.diag([*map(float, art.size), 1.0])), np.zeros((H, W, 3), np.float32))
    rng = np.random.default_rng(1)
    on_square = rng.uniform(0.03, 0.97, (400, 2))
    at = seen(camera, apply_homography(homography_from_quads(SQUARE, QUAD), on_square), 0, move)
    i, j = np.floor(at - 0.5).astype(int).T
    fx, fy = (at - 0.5 - np.stack([i, j], axis=1)).T[:, :, None]
    read = (1 - fy) * ((1 - fx) * out[j, i] + fx * out[j, i + 1]) + fy * ((1 - fx) * out[j + 1, i] + fx * out[j + 1, i + 1])
    away_px = (read[:, :2] - on_square) * [200, 138]
    assert np.abs(away_px).max() < 0.05
    # Straight lines between the corners would be this far off.
    straight = apply_homography(homography_from_quads(SQUARE, corners_around(camera, move)[0]), on_square)
    assert np.linalg.norm(straight - at, axis=1).max() > 0.4


@pytest.mark.parametrize("name", CASES)
def test_bent_edges_cover_their_exact_share_and_nothing_outside(name):
    camera, move = CASES[name]
    warp = warp_of(camera, reference_corners(camera), corners_around(camera, move))
    white = Texture(np.ones((4, 4, 4), np.float32))
    out, touched = drawn(Layer(white, warp, np.diag([4.0, 4.0, 1.0])), np.zeros((H, W, 3), np.float32))
    # Brute force: a fine outline of the model, and how much of each pixel lies inside.
    s = np.linspace(0, 1, 60)[:, None]
    outline = np.concatenate([(1 - s) * QUAD[e] + s * QUAD[(e + 1) % 4] for e in range(4)])
    cover = _share_of(seen(camera, outline, 0, move))
    error = out[..., 0] - cover
    near = np.zeros((H, W), bool)
    for x, y in seen(camera, QUAD, 0, move).astype(int):
        near[y - 2 : y + 3, x - 2 : x + 3] = True
    assert np.abs(error[~near]).max() < 0.06
    assert 20 * np.log10(1 / np.sqrt(np.mean(error[~near] ** 2))) > 48
    # Counting misses slivers: what is called outside is a pixel away.
    outside = cv2.dilate((cover > 0).astype(np.uint8), np.ones((3, 3))) == 0
    assert not (touched & outside).any()


def _share_of(outline: Float64, times: int = 12) -> Float64:
    """Share of each pixel inside a polygon, by counting crossings at many points of it."""
    y = (np.arange(H * times) + 0.5) / times
    x = (np.arange(W * times) + 0.5) / times
    inside = np.zeros((H * times, W * times), bool)
    a, b = outline, np.roll(outline, -1, axis=0)
    for row, yy in enumerate(y):
        crossing = (a[:, 1] > yy) != (b[:, 1] > yy)
        p, q = a[crossing], b[crossing]
        at = np.sort(p[:, 0] + (yy - p[:, 1]) / (q[:, 1] - p[:, 1]) * (q[:, 0] - p[:, 0]))
        for left, right in at.reshape(-1, 2):
            inside[row] |= (x > left) & (x < right)
    return inside.reshape(H, times, W, times).mean(axis=(1, 3))


def test_corners_stay_where_they_are_given_even_when_the_movement_is_told_badly():
    camera, move = CASES["lens and rows"]
    around = corners_around(camera, move)
    rng = np.random.default_rng(4)
    shaken = {k: c + (0 if k == 0 else rng.normal(0, 2.0, (4, 2))) for k, c in around.items()}
    for corners in (around, shaken, {0: around[0]}):
        warp = warp_of(camera, reference_corners(camera), corners)
        assert np.abs(warp.outlines[0][::16] - around[0]).max() < 2e-3


def test_without_lens_rows_and_bow_nothing_is_bent():
    warp = warp_of(Optics(W, H, Lens.of_picture(W, H), 0.5), QUAD, {0: QUAD + 3})
    assert warp.bend is None
    assert np.allclose(warp.corners[0], QUAD + 3)
    assert np.allclose(warp.straight_from_surface / warp.straight_from_surface[:, 2:, 2:], unit_square_to(QUAD + 3))


def test_a_preview_is_bent_as_the_picture_is():
    camera, move = CASES["lens and rows"]
    warp = warp_of(camera, reference_corners(camera), corners_around(camera, move))
    half = {k: c / 2 for k, c in corners_around(camera, move).items()}
    small = warp_of(scaled_camera(camera, 0.5), reference_corners(camera) / 2, half)
    assert np.abs(small.outlines[0] * 2 - warp.outlines[0]).max() < 0.01


def test_an_exposure_is_the_mean_of_what_it_sees_and_takes_the_old_edge_out_as_smeared():
    square = np.array([[100.0, 80], [200, 80], [200, 160], [100, 160]])
    corners = {k: square + [12.0 * k, 0] for k in range(-2, 3)}
    moments = exposure_of(0.5, 12.0)
    assert len(moments) == 4
    warp = warp_of(Optics(W, H), square, corners, exposure=tuple((t, 1 / 24) for t in (np.arange(24) + 0.5) / 48 - 0.25))
    x = np.arange(W) + 0.5
    # A box of 6 px around each edge, and the pixel's own.
    cover = np.mean([np.clip(x - 100 - d + 0.5, 0, 1) * np.clip(200 + d - x + 0.5, 0, 1) for d in np.linspace(-3, 3, 400)], axis=0)
    white = Texture(np.ones((4, 4, 4), np.float32))
    layer = Layer(white, warp, np.diag([4.0, 4.0, 1.0]))
    out, _ = drawn(layer, np.zeros((H, W, 3), np.float32))
    assert np.abs(out[120, :, 0] - cover).max() < 0.02
    # The old surface, red and smeared just so over a green wall: none of its red stays.
    plate = np.broadcast_to(np.stack([cover, 1 - cover, 0 * cover], axis=1), (H, W, 3)).astype(np.float32)
    black = Texture(np.array([0.0, 0, 0, 1], np.float32) * np.ones((4, 4, 1), np.float32))
    over, _ = drawn(Layer(black, warp, np.diag([4.0, 4.0, 1.0])), np.ascontiguousarray(plate))
    assert over[120, :, 0].max() < 0.03
    assert np.abs(over[120, :, 1] - (1 - cover)).max() < 0.03


@pytest.mark.parametrize("size", [(1, 1), (1, 5), (6, 1)])
def test_a_picture_of_one_pixel_a_side_is_drawn_at_one_moment_and_at_many(size):
    art = Texture(np.broadcast_to(np.array([0.25, 0.5, 0.75, 1], np.float32), (size[1], size[0], 4)).copy())
    corners = {k: QUAD + [3.0 * k, 0] for k in range(-2, 3)}
    for exposure in (((0.0, 1.0),), exposure_of(0.5, 12.0)):
        layer = Layer(art, warp_of(Optics(W, H), QUAD, corners, exposure=exposure), np.diag([*map(float, size), 1.0]))
        out, _ = drawn(layer, np.zeros((H, W, 3), np.float32))
        assert np.allclose(out[120, 150], [0.25, 0.5, 0.75], atol=1e-6)


def test_as_many_moments_as_the_blur_is_long():
    assert len(exposure_of(0.5, 0.0)) == 1
    assert len(exposure_of(0.5, 30.0)) == 10
    assert len(exposure_of(1.0, 1e6)) == MOST_SAMPLES
    moments = exposure_of(0.5, 30.0)
    assert sum(w for _, w in moments) == pytest.approx(1)
    assert sum(t * w for t, w in moments) == pytest.approx(0)
    assert STILL.is_still
