"""Every twin scene placed and masked by the product, by a plain key beside it, and both judged against the truth."""

import tempfile
from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from bench.composite.scenes import FRAMES, KEYED, SCENES, Frame, Scene, artwork, corners_at, frame_of, move
from bench.report import table, write_section
from verdigris.core.geometry.homography import apply_homography, unit_square_to
from verdigris.core.inspection.colour_difference import ciede2000
from verdigris.core.light.transfer import linear_to_srgb, srgb_to_linear
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.types import Float32, Float64
from verdigris.media.facts import MediaFacts
from verdigris.media.frames import RgbFrame
from verdigris.media.writer import FilmWriter
from verdigris.runs.render.handover import MatteStill
from verdigris.runs.render.open_shot import OpenShot
from verdigris.shot.model.delivery import Delivery
from verdigris.shot.model.document import parse_shot

TITLE = "Placing and masking against twins"


def _codes(light: Float32) -> Float64:
    return np.clip(linear_to_srgb(np.asarray(light, np.float64)), 0, 1)


def _write_plate(folder: Path, scene: Scene, frames: list[Frame], seed: int) -> str:
    """The plate as files; returns its path in the document."""
    rng = np.random.default_rng(seed)
    noisy = [np.clip(_codes(f.plate) + rng.normal(0, scene.noise or 1e-9, f.plate.shape), 0, 1) for f in frames]
    if scene.film:
        h, w = noisy[0].shape[:2]
        facts = MediaFacts(
            kind="film", width=w, height=h, frame_count=len(frames), rate=Fraction(24), codec="h264", pixel_format="yuv420p", bit_depth=8
        )
        with FilmWriter(folder / "plate.mp4", facts, 18, "medium") as writer:
            for codes in noisy:
                writer.write(RgbFrame((codes * 255 + 0.5).astype(np.uint8)))
        return "plate.mp4"
    (folder / "plate").mkdir()
    for n, codes in enumerate(noisy):
        cv2.imwrite(str(folder / "plate" / f"p.{n:04d}.png"), (codes * 65535 + 0.5).astype(np.uint16)[..., ::-1])
    return "plate"


def _points(uv: Any, frame: int) -> list[list[float]]:
    at = apply_homography(unit_square_to(corners_at(frame)), np.array(uv, np.float64))
    return [[round(float(x), 2), round(float(y), 2)] for x, y in at]


def _document(scene: Scene, plate: str) -> dict[str, Any]:
    parts = []
    for part in scene.parts:
        one = dict(part)
        if one["kind"] == "key":
            one["samples"] = [{"frame": 0, "polygon": _points(KEYED, 0)}]
        if one["kind"] == "shape":
            # The arm's outline as it was drawn at every fourth frame, and at the last.
            edges = [(-30, 400), (-30, -40), (30, -40), (30, 400)]
            keys = []
            for n in [*range(0, FRAMES, 4), FRAMES - 1]:
                keys.append({"frame": n, "points": [[150 + 22 * n + 0.3 * (y - 180) + dx, y] for dx, y in edges]})
            one |= {"keys": keys, "soft_px": 0.9}
        parts.append(one)
    use = "shown_only_in" if scene.within else "kept_in_front"
    placed: list[dict[str, Any]] = [{"id": "p0", "artwork": {"path": "art.png"}, use: ["m"] if parts else []}]
    for i, (blend, colour) in enumerate(scene.blends):
        rgb = [round(float(v) * 255) for v in _codes(np.array(colour, np.float32))]
        placed.append({"id": f"p{i + 1}", "artwork": {"kind": "colour", "rgb": rgb}, "blend": blend})
    base = {"surface": "s", "fit": "stretch", "overshoot_px": 0}
    return {
        "format": "verdigris.shot", "version": 2, "plate": {"path": plate, "rate": "24/1"},
        "surfaces": [{"id": "s", "name": "S", "corners": corners_at(0).tolist()}],
        "placements": [{**base, **p} for p in placed], "mattes": [{"id": "m", "surface": "s", "parts": parts}],
    }  # fmt: skip


def _plain_key(plate: Float32, new: Float32, inside: Float32, screen: Float64) -> tuple[Float32, Float32]:
    """What a plain key does: distance in chromaticity, clipped, feathered, laid over in codes, no spill taken out."""
    chroma = plate / np.maximum(plate.sum(axis=2, keepdims=True), 1e-5)
    away = np.linalg.norm(chroma - screen / screen.sum(), axis=2).astype(np.float32)
    matte = cv2.GaussianBlur(np.clip((away - 0.08) / 0.2, 0, 1), (0, 0), 1.0)
    share = (inside * (1 - matte))[..., None]
    codes = _codes(plate) * (1 - share) + _codes(new) * share
    return srgb_to_linear(codes).astype(np.float32), matte


def _pinned(quad: Float64, shape: tuple[int, ...]) -> tuple[Float32, Float32]:
    """The artwork laid on a quad by OpenCV, and the quad's coverage."""
    art = artwork()
    h, w = art.shape[:2]
    m = cv2.getPerspectiveTransform(np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float32), quad.astype(np.float32))
    size = (shape[1], shape[0])
    new = cv2.warpPerspective(art, m, size, flags=cv2.INTER_AREA, borderMode=cv2.BORDER_REPLICATE)
    inside = cv2.GaussianBlur(cv2.fillConvexPoly(np.zeros(shape[:2], np.float32), np.round(quad).astype(np.int32), 1.0), (0, 0), 0.7)
    return new, inside


class _Score:
    """Figures of one way over a scene."""

    def __init__(self) -> None:
        self.matte: list[float] = []
        self.edge: list[float] = []
        self.square: list[float] = []
        self.colour: list[float] = []
        self.steps: list[float] = []
        self.true_steps: list[float] = []
        self._before: tuple[Float32, Float32] | None = None

    def add(self, frame: Frame, result: Float32, matte: Float32 | None) -> None:
        """One frame."""
        inside = cv2.fillConvexPoly(np.zeros(frame.cover.shape, np.uint8), np.round(frame.corners).astype(np.int32), 1)
        inside = cv2.erode(inside, np.ones((7, 7), np.uint8)).astype(bool)
        mixed = ((frame.cover > 0.02) & (frame.cover < 0.98)).astype(np.uint8)
        near = cv2.dilate(mixed, np.ones((7, 7), np.uint8)).astype(bool) & inside
        if not near.any():
            near = inside
        self.square.append(float(((_codes(result) - _codes(frame.twin))[near] ** 2).mean()))
        front = (frame.cover > 0.95) & inside
        if front.any():
            self.colour.append(float(ciede2000(result[front], frame.twin[front]).mean()))
        if matte is None:
            return
        self.matte.append(float(np.abs(matte - frame.cover)[inside].mean()))
        self.edge.append(float(np.abs(matte - frame.cover)[near].mean()))
        if self._before is not None:
            was, true = self._before
            self.steps.append(float(np.abs((matte - was) - (frame.cover - true))[inside].mean()))
            self.true_steps.append(float(np.abs(frame.cover - true)[inside].mean()))
        self._before = matte, frame.cover

    @property
    def psnr(self) -> float:
        """Around the edge against the twin, dB."""
        return float(-10 * np.log10(max(float(np.mean(self.square)), 1e-12)))

    def cells(self) -> list[str]:
        """As cells of a table."""
        mean = [f"{np.mean(v):.4f}" if v else "-" for v in (self.matte, self.edge)]
        flicker = f"{float(np.mean(self.steps)) / max(float(np.mean(self.true_steps)), 1e-6):.2f}" if self.steps else "-"
        return [*mean, f"{self.psnr:.1f}", f"{np.mean(self.colour):.2f}" if self.colour else "-", flicker]


def run(quick: bool) -> None:
    """Measure every scene; with `quick` a quarter of the frames."""
    count = FRAMES // 4 if quick else FRAMES
    rows = []
    for scene in SCENES:
        frames = [frame_of(scene, n) for n in range(count)]
        ours, plain = _Score(), _Score()
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            plate = _write_plate(folder, scene, frames, 1)
            cv2.imwrite(str(folder / "art.png"), (_codes(artwork()) * 65535 + 0.5).astype(np.uint16)[..., ::-1])
            shot = parse_shot(_document(scene, plate))
            results = {n: FrameResult(n, "followed", move(n), corners_at(n), np.full(4, 0.05), 0.1, 1.0) for n in range(count)}
            tracks = {"s": results}
            matte_only = shot.model_copy(update={"delivery": Delivery(form="png", matte="m")})
            with OpenShot(shot, folder) as opened, OpenShot(matte_only, folder) as only:
                drawn = opened.film_frames(tracks, 0, count)
                mattes = (m.cover for m in only.composed(tracks, 0, count) if isinstance(m, MatteStill))
                plates = opened.plate.frames(0, count)
                for frame, result, matte, picture in zip(frames, drawn, mattes, plates, strict=True):
                    whole = (0, 0, result.width, result.height)
                    cover = None if not scene.parts else (1 - matte if scene.within else matte)
                    ours.add(frame, result.light_of(result.values(whole)), cover)
                    if scene.parts and not scene.within:
                        new, inside = _pinned(frame.corners, frame.plate.shape)
                        seen = picture.light_of(picture.values(whole))
                        plain.add(frame, *_plain_key(seen, new, inside, np.array(scene.screen)))
        rows.append([scene.name, *ours.cells(), *(plain.cells() if plain.square else ["-"] * 5)])
        print(rows[-1], flush=True)
    head = ["scene", "matte", "within 3 px", "edge dB", "front dE", "flicker"]
    height, width = frames[0].plate.shape[:2]
    lines = [
        f"{count} frames of {width} x {height} px a scene, the true track. First five figures: the product; last five: a plain key by",
        "chromaticity, clipped and feathered, no spill taken out (OpenCV).",
        "",
        "matte: mean error against the true coverage, over the surface and within 3 px of edges; edge dB: PSNR of codes there against",
        "the twin; front dE: CIEDE2000 of what is wholly in front; flicker: change of the matte's error from frame to frame, as a share",
        "of the truth's own.",
        "", *table([*head, *head[1:]], rows),
    ]  # fmt: skip
    write_section(TITLE, lines)
