"""The command line on real files, without server or database."""

import json
import os
import re
import signal
import subprocess
import sys
from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.plates import make_plate, passed_by, write_plate
from verdigris.media.reader import open_media, probe


def run(*args: object, code: int = 0) -> subprocess.CompletedProcess[str]:
    env = {k: v for k, v in os.environ.items() if not k.startswith("VERDIGRIS")}
    done = subprocess.run([sys.executable, "-m", "verdigris.cli.main", *map(str, args)], capture_output=True, text=True, env=env)
    assert done.returncode == code, done.stderr
    return done


@pytest.fixture
def shot(plate, plate_film, art_still, tmp_path) -> Path:
    for source in (plate_film, art_still):
        (tmp_path / source.name).write_bytes(source.read_bytes())
    document = {
        "format": "verdigris.shot", "version": 1, "plate": {"path": "plate.mp4"},
        "surfaces": [{"id": "sign", "name": "Sign", "reference_frame": plate.reference, "corners": plate.corners.round(3).tolist()}],
        "placements": [{"surface": "sign", "artwork": {"path": "red.png"}, "fit": "stretch"}],
        "delivery": {"preset": "veryfast"},
    }  # fmt: skip
    path = tmp_path / "shot.json"
    path.write_text(json.dumps(document))
    return path


def test_probe_tells_facts_to_people_and_to_scripts(plate_film):
    text = run("probe", plate_film).stdout
    assert "480 x 320" in text
    assert "24 frames a second" in text
    facts = json.loads(run("probe", plate_film, "--json").stdout)
    assert (facts["frame_count"], facts["rate"]) == (24, "24/1")


def test_track_then_render_a_film_and_stills(plate, shot, tmp_path):
    out = run("track", shot, "--out", tmp_path / "track.json", "--csv", tmp_path / "corners.csv", "--json")
    assert json.loads(out.stdout)[0]["followed"] == 24
    track = json.loads((tmp_path / "track.json").read_text())
    assert track["format"] == "verdigris.track"
    for frame in track["frames"]:
        assert np.abs(np.array(frame["corners"]) - plate.corners_at(frame["frame"])).max() < 0.15
    assert len((tmp_path / "corners.csv").read_text().splitlines()) == 25

    run("render", shot, "--track", tmp_path / "track.json", "--out", tmp_path / "result.mp4")
    facts, before = probe(tmp_path / "result.mp4"), probe(tmp_path / "plate.mp4")
    assert (facts.frame_count, facts.rate, facts.sound) == (24, before.rate, before.sound)
    run("render", shot, "--track", tmp_path / "track.json", "--out", tmp_path / "exr", "--form", "exr")
    assert len(list((tmp_path / "exr").glob("exr.*.exr"))) == 24
    still = open_media(tmp_path / "exr" / "exr.0010.exr").frame(0)
    x, y = plate.corners_at(10).mean(axis=0).astype(int)
    assert np.allclose(still.codes()[y, x] * 255, [210, 40, 30], atol=2)
    assert sorted(p.name for p in tmp_path.iterdir() if "unfinished" in p.name or "parts" in p.name) == []


def test_render_follows_the_planes_itself_when_no_track_is_given(shot, tmp_path, plate):
    run("render", shot, "--out", tmp_path / "stills")
    stills = sorted((tmp_path / "stills").iterdir())
    assert [stills[0].name, len(stills)] == ["stills.0000.png", 24]
    picture = cv2.imread(str(stills[12]))
    x, y = plate.corners.mean(axis=0).astype(int)
    assert picture[y, x, 2] > 200


@pytest.mark.parametrize(
    ("change", "code", "word"),
    [
        ({"surfaces": []}, 3, "sign"),
        ({"plate": {"path": "nothing.mp4"}}, 3, "nothing.mp4"),
        ({"surfaces": [{"id": "sign", "name": "Sign"}]}, 4, "corners"),
        ({"surfaces": [{"id": "sign", "name": "Sign", "reference_frame": 500, "corners": [[9, 9], [90, 9], [90, 90], [9, 90]]}]}, 4, "500"),
        ({"surfaces": [{"id": "sign", "name": "Sign", "corners": [[90, 9], [9, 9], [90, 90], [9, 90]]}]}, 4, "twisted"),
    ],
)
def test_faults_are_one_sentence_and_an_exit_code(shot, tmp_path, change, code, word):
    shot.write_text(json.dumps({**json.loads(shot.read_text()), **change}))
    done = run("track", shot, "--out", tmp_path / "t.json", code=code)
    assert word in done.stderr.replace("\n", " ")
    assert "Traceback" not in done.stderr
    assert not (tmp_path / "t.json").exists()


def test_wrong_use_is_exit_code_two(tmp_path):
    run("track", code=2)
    run("render", tmp_path / "none.json", "--out", tmp_path / "x.mp4", "--form", "gif", code=3)


def begun(shot, tmp_path) -> subprocess.Popen[str]:
    """A run that has followed its first frames; whoever stops it has the say, on a busy machine too."""
    command = [sys.executable, "-m", "verdigris.cli.main", "track", str(shot), "--out", str(tmp_path / "t.json")]
    process = subprocess.Popen(["nice", "-n", "15", *command], stderr=subprocess.PIPE, text=True)
    assert process.stderr is not None
    for line in process.stderr:
        if re.search(r"\d+ %", line):
            break
    return process


@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGTERM])
def test_a_run_that_is_stopped_keeps_what_was_followed_and_the_next_run_goes_on(shot, tmp_path, how):
    process = begun(shot, tmp_path)
    process.send_signal(how)
    assert process.wait(30) == 130
    (half,) = tmp_path.glob("t.json.*.unfinished")
    kept = {f["frame"]: f for f in json.loads(half.read_text())["frames"]}
    assert 1 <= len(kept) < 24
    run("track", shot, "--out", tmp_path / "t.json")
    assert len(json.loads((tmp_path / "t.json").read_text())["frames"]) == 24
    assert not half.exists()


CUT_OFF = """
import os, signal
from verdigris.cli import headless
from verdigris.cli.main import main
keep, headless.KEEP_SECONDS = headless._keep, 0.0
def until_the_power_fails(path, track):
    keep(path, track)
    if len(track.frames) == 5:
        os.kill(os.getpid(), signal.SIGKILL)
headless._keep = until_the_power_fails
main()
"""


def test_a_run_that_is_killed_goes_on_from_what_it_had_kept(shot, tmp_path):
    cut = subprocess.run([sys.executable, "-c", CUT_OFF, "track", str(shot), "--out", str(tmp_path / "t.json")], capture_output=True)
    assert cut.returncode == -signal.SIGKILL
    (half,) = tmp_path.glob("t.json.*.unfinished")
    assert len(json.loads(half.read_text())["frames"]) == 5
    run("track", shot, "--out", tmp_path / "t.json")
    assert len(json.loads((tmp_path / "t.json").read_text())["frames"]) == 24
    assert sorted(p.name for p in tmp_path.glob("t.json*")) == ["t.json"]


def test_a_shot_goes_into_the_application_and_comes_out_the_same(live, shot, tmp_path):
    run("track", shot, "--out", tmp_path / "track.json")
    shot_id = live.run("import", str(shot), "--track", str(tmp_path / "track.json"), "--project", "From files").stdout.strip()
    assert shot_id in live.run("export").stdout
    live.run("export", shot_id, "--out", str(tmp_path / "out"))
    back = json.loads((tmp_path / "out" / "shot.json").read_text())
    original = json.loads(shot.read_text())
    assert back["surfaces"][0]["corners"] == original["surfaces"][0]["corners"]
    assert (tmp_path / "out" / back["plate"]["path"]).read_bytes() == (tmp_path / "plate.mp4").read_bytes()
    a, b = (json.loads(p.read_text())["frames"] for p in (tmp_path / "track.json", tmp_path / "out" / "track.json"))
    assert [f["homography"] for f in a] == [f["homography"] for f in b]
    run("render", tmp_path / "out" / "shot.json", "--track", tmp_path / "out" / "track.json", "--out", tmp_path / "again.mp4")


def test_help_names_every_command_and_the_exit_codes():
    root = Path(__file__).resolve().parents[2]
    text = subprocess.run([sys.executable, str(root / "verdigris"), "--help"], capture_output=True, text=True, check=True).stdout
    for command in ("demo", "start", "test", "check", "worker", "probe", "track", "render", "export", "import", "bench"):
        assert command in text
    assert "130" in run("track", "--help").stdout


def test_propose_and_disagreements_tell_people_and_scripts(shot, tmp_path):
    run("track", shot, "--out", tmp_path / "track.json")
    text = run("propose", shot, "--track", tmp_path / "track.json").stdout
    assert "perspective" in text
    assert "left out" in text
    figures = json.loads(run("propose", shot, "--track", tmp_path / "track.json", "--json").stdout)
    assert len(figures["figures"]) == 5
    assert "moves with the plane" in run("disagreements", shot).stdout
    assert json.loads(run("disagreements", shot, "--last", 20, "--json").stdout) == []


def test_a_span_is_followed_again_and_the_rest_is_kept(plate, shot, tmp_path):
    run("track", shot, "--out", tmp_path / "track.json")
    kept = json.loads((tmp_path / "track.json").read_text())
    for frame in kept["frames"][4:10]:
        frame.update(status="lost", reason="spoiled")
        for field in ("homography", "corners", "sigma_px"):
            del frame[field]
    (tmp_path / "spoiled.json").write_text(json.dumps(kept))
    run("track", shot, "--keep", tmp_path / "spoiled.json", "--first", 4, "--last", 9, "--out", tmp_path / "again.json")
    again = json.loads((tmp_path / "again.json").read_text())["frames"]
    assert [again[n]["homography"] for n in (*range(4), *range(10, 24))] == [
        kept["frames"][n]["homography"] for n in (*range(4), *range(10, 24))
    ]
    for frame in again[4:10]:
        assert np.abs(np.array(frame["corners"]) - plate.corners_at(frame["frame"])).max() < 0.15
    run("track", shot, "--keep", tmp_path / "track.json", "--out", tmp_path / "x.json", code=2)
    run("track", shot, "--keep", tmp_path / "track.json", "--first", 70, "--out", tmp_path / "x.json", code=4)


def test_what_is_kept_of_a_track_is_not_mended_twice(shot, tmp_path):
    document = json.loads(shot.read_text())
    document["surfaces"][0].update(smoothing=4, carry=True)
    calm = shot.with_name("calm.json")
    calm.write_text(json.dumps(document))
    run("track", calm, "--out", tmp_path / "calm.track.json")
    kept = json.loads((tmp_path / "calm.track.json").read_text())
    assert kept["mended"]
    run("track", calm, "--keep", tmp_path / "calm.track.json", "--first", 20, "--out", tmp_path / "again.json")
    again = json.loads((tmp_path / "again.json").read_text())
    assert again["mended"]
    assert [f["homography"] for f in again["frames"] if f["frame"] != 20] == [f["homography"] for f in kept["frames"] if f["frame"] != 20]


def test_a_lens_is_told_from_drawn_lines_and_from_a_track(shot, tmp_path):
    from verdigris.core.geometry.lens import Lens

    assert "lens.lines" in run("lens", shot, code=4).stderr
    bent = Lens.of_picture(480, 320, -0.1)
    ends = np.array([[[20.0, 15], [460, 20]], [[15, 300], [465, 290]], [[25, 10], [20, 310]], [[455, 15], [460, 305]]])
    steps = np.linspace(0, 1, 7)[:, None]
    lines = [bent.distort((1 - steps) * a + steps * b).tolist() for a, b in ends]
    document = json.loads(shot.read_text())
    shot.write_text(json.dumps({**document, "lens": {"lines": lines}}))
    assert json.loads(run("lens", shot, "--json").stdout)["k1"]["value"] == pytest.approx(-0.1, abs=0.01)
    assert "from straight" in run("lens", shot).stdout
    shot.write_text(json.dumps(document))
    run("track", shot, "--out", tmp_path / "track.json")
    assert "ideal lens" in run("lens", shot, "--track", tmp_path / "track.json").stdout


def test_another_reference_frame_leaves_the_corners_where_they_are(shot, tmp_path):
    run("track", shot, "--out", tmp_path / "track.json")
    run("anchor", shot, "--track", tmp_path / "track.json", "--frame", 20, "--out", tmp_path / "moved")
    before, after = (json.loads(p.read_text()) for p in (tmp_path / "track.json", tmp_path / "moved" / "track.json"))
    document = json.loads((tmp_path / "moved" / "shot.json").read_text())
    assert after["reference_frame"] == document["surfaces"][0]["reference_frame"] == 20
    quad = np.c_[np.array(document["surfaces"][0]["corners"]), np.ones(4)]
    for old, new in zip(before["frames"], after["frames"], strict=True):
        at = quad @ np.array(new["homography"]).T
        assert np.allclose(at[:, :2] / at[:, 2:], old["corners"], atol=0.01)
    assert "lost" in run("anchor", shot, "--track", tmp_path / "track.json", "--frame", 99, "--out", tmp_path / "x", code=4).stderr


def test_a_match_is_measured_taken_over_and_rendered(plate, shot, tmp_path):
    run("track", shot, "--out", tmp_path / "track.json")
    told = json.loads(run("match", shot, "--track", tmp_path / "track.json", "--out", tmp_path / "matched.json", "--json").stdout)
    assert {"levels", "light", "softness", "grain"} <= {p["part"] for p in told}
    document = json.loads((tmp_path / "matched.json").read_text())
    field = tmp_path / document["match"][0]["light"]["field"]["path"]
    assert len(list(field.glob("*.exr"))) == 24
    args = ("render", tmp_path / "matched.json", "--track", tmp_path / "track.json", "--form", "png")
    run(*args, "--out", tmp_path / "matched")
    run("render", shot, "--track", tmp_path / "track.json", "--form", "png", "--out", tmp_path / "plain")
    a, b = (cv2.imread(str(sorted((tmp_path / k).glob("*.png"))[plate.reference])) for k in ("matched", "plain"))
    assert np.abs(a.astype(int) - b).max() > 10
    (tmp_path / "look.cc").write_text("<ColorCorrection><SOPNode><Slope>1.2 1 0.8</Slope></SOPNode></ColorCorrection>")
    surface = document["match"][0]["surface"]
    run("grade", tmp_path / "matched.json", "--surface", surface, "--cdl", tmp_path / "look.cc", "--out", tmp_path / "graded.json")
    run("grade", tmp_path / "graded.json", "--surface", surface, "--write", tmp_path / "again.cc")
    assert "1.2 1 0.8" in (tmp_path / "again.cc").read_text()
    (tmp_path / "upside.cube").write_text("LUT_1D_SIZE 2\n1 1 1\n0 0 0\n")
    run("grade", tmp_path / "matched.json", "--lut", tmp_path / "upside.cube", "--out", tmp_path / "whole.json")
    run("render", tmp_path / "whole.json", "--track", tmp_path / "track.json", "--form", "png", "--out", tmp_path / "whole")
    c = cv2.imread(str(sorted((tmp_path / "whole").glob("*.png"))[plate.reference]))
    # Chroma of half the size rings at edges, and is cut there.
    assert np.percentile(np.abs(255 - a.astype(int) - c), 98) <= 4
    run("grade", tmp_path / "whole.json", "--write", tmp_path / "again.cube")
    assert "LUT_3D_SIZE" in (tmp_path / "again.cube").read_text()
    assert "Say --cdl or --lut" in run("grade", tmp_path / "whole.json", code=2).stderr
    only = run("match", shot, "--track", tmp_path / "track.json", "--take-over", "grain", "--out", tmp_path / "grain.json")
    assert "taken over" in only.stderr or "grain" in only.stderr
    kept = json.loads((tmp_path / "grain.json").read_text())["match"][0]
    assert "levels" not in kept
    by_hand = run("match", shot, "--take-over", "wrap", "--out", tmp_path / "x.json", code=2).stderr
    assert "set by hand" in " ".join(by_hand.replace("│", " ").split())
    assert "no part of a match" in run("match", shot, "--take-over", "gloss", "--out", tmp_path / "x.json", code=2).stderr


def test_a_frame_is_written_to_draw_over_with_guides(plate, shot, tmp_path):
    out, guides = tmp_path / "over.png", tmp_path / "guides.png"
    run("track", shot, "--out", tmp_path / "track.json")
    told = run("frame", shot, "--frame", plate.reference, "--out", out, "--guides", guides, "--track", tmp_path / "track.json")
    assert f'"drawn_over": {plate.reference}' in told.stderr.replace("\n", " ")
    frame, lines = (cv2.imread(str(p), cv2.IMREAD_UNCHANGED) for p in (out, guides))
    assert (frame.dtype, lines.shape) == (np.uint16, (*frame.shape[:2], 4))
    (x0, y0), (x1, y1) = plate.corners[0], plate.corners[1]
    assert lines[round((y0 + y1) / 2) - 2 : round((y0 + y1) / 2) + 2, round((x0 + x1) / 2), 3].max() > 100
    assert "frames 0 to 23" in run("frame", shot, "--frame", 99, "--out", out, code=3).stderr.replace("\n", " ")


def test_a_matte_is_rendered_to_stills_and_gone_on_with(plate, shot, tmp_path):
    run("track", shot, "--out", tmp_path / "track.json")
    (x0, y0), _, (x1, y1), _ = plate.corners
    box = [[float(x0 + u * (x1 - x0)), float(y0 + v * (y1 - y0))] for u, v in ((0.2, 0.2), (0.6, 0.2), (0.6, 0.6), (0.2, 0.6))]
    shape = {"kind": "shape", "rides": "sign", "keys": [{"frame": plate.reference, "points": box}]}
    document = json.loads(shot.read_text()) | {"mattes": [{"id": "front", "surface": "sign", "parts": [shape]}]}
    shot.write_text(json.dumps(document))
    args = ("matte", shot, "--matte", "front", "--track", tmp_path / "track.json", "--out", tmp_path / "m", "--depth", 8)
    assert json.loads(run(*args, "--json").stdout)["frames"] == 24
    stills = sorted((tmp_path / "m").glob("*.png"))
    first = cv2.imread(str(stills[plate.reference]), cv2.IMREAD_UNCHANGED)
    middle = np.mean(box, axis=0).astype(int)
    assert (first.dtype, first[middle[1], middle[0]], first[2, 2]) == (np.uint8, 255, 0)
    assert "There is no matte" in run("matte", shot, "--matte", "other", "--out", tmp_path / "x", code=3).stderr


def test_a_matte_is_made_for_what_passes_or_it_is_said_that_nothing_does(plate, shot, tmp_path):
    said = run("passing", shot, "--out", tmp_path / "masked.json", code=4).stderr
    assert "Nothing was found that passes in front of" in said.replace("\n", " ")
    assert not (tmp_path / "masked.json").exists()
    passed = make_plate(count=16, reference=0, noise=0.003)
    write_plate(tmp_path / "passed.mp4", passed_by(passed, 2, 15))
    document = json.loads(Path(shot).read_text())
    document |= {"plate": {"path": "passed.mp4"}}
    document["surfaces"][0] |= {"reference_frame": 0, "corners": passed.corners.tolist()}
    (tmp_path / "passed.json").write_text(json.dumps(document))
    told = json.loads(run("passing", tmp_path / "passed.json", "--out", tmp_path / "masked.json", "--json").stdout)
    masked = json.loads((tmp_path / "masked.json").read_text())
    assert masked["mattes"][0]["id"] == told["matte"]
    assert masked["placements"][0]["kept_in_front"] == [told["matte"]]
    assert {"shape"} <= {p["kind"] for p in masked["mattes"][0]["parts"]}
