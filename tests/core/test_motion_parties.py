"""Two motions in one region, told apart over the run."""

from dataclasses import replace

import numpy as np
import pytest

from bench.tracking.cases import Recipe, a_running_screen, make
from bench.tracking.ours import follow
from tests.plates import make_plate
from verdigris.core.camera.optics import Optics
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.reference.appearance import build_appearance
from verdigris.core.tracking.refinement.motion_parties import find_parties, went_astray
from verdigris.core.tracking.sequence.frame_result import Evidence, FrameResult

PLATE = make_plate(count=3, reference=1)
REGION = region_mask([PLATE.corners], [], None, 480, 320)


@pytest.fixture(scope="module")
def appearance():
    made = build_appearance(PLATE.frames[1], REGION, Optics(480, 320))
    assert made is not None
    return made


def frame(n: int, tiles: np.ndarray) -> FrameResult:
    evidence = Evidence(np.eye(3), tiles=tiles.astype(np.float32))
    return FrameResult(n, "followed", np.eye(3), PLATE.corners, np.full(4, 0.1), 0.1, 1.0, "", evidence)


def rim(appearance) -> np.ndarray:
    across = appearance.across
    cell = np.arange(across * across)
    column, row = cell % across, cell // across
    return (np.minimum(column, across - 1 - column) < 2) | (np.minimum(row, across - 1 - row) < 2)


def run_of(appearance, with_rim: range, with_middle: range, rng: np.random.Generator) -> dict[int, FrameResult]:
    outer = rim(appearance)
    noise = lambda: rng.uniform(0, 0.15, len(outer))  # noqa: E731
    results = {n: frame(n, np.where(outer, 1 - noise(), noise())) for n in with_rim}
    return {**results, **{n: frame(n, np.where(outer, noise(), 1 - noise())) for n in with_middle}}


def test_frames_that_went_with_the_middle_are_named(appearance):
    results = run_of(appearance, range(0, 12), range(12, 20), np.random.default_rng(1))
    parties = find_parties(appearance, results, 0)
    assert parties is not None
    assert parties.astray == list(range(12, 20))
    assert (parties.surface & rim(appearance)).sum() > 0.8 * parties.surface.sum()
    assert went_astray(parties, results[15])
    assert not went_astray(parties, results[5])


def test_the_rim_counts_even_when_most_frames_went_with_the_middle(appearance):
    results = run_of(appearance, range(0, 4), range(4, 20), np.random.default_rng(2))
    parties = find_parties(appearance, results, 0)
    assert parties is not None
    assert set(parties.astray) == set(range(4, 20))


def test_a_run_that_agrees_has_no_parties(appearance):
    assert find_parties(appearance, run_of(appearance, range(0, 20), range(0), np.random.default_rng(3)), 0) is None


def test_something_that_passes_is_no_party(appearance):
    results = run_of(appearance, range(0, 20), range(0), np.random.default_rng(4))
    for n in range(8, 12):
        tiles = np.where(rim(appearance), 0.95, 0.05)
        tiles[(n - 8) * 10 : (n - 8) * 10 + 6] = 0
        results[n] = frame(n, tiles)
    assert find_parties(appearance, results, 0) is None


def test_frames_that_disagree_about_many_things_have_no_parties(appearance):
    """Some see the rim clearer than the middle, as where rows are read later; people pass, and the light changes on one side."""
    tile = np.arange(appearance.across**2)
    left, upper = tile % appearance.across < 5, tile < len(tile) // 2
    results = {}
    for n in range(1, 25):
        apart = [0.27, 0.25, 0.22] * np.sign([n - 12.5, (n % 2) - 0.5, (n % 4) - 1.5])
        about = np.sign(np.stack([rim(appearance), left, upper], axis=1) - 0.5)
        results[n] = frame(n, 0.5 + about @ apart)
    assert find_parties(appearance, results, 0) is None


def test_too_few_frames_say_nothing(appearance):
    assert find_parties(appearance, run_of(appearance, range(0, 2), range(2, 4), np.random.default_rng(5)), 0) is None


def test_a_screen_whose_content_slides_is_followed_by_its_frame():
    plate = make(2, replace(Recipe(), count=16, reference=6, size=(640, 360), scale=0.34), a_running_screen(0.2, 16))
    answers = follow(plate)
    known = {r.frame: np.linalg.norm(r.corners - plate.truth[r.frame], axis=1).max() for r in answers if r.corners is not None}
    assert len(known) >= 14
    assert max(known.values()) < 1.0
