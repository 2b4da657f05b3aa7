"""The second look: when a run is through, ask it about the camera, then refine every frame with what is known now."""

from collections.abc import Callable, Iterable, Iterator, Mapping

from verdigris.core.tracking.calibrate import calibrate, trust_of_run, worth_settling
from verdigris.core.tracking.follow import AnalysisPicture, FrameResult, PlaneFollower
from verdigris.core.types import Bool

# How often the run is asked about the camera at most.
MOST_ROUNDS = 3


def look_again(
    follower: PlaneFollower, known: Mapping[int, FrameResult], picture: Callable[[int], AnalysisPicture],
    pictures: Callable[[int, int], Iterable[AnalysisPicture]], hidden: Callable[[int, Mapping[int, FrameResult]], Bool | None],
    lens: bool = True, readout: bool = True, stop: Callable[[], bool] = lambda: False,
) -> Iterator[FrameResult]:  # fmt: skip
    """Yield better results of a followed run, frame by frame; nothing when a second look can change nothing.

    Parameters
    ----------
    known : results of the first look, by frame
    picture : one frame's analysis picture
    pictures : the analysis pictures from a frame up to (not with) another one, in order
    hidden : frame and results so far -> pixels that something nearer covers, (H, W) bool or None
    lens, readout : which of them may be estimated
    stop : asked between frames
    """
    results = dict(known)
    for i in range(MOST_ROUNDS):
        so_far = dict(results)
        found = calibrate(follower, results, picture, lambda n, r=so_far: hidden(n, r), lens, readout, stop)  # type: ignore[misc]
        if stop() or not worth_settling(follower, results, found):
            return
        follower = follower.under(found.optics, found.reference_movement)
        results = follower.restated(results)
        trust = trust_of_run(follower, results)
        last = i == MOST_ROUNDS - 1 or not found.moving
        first, end = min(results), max(results) + 1
        for n, now in zip(range(first, end), pictures(first, end), strict=False):
            if stop():
                return
            if n in results and n != follower.reference_frame:
                results[n] = follower.settle(n, now, results, hidden(n, results), trust, last)
                yield results[n]
        if last:
            return
