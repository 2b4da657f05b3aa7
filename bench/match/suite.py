"""Every twin scene measured, matched and rendered by the product; a plain pin and a careful composite beside it."""

import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from fractions import Fraction
from itertools import repeat
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from bench.match.scenes import FRAMES, SCENES, Frame, Scene, corners_at, frame_of, lens_of, new_picture
from bench.report import table, write_section
from verdigris.core.camera.optics import Optics
from verdigris.core.geometry.homography import apply_homography, homography_from_quads, unit_square_to
from verdigris.core.inspection.colour_difference import ciede2000
from verdigris.core.light.transfer import linear_to_srgb, srgb_to_linear
from verdigris.core.tracking.sequence.frame_result import FrameResult, Softness
from verdigris.core.types import Float32, Float64
from verdigris.media.facts import MediaFacts
from verdigris.media.frames import RgbFrame
from verdigris.media.reader import open_media
from verdigris.media.writer import FilmWriter
from verdigris.runs.follow.surface import follow_surface
from verdigris.runs.match.measure import measure, only_sure, with_proposals
from verdigris.runs.match.stack import SurfaceStack
from verdigris.runs.render.open_shot import OpenShot
from verdigris.runs.scene.in_front import Tracks
from verdigris.shot.model.document import Shot, parse_shot, with_files
from verdigris.shot.model.match import SurfaceMatch

TITLE = "Matching against twins"


def write_film(path: Path, pictures: list[Float32]) -> None:
    """Pictures as a compressed film."""
    h, w = pictures[0].shape[:2]
    facts = MediaFacts(
        kind="film", width=w, height=h, frame_count=len(pictures), rate=Fraction(24), codec="h264", pixel_format="yuv420p", bit_depth=8
    )
    with FilmWriter(path, facts, 18, "medium") as writer:
        for p in pictures:
            writer.write(RgbFrame((p * 255 + 0.5).astype(np.uint8)))


def filmed(folder: Path, frames: list[Frame]) -> list[Frame]:
    """Frames whose twin went through the camera's film as the plate did."""
    write_film(folder / "twin.mp4", [f.noisy_twin for f in frames])
    with open_media(folder / "twin.mp4") as reader:
        return [replace(f, noisy_twin=p.codes()) for f, p in zip(frames, reader.frames(0, len(frames)), strict=True)]


def write_plate(folder: Path, scene: Scene, frames: list[Frame]) -> str:
    """The plate as files; returns its path in the document."""
    if scene.film:
        write_film(folder / "plate.mp4", [f.plate for f in frames])
        return "plate.mp4"
    (folder / "plate").mkdir()
    for n, f in enumerate(frames):
        cv2.imwrite(str(folder / "plate" / f"p.{n:04d}.png"), (f.plate * 65535 + 0.5).astype(np.uint16)[..., ::-1])
    return "plate"


def _polygon(scene: Scene, box: tuple[float, float, float, float], n: int) -> list[list[float]]:
    x0, y0, x1, y1 = box
    at = apply_homography(unit_square_to(corners_at(scene, n)), np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]]))
    lens = lens_of(scene)
    return [[round(float(x), 2), round(float(y), 2)] for x, y in (at if lens is None else lens.distort(at))]


def document(scene: Scene, plate: str) -> dict[str, Any]:
    """The shot as an artist would have it before Match."""
    spots = [{"frame": 0, "polygon": _polygon(scene, (a, b, c, d), 0), "code": list(code)} for a, b, c, d, code in scene.spots]
    match: dict[str, Any] = {"surface": "s", "kind": scene.kind, "spots": spots}
    if scene.known:
        match["old"] = {"path": "old.png"}
    if scene.white_told:
        match["white_linear"] = list(scene.paper)
    mattes, kept = [], []
    if scene.finger:
        if scene.name.startswith("green"):
            parts: list[dict[str, Any]] = [{"kind": "key", "samples": [{"frame": 0, "polygon": spots[0]["polygon"]}], "despill": 0.0}]
        else:
            parts = [{"kind": "brightness", "low": [0.0, 0.01], "high": [0.62, 0.72]}]
        mattes, kept = [{"id": "finger", "surface": "s", "parts": parts}], ["finger"]
    placed = {"id": "p", "surface": "s", "artwork": {"path": "art.png"}, "fit": "stretch", "overshoot_px": 0, "kept_in_front": kept}
    lens = lens_of(scene)
    return {
        "format": "verdigris.shot", "version": 2, "plate": {"path": plate, "rate": "24/1"},
        "lens": {"mode": "given", "k1": lens.k1} if lens else {},
        "surfaces": [{"id": "s", "name": "S", "corners": _polygon(scene, (0, 0, 1, 1), 0)}],
        "placements": [placed], "mattes": mattes, "match": [match],
    }  # fmt: skip


def true_track(scene: Scene, count: int) -> dict[int, FrameResult]:
    """Where the surface truly is, with softness and shutter as they truly are."""
    lens = lens_of(scene)
    camera = Optics(640, 360, lens, 0.0, scene.shutter**2 / 12 if scene.shutter else None)
    found = {}
    for n in range(count):
        ideal = homography_from_quads(corners_at(scene, 0), corners_at(scene, n))
        seen = corners_at(scene, n) if lens is None else lens.distort(corners_at(scene, n))
        h = ideal if lens is None else homography_from_quads(lens.distort(corners_at(scene, 0)), seen)
        soft = Softness(scene.blur(n) ** 2 - scene.blur(0) ** 2, None, scene.noise[0] + 0.7 * scene.noise[1])
        found[n] = FrameResult(n, "followed", h, seen, np.full(4, 0.05), 0.1, 1.0, softness=soft, camera=camera)
    return found


class Score:
    """Figures of one way over a scene, against the twin."""

    def __init__(self) -> None:
        self.low: list[float] = []
        self.edge: list[float] = []
        self.cells: list[float] = []
        self.sharp: list[float] = []
        self.grain: list[Float64] = []
        self.means: list[float] = []
        self.outside = 0.0

    def add(self, frame: Frame, codes: Float32, plate: Float32) -> None:
        """One frame of result, in codes."""
        shape = codes.shape[:2]
        inside = cv2.fillPoly(np.zeros(shape, np.uint8), [np.round(frame.corners * 16 - 8).astype(np.int32)], 1, shift=4)
        wide = cv2.dilate(inside, np.ones((9, 9), np.uint8))
        mask = wide.astype(np.float32)
        weight = np.maximum(cv2.GaussianBlur(mask, (0, 0), 1.5), 1e-3)[..., None]
        a, b = (cv2.GaussianBlur(v * mask[..., None], (0, 0), 1.5) / weight for v in (codes, frame.noisy_twin))
        self.low.append(float(((a - b)[wide > 0] ** 2).mean()))
        rim = (cv2.dilate(inside, np.ones((7, 7), np.uint8)) - cv2.erode(inside, np.ones((7, 7), np.uint8))) > 0
        mixed = ((frame.front > 0.02) & (frame.front < 0.98)).astype(np.uint8)
        rim |= (cv2.dilate(mixed, np.ones((7, 7), np.uint8)) > 0) & (inside > 0)
        self.edge.append(float(((codes - frame.noisy_twin)[rim] ** 2).mean()))
        well = cv2.erode(inside, np.ones((5, 5), np.uint8)) > 0
        for y in range(0, shape[0] - 31, 32):
            for x in range(0, shape[1] - 31, 32):
                if well[y : y + 32, x : x + 32].mean() > 0.5:
                    p, q = (
                        srgb_to_linear(v.astype(np.float64)[y : y + 32, x : x + 32][well[y : y + 32, x : x + 32]]).mean(axis=0)[None]
                        for v in (codes, frame.noisy_twin)
                    )
                    self.cells.append(float(ciede2000(p.astype(np.float32), q.astype(np.float32))[0]))
        slope = [
            float(np.hypot(cv2.Sobel(g, cv2.CV_32F, 1, 0), cv2.Sobel(g, cv2.CV_32F, 0, 1))[well].mean())
            for g in (codes.mean(axis=2), frame.noisy_twin.mean(axis=2))
        ]
        self.sharp.append(slope[0] / max(slope[1], 1e-6))
        flatness = cv2.GaussianBlur(np.abs(cv2.Laplacian(cv2.GaussianBlur(frame.twin.mean(axis=2), (0, 0), 1), cv2.CV_32F)), (0, 0), 2)
        flat = well & (flatness < 0.0015)
        if flat.sum() > 400:
            high = [v - cv2.GaussianBlur(v, (0, 0), 2) for v in (codes, frame.noisy_twin)]
            self.grain.append(np.asarray(high[0][flat].std(axis=0) / np.maximum(high[1][flat].std(axis=0), 1e-6), np.float64))
        self.means.append(float(codes[well].mean() - frame.twin[well].mean()))
        # A lit screen glows beyond its edge, on the twin as well.
        beyond = cv2.dilate(inside, np.ones((25, 25), np.uint8)) == 0
        self.outside = max(self.outside, float(np.abs(codes - plate)[beyond].max()))

    def row(self) -> list[str]:
        """As cells of a table."""
        db = [-10 * np.log10(max(float(np.mean(v)), 1e-12)) for v in (self.low, self.edge)]
        grain = np.mean(self.grain, axis=0).mean() if self.grain else float("nan")
        flicker = 100 * float(np.std(np.diff(self.means))) if len(self.means) > 2 else 0.0
        return [
            f"{db[0]:.1f}",
            f"{np.mean(self.cells):.2f}",
            f"{db[1]:.1f}",
            f"{np.mean(self.sharp):.2f}",
            f"{grain:.2f}",
            f"{flicker:.2f}",
        ]


def plain(plate: Float32, corners: Float64) -> Float32:
    """A plain pin in codes."""
    art = linear_to_srgb(new_picture().astype(np.float64)).astype(np.float32)
    h, w = art.shape[:2]
    m = cv2.getPerspectiveTransform(np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float32), corners.astype(np.float32))
    new = cv2.warpPerspective(art, m, (plate.shape[1], plate.shape[0]), flags=cv2.INTER_AREA, borderMode=cv2.BORDER_REPLICATE)
    inside = cv2.fillPoly(np.zeros(plate.shape[:2], np.uint8), [np.round(corners * 16 - 8).astype(np.int32)], 1, shift=4)[..., None]
    return np.where(inside > 0, new, plate).astype(np.float32)


def careful(scene: Scene, plate: Float32, frame: Frame, gain: Float64, offset: Float64, first: float) -> Float32:
    """Linear light, levels from two spots, one gain a frame, a feathered edge (OpenCV)."""
    art = new_picture()
    h, w = art.shape[:2]
    m = cv2.getPerspectiveTransform(np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float32), frame.corners.astype(np.float32))
    new = cv2.warpPerspective(art, m, (plate.shape[1], plate.shape[0]), flags=cv2.INTER_AREA, borderMode=cv2.BORDER_REPLICATE)
    inside = cv2.fillPoly(np.zeros(plate.shape[:2], np.uint8), [np.round(frame.corners * 16 - 8).astype(np.int32)], 1, shift=4)
    light = srgb_to_linear(plate.astype(np.float64))
    now = float(np.median(light[inside > 0])) if scene.kind == "print" else first
    lit = (new * gain * (now / max(first, 1e-5)) + offset).astype(np.float32)
    soft = (cv2.GaussianBlur(inside.astype(np.float32), (0, 0), 0.8) * (1 - frame.front))[..., None]
    return np.clip(linear_to_srgb((light * (1 - soft) + lit * soft).astype(np.float64)), 0, 1).astype(np.float32)


def _two_spots(scene: Scene, plate: Float32) -> tuple[Float64, Float64, float]:
    light = srgb_to_linear(plate.astype(np.float64))
    seen: list[tuple[Float64, Float64]] = []
    for a, b, c, d, code in scene.spots:
        mask = cv2.fillPoly(np.zeros(plate.shape[:2], np.uint8), [np.round(_polygon(scene, (a, b, c, d), 0)).astype(np.int32)], 1)
        if mask.any():
            seen.append((srgb_to_linear(np.array(code) / 255), np.median(light[mask > 0], axis=0)))
    inside = cv2.fillPoly(np.zeros(plate.shape[:2], np.uint8), [np.round(corners_at(scene, 0)).astype(np.int32)], 1)
    first = float(np.median(light[inside > 0]))
    white = next((s for c, s in seen if c.min() > 0.5), np.array(scene.paper) if scene.white_told else np.array([0.8] * 3))
    black = next((s for c, s in seen if c.max() < 0.05), np.zeros(3))
    return white - black, black, first


def _drawn(index: int, n: int, seed: int) -> Frame:
    return frame_of(SCENES[index], n, seed)


def drawn(scene: Scene, count: int, seed: int) -> list[Frame]:
    """Frames of a scene, drawn on all cores."""
    index = SCENES.index(scene)
    with ProcessPoolExecutor() as pool:
        return list(pool.map(_drawn, repeat(index), range(count), repeat(seed)))


def prepared(folder: Path, scene: Scene, count: int, seed: int) -> tuple[Shot, list[Frame]]:
    """A scene's files, its document, and its frames with their twins as the camera has them."""
    frames = drawn(scene, count, seed)
    plate = write_plate(folder, scene, frames)
    frames = filmed(folder, frames) if scene.film else frames
    pictures = {"art.png": new_picture()} | ({"old.png": scene.old()} if scene.known else {})
    for name, light in pictures.items():
        codes = np.clip(linear_to_srgb(light.astype(np.float64)), 0, 1)
        cv2.imwrite(str(folder / name), (codes * 65535 + 0.5).astype(np.uint16)[..., ::-1])
    return parse_shot(document(scene, plate)), frames


def matched(folder: Path, shot: Shot, tracks: Tracks, say: bool = False) -> Shot:
    """The shot with what is sure taken over, and levels and softness always."""
    with OpenShot(shot, folder) as opened:
        stack = SurfaceStack(opened.plate, shot, shot.surface("s"), tracks, opened.mattes)
        found = measure(stack, shot.match[0], folder, old=opened.old_picture(shot.match[0]))
    for p in found.proposals if say else ():
        print(" ", p.part, p.sure, p.plate, "|", p.said)
    match = with_files(with_proposals(shot.match[0], found, [*only_sure(found), "levels", "softness"]), lambda r: r)
    return shot.model_copy(update={"match": [SurfaceMatch.model_validate(match.model_dump())]})


def run(quick: bool, only: str = "", seed: int = 1) -> None:
    """Measure every scene; with `quick` every other frame is left out at the end."""
    count = FRAMES // 2 if quick else FRAMES
    rows = []
    for scene in SCENES:
        if only and only not in scene.name:
            continue
        ours, pin, care = Score(), Score(), Score()
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            shot, frames = prepared(folder, scene, count, seed)
            tracks = {"s": true_track(scene, count)}
            began = time.perf_counter()
            sits = matched(folder, shot, tracks, bool(only))
            took = time.perf_counter() - began
            with OpenShot(sits, folder) as opened:
                plates = opened.plate.frames(0, count)
                gain, offset, first = _two_spots(scene, frames[0].plate)
                for frame, result, picture in zip(frames, opened.film_frames(tracks, 0, count), plates, strict=True):
                    codes, seen = result.codes(), picture.codes()
                    ours.add(frame, codes, seen)
                    pin.add(frame, plain(seen, frame.corners), seen)
                    care.add(frame, careful(scene, seen, frame, gain, offset, first), seen)
                    if only and frame is frames[count // 2]:
                        both = np.vstack(
                            [np.hstack([seen, codes]), np.hstack([frame.noisy_twin, np.clip(0.5 + 4 * (codes - frame.noisy_twin), 0, 1)])]
                        )
                        cv2.imwrite("/tmp/match.png", (both * 255).astype(np.uint8)[..., ::-1])
        changed = f"{255 * ours.outside:.1f}"
        rows.append([scene.name, *ours.row(), changed, *pin.row()[:3], *care.row()[:3], f"{took:.1f}"])
        print(rows[-1], flush=True)
    if only:
        return
    head = [
        "scene",
        "low dB",
        "cells dE",
        "edge dB",
        "sharpness",
        "grain",
        "flicker %",
        "outside",
        "pin dB",
        "dE",
        "edge",
        "careful dB",
        "dE",
        "edge",
        "measured s",
    ]
    lines = [
        f"{count} frames of 640 x 360 px a scene, the true track, what is sure taken over, levels and softness always.",
        "",
        "low dB: PSNR of codes after a masked low-pass of 1.5 px; cells dE: CIEDE2000 of cells of 32 px; edge dB: PSNR within 3 px of",
        "edges; sharpness and grain: against the twin's; flicker: frame to frame; outside: largest change of a code, of 255, beyond 12 px.",
        "Beside it: a plain pin, and a careful composite in linear light with levels from two spots and one gain a frame (OpenCV).",
        "", *table(head, rows),
    ]  # fmt: skip
    write_section(TITLE, lines)


OWN_TITLE = "Matching with our own track, several seeds"
# Scenes whose surface has something on it to follow.
FOLLOWED = (
    "still poster",
    "moving shadow edge",
    "motion blur",
    "focus pull",
    "glossy carton",
    "warm noisy night",
    "barrel lens",
    "camera film",
)


def run_own(quick: bool) -> None:
    """The same with the track that the product finds itself, for noise of several seeds; mean and spread over the seeds."""
    count, seeds = (FRAMES // 2, (1,)) if quick else (FRAMES, (1, 2, 3))
    rows = []
    for scene in (s for s in SCENES if s.name in FOLLOWED):
        figures: list[list[float]] = []
        for seed in seeds:
            score, away = Score(), []
            with tempfile.TemporaryDirectory() as name:
                folder = Path(name)
                shot, frames = prepared(folder, scene, count, seed)
                with OpenShot(shot, folder) as opened:
                    steps = follow_surface(opened.plate, shot, shot.surface("s"), again=opened.plate_again)
                    tracks: Tracks = {"s": {s.result.frame: s.result for s in steps}}
                sits = matched(folder, shot, tracks)
                with OpenShot(sits, folder) as opened:
                    plates = opened.plate.frames(0, count)
                    for n, (frame, result, picture) in enumerate(zip(frames, opened.film_frames(tracks, 0, count), plates, strict=True)):
                        score.add(frame, result.codes(), picture.codes())
                        found = tracks["s"][n].corners
                        away.append(np.inf if found is None else float(np.linalg.norm(found - frame.corners, axis=1).mean()))
            figures.append([float(v) for v in score.row()[:5]] + [float(np.median(away))])
        mean, spread = np.mean(figures, axis=0), np.std(figures, axis=0)
        rows.append([scene.name, *(f"{m:.2f} ({d:.2f})" for m, d in zip(mean, spread, strict=True))])
        print(rows[-1], flush=True)
    lines = [
        f"{count} frames a scene, followed from the first, noise of {len(seeds)} seeds: mean, and standard deviation between",
        "seeds. Away: corners from where they truly are, median over frames, px.",
        "", *table(["scene", "low dB", "cells dE", "edge dB", "sharpness", "grain", "away px"], rows),
    ]  # fmt: skip
    write_section(OWN_TITLE, lines)
