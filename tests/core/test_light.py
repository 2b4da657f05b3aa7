import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from verdigris.core.light.transfer import decode_array, encode_array, linear_to_srgb, premultiplied_light, srgb_to_linear
from verdigris.core.light.yuv import YuvCoding, region_to_rgb, write_region

SIXTEENTH_OF_TEN_BIT = 1 / 1023 / 16


def test_the_fast_curves_keep_to_the_exact_ones():
    x = np.linspace(0, 1, 20001)
    assert np.abs(decode_array(x.astype(np.float32)) - srgb_to_linear(x)).max() < SIXTEENTH_OF_TEN_BIT
    assert np.abs(encode_array(x.astype(np.float32)) - linear_to_srgb(x)).max() < SIXTEENTH_OF_TEN_BIT


def test_every_eight_bit_code_survives_linear_light():
    codes = (np.arange(256) / 255).astype(np.float32)
    back = encode_array(decode_array(codes))
    assert np.array_equal(np.round(back * 255), np.arange(256))


def test_the_standard_s_own_values():
    assert srgb_to_linear(np.array(0.5)) == pytest.approx(0.21404114, abs=1e-7)
    assert linear_to_srgb(np.array(0.18)) == pytest.approx(0.46135613, abs=1e-7)


def test_premultiplying_scales_light_not_code_values():
    out = premultiplied_light(np.full((1, 1, 3), 0.5, np.float32), np.full((1, 1), 0.25, np.float32))
    assert out[0, 0, 0] == pytest.approx(0.21404 * 0.25, abs=1e-4)
    assert out[0, 0, 3] == pytest.approx(0.25)


def _planes(coding: YuvCoding, seed: int = 0, height: int = 32, width: int = 48):
    rng = np.random.default_rng(seed)
    kind = np.uint8 if coding.depth == 8 else np.uint16
    top = 1 << coding.depth
    shape = (height >> coding.shift_y, width >> coding.shift_x)
    return (
        rng.integers(top // 8, top * 7 // 8, (height, width)).astype(kind),
        rng.integers(top * 3 // 8, top * 5 // 8, shape).astype(kind),
        rng.integers(top * 3 // 8, top * 5 // 8, shape).astype(kind),
    )


CODINGS = [
    YuvCoding("bt709", False, 8, 1, 1),
    YuvCoding("bt601", True, 8, 1, 0),
    YuvCoding("bt2020", False, 10, 0, 0),
    YuvCoding("bt709", False, 10, 1, 1),
]


@pytest.mark.parametrize(("code", "expected"), [(16, 0.0), (235, 1.0), (125, (125 - 16) / 219)])
def test_limited_range_grey_arrives_exactly(code, expected):
    planes = (np.full((4, 4), code, np.uint8), np.full((2, 2), 128, np.uint8), np.full((2, 2), 128, np.uint8))
    rgb = region_to_rgb(planes, CODINGS[0], (0, 0, 4, 4))
    assert np.allclose(rgb, expected, atol=1e-6)


def test_ten_bit_white_is_white():
    planes = (np.full((2, 2), 940, np.uint16), np.full((1, 1), 512, np.uint16), np.full((1, 1), 512, np.uint16))
    assert np.allclose(region_to_rgb(planes, CODINGS[3], (0, 0, 2, 2)), 1.0, atol=1e-6)


@pytest.mark.parametrize("coding", CODINGS)
def test_writing_touches_only_what_is_touched(coding):
    planes = _planes(coding)
    before = [p.copy() for p in planes]
    box = (8, 8, 40, 24)
    region = region_to_rgb(planes, coding, box)
    touched = np.zeros((16, 32), bool)
    touched[4:12, 8:20] = True
    after = np.where(touched[..., None], 0.4, region).astype(np.float32)
    write_region(planes, coding, box, region, after, touched)
    mask = np.zeros((32, 48), bool)
    mask[12:20, 16:28] = True
    assert np.array_equal(planes[0][~mask], before[0][~mask])
    assert not np.array_equal(planes[0][mask], before[0][mask])
    chroma = mask[:: 1 << coding.shift_y, :: 1 << coding.shift_x]
    for i in (1, 2):
        assert np.array_equal(planes[i][~chroma], before[i][~chroma])


@given(st.floats(0.05, 0.95), st.floats(0.05, 0.95), st.floats(0.05, 0.95))
def test_a_flat_colour_written_is_the_colour_read(r, g, b):
    coding = CODINGS[2]
    planes = _planes(coding, height=8, width=8)
    box = (0, 0, 8, 8)
    region = region_to_rgb(planes, coding, box)
    wanted = np.broadcast_to(np.array([r, g, b], np.float32), region.shape).copy()
    write_region(planes, coding, box, region, wanted, np.ones((8, 8), bool))
    assert np.abs(region_to_rgb(planes, coding, box) - wanted).max() < 3 / 876
