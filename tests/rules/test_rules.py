"""The core keeps the rules that it shares with the web client, case by case."""

import json
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from verdigris.core.geometry.lens import Lens
from verdigris.core.geometry.shapes import keyed_points, smooth_outline
from verdigris.runs.scene.in_front import riding_points
from verdigris.runs.scene.timing import position
from verdigris.shot.model.placement import Timing

RULES = json.loads((Path(__file__).parent / "rules.json").read_text())


def keys_of(case: dict) -> list[tuple[int, np.ndarray, bool]]:
    return [(k["frame"], np.array([p or [np.nan, np.nan] for p in k["points"]], float), k["ease"] == "eased") for k in case["keys"]]


@pytest.mark.parametrize("case", RULES["keyed_points"], ids=lambda c: c["why"])
def test_points_between_keys(case):
    for told in case["at"]:
        assert keyed_points(told["frame"], keys_of(case)) == pytest.approx(np.array(told["points"], float), abs=1e-9)


@pytest.mark.parametrize("case", RULES["riding_points"], ids=lambda c: c["why"])
def test_points_that_ride_a_plane(case):
    poses = {int(n): np.array(h, float) for n, h in case["poses"].items()}
    for told in case["at"]:
        assert riding_points(told["frame"], keys_of(case), poses) == pytest.approx(np.array(told["points"], float), abs=1e-9)


@pytest.mark.parametrize("case", RULES["smooth_outline"], ids=lambda c: c["why"])
def test_smooth_outlines(case):
    assert smooth_outline(np.array(case["points"], float), case["steps"]) == pytest.approx(np.array(case["curve"], float), abs=1e-9)


@pytest.mark.parametrize("case", RULES["lens"], ids=lambda c: c["why"])
def test_lenses(case):
    w, h = case["size"]
    lens = Lens((w / 2, h / 2), float(np.hypot(w, h)) / 2, **case["terms"])
    ideal, seen = np.array(case["ideal"], float), np.array(case["seen"], float)
    assert lens.distort(ideal) == pytest.approx(seen, abs=1e-6)
    assert lens.undistort(seen) == pytest.approx(ideal, abs=1e-2)


@pytest.mark.parametrize("case", RULES["position"], ids=lambda c: c["why"])
def test_moments_of_artwork(case):
    timing = Timing.model_validate(case["timing"])
    own, plate = (Fraction(*case[k]) for k in ("own", "plate"))
    for frame, at in case["at"]:
        assert position(timing, own, plate, frame) == pytest.approx(at, abs=1e-9)
