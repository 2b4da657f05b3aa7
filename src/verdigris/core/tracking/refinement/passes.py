"""Looking again at a run that was followed with quick looks: by the edges, pass after pass, against a sharper frame, through others."""

from collections.abc import Callable, Generator, Iterable, Iterator, Mapping
from dataclasses import replace

import numpy as np

from verdigris.core.tracking.reference.rim import APART
from verdigris.core.tracking.refinement.close_passes import ClosePasses
from verdigris.core.tracking.refinement.footage import Footage
from verdigris.core.tracking.refinement.held_by_edges import held_by_edges
from verdigris.core.tracking.refinement.sharper_frame import makes_surer, sharper_frame
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import FrameResult, lost
from verdigris.core.tracking.sequence.plane import AnalysisPicture
from verdigris.core.tracking.sequence.templates import with_their_templates
from verdigris.core.types import Bool

# Closer looks that move a corner further than this, px, are held against the surface's edges.
FAR_PX = 3.0


def look_again(
    follower: PlaneFollower, known: Mapping[int, FrameResult], picture: Callable[[int], AnalysisPicture],
    pictures: Callable[[range], Iterable[AnalysisPicture]], hidden: Callable[[int, Mapping[int, FrameResult]], Bool | None],
    lens: bool = True, readout: bool = True, stop: Callable[[], bool] = lambda: False, only: range | None = None,
) -> Iterator[FrameResult]:  # fmt: skip
    """Yield better results of a run that was followed with quick looks, frame by frame.

    Parameters
    ----------
    known : results of the first look, by frame
    picture : one frame's analysis picture
    pictures : the analysis pictures of some frames, in that order
    hidden : frame and results so far -> pixels that something nearer covers, (H, W) bool or None
    lens, readout : which of them may be estimated
    stop : asked between frames
    only : the frames to look at again; by default all
    """
    footage = Footage(picture, pictures, hidden, lens, readout, stop, only)
    whole, apart = follower, any(r.status == "lost" and r.reason == APART for r in known.values())
    results = dict(known)
    for better in _all_looks(follower, known, footage, apart):
        results[better.frame] = better
        yield better
    if not apart and only is None and not stop() and _left_the_edges(whole, known, results, footage):
        # The first look had the surface, and closer looks went with the picture inside: once more, by the edges.
        apart = True
        for better in _all_looks(whole, known, footage, apart):
            results[better.frame] = better
            yield better
    apart = apart or any(r.status == "lost" and r.reason == APART for r in results.values())
    if apart and only is None and not stop():
        yield from held_by_edges(whole, results, picture, hidden, stop)


def _all_looks(follower: PlaneFollower, known: Mapping[int, FrameResult], footage: Footage, apart: bool) -> Iterator[FrameResult]:
    if apart and footage.only is None:
        follower, known = yield from _by_its_rim(follower, known, footage)
    passes = ClosePasses(follower, known, footage)
    yield from passes.run()
    results = passes.results
    # A span alone stays with the reference that the rest was compared with.
    if not footage.stop() and footage.only is None:
        for better in _against_a_sharper_frame(passes.follower, results, footage):
            results[better.frame] = better
            yield better
    if not footage.stop():
        told = (r for r in with_their_templates(passes.follower, results) if footage.is_asked_for(r.frame))
        yield from (replace(r, first_look=False) for r in told)


def _left_the_edges(
    follower: PlaneFollower, known: Mapping[int, FrameResult], results: Mapping[int, FrameResult],
    footage: Footage,
) -> bool:  # fmt: skip
    """Whether closer looks moved some frame away from where its first look, and the surface's edges, are."""
    for n, r in results.items():
        first = known.get(n)
        if r.homography is None or r.corners is None or first is None or first.corners is None:
            continue
        far = float(np.linalg.norm(r.corners - first.corners, axis=1).max()) > FAR_PX
        if far and follower.rim.stayed_behind(footage.picture(n).bytes, r.homography, footage.hidden(n, results)):
            return True
    return False


def _by_its_rim(
    follower: PlaneFollower, known: Mapping[int, FrameResult], footage: Footage
) -> Generator[FrameResult, None, tuple[PlaneFollower, Mapping[int, FrameResult]]]:  # fmt: skip
    """Where a picture inside the surface was seen to move by itself, follow all frames anew by the surface's edges alone.

    What is not found by them stays lost, and says why.
    """
    rim = follower.by_its_rim()
    if rim.problem is not None:
        return follower, known
    results = {follower.reference_frame: rim.reference_result()}
    for step in (1, -1):
        n = follower.reference_frame + step
        while n in known and not footage.stop():
            history = [results[k] for k in sorted(results, reverse=step < 0) if (n - k) * step > 0]
            now = footage.picture(n - step), footage.picture(n)
            found = rim.step(n, *now, history, footage.hidden(n, results), thorough=False)
            results[n] = found if found.status != "lost" else lost(n, found.share_used, APART)
            yield results[n]
            n += step
    return rim, results


def _against_a_sharper_frame(base: PlaneFollower, results: Mapping[int, FrameResult], footage: Footage) -> Iterator[FrameResult]:
    """Compare all frames with one that is much sharper than the reference; results are as they were until that makes them surer."""
    sharper = sharper_frame(base, results, footage.picture, footage.hidden)
    if sharper is None:
        return
    # The camera is asked for again: what is smeared like the reference tells little of it.
    passes = ClosePasses(sharper.follower, sharper.seen(results), replace(footage, hidden=lambda n, _: footage.hidden(n, results)))
    for better in passes.run():
        yield results[better.frame]
    if not footage.stop():
        stated = sharper.stated(passes.results)
        if makes_surer(stated, results):
            yield from stated.values()
