"""Measured on plates whose twin is known: the result comes near a reshoot, the same every time, and strength 0 changes nothing."""

import json
from pathlib import Path

import cv2
import numpy as np
import pytest

from verdigris.core.light.transfer import linear_to_srgb, srgb_to_linear
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.runs.errors import RunError
from verdigris.runs.match.measure import measure, measure_key, only_sure, with_proposals
from verdigris.runs.match.proposal import Measured
from verdigris.runs.match.stack import SurfaceStack
from verdigris.runs.render.handover import Stopped
from verdigris.runs.render.open_shot import OpenShot
from verdigris.shot.model.document import Shot, parse_shot
from verdigris.shot.model.media import MediaRef

W, H, N = 240, 160, 8
QUAD = [[40.0, 30], [200, 30], [200, 130], [40, 130]]
PAPER, INK = np.array([0.6, 0.55, 0.45]), 0.05


def old_print() -> np.ndarray:
    art = np.ones((100, 160, 3))
    for row in range(16, 84, 12):
        art[row : row + 5, 15:80] = 0
    art[20:80, 100:145] = (0.5, 0.1, 0.05)
    return art


def new_print() -> np.ndarray:
    art = np.full((100, 160, 3), (0.2, 0.5, 0.7))
    art[:, 60:90] = 1
    art[40:60, :60] = 0
    return art


def lit(art: np.ndarray, n: int, edge: bool, folds: bool = False) -> np.ndarray:
    """What is seen of a picture, by the frame's light; on a flat surface, or one with two folds."""
    y, x = np.mgrid[0:100, 0:160] / 160
    light = 0.8 + 0.3 * x - 0.2 * y
    if edge:
        light = light * np.where(x + 0.2 * y < 0.16 * n - 0.2, 0.45, 1.0)
    if folds:
        light = light * (1 - 0.25 * np.exp(-(((160 * x - 90) / 4) ** 2)) + 0.2 * np.exp(-(((160 * x - 152) / 3) ** 2)))
    whole = np.full((H, W, 3), (0.2, 0.22, 0.25))
    whole[30:130, 40:200] = light[..., None] * PAPER * (INK + (1 - INK) * art)
    return whole


def save(path: Path, light: np.ndarray, rng: np.random.Generator | None = None, noise: float = 0.004) -> None:
    codes = linear_to_srgb(light) + (rng.normal(0, noise, light.shape) if rng is not None else 0)
    cv2.imwrite(str(path), (np.clip(codes, 0, 1) * 65535 + 0.5).astype(np.uint16)[..., ::-1])


def make(folder: Path, edge: bool, folds: bool = False, **match) -> tuple[Shot, dict]:
    (folder / "plate").mkdir()
    rng = np.random.default_rng(5)
    for n in range(N):
        save(folder / "plate" / f"p.{n:04d}.png", lit(old_print(), n, edge, folds), rng)
    save(folder / "art.png", new_print())
    spots = [{"frame": 0, "polygon": [[42, 32], [198, 32], [198, 42], [42, 42]], "code": [255, 255, 255]},
             {"frame": 0, "polygon": [[58, 47], [117, 47], [117, 50], [58, 50]], "code": [0, 0, 0]}]  # fmt: skip
    surface = {"id": "sign", "name": "Sign", "corners": QUAD}
    placed = {"id": "p", "surface": "sign", "artwork": {"path": "art.png"}, "fit": "stretch", "overshoot_px": 0}
    shot = parse_shot(
        {
            "format": "verdigris.shot", "version": 2, "plate": {"path": "plate", "rate": "24/1"}, "surfaces": [surface],
            "placements": [placed], "match": [{"surface": "sign", "spots": spots, **match}],
        }
    )  # fmt: skip
    track = {n: FrameResult(n, "followed", np.eye(3), np.array(QUAD), np.full(4, 0.05), 0.1, 1.0) for n in range(N)}
    return shot, {"sign": track}


def measured(shot: Shot, tracks: dict, folder: Path) -> Measured:
    with OpenShot(shot, folder) as opened:
        return measure(SurfaceStack(opened.plate, shot, shot.surface("sign"), tracks, opened.mattes), shot.match[0], folder)


def rendered(shot: Shot, tracks: dict, folder: Path) -> list[np.ndarray]:
    with OpenShot(shot, folder) as opened:
        return [f.codes() for f in opened.film_frames(tracks, 0, N)]


def error_of(shot: Shot, tracks: dict, folder: Path, edge: bool, folds: bool = False) -> float:
    """PSNR after a low-pass, dB, over the surface."""
    square = []
    for n, codes in enumerate(rendered(shot, tracks, folder)):
        twin = linear_to_srgb(lit(new_print(), n, edge, folds))
        a, b = (cv2.GaussianBlur(v.astype(np.float32), (0, 0), 1.5)[34:126, 44:196] for v in (codes, twin))
        square.append(float(((a - b) ** 2).mean()))
    return float(-10 * np.log10(np.mean(square)))


@pytest.mark.parametrize(("edge", "wanted"), [(False, 42.0), (True, 34.0)])
def test_what_is_taken_over_comes_near_the_twin(tmp_path, edge, wanted):
    shot, tracks = make(tmp_path, edge)
    found = measured(shot, tracks, tmp_path)
    assert {"levels", "light", "grain"} <= set(only_sure(found))
    levels = found.part("levels")
    assert levels is not None
    assert levels.value is not None
    assert levels.value["ink"] == pytest.approx([INK] * 3, abs=0.012)
    matched = shot.model_copy(update={"match": [with_proposals(shot.match[0], found, ["levels", "light"])]})
    plain = error_of(shot.model_copy(update={"match": []}), tracks, tmp_path, edge)
    assert error_of(matched, tracks, tmp_path, edge) > max(wanted, plain + 15)


def test_folds_stay_under_the_new_print_and_are_sure_only_where_paper_was_picked(tmp_path):
    shot, tracks = make(tmp_path, False, folds=True)
    found = measured(shot, tracks, tmp_path)
    assert "shading" in only_sure(found)
    without, with_them = (
        error_of(shot.model_copy(update={"match": [with_proposals(shot.match[0], found, parts)]}), tracks, tmp_path, False, True)
        for parts in (["levels", "light"], ["levels", "light", "shading"])
    )
    assert with_them > without + 4
    # A printed cloud would look the same: without a spot of paper it is offered, and no more.
    unpicked = shot.model_copy(update={"match": [shot.match[0].model_copy(update={"spots": []})]})
    offered = measured(unpicked, tracks, tmp_path).part("shading")
    assert offered is not None
    assert offered.value is not None
    assert not offered.sure
    flat = tmp_path / "flat"
    flat.mkdir()
    told = measured(*make(flat, False), flat).part("shading")
    assert told is not None
    assert told.value is None


def test_proposals_are_the_same_every_time_and_stale_when_what_they_are_made_from_changes(tmp_path):
    shot, tracks = make(tmp_path, True)
    first, again = (measured(shot, tracks, tmp_path) for _ in range(2))
    assert first == again
    key = measure_key(shot, shot.surface("sign"), tracks)
    other = shot.model_copy(update={"match": [shot.match[0].model_copy(update={"kind": "screen"})]})
    assert measure_key(other, other.surface("sign"), tracks) != key
    placed = shot.model_copy(update={"placements": []})
    assert measure_key(placed, placed.surface("sign"), tracks) == key


def test_strength_0_and_switched_off_are_bit_for_bit_the_plain_result(tmp_path):
    shot, tracks = make(tmp_path, False)
    plain = rendered(shot.model_copy(update={"match": []}), tracks, tmp_path)
    found = measured(shot, tracks, tmp_path)
    full = with_proposals(shot.match[0], found, ["levels", "light", "grain"])
    off = full.model_copy(update={"on": False})
    none = {k: getattr(full, k).model_copy(update={"strength": 0.0}) for k in ("levels", "light", "grain")}
    for match in (off, full.model_copy(update=none)):
        for a, b in zip(plain, rendered(shot.model_copy(update={"match": [match]}), tracks, tmp_path), strict=True):
            assert np.array_equal(a, b)
    changed = rendered(shot.model_copy(update={"match": [full]}), tracks, tmp_path)
    assert np.abs(changed[0] - plain[0]).max() > 0.05
    assert np.array_equal(changed[0][:28], plain[0][:28])


def test_grain_is_fresh_in_every_frame_and_the_same_when_rendered_again(tmp_path):
    shot, tracks = make(tmp_path, False)
    found = measured(shot, tracks, tmp_path)
    matched = shot.model_copy(update={"match": [with_proposals(shot.match[0], found, only_sure(found))]})
    one, two = rendered(matched, tracks, tmp_path), rendered(matched, tracks, tmp_path)
    assert all(np.array_equal(a, b) for a, b in zip(one, two, strict=True))
    # A patch that stands still in the artwork: what is left from frame to frame is grain, as strong as the plate's.
    patch = np.stack([f[100:125, 45:80, 1] for f in one])
    assert patch.std(axis=0).mean() == pytest.approx(0.004, rel=0.25)


def test_a_dark_screen_keeps_its_reflections_and_a_lit_one_tells_its_white(tmp_path):
    shot, tracks = make(tmp_path, False, kind="screen", white_linear=0.7)
    (tmp_path / "dark").mkdir()
    reflections = np.random.default_rng(1).uniform(0, 0.1, (H, W, 3))
    for n in range(N):
        save(tmp_path / "dark" / f"p.{n:04d}.png", reflections)
    spot = {"frame": 0, "polygon": [[60, 50], [180, 50], [180, 110], [60, 110]], "code": [0, 0, 0]}
    match = {"surface": "sign", "kind": "screen", "white_linear": 0.7, "spots": [spot]}
    dark = parse_shot({**shot.to_json(), "plate": {"path": "dark", "rate": "24/1"}, "match": [match]})
    found = measured(dark, tracks, tmp_path)
    assert {"levels", "reflections"} <= set(only_sure(found))
    matched = dark.model_copy(update={"match": [with_proposals(dark.match[0], found, ["levels", "reflections"])]})
    out = srgb_to_linear(rendered(matched, tracks, tmp_path)[0].astype(np.float64))
    art = np.kron(new_print(), np.ones((1, 1, 1)))
    assert out[40:120, 50:90] == pytest.approx(reflections[40:120, 50:90] + 0.7 * art[10:90, 10:50], abs=0.01)


def test_measuring_stops_when_it_is_asked_to(tmp_path):
    shot, tracks = make(tmp_path, False)
    asked = iter([False] * 5)
    with OpenShot(shot, tmp_path) as opened:
        stack = SurfaceStack(opened.plate, shot, shot.surface("sign"), tracks, opened.mattes)
        with pytest.raises(Stopped):
            measure(stack, shot.match[0], tmp_path, stop=lambda: next(asked, True))


def test_what_cannot_be_measured_says_why(tmp_path):
    shot, tracks = make(tmp_path, False)
    lost = {"sign": {n: FrameResult(n, "lost", None, None, None, None, 0.0) for n in range(N)}}
    other = shot.model_copy(update={"surfaces": [shot.surfaces[0].model_copy(update={"reference_frame": 50})]})
    with OpenShot(shot, tmp_path) as opened, pytest.raises(RunError, match="Follow it first"):
        SurfaceStack(opened.plate, other, other.surface("sign"), lost, opened.mattes)
    empty = parse_shot(json.loads(json.dumps({**shot.to_json(), "match": [{"surface": "sign", "levels": {}, "light": {}}]})))
    assert empty.match[0].levels is None
    assert np.array_equal(rendered(empty, tracks, tmp_path)[0], rendered(shot.model_copy(update={"match": []}), tracks, tmp_path)[0])


def test_an_old_picture_on_file_tells_paper_ink_and_folds_without_a_spot_and_another_one_is_left_out(tmp_path):
    shot, tracks = make(tmp_path, False, folds=True)
    save(tmp_path / "old.png", old_print())
    save(tmp_path / "other.png", old_print()[::-1, ::-1].copy())

    def told_by(path: str):
        match = shot.match[0].model_copy(update={"spots": [], "old": MediaRef(path=path)})
        with OpenShot(shot, tmp_path) as opened:
            stack = SurfaceStack(opened.plate, shot, shot.surface("sign"), tracks, opened.mattes)
            return match, measure(stack, match, tmp_path, old=opened.old_picture(match))

    match, found = told_by("old.png")
    assert {"levels", "light", "shading"} <= set(only_sure(found))
    matched = shot.model_copy(update={"match": [with_proposals(match, found, only_sure(found))]})
    assert error_of(matched, tracks, tmp_path, False, True) > 40
    _, other = told_by("other.png")
    levels = other.part("levels")
    assert levels is not None
    assert not levels.sure
    assert "left out" in levels.said
    assert measure_key(shot, shot.surface("sign"), tracks) != measure_key(
        shot.model_copy(update={"match": [match]}), shot.surface("sign"), tracks
    )
