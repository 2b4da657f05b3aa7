from fractions import Fraction

import cv2
import numpy as np
import pytest
import tifffile

from verdigris.media.errors import MediaError
from verdigris.media.facts import Limits
from verdigris.media.frames import premultiplied_linear
from verdigris.media.reader import open_media, probe
from verdigris.media.stills import read_still, write_exr_half, write_still

RNG = np.random.default_rng(5)
PIXELS = RNG.integers(0, 256, (24, 36, 3), dtype=np.uint8)


def test_png_of_either_depth_survives(tmp_path):
    write_still(tmp_path / "a.png", PIXELS)
    assert np.array_equal(read_still(tmp_path / "a.png").pixels, PIXELS)
    deep = RNG.integers(0, 65536, (24, 36, 3), dtype=np.uint16)
    write_still(tmp_path / "b.png", deep)
    assert np.array_equal(read_still(tmp_path / "b.png").pixels, deep)


def test_tiff_and_jpeg_are_read_in_the_right_channel_order(tmp_path):
    tifffile.imwrite(tmp_path / "a.tif", PIXELS, compression="zlib")
    assert np.array_equal(read_still(tmp_path / "a.tif").pixels, PIXELS)
    flat = np.full((32, 32, 3), (200, 40, 10), np.uint8)
    cv2.imwrite(str(tmp_path / "a.jpg"), flat[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 98])
    assert np.abs(read_still(tmp_path / "a.jpg").pixels.astype(int) - flat).max() <= 3


def test_exr_half_keeps_light_above_one(tmp_path):
    light = RNG.uniform(0, 4, (16, 20, 3)).astype(np.float32)
    write_exr_half(tmp_path / "a.exr", light[:, ::-1][:, ::-1])
    frame = read_still(tmp_path / "a.exr")
    assert frame.is_linear
    assert np.allclose(frame.pixels, light, rtol=1e-3)


def test_transparency_is_premultiplied_in_linear_light(tmp_path):
    rgba = np.zeros((8, 8, 4), np.uint8)
    rgba[..., 2], rgba[..., 3] = 255, 128
    cv2.imwrite(str(tmp_path / "a.png"), rgba)
    light = premultiplied_linear(read_still(tmp_path / "a.png"))
    assert np.allclose(light[0, 0], [128 / 255, 0, 0, 128 / 255], atol=1e-4)


def _sequence(folder, numbers, ending="png", shape=(12, 16, 3)):
    folder.mkdir()
    for n in numbers:
        write_still(folder / f"plate.{n:04d}.{ending}", np.full(shape, n % 256, np.uint8))
    return folder


def test_a_sequence_carries_numbers_but_no_rate(tmp_path):
    folder = _sequence(tmp_path / "seq", range(1001, 1009))
    facts = probe(folder)
    assert (facts.kind, facts.frame_count, facts.first_frame, facts.rate) == ("sequence", 8, 1001, None)
    with open_media(folder, Fraction(25)) as reader:
        assert reader.facts.rate == 25
        assert reader.frame(3).pixels[0, 0, 0] == 1004 % 256


def test_missing_numbers_are_named(tmp_path):
    folder = _sequence(tmp_path / "seq", [1, 2, 5, 6])
    with pytest.raises(MediaError) as error:
        open_media(folder)
    assert error.value.code == "sequence_gap"
    assert "3, 4" in error.value.sentence


def test_mixed_sizes_and_empty_folders_are_refused(tmp_path):
    folder = _sequence(tmp_path / "seq", [1, 2])
    write_still(folder / "plate.0003.png", np.zeros((10, 10, 3), np.uint8))
    with pytest.raises(MediaError) as error:
        probe(folder)
    assert error.value.code == "sequence_mixed"
    (tmp_path / "empty").mkdir()
    with pytest.raises(MediaError) as error:
        open_media(tmp_path / "empty")
    assert error.value.code == "unsupported"


def test_damaged_lying_and_huge_stills_are_refused(tmp_path):
    write_still(tmp_path / "a.png", PIXELS)
    data = (tmp_path / "a.png").read_bytes()
    (tmp_path / "cut.png").write_bytes(data[: len(data) // 3])
    (tmp_path / "lie.png").write_bytes(b"MZ this is no picture")
    huge = bytearray(data)
    huge[16:24] = (60_000).to_bytes(4, "big") * 2
    (tmp_path / "huge.png").write_bytes(huge)
    for name, code in (("cut.png", "damaged"), ("lie.png", "unsupported"), ("huge.png", "too_large"), ("none.png", "not_found")):
        with pytest.raises(MediaError) as error:
            read_still(tmp_path / name)
        assert error.value.code == code, name
    with pytest.raises(MediaError):
        read_still(tmp_path / "a.png", Limits(pixels=10))
