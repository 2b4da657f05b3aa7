"""Media as they come: cut short, of varying rate, interlaced, changing size, pointing elsewhere; said in words, or refused."""

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
import tifffile

from tests.media.test_films import write_film
from verdigris.media.errors import MediaError
from verdigris.media.facts import Limits
from verdigris.media.film import FilmReader
from verdigris.media.reader import open_media, probe
from verdigris.media.stills import list_sequence, read_still, write_still
from verdigris.store.media_folder import plain_name


def encode(path: Path, sizes: list[tuple[int, int]], times: list[int], **options: str) -> Path:
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=24, options={"crf": "12", **options})
        stream.width, stream.height = sizes[0]
        stream.pix_fmt = "yuv420p"
        stream.codec_context.time_base = Fraction(1, 240)
        rng = np.random.default_rng(1)
        for (w, h), t in zip(sizes, times, strict=True):
            frame = av.VideoFrame.from_ndarray(rng.integers(0, 255, (h, w, 3)).astype(np.uint8), format="rgb24")
            frame.pts, frame.time_base = t, Fraction(1, 240)
            out.mux(stream.encode(frame))
        out.mux(stream.encode())
    return path


def test_a_film_cut_short_is_taken_as_far_as_it_is_there_and_says_so(tmp_path):
    whole = write_film(tmp_path / "whole.mp4", 60)
    with av.open(str(whole)) as source, av.open(str(tmp_path / "fast.mp4"), "w", options={"movflags": "+faststart"}) as out:
        stream = out.add_stream_from_template(source.streams.video[0])
        for packet in source.demux(source.streams.video[0]):
            if packet.dts is not None:
                packet.stream = stream
                out.mux(packet)
    data = (tmp_path / "fast.mp4").read_bytes()
    cut = tmp_path / "cut.mp4"
    cut.write_bytes(data[: int(0.6 * len(data))])
    with FilmReader(cut, name="ferry.mp4") as reader:
        frames = list(reader.verified_frames())
        facts = reader.facts
    assert 3 < facts.frame_count < 60
    assert len(frames) == facts.frame_count
    assert any("cut short" in n and "60" in n and str(facts.frame_count) in n for n in facts.notes)
    assert probe(cut).frame_count == facts.frame_count


def test_a_rate_that_varies_is_said(tmp_path):
    steady = encode(tmp_path / "steady.mp4", [(64, 48)] * 12, [10 * i for i in range(12)])
    assert probe(steady).notes == ()
    varying = encode(tmp_path / "varying.mp4", [(64, 48)] * 12, [10 * i + (5 if i % 2 else 0) for i in range(12)])
    (note,) = probe(varying).notes
    assert "rate varies" in note


def test_an_interlaced_film_is_said(tmp_path):
    path = encode(tmp_path / "fields.mp4", [(64, 64)] * 6, [10 * i for i in range(6)], **{"x264-params": "interlaced=1:tff=1"})
    assert any("interlaced" in n for n in probe(path).notes)


def test_a_film_whose_frames_change_size_is_refused_with_the_frame(tmp_path):
    a = encode(tmp_path / "a.mkv", [(64, 48)] * 5, [10 * i for i in range(5)])
    b = encode(tmp_path / "b.mkv", [(96, 64)] * 5, [10 * i for i in range(5)])
    joined = tmp_path / "joined.h264.mkv"
    with av.open(str(joined), "w") as out, av.open(str(a)) as first, av.open(str(b)) as second:
        stream, at = out.add_stream_from_template(first.streams.video[0]), 0
        for source in (first, second):
            headers = bytes(source.streams.video[0].codec_context.extradata or b"")
            for packet in source.demux(source.streams.video[0]):
                if packet.dts is None:
                    continue
                new = av.Packet(_with_headers(headers, bytes(packet)) if packet.is_keyframe else bytes(packet))
                new.stream, new.pts, new.dts, new.time_base = stream, at, at, Fraction(1, 24)
                new.is_keyframe = packet.is_keyframe
                at += 1
                out.mux(new)
    with pytest.raises(MediaError) as error:
        probe(joined)
    assert error.value.code == "damaged"


def _with_headers(avcc: bytes, packet: bytes) -> bytes:
    """Parameter sets in the stream itself, as length-prefixed units (ISO/IEC 14496-15)."""
    at, out = 6, b""
    for _ in range(avcc[5] & 31):
        n = int.from_bytes(avcc[at : at + 2], "big")
        out, at = out + n.to_bytes(4, "big") + avcc[at + 2 : at + 2 + n], at + 2 + n
    n = int.from_bytes(avcc[at + 1 : at + 3], "big")
    return out + n.to_bytes(4, "big") + avcc[at + 3 : at + 3 + n] + packet


def test_errors_carry_the_name_of_the_users_file(tmp_path):
    path = tmp_path / "source.mp4"
    path.write_bytes(write_film(tmp_path / "film.mp4", 30).read_bytes()[:2000])
    with pytest.raises(MediaError) as error:
        open_media(path, name="harbour-take-3.mp4")
    assert "harbour-take-3.mp4" in error.value.sentence
    assert "source" not in error.value.sentence


def test_a_tiff_that_names_another_file_is_read_by_itself(tmp_path):
    secret = np.full((8, 8), 200, np.uint8)
    tifffile.imwrite(tmp_path / "secret.tif", secret, metadata=None)
    xml = (
        '<?xml version="1.0"?><OME xmlns="http://www.openmicroscopy.org/Schemas/OME/2016-06"><Image ID="Image:0"><Pixels ID="Pixels:0" '
        'DimensionOrder="XYCZT" Type="uint8" SizeX="8" SizeY="8" SizeC="1" SizeZ="2" SizeT="1"><TiffData IFD="0" FirstZ="1">'
        '<UUID FileName="secret.tif">urn:uuid:1</UUID></TiffData></Pixels></Image></OME>'
    )
    tifffile.imwrite(tmp_path / "open.ome.tif", np.full((8, 8), 10, np.uint8), description=xml, metadata=None)
    (tmp_path / "open.ome.tif").rename(tmp_path / "open.tif")
    still = read_still(tmp_path / "open.tif")
    assert still.pixels.shape[:2] == (8, 8)
    assert int(still.pixels.max()) == 10


def test_numbers_a_billion_apart_are_refused_without_being_listed(tmp_path):
    for n in (0, 999_999_999):
        write_still(tmp_path / f"f.{n:09d}.png", np.zeros((4, 4, 3), np.uint8))
    with pytest.raises(MediaError) as error:
        list_sequence(tmp_path)
    assert error.value.code == "sequence_gap"
    assert len(error.value.sentence) < 300


def test_names_lose_folders_and_what_cannot_be_shown():
    assert plain_name("../../etc/\0pass\nwd.png") == "passwd.png"
    assert plain_name("Fähre 3.mp4") == "Fähre 3.mp4"


def test_limits_hold_for_a_still_by_its_name(tmp_path):
    write_still(tmp_path / "big.png", np.zeros((40, 40, 3), np.uint8))
    with pytest.raises(MediaError) as error:
        read_still(tmp_path / "big.png", Limits(pixels=100), "poster.png")
    assert error.value.sentence.startswith("poster.png")


def test_damaged_and_lying_files_of_every_kind_are_taken_or_refused_in_words():
    from bench.hostile import run

    assert run(120, seed=11) == 0
