"""A shot with its files open: what command line and jobs both run on."""

from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from types import TracebackType

from verdigris.media.errors import MediaError
from verdigris.media.frames import Frame
from verdigris.runs.artwork import PlacedArtwork, open_ref, resolve
from verdigris.runs.compose import compose_frame
from verdigris.runs.fronts import Tracks
from verdigris.runs.handover import (
    Stopped,
    film_parts,
    join_film,
    render_part,
    still_name,
    write_result_still,
)
from verdigris.shot.document import Shot

Progress = Callable[[int, int], None]


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

    def __enter__(self) -> "OpenShot":
        return self

    def __exit__(self, t: type[BaseException] | None, e: BaseException | None, tb: TracebackType | None) -> None:
        self.plate.close()
        for art in self._placed or []:
            art.close()

    @property
    def placed(self) -> list[PlacedArtwork]:
        """Placements with their artwork, opened at first use."""
        if self._placed is None:
            self._placed = [
                PlacedArtwork(p, self.shot.surface(p.surface), open_ref(p.artwork, self._base, self._media), self.plate.facts)
                for p in self.shot.placements
            ]
        return self._placed

    def composed(self, tracks: Tracks, start: int, stop: int, stopping: Callable[[], bool] = lambda: False) -> Iterator[Frame]:
        """Frames of result in a range, end exclusive; raises Stopped between frames when asked to."""
        for n, picture in zip(range(start, stop), self.plate.frames(start, stop), strict=True):
            if stopping():
                raise Stopped
            yield compose_frame(self.shot, self.placed, tracks, n, picture)

    def render(
        self, tracks: Tracks, out: Path, progress: Progress = lambda d, t: None, stopping: Callable[[], bool] = lambda: False
    ) -> None:
        """Hand over the whole shot to a film file or a folder of stills; goes on where an earlier run stopped."""
        delivery, facts = self.shot.delivery, self.plate.facts
        if delivery.form == "mp4":
            self._render_film(tracks, out, progress, stopping)
            return
        out.mkdir(parents=True, exist_ok=True)
        for n in range(facts.frame_count):
            path = out / still_name(out.name, n + self.first_frame, delivery.form)
            if not path.exists():
                write_result_still(path, next(iter(self.composed(tracks, n, n + 1, stopping))), delivery.form)
            progress(n + 1, facts.frame_count)

    def _render_film(self, tracks: Tracks, out: Path, progress: Progress, stopping: Callable[[], bool]) -> None:
        facts = self.plate.facts
        if facts.rate is None:
            raise MediaError("rate_needed", 'Stills carry no rate. Say it in the document: "plate": {"rate": "24/1"}.')
        work = out.with_name(out.name + ".parts")
        work.mkdir(parents=True, exist_ok=True)
        done, parts = 0, []
        for start, stop in film_parts(facts.frame_count):
            part = work / f"{start:06d}.mp4"
            parts.append(part)
            if not part.exists():
                done = start

                def one_more() -> None:
                    nonlocal done
                    done += 1
                    progress(done, facts.frame_count)

                render_part(part, facts, self.shot.delivery, self.composed(tracks, start, stop, stopping), one_more)
            progress(stop, facts.frame_count)
        join_film(parts, out, facts.rate, facts.frame_count, self.plate_path)
        for file in work.iterdir():
            file.unlink()
        work.rmdir()
