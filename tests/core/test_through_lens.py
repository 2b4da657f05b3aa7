"""What lens and camera do to edges and light: found as it was put in, and put in as a twin has it."""

import cv2
import numpy as np
import pytest

from tests.core.test_match import BOX, H, W, coverage, layer, mixed
from verdigris.core.composite.look import Glow, Look, put_looked, scaled
from verdigris.core.composite.through_lens import Vignette, drawn_apart, fallen_off, sigmas_over, soft_by
from verdigris.core.light.transfer import linear_to_srgb, srgb_to_linear
from verdigris.core.match.cast import measure_cast
from verdigris.core.match.edges import find_edges
from verdigris.core.match.fringe import Fringe, measure_fringe
from verdigris.core.match.glow import measure_glow_around
from verdigris.core.match.halo import Halo, measure_halo, sharpened, unsharpened
from verdigris.core.match.known import known_print, known_screen

OLD, NEW, WALL = (0.6, 0.6, 0.55), (0.5, 0.25, 0.1), (0.1, 0.2, 0.3)
MIDDLE = (W / 2, H / 2)


def codes_of(light: np.ndarray) -> np.ndarray:
    return linear_to_srgb(light.astype(np.float64)).astype(np.float32)


def light_of(codes: np.ndarray) -> np.ndarray:
    return srgb_to_linear(codes.astype(np.float64)).astype(np.float32)


def signs(sigma: float, larger: float = 0.0) -> np.ndarray:
    """Linear light of two signs, one in the other, (240, 320), as a camera of such softness sees them."""
    fine = np.full((1200, 1600), 0.08, np.float32)
    cv2.fillConvexPoly(fine, np.array([[300, 200], [1300, 260], [1240, 1000], [260, 940]]), 0.5)
    cv2.fillConvexPoly(fine, np.array([[500, 400], [800, 430], [780, 700], [470, 690]]), 0.12)
    if larger:
        fine = cv2.warpAffine(fine, np.array([[1 + larger, 0, -800 * larger], [0, 1 + larger, -600 * larger]]), (1600, 1200))
    return cv2.GaussianBlur(fine, (0, 0), sigma * 5).reshape(240, 5, 320, 5).mean(axis=(1, 3))


@pytest.mark.parametrize(("sigma", "halo"), [(0.8, Halo(0.6, 1.3)), (0.8, Halo(1.0, 0.8)), (1.3, Halo(0.6, 1.3))])
def test_sharpening_is_told_from_edges(sigma, halo):
    rng = np.random.default_rng(1)
    codes = sharpened(codes_of(signs(sigma)), halo) + rng.normal(0, 0.003, (240, 320)).astype(np.float32)
    edges = find_edges(codes, np.ones(codes.shape, bool), 0.003)
    assert edges is not None
    seen = measure_halo(edges, codes_of, light_of)
    assert seen.gain > 0.8
    # Amount and reach go for each other: what they make of an edge is what counts.
    step = np.zeros((9, 41), np.float32)
    step[:, 20:] = 1
    soft = cv2.GaussianBlur(step, (0, 0), sigma)
    assert np.abs(sharpened(soft, seen.halo) - sharpened(soft, halo)).max() < 0.05


def test_a_camera_that_does_not_sharpen_is_not_said_to():
    codes = codes_of(signs(0.8))
    edges = find_edges(codes, np.ones(codes.shape, bool), 0.001)
    assert edges is not None
    assert measure_halo(edges, codes_of, light_of).overshoot < 0.01


def test_sharpening_is_taken_back():
    codes = codes_of(signs(0.7))
    for halo in (Halo(0.5, 1.0), Halo(1.5, 2.0)):
        assert unsharpened(sharpened(codes, halo), halo, 30) == pytest.approx(codes, abs=1e-4)


def test_a_sharpened_plate_gets_the_new_pictures_halo_and_loses_the_old_ones():
    halo = Halo(0.7, 1.2)

    def seen(colour):
        soft = cv2.GaussianBlur(mixed(colour, WALL, coverage()), (0, 0), 0.8)
        return light_of(sharpened(codes_of(soft), halo))

    plate, twin = seen(OLD), seen(NEW)
    look = Look(soft_px=0.8, halo=halo, codes_of=codes_of, light_of=light_of)
    out, touched = put_looked(layer(), plate, BOX, None, None, look)
    plain, _ = put_looked(layer(), plate, BOX, None, None, Look(soft_px=0.8))
    assert np.abs(out - twin).max() < 0.02 < np.abs(plain - twin).max()
    assert np.array_equal(out[~touched], plate[~touched])
    assert not touched[:4].any()
    assert scaled(look, 0.5).halo == Halo(0.7, 0.6)


def test_fringes_are_told_from_edges():
    rng = np.random.default_rng(1)
    light = np.dstack([signs(0.7, 0.003), signs(0.7), signs(0.7, -0.002)]).astype(np.float32)
    light += rng.normal(0, 0.002, light.shape).astype(np.float32)
    edges = find_edges(np.ascontiguousarray(light[..., 1]), np.ones(light.shape[:2], bool), 0.002)
    assert edges is not None
    seen = measure_fringe(edges, light, (160, 120))
    assert seen is not None
    assert [seen.fringe.red, seen.fringe.blue] == pytest.approx([0.003, -0.002], abs=2e-4)
    assert (seen.error < 2e-4).all()


def test_each_colour_has_the_edge_that_the_lens_gives_it():
    fringe = Fringe(0.02, -0.015)

    def seen(colour):
        soft = cv2.GaussianBlur(mixed(colour, WALL, coverage()), (0, 0), 0.8)
        for channel, k in ((0, fringe.red), (2, fringe.blue)):
            soft[..., channel] = drawn_apart(np.ascontiguousarray(soft[..., channel]), BOX, MIDDLE, k)
        return soft

    out, touched = put_looked(layer(), seen(OLD), BOX, None, None, Look(soft_px=0.8, fringe=fringe, middle=MIDDLE))
    plain, _ = put_looked(layer(), seen(OLD), BOX, None, None, Look(soft_px=0.8))
    assert np.abs(out - seen(NEW)).max() < 0.02 < np.abs(plain - seen(NEW)).max()
    assert np.array_equal(out[~touched], seen(OLD)[~touched])


def test_light_falls_off_with_the_square_of_the_way_to_a_corner():
    vignette = Vignette(0.4, MIDDLE, float(np.hypot(*MIDDLE)))
    out = fallen_off(np.ones((H, W, 3), np.float32), BOX, vignette)
    assert out[0, 0, 0] == pytest.approx(0.6, abs=0.02)
    assert out[H // 2, W // 2, 1] == pytest.approx(1, abs=1e-3)
    part = fallen_off(np.ones((10, 20, 3), np.float32), (30, 40, 50, 50), vignette)
    assert np.array_equal(part, out[40:50, 30:50])


def test_softness_between_corners_is_between_theirs():
    rng = np.random.default_rng(2)
    values = rng.random((H, W)).astype(np.float32)
    even = soft_by(values, np.full((H, W), 1.4, np.float32))
    assert even == pytest.approx(cv2.GaussianBlur(values, (0, 0), 1.4, borderType=cv2.BORDER_REPLICATE), abs=1e-6)
    u, v = np.meshgrid((np.arange(W) + 0.5) / W, (np.arange(H) + 0.5) / H)
    sigma = sigmas_over((0.5, 3.0, 3.0, 0.5), np.dstack([u, v]).astype(np.float32))
    assert sigma[:, 0] == pytest.approx(0.5, abs=0.1)
    out = soft_by(values, sigma)
    left, right = (np.abs(np.diff(out[:, part], axis=1)).mean() for part in (np.s_[4:14], np.s_[-14:-4]))
    assert left > 3 * right
    look = Look(soft_corners=(0.5, 2.0, 2.0, 0.5))
    assert look.softest == 2.0
    assert scaled(look, 0.5).soft_corners == (0.25, 1.0, 1.0, 0.25)
    plate = mixed(OLD, WALL, coverage())
    made, _ = put_looked(layer(), plate, BOX, None, None, look)
    rise = np.abs(np.diff(made[35, :, 0])).max(), np.abs(np.diff(made[35, :48, 0])).max()
    assert made[35, 48] == pytest.approx(NEW, abs=0.01)
    assert rise[1] > np.abs(np.diff(made[35, 48:, 0])).max()


def test_a_screens_glow_is_told_from_how_light_falls_off_around_it():
    rng = np.random.default_rng(4)
    y, x = np.mgrid[0:200, 0:300].astype(np.float32)
    inside = (np.abs(x - 150) < 60) & (np.abs(y - 100) < 40)
    screen = np.where(inside[..., None], np.float32([0.5, 0.8, 0.9]), np.float32(0))
    wall = (0.1 + 0.0002 * x + 0.006 * np.sin(x / 5) * np.cos(y / 6))[..., None] * np.float32([1, 0.9, 0.8])
    thrown = 0.1 * cv2.GaussianBlur(screen, (0, 0), 13)
    light = np.where(inside[..., None], screen, wall + thrown + rng.normal(0, 0.003, screen.shape)).astype(np.float32)
    around = cv2.dilate(inside.astype(np.uint8), np.ones((7, 7), np.uint8)) == 0
    seen = measure_glow_around(light, screen, around)
    assert seen is not None
    assert seen.share == pytest.approx(0.1, rel=0.15)
    assert seen.radius_px == 13
    assert seen.share > 10 * seen.error
    dull = measure_glow_around(np.where(inside[..., None], screen, wall).astype(np.float32), screen, around)
    assert dull is None or dull.share < 5 * dull.error
    assert measure_glow_around(light, screen, np.zeros(around.shape, bool)) is None


def test_the_old_screens_glow_goes_and_the_new_ones_comes():
    cover = coverage()
    old, new = np.float32([0.1, 0.9, 0.1]), np.float32(NEW)

    def seen(colour):
        screen = cover[..., None] * colour
        around = np.float32(0.1) + 0.2 * cv2.GaussianBlur(screen, (0, 0), 5, borderType=cv2.BORDER_REPLICATE)
        return (screen + (1 - cover)[..., None] * around).astype(np.float32)

    look = Look(glow=Glow(0.2, 5.0, True))
    out, _ = put_looked(layer(tuple(float(c) for c in new)), seen(old), BOX, None, None, look)
    assert np.abs(out - seen(new)).max() < 0.012
    added, _ = put_looked(layer(tuple(float(c) for c in new)), seen(old), BOX, None, None, Look(glow=Glow(0.2, 5.0)))
    assert np.abs(added - seen(new)).max() > 0.05


def test_a_cast_shadow_is_told_from_what_is_missing_beside_what_is_in_front():
    rng = np.random.default_rng(5)
    front = np.zeros((160, 220), np.float32)
    front[40:, 90:120] = 1
    moved = cv2.warpAffine(cv2.GaussianBlur(front, (0, 0), 5), np.array([[1, 0, 13.0], [0, 1, 7]]), (220, 160))
    missing = 0.35 * moved + rng.normal(0, 0.02, front.shape).astype(np.float32)
    seen = measure_cast(missing.astype(np.float32), front, front < 0.02)
    assert seen is not None
    assert list(seen.offset) == pytest.approx([13, 7], abs=2.5)
    assert seen.soft_px == pytest.approx(5, rel=0.3)
    assert seen.strength == pytest.approx(0.35, abs=0.03)
    nothing = measure_cast(rng.normal(0, 0.02, front.shape).astype(np.float32), front, front < 0.02)
    assert nothing is None or nothing.strength < 0.03
    assert measure_cast(missing.astype(np.float32), np.zeros_like(front), front < 0.02) is None


def old_picture() -> np.ndarray:
    rng = np.random.default_rng(6)
    blocks = rng.random((9, 12, 3)).astype(np.float32)
    blocks[rng.random((9, 12)) < 0.2] = 0
    return cv2.resize(blocks, (192, 144), interpolation=cv2.INTER_NEAREST)


def test_a_known_print_tells_paper_ink_and_folds_all_over():
    old, seen = old_picture(), np.ones((144, 192), bool)
    y, x = np.mgrid[0:144, 0:192] / 192
    smooth = (0.6 + 0.25 * x - 0.1 * y).astype(np.float32)
    fold = 1 - 0.2 * np.exp(-(((x - 0.4) / 0.03) ** 2)).astype(np.float32)
    ink = np.float32([0.05, 0.04, 0.06])
    clean = ((smooth * fold)[..., None] * np.float32([0.9, 0.85, 0.7]) * (ink + (1 - ink) * old)).astype(np.float32)
    told = known_print(clean, seen, old)
    assert told is not None
    assert told.ink_told
    assert told.ink == pytest.approx(ink, abs=0.01)
    assert told.fits > 0.95
    assert np.median(np.abs(told.light / (smooth[..., None] * np.float32([0.9, 0.85, 0.7])) - 1)) < 0.02
    # Nothing is told close to printed edges, where a fold is carried from what is beside them.
    assert np.median(np.abs(told.shading.field[..., 0] - fold)) < 0.015
    assert told.shading.is_seen
    other = known_print(clean, seen, old[::-1].copy())
    assert other is None or other.fits < 0.6


def test_a_known_screen_tells_white_and_reflection_where_the_camera_did_not_cut_it_off():
    old, seen = old_picture(), np.ones((144, 192), bool)
    y, x = np.mgrid[0:144, 0:192] / 192
    even = (1 - 0.2 * ((x - 0.5) ** 2 + (y - 0.4) ** 2)).astype(np.float32)[..., None]
    white = np.float32([0.9, 1.0, 1.2])
    clean = np.clip(white * even * old + np.float32([0.02, 0.03, 0.02]), 0, 1).astype(np.float32)
    told = known_screen(clean, seen, old)
    assert told is not None
    assert told.line.sure
    assert told.line.gain / told.line.gain[1] == pytest.approx(white / white[1], rel=0.02)
    assert told.line.offset == pytest.approx([0.02, 0.03, 0.02], abs=0.006)
    assert told.fits > 0.97
    assert known_screen(clean, np.zeros_like(seen), old) is None
