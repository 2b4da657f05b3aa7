import json
from dataclasses import replace

import numpy as np
import pytest

from verdigris.core.camera.optics import Optics
from verdigris.core.geometry.lens import Lens
from verdigris.core.light.tone import Tone
from verdigris.core.tracking.sequence.frame_result import FrameResult, Softness
from verdigris.formats.corners_csv import read_corners_csv, write_corners_csv
from verdigris.formats.errors import FormatError
from verdigris.formats.track_json import make_track, read_tracks, write_tracks

QUAD = np.array([[610.1, 230.9], [1186.2, 249.8], [1178.0, 700.6], [616.7, 688.2]])
RESULTS = [
    FrameResult(1, "lost", None, None, None, None, 0.02, "Covered."),
    FrameResult(0, "followed", np.array([[1, 0.001, 2.5], [0, 1, -1], [1e-6, 0, 1]]), QUAD, np.array([0.05, 0.06, 0.06, 0.05]), 0.12, 0.9),
]


def test_a_track_comes_back_as_it_was_written(tmp_path):
    path = tmp_path / "track.json"
    write_tracks(path, [make_track("screen", 48, RESULTS, mended=False)])
    (track,) = read_tracks(path)
    assert (track.surface, track.reference_frame) == ("screen", 48)
    back = track.by_frame()
    assert np.array_equal(back[0].homography, RESULTS[1].homography)
    assert np.array_equal(back[0].corners, QUAD)
    assert back[1].homography is None
    assert back[1].reason == "Covered."
    assert [f.frame for f in track.frames] == [0, 1]


def test_a_frame_that_was_compared_with_another_one_than_the_reference_says_with_which(tmp_path):
    path = tmp_path / "track.json"
    write_tracks(path, [make_track("screen", 48, [replace(RESULTS[1], through=37), replace(RESULTS[1], frame=2)], mended=True)])
    (track,) = read_tracks(path)
    assert track.by_frame()[0].through == 37
    assert track.by_frame()[2].through is None
    assert "through" not in json.loads(path.read_text())["frames"][1]


def test_what_following_found_of_the_camera_comes_back_for_every_frame(tmp_path):
    lens = Lens((641.5, 357.25), 734.4, -0.031, 0.004, 0.0, 0.0005, -0.0002)
    camera = Optics(1280, 720, lens, 0.62, 0.5**2 / 12, Tone(0.2, -0.1), (0.02, -0.01), 1.15)
    soft = replace(RESULTS[1], softness=Softness(0.4, 3.25, 0.006), camera=camera)
    path = tmp_path / "track.json"
    # A frame that was looked at under what was known before does not outvote the others.
    write_tracks(
        path,
        [make_track("s", 0, [replace(soft, frame=n) for n in range(3)] + [replace(RESULTS[1], frame=3, camera=Optics(1280, 720))], False)],
    )
    (track,) = read_tracks(path)
    back = track.by_frame()
    assert track.version == 2
    assert {r.camera for r in back.values()} == {camera}
    assert back[0].softness == soft.softness
    assert back[3].softness is None
    assert json.loads(path.read_text())["camera"]["shutter"] == pytest.approx(0.5)


def test_tracks_of_the_first_version_are_still_read(tmp_path):
    path = tmp_path / "old.json"
    write_tracks(path, [make_track("s", 0, RESULTS, mended=True)])
    old = {**json.loads(path.read_text()), "version": 1}
    path.write_text(json.dumps(old))
    assert read_tracks(path)[0].by_frame()[0].camera is None


def test_several_surfaces_are_a_list(tmp_path):
    path = tmp_path / "tracks.json"
    write_tracks(path, [make_track("a", 0, RESULTS, True), make_track("b", 0, RESULTS, True)])
    assert isinstance(json.loads(path.read_text()), list)
    assert [t.surface for t in read_tracks(path)] == ["a", "b"]


@pytest.mark.parametrize(
    "text",
    [
        "{",
        '{"format": "verdigris.track"}',
        '{"format": "verdigris.track", "version": 1, "surface": "s", "reference_frame": 0, "frames": [{"frame": -1, "status": "followed"}]}',
    ],
)
def test_faults_name_file_and_place(tmp_path, text):
    path = tmp_path / "t.json"
    path.write_text(text)
    with pytest.raises(FormatError) as error:
        read_tracks(path)
    assert "t.json" in error.value.sentence
    assert "expected" in error.value.sentence


def test_csv_has_the_numbers_people_quote_and_keeps_lost_frames_empty(tmp_path):
    path = tmp_path / "corners.csv"
    write_corners_csv(path, RESULTS, first_frame=1001)
    back = read_corners_csv(path)
    assert list(back) == [1001, 1002]
    assert np.allclose(back[1001], QUAD, atol=1e-4)
    assert back[1002] is None


def test_a_csv_of_something_else_is_refused(tmp_path):
    path = tmp_path / "x.csv"
    path.write_text("a,b\n1,2\n")
    with pytest.raises(FormatError, match="header"):
        read_corners_csv(path)
