"""Follow the surfaces of a shot through its plate: both directions, any range, stoppable, resumable."""

from collections.abc import Callable, Iterator, Mapping
from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from itertools import chain
from typing import Literal

from verdigris.core.tracking.points.points import PointResult
from verdigris.core.tracking.reference.analysis import AnalysisMaker
from verdigris.core.tracking.refinement.passes import look_again
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.tracking.sequence.plane import AnalysisPicture
from verdigris.core.tracking.sequence.templates import Templates, plain
from verdigris.core.types import Bool
from verdigris.media.frames import Frame
from verdigris.media.reader import FrameSource
from verdigris.runs.errors import RunError
from verdigris.runs.follow.both_ways import both_ways
from verdigris.runs.follow.points import OnlyPoint, follow_by_points
from verdigris.runs.scene.camera import optics_of
from verdigris.runs.scene.in_front import Tracks
from verdigris.runs.scene.regions import region_at_reference, unusable_at
from verdigris.shot.model.document import Shot
from verdigris.shot.model.surface import Surface

Direction = Literal["forwards", "backwards", "both"]
Span = tuple[int, int]
Look = Callable[[Frame], AnalysisPicture]
Opening = Callable[[], AbstractContextManager[FrameSource]]


@dataclass(frozen=True)
class Step:
    """One frame done: its result, and the frame itself for whoever wants to cut evidence from it.

    Attributes
    ----------
    again : whether the frame had a result already, and this one is the second, closer look
    points : single points at this frame, by id, when the surface is followed by points
    """

    result: FrameResult
    picture: Frame
    again: bool = False
    points: Mapping[str, PointResult] = field(default_factory=dict)


@dataclass(frozen=True)
class SurfaceRun:
    """Everything that following one surface needs.

    Attributes
    ----------
    tracks : of nearer surfaces, which take their area away
    reference : the reference frame's picture
    look : how frames become analysis pictures
    """

    reader: FrameSource
    shot: Shot
    surface: Surface
    tracks: Tracks
    follower: PlaneFollower
    reference: Frame
    look: Look

    @property
    def count(self) -> int:
        """Frames of the plate."""
        return self.reader.facts.frame_count

    def hidden(self, n: int, known: Mapping[int, FrameResult]) -> Bool | None:
        """What of the plate cannot be used at a frame, (h, w); `known` are the surface's own results so far."""
        facts = self.reader.facts
        return unusable_at(self.shot, self.surface, self.tracks, known, n, facts.width, facts.height)


@dataclass(frozen=True)
class Way:
    """One way through the plate: what is known on it so far, its last known frame, and where it ends, exclusive."""

    history: list[FrameResult]
    first: int
    end: int
    step: int

    @property
    def is_done(self) -> bool:
        """Whether no frame is left on it."""
        return self.first + self.step == self.end


def begin_run(reader: FrameSource, shot: Shot, surface: Surface, tracks: Tracks) -> SurfaceRun:
    """Read the reference frame and learn what the surface looks like.

    Raises
    ------
    RunError
        `no_corners` or `cannot_follow`, with the reason.
    """
    quad = surface.quad()
    if quad is None:
        raise RunError("no_corners", f"Place the four corners of {surface.name} first.")
    facts = reader.facts
    if surface.reference_frame >= facts.frame_count:
        first = facts.first_frame if shot.plate.first_frame is None else shot.plate.first_frame
        raise RunError(
            "cannot_follow",
            f"The plate ends before the reference frame of {surface.name}, {first + surface.reference_frame}.",
        )
    picture = reader.frame(surface.reference_frame)
    region = region_at_reference(shot, surface, tracks, facts.width, facts.height)
    look = look_of(surface, picture, region)
    follower = PlaneFollower(
        look(picture), region, quad, surface.motion, surface.reference_frame, optics_of(shot, (facts.width, facts.height))
    )
    if follower.problem is not None:
        raise RunError("cannot_follow", f"{surface.name}: {follower.problem.reason}", problem=follower.problem.code)
    return SurfaceRun(reader, shot, surface, tracks, follower, picture, look)


def look_of(surface: Surface, reference: Frame, region: Bool) -> Look:
    """How frames become analysis pictures for a surface."""
    settings = surface.analysis.settings()
    if settings.is_plain:
        return lambda frame: AnalysisPicture.of(frame.luma())
    maker = AnalysisMaker(settings, reference.codes(), region)
    return lambda frame: AnalysisPicture.of(maker.make(frame.codes()))


def follow_surface(
    reader: FrameSource,
    shot: Shot,
    surface: Surface,
    tracks: Tracks | None = None,
    known: Mapping[int, FrameResult] | None = None,
    direction: Direction = "both",
    stop: Callable[[], bool] = lambda: False,
    span: Span | None = None,
    only: OnlyPoint | None = None,
    again: Opening | None = None,
) -> Iterator[Step]:
    """Follow a surface from its reference frame to the ends of the plate, or a span of frames again.

    Parameters
    ----------
    tracks : tracks of nearer surfaces, which take their area away
    known : results already there, of the same settings: they are kept, and the run goes on behind them
    direction : which way, from the reference frame
    stop : asked before every frame
    span : first and last frame to follow again; what is known outside of it is kept, and leads into it from both sides
    only : the one point to follow again, of a surface that is followed by points
    again : opens the plate once more, so that both ways are followed at once; the answers are the same

    Yields
    ------
    Step
        For the reference frame first (unless known), then for every new frame in order of travel, both ways mixed where they are
        followed at once; then, where what the whole run says about the camera and the region makes a difference, once more for
        every frame, from the reference outwards. For a span, also for frames beside it that were set by hand, to tie it to.

    Raises
    ------
    RunError
        When the plane cannot be followed at all, or nothing leads into the span.
    """
    tracks, results = tracks or {}, dict(known or {})
    if span is not None and surface.follow == "region":
        yield from _follow_span(reader, shot, surface, tracks, results, direction, stop, span)
        return
    if surface.follow == "points":
        if span is not None:
            results = {n: r for n, r in results.items() if not span[0] <= n <= span[1]}
        if only is not None:
            results = {}
        for result, picture, points in follow_by_points(reader, surface, results, stop, only):
            yield Step(result, picture, points=points)
        return
    run = begin_run(reader, shot, surface, tracks)
    start = surface.reference_frame
    if start not in results:
        results[start] = run.follower.reference_result()
        yield Step(results[start], run.reference)
    ways: list[Way] = []
    for step in {"forwards": (1,), "backwards": (-1,), "both": (1, -1)}[direction]:
        first = start
        # What was followed with the help of templates is followed again, for they are not kept.
        while (known_next := results.get(first + step)) is not None and (known_next.evidence is None or plain(known_next)):
            first += step
        end = run.count if step == 1 else -1
        for n in range(first + step, end, step):
            results.pop(n, None)
        ways.append(Way([results[n] for n in range(start, first + step, step)], first, end, step))
    if again is not None and len(ways) == 2 and not any(way.is_done for way in ways):
        steps = both_ways(_one_way(run, ways[0], stop), lambda ended: _other_way(run, again, ways[1], lambda: ended() or stop()))
    else:
        steps = chain.from_iterable(_one_way(run, way, stop) for way in ways)
    for one in steps:
        results[one.result.frame] = one.result
        yield one
    # In the order of one way after the other, so that nothing after this depends on which was faster.
    order = [start, *range(start + 1, run.count), *range(start - 1, -1, -1)]
    results = {n: results[n] for n in order if n in results}
    yield from _settle(run, results, stop)


def _other_way(run: SurfaceRun, again: Opening, way: Way, stop: Callable[[], bool]) -> Iterator[Step]:
    """A way with a reader and a follower of its own."""
    with again() as reader:
        yield from _one_way(begin_run(reader, run.shot, run.surface, run.tracks), way, stop)


def first_steps(reader: FrameSource, shot: Shot, surface: Surface) -> Iterator[Step]:
    """The reference frame and the next one each way, of a surface that no other surface's track has a say in; errors as above."""
    run = begin_run(reader, shot, surface, {})
    start = surface.reference_frame
    reference = run.follower.reference_result()
    yield Step(reference, run.reference)
    for step in (1, -1):
        if 0 <= start + step < run.count:
            yield from _one_way(run, Way([reference], start, start + 2 * step, step), lambda: False)


def _follow_span(
    reader: FrameSource, shot: Shot, surface: Surface, tracks: Tracks, known: dict[int, FrameResult], direction: Direction,
    stop: Callable[[], bool], span: Span,
) -> Iterator[Step]:  # fmt: skip
    """Follow a span from what is kept on both sides of it; what the first way loses, the second may find."""
    first, last = span
    if not 0 <= first <= last < reader.facts.frame_count:
        raise RunError("cannot_follow", f"The span {first} to {last} is not in the plate's {reader.facts.frame_count} frames.")
    run = begin_run(reader, shot, surface, tracks)
    reference = surface.reference_frame
    results = {n: r for n, r in known.items() if not first <= n <= last}
    results[reference] = run.follower.reference_result()
    ways: list[tuple[int, int, int]] = []
    for step, begin, end in ((1, first, last + 1), (-1, last, first - 1)):
        # A span that holds the reference frame is followed from there, whichever way was asked for.
        if first <= reference <= last:
            ways.append((reference, end, step))
        elif direction not in ("both", "forwards" if step == 1 else "backwards"):
            continue
        elif begin - step in results and results[begin - step].status != "lost":
            ways.append((begin - step, end, step))
    if not ways:
        raise RunError(
            "cannot_follow", f"Nothing is known beside frame {first} to follow {surface.name} from. Follow it up to there first."
        )
    for begin, end, step in ways:
        history = [results[n] for n in sorted(results, reverse=step < 0) if (begin - n) * step >= 0]
        for one in _one_way(run, Way(history, begin, end, step), stop):
            n = one.result.frame
            if n not in results or results[n].status == "lost":
                results[n] = one.result
                yield one
    yield from _settle(run, results, stop, range(first, last + 1))
    # Where a neighbour was set by hand, what the picture says there is needed to tie the span to it.
    for n in (first - 1, last + 1):
        if n in known and known[n].status == "by_hand" and not stop():
            picture = reader.frame(n)
            yield Step(run.follower.settle(n, run.look(picture), results, run.hidden(n, results)), picture, again=True)


def _settle(run: SurfaceRun, results: dict[int, FrameResult], stop: Callable[[], bool], only: range | None = None) -> Iterator[Step]:
    """The second look, with the frames for whoever wants to cut evidence from them."""
    shown: dict[int, Frame] = {}
    reader, shot = run.reader, run.shot

    def pictures(frames: range) -> Iterator[AnalysisPicture]:
        for n, frame in zip(frames, reader.frames(frames.start, frames.stop, frames.step), strict=False):
            shown.clear()
            shown[n] = frame
            yield run.look(frame)

    for result in look_again(
        run.follower, results, lambda n: run.look(reader.frame(n)), pictures, run.hidden,
        lens=shot.lens.mode == "estimate" and not shot.lens.lines, readout=shot.camera.readout is None, stop=stop, only=only,
    ):  # fmt: skip
        yield Step(result, shown.get(result.frame) or reader.frame(result.frame), again=True)


def _one_way(run: SurfaceRun, way: Way, stop: Callable[[], bool]) -> Iterator[Step]:
    if way.is_done:
        return
    before: AnalysisPicture | None = None
    templates, history = Templates(run.follower), way.history
    if all(r.evidence is not None for r in history):

        def look_at(n: int) -> tuple[AnalysisPicture, Bool | None]:
            known = {r.frame: r for r in history if (n - r.frame) * way.step > 0}
            return run.look(run.reader.frame(n)), run.hidden(n, known)

        templates.recall(history, look_at)
    for n, picture in zip(range(way.first, way.end, way.step), run.reader.frames(way.first, way.end, way.step), strict=False):
        if stop():
            return
        now = run.look(picture)
        if before is not None:
            result = templates.step(n, before, now, history, run.hidden(n, {r.frame: r for r in history}))
            history.append(result)
            yield Step(result, picture)
        before = now


def in_depth_order(shot: Shot) -> list[Surface]:
    """Surfaces from the camera to the far end: nearer ones are needed to hold their area out of farther ones."""
    return sorted(shot.surfaces, key=lambda s: s.depth)
