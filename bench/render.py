"""Rendering the demo shot to H.264 against a bare decode and encode of the same file with the same settings; memory."""

import subprocess
import sys
import tempfile
import time
from contextlib import ExitStack
from dataclasses import replace
from pathlib import Path

import numpy as np

from bench.material import demo_shot
from bench.report import table, write_section
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.media.frames import Frame
from verdigris.media.writer import FilmWriter
from verdigris.runs.follow.surface import follow_surface
from verdigris.runs.match.measure import measure, with_proposals
from verdigris.runs.match.stack import SurfaceStack
from verdigris.runs.render.compose import draw_frame, plan_frame
from verdigris.runs.render.handover import side_by_side
from verdigris.runs.render.open_shot import OpenShot
from verdigris.runs.scene.frame_plan import FramePlan, corners_of
from verdigris.runs.scene.in_front import corners_at
from verdigris.shot.model.document import Shot, with_files
from verdigris.shot.model.match import Movement, Softness, SurfaceMatch


def bare(opened: OpenShot, out: Path) -> None:
    """Decode and encode alone."""
    delivery = opened.shot.delivery
    with FilmWriter(out, opened.plate.facts, delivery.crf, delivery.preset) as writer:
        for frame in opened.plate.frames(0, opened.plate.facts.frame_count):
            writer.write(frame)


MOMENTS = 8


def _smeared(opened: OpenShot, tracks: dict[str, dict[int, FrameResult]], out: Path) -> None:
    """The same with several moments of an exposure, as long as the surface moves."""
    delivery, placed = opened.shot.delivery, opened.placed
    exposure = tuple((float(t), 1 / MOMENTS) for t in ((np.arange(MOMENTS) + 0.5) / MOMENTS - 0.5) / 2)

    def one(item: tuple[int, Frame]) -> Frame:
        n, picture = item
        plan = plan_frame(opened.shot, placed, tracks, n)
        around = {k: corners_at(opened.shot.surfaces[0], tracks["screen"], n + k) for k in range(-2, 3)}
        corners = corners_of({k: c for k, c in around.items() if c is not None})
        layers = tuple((i, replace(layer, corners=corners, exposure=exposure)) for i, layer in plan.layers)
        return draw_frame(FramePlan(plan.plate, n, layers), placed, picture)

    with FilmWriter(out, opened.plate.facts, delivery.crf, delivery.preset) as writer:
        for frame in side_by_side(enumerate(opened.plate.frames(0, opened.plate.facts.frame_count)), one):
            writer.write(frame)


def _matched(opened: OpenShot, tracks: dict[str, dict[int, FrameResult]], folder: Path) -> Shot:
    """The shot with everything measured of it taken over."""
    shot = opened.shot
    before = SurfaceMatch(surface="screen", kind="screen", white_linear=(0.75, 0.75, 0.75))
    found = measure(SurfaceStack(opened.plate, shot, shot.surfaces[0], tracks, opened.mattes), before, folder)
    parts = [p.part for p in found.proposals if p.value is not None]
    taken = with_proposals(before, found, parts)
    softness = taken.softness or Softness(sigma_px=0.5)
    taken = taken.model_copy(update={"softness": softness, "movement": Movement(shutter=0.5)})
    return shot.model_copy(
        update={"match": [with_files(taken, lambda ref: ref.model_copy(update={"path": str(folder / (ref.path or ""))}))]}
    )


def run(quick: bool) -> None:
    """Measure in turn, bare, ours and ours with several moments, and write the median ratios."""
    shot, _, folder = demo_shot()
    ratios, smeared_ratios, matched_ratios, rows = [], [], [], []
    with ExitStack() as stack, OpenShot(shot, folder) as opened, tempfile.TemporaryDirectory() as temporary:
        tracks: dict[str, dict[int, FrameResult]] = {
            "screen": {s.result.frame: s.result for s in follow_surface(opened.plate, shot, shot.surfaces[0])}
        }
        for _ in opened.composed(tracks, 0, 4):
            pass  # compile kernels outside the measurement
        matched = stack.enter_context(OpenShot(_matched(opened, tracks, Path(temporary)), folder))
        for _ in matched.composed(tracks, 0, 4):
            pass
        for i in range(1 if quick else 3):
            begun = time.perf_counter()
            bare(opened, Path(temporary) / "bare.mp4")
            plainly = time.perf_counter() - begun
            begun = time.perf_counter()
            opened.render(tracks, Path(temporary) / f"ours{i}.mp4")
            ours = time.perf_counter() - begun
            begun = time.perf_counter()
            _smeared(opened, tracks, Path(temporary) / "smeared.mp4")
            smeared = time.perf_counter() - begun
            begun = time.perf_counter()
            matched.render(tracks, Path(temporary) / f"matched{i}.mp4")
            sits = time.perf_counter() - begun
            matched_ratios.append(plainly / sits)
            ratios.append(plainly / ours)
            smeared_ratios.append(plainly / smeared)
            rows.append(
                [
                    str(i + 1),
                    f"{plainly:.1f}",
                    f"{ours:.1f}",
                    f"{plainly / ours:.2f}",
                    f"{smeared:.1f}",
                    f"{plainly / smeared:.2f}",
                    f"{sits:.1f}",
                    f"{plainly / sits:.2f}",
                ]
            )
    write_section(
        "Rendering the demo shot",
        [
            f"{opened.plate.facts.frame_count} frames of 1920 x 1080, film artwork, "
            f"H.264 {shot.delivery.preset} crf {shot.delivery.crf:g}.", "",
            *table(
                ["turn", "bare decode and encode, s", "render, s", "against bare", f"with {MOMENTS} moments, s", "against bare",
                 "matched, s", "against bare"], rows,
            ),
            "",
            f"Median {np.median(ratios):.2f} of the bare speed, with {MOMENTS} moments {np.median(smeared_ratios):.2f},",
            f"matched in levels, light, softness, movement and grain {np.median(matched_ratios):.2f}.",
        ],
    )  # fmt: skip


MEMORY_SCRIPT = """
import resource, sys, tempfile
from pathlib import Path
import numpy as np
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.demo.write import film_facts
from verdigris.media.frames import RgbFrame
from verdigris.media.stills import write_still
from verdigris.media.writer import FilmWriter
from verdigris.runs.render.open_shot import OpenShot
from verdigris.shot.model.artwork import FileArtwork
from verdigris.shot.model.delivery import Delivery
from verdigris.shot.model.document import Shot
from verdigris.shot.model.media import MediaRef, Plate
from verdigris.shot.model.placement import Placement
from verdigris.shot.model.surface import Surface
from fractions import Fraction
count = int(sys.argv[1])
folder = Path(tempfile.mkdtemp())
rng = np.random.default_rng(1)
base = rng.integers(60, 200, (720, 1280, 3), dtype=np.uint8)
with FilmWriter(folder / "plate.mp4", film_facts(1280, 720, count, Fraction(24)), crf=28, preset="ultrafast") as w:
    for n in range(count):
        w.write(RgbFrame(np.roll(base, n, axis=1)))
write_still(folder / "art.png", np.full((600, 800, 3), 120, np.uint8))
corners = ((300.0, 200.0), (900.0, 210.0), (890.0, 600.0), (310.0, 590.0))
shot = Shot(plate=Plate(path="plate.mp4"), surfaces=[Surface(id="s", name="S", corners=corners)],
            placements=[Placement(id="p1", surface="s", artwork=FileArtwork(path="art.png"))], delivery=Delivery(preset="veryfast"))
tracks = {"s": {n: FrameResult(n, "followed", np.eye(3), np.array(corners), np.full(4, .1), .1, 1.0) for n in range(count)}}
with OpenShot(shot, folder) as opened:
    opened.render(tracks, folder / "out.mp4")
print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
"""


def run_memory(quick: bool) -> None:
    """Peak memory of a short and a long render, each in a process of its own."""
    counts = (100, 400 if quick else 2000)
    peaks = [
        float(subprocess.run([sys.executable, "-c", MEMORY_SCRIPT, str(n)], check=True, capture_output=True, text=True).stdout)
        for n in counts
    ]
    write_section(
        "Memory of a render",
        [
            "1280 x 720, still artwork, H.264; peak resident memory of the whole process, made and rendered.", "",
            *table(["frames", "peak MB"], [[str(n), f"{p:.0f}"] for n, p in zip(counts, peaks, strict=True)]), "",
            f"The longer render needs {peaks[1] - peaks[0]:+.0f} MB.",
        ],
    )  # fmt: skip
