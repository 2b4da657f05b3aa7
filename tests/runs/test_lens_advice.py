"""What the lens is, asked of a finished track on the command line."""

import json
from dataclasses import replace

import numpy as np
import pytest
from typer.testing import CliRunner

from bench.tracking.cases import Plate as Rendered
from bench.tracking.cases import Recipe, a_photograph, make
from bench.tracking.render import Camera
from tests.plates import Plate, write_plate
from verdigris.cli.main import app
from verdigris.core.geometry.lens import Lens
from verdigris.core.tracking.calibration.result import Calibration
from verdigris.core.tracking.calibration.terms import Estimate
from verdigris.runs.advice import followed as advice

HALF_DIAGONAL = float(np.hypot(640, 360)) / 2
RECIPE = Recipe(count=17, reference=8, size=(640, 360), scale=0.5, camera=Camera(noise=1.0, lens=(-0.1, 0.0, 338.0, 168.0)))


def followed(folder, rendered: Rendered):
    """A document and its track, made on the command line."""
    frames = [np.asarray(f, np.float32) / np.float32(255) for f in rendered.frames]
    corners = rendered.truth[rendered.reference]
    film = write_plate(folder / "plate.mp4", Plate(frames, [], corners, rendered.reference))
    surface = {"id": "board", "name": "Board", "reference_frame": rendered.reference, "corners": corners.tolist()}
    document, track = folder / "shot.json", folder / "track.json"
    surface["region"] = {"include": [np.asarray(i).tolist() for i in rendered.include]}
    document.write_text(
        json.dumps({"format": "verdigris.shot", "version": 1, "name": "Lens", "plate": {"path": str(film)}, "surfaces": [surface]})
    )
    done = CliRunner().invoke(app, ["track", str(document), "--out", str(track)])
    assert done.exit_code == 0, done.output
    return document, track


@pytest.fixture(scope="module")
def bent(tmp_path_factory):
    return followed(tmp_path_factory.mktemp("bent"), make(7, RECIPE, a_photograph))


def test_a_track_tells_the_lens(bent):
    document, track = bent
    found = json.loads(CliRunner().invoke(app, ["lens", str(document), "--track", str(track), "--json"]).stdout)
    assert found["k1"]["value"] == pytest.approx(-0.1, abs=0.02)
    assert found["k1"]["sigma"] < 0.01


def test_it_is_asked_again_through_what_was_found_until_nothing_is_better(bent, monkeypatch):
    """Rounds made up: bend first, then its centre, then nothing more."""
    document, track = bent
    rounds = [({"k1": -0.09}, 0.2), ({"k1": -0.1, "cx": 0.05, "cy": -0.03}, 0.1), ({}, 0.0)]
    through = []

    def asked(follower, results, *_):
        through.append(follower.optics.lens)
        values, gain = rounds[len(through) - 1]
        estimates = {t: Estimate(v, 0.002, 0.002) for t, v in values.items()}
        off = [values.get(t, 0.0) * HALF_DIAGONAL for t in ("cx", "cy")]
        lens = Lens((320 + off[0], 180 + off[1]), HALF_DIAGONAL, values.get("k1", 0.0))
        return Calibration(replace(follower.optics, lens=lens), follower.reference_movement, estimates, gain)

    monkeypatch.setattr(advice, "calibrate", asked)
    told = CliRunner().invoke(app, ["lens", str(document), "--track", str(track)]).stdout
    assert [None if x is None else x.k1 for x in through] == [None, -0.09, -0.1]
    assert "k1         -0.1000, give or take 0.0020" in told
    assert f"centre     {320 + 0.05 * HALF_DIAGONAL:.1f}, {180 - 0.03 * HALF_DIAGONAL:.1f} px" in told
    # A fifth better, and then a tenth of what was left.
    assert "28.0 % better" in told


def test_a_straight_lens_has_no_terms_and_no_centre(tmp_path):
    document, track = followed(tmp_path, make(8, replace(RECIPE, camera=Camera(noise=1.0)), a_photograph))
    found = json.loads(CliRunner().invoke(app, ["lens", str(document), "--track", str(track), "--json"]).stdout)
    assert not {"k1", "k2", "centre"} & set(found)
