from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from verdigris.demo.sound import write_sound
from verdigris.demo.write import film_facts
from verdigris.media.errors import MediaError
from verdigris.media.facts import Limits
from verdigris.media.film import FilmReader, film_format
from verdigris.media.frames import RgbFrame, YuvFrame
from verdigris.media.reader import open_media, probe
from verdigris.media.writer import FilmWriter, join_parts

W, H = 160, 96


def picture(n: int) -> RgbFrame:
    """A frame whose brightness tells its number."""
    pixels = np.full((H, W, 3), 20 + 4 * (n % 50), np.uint8)
    pixels[: H // 2, : W // 2] = (n * 37) % 200 + 20
    return RgbFrame(pixels)


def write_film(path: Path, count: int = 40, rate: Fraction = Fraction(24), start: int = 0, pixel_format: str = "yuv420p") -> Path:
    with FilmWriter(path, film_facts(W, H, count, rate, pixel_format), crf=10, preset="veryfast") as writer:
        for n in range(start, start + count):
            writer.write(picture(n))
    return path


def levels(frames) -> list[float]:
    return [float(f.luma()[-1, -1]) for f in frames]


@pytest.mark.parametrize("rate", [Fraction(24), Fraction(25), Fraction(24000, 1001), Fraction(30000, 1001), Fraction(60)])
@pytest.mark.parametrize("ending", [".mp4", ".mkv", ".mov"])
def test_facts_are_exact(tmp_path, rate, ending):
    facts = probe(write_film(tmp_path / f"film{ending}", 30, rate))
    assert facts.frame_count == 30
    # Matroska keeps times in milliseconds; its rate is read from the stream's own field.
    assert facts.rate == rate
    assert (facts.width, facts.height, facts.pixel_aspect) == (W, H, Fraction(1))
    assert (facts.matrix, facts.full_range, facts.bit_depth) == ("bt709", False, 8)


@pytest.mark.parametrize("ending", [".mp4", ".mkv"])
def test_any_frame_in_any_order_is_the_frame_itself(tmp_path, ending):
    with open_media(write_film(tmp_path / f"film{ending}", 60, Fraction(24000, 1001))) as reader:
        wanted = levels(reader.frames(0, 60))
        assert len(set(wanted)) > 40
        for n in (59, 0, 30, 31, 32, 12, 58, 7):
            assert float(reader.frame(n).luma()[-1, -1]) == wanted[n]
        assert levels(reader.frames(59, -1, -1)) == wanted[::-1]
        assert levels(reader.frames(20, 5, -1)) == wanted[20:5:-1]


def test_a_frame_beyond_the_end_is_refused(tmp_path):
    with open_media(write_film(tmp_path / "film.mp4", 10)) as reader, pytest.raises(MediaError) as error:
        reader.frame(10)
    assert error.value.code == "no_such_frame"


@pytest.mark.parametrize("pixel_format", ["yuv420p", "yuv422p", "yuv444p", "yuv420p10le", "yuv422p10le"])
def test_planes_pass_through_the_writer_in_their_own_format(tmp_path, pixel_format):
    path = write_film(tmp_path / "film.mp4", 6, pixel_format=pixel_format)
    with open_media(path) as reader:
        assert reader.facts.pixel_format == pixel_format
        frame = reader.frame(2)
        assert isinstance(frame, YuvFrame)
        assert frame.coding.depth == (10 if "10" in pixel_format else 8)
        copied = tmp_path / "copy.mp4"
        with FilmWriter(copied, reader.facts, crf=0, preset="veryfast") as writer:
            for f in reader.frames(0, 6):
                writer.write(f)
        with open_media(copied) as again:
            assert all(np.array_equal(a, b) for a, b in zip(frame.planes, again.frame(2).planes, strict=True))


def test_parts_join_without_encoding_again_and_sound_passes_byte_for_byte(tmp_path):
    write_sound(tmp_path / "sound.mkv", 40 / 24)
    whole = write_film(tmp_path / "picture.mp4", 40)
    join_parts([whole], [0], tmp_path / "plate.mp4", Fraction(24), tmp_path / "sound.mkv")
    parts = [write_film(tmp_path / f"p{s}.mp4", 20, start=s) for s in (0, 20)]
    out = tmp_path / "out.mp4"
    join_parts(parts, [0, 20], out, Fraction(24), tmp_path / "plate.mp4")
    facts = probe(out)
    assert facts.frame_count == 40
    assert facts.rate == 24
    assert facts.sound is not None
    with open_media(out) as a, open_media(parts[0]) as b, open_media(parts[1]) as c:
        assert levels(a.frames(0, 40)) == levels(b.frames(0, 20)) + levels(c.frames(0, 20))

    def packets(path: Path) -> list[bytes]:
        with av.open(str(path)) as container:
            return [bytes(p) for p in container.demux(container.streams.audio[0]) if p.size]

    assert packets(out) == packets(tmp_path / "plate.mp4")


def test_pixel_shape_is_kept(tmp_path):
    facts = film_facts(W, H, 3, Fraction(25)).model_copy(update={"pixel_aspect": Fraction(16, 15)})
    with FilmWriter(tmp_path / "film.mp4", facts) as writer:
        for n in range(3):
            writer.write(picture(n))
    assert probe(tmp_path / "film.mp4").pixel_aspect == Fraction(16, 15)


def test_a_film_cut_short_is_refused(tmp_path):
    whole = write_film(tmp_path / "film.mkv", 60).read_bytes()
    for share in (0.02, 0.5, 0.9):
        cut = tmp_path / "cut.mkv"
        cut.write_bytes(whole[: int(len(whole) * share)])
        try:
            facts = probe(cut)
        except MediaError as error:
            assert error.code in ("damaged", "unsupported")
            assert "cut.mkv" in error.sentence
        else:
            # Matroska has no frame count to hold against: what is left decodes whole, and is counted honestly.
            assert facts.frame_count < 60
    mp4 = write_film(tmp_path / "film.mp4", 60).read_bytes()
    cut = tmp_path / "cut.mp4"
    cut.write_bytes(mp4[: len(mp4) // 2])
    with pytest.raises(MediaError) as refused:
        probe(cut)
    assert refused.value.code == "damaged"


def test_scrambled_bytes_are_refused(tmp_path):
    data = bytearray(write_film(tmp_path / "film.mp4", 60).read_bytes())
    rng = np.random.default_rng(1)
    start = data.find(b"mdat") + 300
    for i in rng.integers(start, start + 3000, 400):
        data[int(i)] = int(rng.integers(256))
    bad = tmp_path / "bad.mp4"
    bad.write_bytes(data)
    with pytest.raises(MediaError) as error:
        probe(bad)
    assert error.value.code == "damaged"


@pytest.mark.parametrize(
    "content",
    [b"#EXTM3U\nfile:///etc/passwd\n", b"ffconcat version 1.0\nfile '/etc/passwd'\n", b"RIFF....AVI ", b"", b"<svg/>", b"\0" * 4096],
)
def test_only_the_containers_named_are_ever_opened(tmp_path, content):
    path = tmp_path / "film.mp4"
    path.write_bytes(content)
    assert film_format(path) is None
    with pytest.raises(MediaError) as error:
        open_media(path)
    assert error.value.code == "unsupported"


def test_limits_are_checked_before_decoding(tmp_path):
    path = write_film(tmp_path / "film.mp4", 30)
    for limits in (Limits(pixels=1000), Limits(side_px=100), Limits(frames=10), Limits(bytes=100), Limits(seconds=1)):
        with pytest.raises(MediaError) as error:
            FilmReader(path, limits)
        assert error.value.code == "too_large"


def test_an_odd_size_cannot_be_a_film(tmp_path):
    with pytest.raises(MediaError) as error:
        FilmWriter(tmp_path / "film.mp4", film_facts(161, 96, 3, Fraction(24)))
    assert error.value.code == "cannot_write"
