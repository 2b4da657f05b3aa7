"""A shot with its files open: what command line and jobs both run on."""

import hashlib
import json
import threading
from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import cached_property
from pathlib import Path
from types import TracebackType

import numpy as np

from verdigris.core.types import Float32
from verdigris.formats.still_json import write_still_frames
from verdigris.media.errors import MediaError
from verdigris.media.frames import Frame, premultiplied_linear
from verdigris.media.reader import Reader
from verdigris.runs.render.compose import draw_frame, plan_frame
from verdigris.runs.render.handover import (
    MatteStill,
    Still,
    Stopped,
    WithMattes,
    film_parts,
    join_film,
    render_part,
    side_by_side,
    still_name,
    write_result_still,
)
from verdigris.runs.render.kept_frames import KeptFrames
from verdigris.runs.render.mattes import Drawn, Mattes
from verdigris.runs.scene.artwork import PlacedArtwork, open_ref, resolve
from verdigris.runs.scene.frame_plan import MattePlan
from verdigris.runs.scene.held_still import HeldStill
from verdigris.runs.scene.in_front import Tracks
from verdigris.runs.scene.match import Fields
from verdigris.runs.scene.mattes import plan_matte
from verdigris.shot.model.delivery import FILMS
from verdigris.shot.model.document import Shot
from verdigris.shot.model.match import SurfaceMatch
from verdigris.shot.model.matte import Matte
from verdigris.shot.model.media import MediaRef

Progress = Callable[[int, int], None]
# Beside stills of a plate held still: where each of them lies.
STILL_FRAMES = "still.json"


def render_key(shot: Shot, tracks: Tracks) -> str:
    """Fingerprint of everything a result is computed from, so that parts of another result are not reused."""
    return _key(shot.to_json(), tracks)


def picture_key(shot: Shot, tracks: Tracks) -> str:
    """Fingerprint of what a result's pictures depend on: names, settings of following and how it is handed over are left out."""
    shown = {p.surface for p in shot.placements if p.surface} | ({shot.delivery.still.surface} if shot.delivery.still else set())
    shown |= {m.surface for m in shot.mattes if m.surface}
    # What is nearer takes its area from what is shown.
    shown |= {x.id for x in shot.surfaces if any(x.depth < shot.surface(k).depth for k in shown)}
    plain = shot.model_dump(mode="json", include={"plate", "placements", "occluders", "mattes", "match", "grade"})
    for named in (*plain["occluders"], *plain["placements"], *plain["mattes"]):
        named.pop("name", None)
    used = {"id", "depth", "reference_frame", "corners", "corrections", "reach_frames", "proportions", "region"}
    plain["surfaces"] = [x.model_dump(mode="json", include=used) for x in shot.surfaces if x.id in shown]
    plain["still"] = shot.delivery.model_dump(mode="json", include={"still", "matte", "depth", "with_mattes"})
    ridden = {o.rides for o in shot.occluders} | {p.rides for m in shot.mattes for p in m.parts if p.kind == "shape"}
    ridden |= {p.surface for m in shot.mattes for p in m.parts if p.kind == "region"}
    return _key(plain, {k: v for k, v in tracks.items() if k in shown | ridden})


def _key(document: object, tracks: Tracks) -> str:
    told = {
        surface: [(n, None if r.homography is None else r.homography.tolist(), repr(r.camera)) for n, r in sorted(track.items())]
        for surface, track in sorted(tracks.items())
    }
    return hashlib.sha256(json.dumps([document, told], sort_keys=True).encode()).hexdigest()[:12]


def content_name(shot: Shot) -> str:
    """What is handed over, as part of a file name: the result, or the plate held still on a surface."""
    still, matte = shot.delivery.still, shot.delivery.matte
    if matte is not None:
        return f"matte-{matte}"
    return "result" if still is None else f"held-{still.surface}-{still.how}"


class OpenShot:
    """A shot document with its plate and artwork open.

    Parameters
    ----------
    base : folder that paths of the document are relative to
    media : files of the application by content hash
    """

    def __init__(self, shot: Shot, base: Path, media: Mapping[str, Path] | None = None) -> None:
        self.shot = shot
        self.plate_path = resolve(shot.plate, base, media)
        self.plate = open_ref(shot.plate, base, media)
        first = shot.plate.first_frame
        self.first_frame = self.plate.facts.first_frame if first is None else first
        self._base, self._media = base, media
        self._placed: list[PlacedArtwork] | None = None
        self._beside: dict[str, Reader] = {}
        self._lock = threading.Lock()

    def __enter__(self) -> "OpenShot":
        return self

    def __exit__(self, t: type[BaseException] | None, e: BaseException | None, tb: TracebackType | None) -> None:
        self.plate.close()
        for art in self._placed or []:
            art.close()
        for reader in self._beside.values():
            reader.close()
        self.fields.close()

    def plate_again(self) -> Reader:
        """The plate opened once more, for whoever reads it beside somebody else."""
        return open_ref(self.shot.plate, self._base, self._media)

    @property
    def placed(self) -> list[PlacedArtwork]:
        """Placements with their artwork, opened at first use."""
        if self._placed is None:
            self._placed = [
                PlacedArtwork(p, None if p.surface is None else self.shot.surface(p.surface), self._open, self.plate.facts)
                for p in self.shot.placements
                if p.on
            ]
        return self._placed

    @cached_property
    def mattes(self) -> Mattes:
        """Draws the shot's mattes; what keys are sampled from is read apart from the plate that runs."""
        return Mattes(lambda n: self._files(self.shot.plate)(n), lambda ref, n: self._files(ref)(n))

    @cached_property
    def fields(self) -> Fields:
        """Light and reflections over surfaces."""
        return Fields(self._open, lambda ref: resolve(ref, self._base, self._media))

    def _open(self, ref: MediaRef) -> Reader:
        return open_ref(ref, self._base, self._media)

    def old_picture(self, match: SurfaceMatch) -> Float32 | None:
        """What the old surface shows, (H, W, 3) linear light of the plate's primaries; None where no file tells."""
        if match.old is None:
            return None
        with self._open(match.old) as reader:
            picture = premultiplied_linear(reader.frame(0), self.plate.facts.primaries)
        # Where it is clear, there is paper.
        return np.asarray(picture[..., :3] + (1 - picture[..., 3:]), np.float32)

    def _files(self, ref: MediaRef) -> Callable[[int], Frame]:
        """Frames of a file beside the plate, opened once; one that is shorter holds its last."""
        name = ref.model_dump_json()
        with self._lock:
            if name not in self._beside:
                self._beside[name] = self._open(ref)
            reader = self._beside[name]

        def frame(n: int) -> Frame:
            with self._lock:
                return reader.frame(min(n, reader.facts.frame_count - 1))

        return frame

    def still_of(self, tracks: Tracks) -> HeldStill | None:
        """The plate held still, when that is what is handed over."""
        still, facts = self.shot.delivery.still, self.plate.facts
        size = (facts.width, facts.height)
        return None if still is None else HeldStill(self.shot.surface(still.surface), tracks, still.how, size)

    def write_still_frames(self, path: Path, still: HeldStill) -> None:
        """Say where each still lies, beside the stills."""
        asked = self.shot.delivery.still
        assert asked is not None
        reference = self.shot.surface(asked.surface).reference_frame
        matrices = still.matrices(self.plate.facts.frame_count)
        write_still_frames(path, asked.surface, asked.how, reference, self.first_frame, still.canvas, matrices)

    def composed(
        self, tracks: Tracks, start: int, stop: int, stopping: Callable[[], bool] = lambda: False, kept: KeptFrames | None = None
    ) -> Iterator[Still]:
        """Frames of result in a range, end exclusive; raises Stopped between frames when asked to.

        With `kept`, each is kept before it is handed on, and taken from there where its plan is the same.
        """
        still = self.still_of(tracks)
        placed = self.placed if still is None else []
        mattes, delivery = self.mattes, self.shot.delivery

        def numbered() -> Iterator[tuple[int, Frame]]:
            for n, picture in zip(range(start, stop), self.plate.frames(start, stop), strict=True):
                if stopping():
                    raise Stopped
                yield n, picture

        size = (self.plate.facts.width, self.plate.facts.height)

        def covers(n: int, picture: Frame, chosen: Iterable[Matte], drawn: dict[MattePlan, Drawn]) -> dict[str, Float32]:
            plans = {m.id: plan_matte(self.shot, m, tracks, n, size) for m in chosen}
            return {k: (drawn.get(plan) or mattes.draw(plan, picture)).within((0, 0, *size)) for k, plan in plans.items()}

        def one(item: tuple[int, Frame]) -> Still:
            n, picture = item
            drawn: dict[MattePlan, Drawn] = {}
            if delivery.matte is not None:
                return MatteStill(covers(n, picture, [self.shot.matte(delivery.matte)], drawn)[delivery.matte], delivery.depth)
            if delivery.with_mattes and delivery.form == "exr" and still is None:
                return WithMattes(result(n, picture, drawn), covers(n, picture, self.shot.mattes, drawn))
            return result(n, picture, drawn)

        def result(n: int, picture: Frame, drawn: dict[MattePlan, Drawn]) -> Frame:
            if still is not None:
                return still.picture_or_empty(n, picture)
            plan = plan_frame(self.shot, placed, tracks, n)
            if kept is None:
                return draw_frame(plan, placed, picture, mattes, self.fields, drawn)
            return kept.frame(plan, picture, lambda: draw_frame(plan, placed, picture, mattes, self.fields, drawn))

        yield from side_by_side(numbered(), one)

    def film_frames(
        self, tracks: Tracks, start: int, stop: int, stopping: Callable[[], bool] = lambda: False, kept: KeptFrames | None = None
    ) -> Iterator[Frame]:
        """Frames of result for a film, which holds no mattes."""
        for still in self.composed(tracks, start, stop, stopping, kept):
            assert not isinstance(still, MatteStill | WithMattes)
            yield still

    def render(
        self, tracks: Tracks, out: Path, progress: Progress = lambda d, t: None, stopping: Callable[[], bool] = lambda: False
    ) -> None:
        """Hand over the whole shot to a film file or a folder of stills; goes on where an earlier run stopped."""
        delivery, facts = self.shot.delivery, self.plate.facts
        key = render_key(self.shot, tracks)
        if delivery.form in FILMS:
            self._render_film(tracks, out, key, progress, stopping)
            return
        out.mkdir(parents=True, exist_ok=True)
        # Stills of an earlier document or track are not taken for these.
        marker = out / ".rendering"
        if not marker.exists() or marker.read_text() != key:
            for old in out.glob(f"{out.name}.*.{delivery.form}"):
                old.unlink()
            marker.write_text(key)
        paths = [out / still_name(out.name, n + self.first_frame, delivery.form) for n in range(facts.frame_count)]
        first = next((n for n, path in enumerate(paths) if not path.exists()), facts.frame_count)
        for n, frame in enumerate(self.composed(tracks, first, facts.frame_count, stopping), start=first):
            write_result_still(paths[n], frame, delivery.form)
            progress(n + 1, facts.frame_count)
        still = self.still_of(tracks)
        if still is not None:
            self.write_still_frames(out / STILL_FRAMES, still)
        marker.unlink()

    def _render_film(self, tracks: Tracks, out: Path, key: str, progress: Progress, stopping: Callable[[], bool]) -> None:
        facts = self.plate.facts
        if facts.rate is None:
            raise MediaError("rate_needed", 'Stills carry no rate. Say it in the document: "plate": {"rate": "24/1"}.')
        work = out.with_name(f"{out.name}.{key}.parts")
        work.mkdir(parents=True, exist_ok=True)
        done, parts = 0, []
        for start, stop in film_parts(facts.frame_count):
            part = work / f"{start:06d}.{self.shot.delivery.form}"
            parts.append((start, part))
            if not part.exists():
                done = start

                def one_more() -> None:
                    nonlocal done
                    done += 1
                    progress(done, facts.frame_count)

                render_part(part, facts, self.shot.delivery, self.film_frames(tracks, start, stop, stopping), one_more)
            progress(stop, facts.frame_count)
        join_film(parts, out, facts.rate, self.plate_path)
        for file in work.iterdir():
            file.unlink()
        work.rmdir()
