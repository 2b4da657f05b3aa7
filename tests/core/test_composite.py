import cv2
import numpy as np
import pytest

from verdigris.core.camera.optics import Optics
from verdigris.core.composite.layer import Layer, layer_box
from verdigris.core.composite.texture import Texture, art_from_surface
from verdigris.core.composite.unmix import Front, put_layer
from verdigris.core.composite.warp import warp_of
from verdigris.core.light.transfer import decode_array, encode_array, srgb_to_linear
from verdigris.core.matte.occlusion import occlusion, region_mask
from verdigris.core.types import Float32

W, H = 96, 72
QUAD = np.array([[20.3, 14.6], [75.8, 18.2], [72.1, 60.4], [17.7, 55.9]])


def _art(rgb: tuple[float, float, float] = (0.8, 0.3, 0.1), alpha: float = 1.0, size: tuple[int, int] = (40, 30)) -> Texture:
    light = srgb_to_linear(np.array(rgb)) * alpha
    return Texture(np.ascontiguousarray(np.broadcast_to(np.array([*light, alpha], np.float32), (size[1], size[0], 4))))


def _pin(art: Texture, quad=QUAD, overshoot: float = 0.0, fit="stretch", aspect: float = 4 / 3, bars: bool = True) -> Layer:
    return Layer(art, warp_of(Optics(W, H), quad, {0: quad}), art_from_surface(fit, *art.size, 1.0, aspect), overshoot, bars)


def _compose(pin: Layer, plate: Float32, front: Float32 | None = None) -> tuple[Float32, np.ndarray]:
    light, touched = put_layer(pin, decode_array(plate), (0, 0, W, H), front)
    return np.where(touched[..., None], encode_array(light), plate), touched


def _exact_coverage(quad: np.ndarray, times: int = 24) -> np.ndarray:
    """Share of each pixel inside a quad by brute force."""
    y, x = np.mgrid[0 : H * times, 0 : W * times].astype(float)
    x, y = (x + 0.5) / times, (y + 0.5) / times
    inside = np.ones(x.shape, bool)
    for i in range(4):
        a, b = quad[i], quad[(i + 1) % 4]
        inside &= (b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0]) > 0
    return inside.reshape(H, times, W, times).mean(axis=(1, 3))


def test_the_inside_is_the_artwork_and_the_outside_is_the_plate_bit_for_bit():
    plate = np.random.default_rng(1).uniform(0, 1, (H, W, 3)).astype(np.float32)
    out, touched = _compose(_pin(_art()), plate)
    cover = _exact_coverage(QUAD)
    # Brute force misses slivers below a thousandth of a pixel.
    outside = cv2.dilate((cover > 0).astype(np.uint8), np.ones((3, 3))) == 0
    assert np.array_equal(out[outside], plate[outside])
    assert not touched[outside].any()
    inside = cv2.erode((cover == 1).astype(np.uint8), np.ones((3, 3))) > 0
    assert np.allclose(out[inside], [0.8, 0.3, 0.1], atol=2e-4)


def test_edges_have_the_exact_share_of_light():
    plate = np.zeros((H, W, 3), np.float32)
    out, _ = _compose(_pin(_art((1.0, 1.0, 1.0))), plate)
    light, cover = decode_array(out)[..., 0], _exact_coverage(QUAD)
    near_corner = np.zeros((H, W), bool)
    for x, y in QUAD.astype(int):
        near_corner[y - 2 : y + 3, x - 2 : x + 3] = True
    error = (light - cover)[~near_corner]
    assert 20 * np.log10(1 / np.sqrt(np.mean(error**2))) > 50


def test_no_rim_of_the_old_surface_stays():
    cover = _exact_coverage(QUAD)[..., None]
    old, wall, new = np.array([1.0, 1.0, 1.0]), np.array([0.02, 0.03, 0.02]), np.array([0.01, 0.05, 0.02])
    plate = encode_array((cover * old + (1 - cover) * wall).astype(np.float32))
    art = Texture(np.ascontiguousarray(np.broadcast_to(np.array([*new, 1.0], np.float32), (30, 40, 4))))
    light = decode_array(_compose(_pin(art), plate)[0])
    wanted = cover * new + (1 - cover) * wall
    # Mixing over the old edge would leave up to a quarter of white there.
    assert np.abs(light - wanted).max() < 0.02


@pytest.mark.parametrize("overshoot", [0.0, 1.0])
@pytest.mark.parametrize("whole", [True, False])
def test_what_a_key_tells_of_the_rim_stays_and_overshoot_grows_only_over_what_it_does_not_know(overshoot, whole):
    cover = _exact_coverage(QUAD)[..., None]
    old, wall, new = (np.array(v) for v in ((0.03, 0.06, 0.7), (0.02, 0.03, 0.02), (0.9, 0.85, 0.8)))
    plate = np.asarray(cover * old + (1 - cover) * wall, np.float32)
    art = Texture(np.ascontiguousarray(np.broadcast_to(np.array([*new, 1.0], np.float32), (30, 40, 4))))
    field = np.broadcast_to(old, (H, W, 3)).astype(np.float32).copy()
    # The frame around a screen is in front of it for the key, or it was shut out by a shape.
    front = np.asarray(1 - cover[..., 0] if whole else np.zeros((H, W)), np.float32)
    light, _ = put_layer(_pin(art, overshoot=overshoot), plate, (0, 0, W, H), None, Front(front, field))
    grown = (
        cover
        if whole or not overshoot
        else np.maximum(cover, _exact_coverage(QUAD + np.sign(QUAD - QUAD.mean(axis=0)) * overshoot)[..., None])
    )
    away = np.abs(light - (grown * new + (1 - grown) * wall)).max(axis=2)
    assert away.max() < (0.02 if whole or not overshoot else 0.35)
    assert away.mean() < 0.003


def test_overshoot_moves_the_edge_outwards():
    plate = np.zeros((H, W, 3), np.float32)
    areas = [decode_array(_compose(_pin(_art((1.0, 1.0, 1.0)), overshoot=o), plate)[0])[..., 0].sum() for o in (0.0, 1.5)]
    around = sum(np.linalg.norm(np.roll(QUAD, -1, axis=0) - QUAD, axis=1))
    assert areas[1] - areas[0] == pytest.approx(1.5 * around, rel=0.05)


def test_what_is_in_front_stays_in_front():
    plate = np.random.default_rng(2).uniform(0.2, 0.8, (H, W, 3)).astype(np.float32)
    front = np.zeros((H, W), np.float32)
    front[30:50, 30:60] = 1.0
    front[20:30, 30:60] = 0.5
    out, touched = _compose(_pin(_art()), plate, front)
    assert np.array_equal(out[30:50, 30:60], plate[30:50, 30:60])
    assert not touched[30:50, 30:60].any()
    half = decode_array(out[25, 40])
    assert np.allclose(half, 0.5 * decode_array(plate[25, 40]) + 0.5 * srgb_to_linear(np.array([0.8, 0.3, 0.1])), atol=1e-3)


def test_transparent_artwork_lets_the_old_surface_through():
    plate = np.full((H, W, 3), 0.6, np.float32)
    out, _ = _compose(_pin(_art((1.0, 0.0, 0.0), alpha=0.25)), plate)
    wanted = 0.25 * np.array([1.0, 0, 0]) + 0.75 * srgb_to_linear(np.full(3, 0.6))
    assert np.allclose(decode_array(out[36, 46]), wanted, atol=1e-3)


@pytest.mark.parametrize(("fit", "spans"), [("stretch", (1.0, 1.0)), ("fill", (0.5, 1.0)), ("fit", (1.0, 2.0))])
def test_fit_fill_and_stretch_span_the_right_share_of_wide_artwork(fit, spans):
    m = art_from_surface(fit, 400, 200, 1.0, aspect=1.0)
    assert (m[0, 0] / 400, m[1, 1] / 200) == pytest.approx(spans)
    middle = m @ np.array([0.5, 0.5, 1.0])
    assert middle[:2] == pytest.approx([200, 100])


def test_fitted_artwork_has_bars_of_black_or_of_the_old_surface():
    quad = np.array([[10.0, 10], [70, 10], [70, 60], [10, 60]])
    plate = np.full((H, W, 3), 0.5, np.float32)
    wide = _art((1.0, 1.0, 1.0), size=(60, 15))
    for bars, wanted in ((True, 0.0), (False, 0.5)):
        out, _ = _compose(_pin(wide, quad, fit="fit", aspect=60 / 50, bars=bars), plate)
        assert out[14, 40, 0] == pytest.approx(wanted, abs=0.01)
        assert out[35, 40, 0] == pytest.approx(1.0, abs=0.01)


def test_a_pixel_shape_other_than_square_counts():
    m = art_from_surface("fill", 720, 576, 16 / 15, aspect=720 * 16 / 15 / 576)
    assert (m[0, 0], m[1, 1]) == pytest.approx((720, 576))


def test_fine_detail_is_averaged_by_area_in_linear_light():
    stripes = np.zeros((300, 400, 4), np.float32)
    stripes[..., 3] = 1
    stripes[:, ::2, :3] = 1.0
    quad = np.array([[20.0, 15], [70, 15], [70, 55], [20, 55]])
    out, _ = _compose(_pin(Texture(stripes), quad), np.zeros((H, W, 3), np.float32))
    inner = decode_array(out[20:50, 25:65])
    assert inner.mean() == pytest.approx(0.5, abs=0.01)
    assert inner.std() < 0.03


def test_artwork_lands_where_its_corners_are():
    ramp = np.ones((30, 40, 4), np.float32)
    ramp[..., 0] = (np.arange(40) + 0.5) / 40
    quad = np.array([[10.0, 10], [90, 10], [90, 66], [10, 66]])
    out, _ = _compose(_pin(Texture(ramp), quad), np.zeros((H, W, 3), np.float32))
    light = decode_array(out[40, 14:86, 0])
    x = (np.arange(14, 86) + 0.5 - 10) / 80
    assert np.abs(light - x).max() < 2e-3


def test_a_pin_off_the_picture_has_no_box():
    assert layer_box(_pin(_art(), QUAD + 900), W, H) is None


def test_regions_and_occluders_combine():
    include = [np.array([[10.0, 10], [60, 10], [60, 60], [10, 60]])]
    exclude = [np.array([[30.0, 30], [40, 30], [40, 40], [30, 40]])]
    front = occlusion([np.array([[0.0, 0], [20, 0], [20, 72], [0, 72]])], [0.0], W, H)
    mask = region_mask(include, exclude, front, W, H)
    assert mask.sum() == 40 * 50 - 100
    assert occlusion([], [], W, H) is None
