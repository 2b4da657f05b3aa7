import json
from dataclasses import replace

import numpy as np
import pytest

from verdigris.core.tracking.sequence.frame_result import FrameResult
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
