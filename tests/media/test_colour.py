"""What files say of their colour is read, kept, and written again; what they do not say is said to be taken."""

import struct
import zlib
from fractions import Fraction

import av
import cv2
import numpy as np
import pytest

from verdigris.core.light.encoding import CHROMATICITIES, D50, to_light, xyz_for_d50
from verdigris.core.light.yuv import YuvCoding
from verdigris.media.facts import ColourChoice, MediaFacts, colour_text
from verdigris.media.frames import RgbFrame, YuvFrame, premultiplied_linear, rgb8
from verdigris.media.reader import open_media
from verdigris.media.stills import write_exr_half, write_still
from verdigris.media.writer import FilmWriter, film_coding, join_parts
from verdigris.runs.views.proxies import seen_otherwise

W, H = 64, 48
ALL = ("matrix", "primaries", "range", "transfer")


def facts(pixel_format: str, **said) -> MediaFacts:
    depth = next((d for d in (16, 14, 12, 10, 9) if f"p{d}" in pixel_format), 16 if "48" in pixel_format or "64" in pixel_format else 8)
    base = {
        "bit_depth": depth,
        "matrix": "bt709" if pixel_format.startswith("yuv") else None,
        "full_range": not pixel_format.startswith("yuv"),
        "told": (),
    }
    return MediaFacts(
        kind="film", width=W, height=H, frame_count=3, rate=Fraction(24), codec="x", pixel_format=pixel_format,
        **{**base, **said},
    )  # fmt: skip


def planes(layout: tuple[int, int], depth: int, alpha: bool = False, rgb: bool = False) -> YuvFrame:
    rng = np.random.default_rng(1)
    kind = np.uint8 if depth == 8 else np.uint16
    top = (1 << depth) - 1
    small = (H >> layout[1], W >> layout[0])
    parts = [rng.integers(top // 8, top - top // 8, s).astype(kind) for s in ((H, W), small, small)]
    cover = rng.integers(0, top + 1, (H, W)).astype(kind) if alpha else None
    coding = YuvCoding("rgb" if rgb else "bt709", rgb, depth, *layout)
    return YuvFrame((parts[0], parts[1], parts[2]), coding, cover)


KEPT = {
    "yuv422p10le": planes((1, 0), 10), "yuv444p12le": planes((0, 0), 12), "yuv420p": planes((1, 1), 8),
    "yuva444p10le": planes((0, 0), 10, alpha=True), "gbrp10le": planes((0, 0), 10, rgb=True), "gbrp12le": planes((0, 0), 12, rgb=True),
    "gbrap12le": planes((0, 0), 12, alpha=True, rgb=True),
}  # fmt: skip


@pytest.mark.parametrize("pixel_format", KEPT)
def test_a_film_without_loss_keeps_every_sample_of_every_plane(tmp_path, pixel_format):
    frame = KEPT[pixel_format]
    said = facts(pixel_format, has_alpha=frame.alpha is not None, matrix=frame.coding.matrix, full_range=frame.coding.full_range, told=ALL)
    parts = [tmp_path / f"{i}.mkv" for i in range(2)]
    for part in parts:
        with FilmWriter(part, said) as writer:
            writer.write(frame)
    join_parts(parts, [0, 1], tmp_path / "out.mkv", Fraction(24), None)
    with open_media(tmp_path / "out.mkv") as reader:
        assert (reader.facts.pixel_format, reader.facts.bit_depth, reader.facts.frame_count) == (pixel_format, said.bit_depth, 2)
        assert (reader.facts.transfer, reader.facts.primaries, reader.facts.matrix) == ("srgb", "bt709", said.matrix)
        back = reader.frame(1)
    assert isinstance(back, YuvFrame)
    assert all(np.array_equal(a, b) for a, b in zip(back.planes, frame.planes, strict=True))
    if frame.alpha is not None:
        assert back.alpha is not None
        assert np.array_equal(back.alpha, frame.alpha)


@pytest.mark.parametrize(("deep", "alpha"), [(False, False), (False, True), (True, False), (True, True)])
def test_red_green_and_blue_that_are_packed_come_back_too(tmp_path, deep, alpha):
    rng = np.random.default_rng(2)
    top, kind = (65535, np.uint16) if deep else (255, np.uint8)
    frame = RgbFrame(
        rng.integers(0, top + 1, (H, W, 3)).astype(kind), (rng.integers(0, top + 1, (H, W)) / top).astype(np.float32) if alpha else None
    )
    said = facts(f"{kind.__name__} rgb", has_alpha=alpha, bit_depth=16 if deep else 8)
    with FilmWriter(tmp_path / "out.mkv", said) as writer:
        writer.write(frame)
    with open_media(tmp_path / "out.mkv") as reader:
        back = reader.frame(0)
        assert reader.facts.has_alpha == alpha
    assert np.array_equal(back.rgb_integers(), frame.pixels)
    if alpha:
        assert np.abs(np.asarray(back.alpha, np.float64) / (1 if back.alpha.dtype == np.float32 else top) - frame.alpha).max() < 1e-4


@pytest.mark.parametrize("pixel_format", ["yuv422p10le", "yuv444p12le", "gbrp12le"])
def test_mp4_keeps_depth_and_chroma_as_well(tmp_path, pixel_format):
    frame = KEPT[pixel_format]
    smooth = YuvFrame(tuple(np.full_like(p, int(p.mean())) for p in frame.planes), frame.coding)  # type: ignore[arg-type]
    said = facts(pixel_format, matrix=frame.coding.matrix, full_range=frame.coding.full_range)
    with FilmWriter(tmp_path / "out.mp4", said, crf=4, preset="veryfast") as writer:
        for _ in range(3):
            writer.write(smooth)
    with open_media(tmp_path / "out.mp4") as reader:
        assert (reader.facts.pixel_format, reader.facts.frame_count) == (pixel_format, 3)
        back = reader.frame(2)
    assert isinstance(back, YuvFrame)
    assert max(np.abs(a.astype(int) - b).max() for a, b in zip(back.planes, smooth.planes, strict=True)) <= 2


def test_what_a_film_cannot_hold_is_said_before():
    assert film_coding(facts("yuv420p10le"), "mp4").lost == ""
    assert "Transparency" in film_coding(facts("yuva444p10le", has_alpha=True), "mp4").lost
    assert "become 12" in film_coding(facts("yuv444p16le"), "mp4").lost
    assert film_coding(facts("yuv444p16le"), "mkv").pixel_format == "yuv444p16le"
    assert all(film_coding(facts(f), "mkv").lost == "" for f in ("gbrap16le", "rgba64le", "yuv422p12le"))


TAGGED = {
    "PQ": ({"transfer": "pq", "primaries": "bt2020", "matrix": "bt2020"}, (16, 9, 9)),
    "HLG": ({"transfer": "hlg", "primaries": "bt2020", "matrix": "bt2020"}, (18, 9, 9)),
    "camera": ({"transfer": "bt709", "primaries": "bt709", "matrix": "bt709"}, (1, 1, 1)),
    "standard definition": ({"transfer": "gamma28", "primaries": "bt470bg", "matrix": "bt601"}, (5, 5, 6)),
}


@pytest.mark.parametrize("name", TAGGED)
@pytest.mark.parametrize("ending", ["mp4", "mkv"])
def test_a_films_tags_are_read_and_written_again(tmp_path, name, ending):
    said, numbers = TAGGED[name]
    with FilmWriter(tmp_path / f"out.{ending}", facts("yuv420p10le", told=ALL, **said), preset="veryfast") as writer:
        writer.write(planes((1, 1), 10))
    with av.open(str(tmp_path / f"out.{ending}")) as film:
        context = film.streams.video[0].codec_context
        assert (int(context.color_trc), int(context.color_primaries), int(context.colorspace)) == numbers
        assert int(context.color_range) == 1
    with open_media(tmp_path / f"out.{ending}") as reader:
        assert {k: getattr(reader.facts, k) for k in said} == said
        assert reader.facts.told == ALL
        assert "(" not in colour_text(reader.facts)
        assert reader.frame(0).transfer == said["transfer"]


def test_what_a_film_does_not_say_is_not_said_for_it(tmp_path):
    with FilmWriter(tmp_path / "out.mp4", facts("yuv420p"), preset="veryfast") as writer:
        writer.write(planes((1, 1), 8))
    with av.open(str(tmp_path / "out.mp4")) as film:
        context = film.streams.video[0].codec_context
        assert [int(v) for v in (context.color_trc, context.color_primaries, context.colorspace, context.color_range)] == [2, 2, 2, 0]
    with open_media(tmp_path / "out.mp4") as reader:
        assert reader.facts.told == ()
        assert colour_text(reader.facts) == "(sRGB), (primaries of BT.709), (matrix of BT.601), (limited range)"
    chosen = ColourChoice(transfer="bt709", matrix="bt709", full_range=True)
    with open_media(tmp_path / "out.mp4", colour=chosen) as reader:
        assert reader.facts.told == ("matrix", "range", "transfer")
        frame = reader.frame(0)
        assert isinstance(frame, YuvFrame)
        assert (frame.coding.matrix, frame.coding.full_range, frame.transfer) == ("bt709", True, "bt709")


def profile(primaries, power: float, name: str = "Made up") -> bytes:
    """A colour profile of version 2 with a gamma, its primaries stated for D50 (ICC.1)."""
    adapted = xyz_for_d50(primaries)

    def fixed(v: float) -> bytes:
        return struct.pack(">i", round(v * 65536))

    def xyz(v) -> bytes:
        return b"XYZ \0\0\0\0" + b"".join(fixed(x) for x in v)

    text = b"desc\0\0\0\0" + struct.pack(">I", len(name) + 1) + name.encode() + b"\0" + b"\0" * 78
    curve = b"curv\0\0\0\0" + struct.pack(">IH", 1, round(power * 256)) + b"\0\0"
    tags = {b"desc": text, b"wtpt": xyz(D50), b"rXYZ": xyz(adapted[:, 0]), b"gXYZ": xyz(adapted[:, 1]), b"bXYZ": xyz(adapted[:, 2])}
    tags |= dict.fromkeys((b"rTRC", b"gTRC", b"bTRC"), curve)
    table, body, at = struct.pack(">I", len(tags)), b"", 128 + 4 + 12 * len(tags)
    for k, v in tags.items():
        v += b"\0" * (-len(v) % 4)
        table += k + struct.pack(">II", at + len(body), len(v))
        body += v
    size = 128 + len(table) + len(body)
    head = struct.pack(">I4sI4s4s4s", size, b"none", 0x02100000, b"mntr", b"RGB ", b"XYZ ") + b"\0" * 12 + b"acsp" + b"\0" * 28
    return (head + b"".join(fixed(v) for v in D50)).ljust(128, b"\0") + table + body


def with_chunk(png: bytes, kind: bytes, data: bytes) -> bytes:
    body = kind + data
    return png[:33] + struct.pack(">I", len(data)) + body + struct.pack(">I", zlib.crc32(body)) + png[33:]


def plain_png() -> bytes:
    return bytes(cv2.imencode(".png", np.full((8, 8, 3), 128, np.uint8))[1])


STILLS = {
    "nothing said": (b"", {"transfer": "srgb", "primaries": "bt709", "told": ()}),
    "a P3 profile": (
        b"iCCP" + b"p\0\0" + zlib.compress(profile("p3", 2.2)),
        {"transfer": "gamma22", "primaries": "p3", "told": ("primaries", "transfer")},
    ),
    "opRGB": (b"iCCP" + b"p\0\0" + zlib.compress(profile("oprgb", 2.199)), {"transfer": "gamma22", "primaries": "oprgb"}),
    "PQ by cICP": (b"cICP" + bytes([9, 16, 0, 1]), {"transfer": "pq", "primaries": "bt2020", "told": ("primaries", "transfer")}),
    "sRGB chunk": (b"sRGB\0", {"transfer": "srgb", "told": ("primaries", "transfer")}),
    "linear by gAMA": (b"gAMA" + struct.pack(">I", 100000), {"transfer": "linear", "told": ("transfer",)}),
}


@pytest.mark.parametrize("name", STILLS)
def test_a_stills_colour_is_what_it_says(tmp_path, name):
    chunk, wanted = STILLS[name]
    path = tmp_path / "a.png"
    path.write_bytes(with_chunk(plain_png(), chunk[:4], chunk[4:]) if chunk else plain_png())
    with open_media(path) as reader:
        assert {k: getattr(reader.facts, k) for k in wanted} == wanted
        assert reader.frame(0).primaries == reader.facts.primaries


@pytest.mark.parametrize("data", [b"nonsense", profile("bt709", 1.4), profile("bt709", 2.2)[:300]])
def test_a_profile_that_is_not_known_is_said_and_nothing_breaks(tmp_path, data):
    path = tmp_path / "a.png"
    path.write_bytes(with_chunk(plain_png(), b"iCCP", b"p\0\0" + zlib.compress(data)))
    with open_media(path) as reader:
        assert reader.facts.transfer == "srgb"
        assert "sRGB" in reader.facts.notes[0]


def test_stills_that_are_written_say_what_they_mean(tmp_path):
    write_still(tmp_path / "a.png", np.full((8, 8, 3), 99, np.uint8), "hlg", "bt2020")
    write_exr_half(tmp_path / "a.exr", np.full((8, 8, 3), 0.25, np.float32), "p3")
    with open_media(tmp_path / "a.png") as png, open_media(tmp_path / "a.exr") as exr:
        assert (png.facts.transfer, png.facts.primaries) == ("hlg", "bt2020")
        assert (exr.facts.transfer, exr.facts.primaries, exr.facts.told) == ("linear", "p3", ("primaries",))
        assert (png.frame(0).rgb_integers() == 99).all()


def test_artwork_is_composed_in_the_plates_primaries():
    code = np.array([[[200, 40, 40]]], np.uint8)
    light = premultiplied_linear(RgbFrame(code), "bt2020")[0, 0]
    # Red of BT.709 is less saturated in the wider space, and as bright (luma coefficients of BT.2020).
    assert light[1] > to_light(np.float32([40 / 255]), "srgb")[0] * 1.5
    plain = premultiplied_linear(RgbFrame(code), "bt709")[0, 0]
    assert light[:3] @ [0.2627, 0.6780, 0.0593] == pytest.approx(plain[:3] @ [0.2126, 0.7152, 0.0722], rel=1e-3)
    assert CHROMATICITIES["bt2020"][3] == CHROMATICITIES["bt709"][3]


@pytest.mark.parametrize("siting", ["left", "centre", "topleft"])
def test_chroma_is_read_where_it_lies(siting):
    coding = YuvCoding("bt709", False, 8, 1, 1, siting)
    across, down = coding.offsets
    y, x = np.mgrid[0 : H // 2, 0 : W // 2]
    # A ramp of Cb that is known at every place of the picture.
    ramp = (100 + 0.5 * (2 * x + across) + 0.25 * (2 * y + down)).astype(np.float64)
    blue = np.round(ramp).astype(np.uint8)
    frame = YuvFrame((np.full((H, W), 120, np.uint8), blue, np.full_like(blue, 128)), coding)
    codes = frame.codes()
    seen = (codes[..., 2] - codes[..., 0]) / (2 * (1 - 0.0722)) * 224 + 128
    yy, xx = np.mgrid[0:H, 0:W]
    assert np.abs(seen - (100 + 0.5 * xx + 0.25 * yy))[2:-2, 2:-2].max() < 0.8


def test_a_proxy_shows_what_a_changed_mind_says_without_reading_anew():
    codes = np.random.default_rng(3).integers(30, 220, (20, 20, 3)).astype(np.uint8)
    told = facts("uint8 rgb")
    as_hlg = ColourChoice(transfer="hlg", primaries="bt2020")
    wanted = rgb8(RgbFrame(codes, transfer="hlg", primaries="bt2020"))
    assert np.abs(seen_otherwise(rgb8(RgbFrame(codes)), told, as_hlg).astype(int) - wanted).max() <= 1
    assert seen_otherwise(codes, told, None) is codes
    # Back to what it is, as far as eight bits hold it.
    back = seen_otherwise(wanted, told.in_colour(as_hlg), ColourChoice(transfer="srgb", primaries="bt709"))
    inside = (wanted > 20).all(axis=2) & (wanted < 240).all(axis=2)
    assert np.abs(back.astype(int) - codes)[inside].max() <= 6


def test_range_and_matrix_said_anew_change_a_proxy_as_they_change_the_film():
    frame = planes((0, 0), 8)
    told = facts("yuv444p")
    choice = ColourChoice(matrix="bt601", full_range=True)
    other = YuvFrame(frame.planes, YuvCoding("bt601", True, 8, 0, 0))
    before = rgb8(frame)
    uncut = ((before > 0) & (before < 255)).all(axis=2)
    shown = seen_otherwise(before, told, choice).astype(int)
    assert np.abs(shown - rgb8(other))[uncut].max() <= 2
