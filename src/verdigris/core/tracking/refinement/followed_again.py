"""Frames that were lost, or went with something else than the surface, followed again from their neighbours."""

from collections.abc import Callable, Iterator, Mapping, Set

from verdigris.core.tracking.refinement.footage import Footage
from verdigris.core.tracking.refinement.motion_parties import find_parties, went_astray
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import FrameResult, lost

ASTRAY = "Two parts of the region move differently, and this frame shows the wrong one clearer. Cut out what runs or slides by."


def with_the_surface(follower: PlaneFollower, results: Mapping[int, FrameResult], footage: Footage) -> Iterator[FrameResult]:
    """Follow frames again that went with something else in the region; those that cannot be won back are lost."""
    parties = find_parties(follower.appearance, results, follower.reference_frame)
    if parties is None:
        return
    astray = set(parties.astray)
    for found in followed_again(follower, results, astray, footage, lambda r: not went_astray(parties, r)):
        astray.discard(found.frame)
        yield found
    if not footage.stop():
        yield from (lost(n, 0.0, ASTRAY) for n in sorted(astray))


def followed_again(
    follower: PlaneFollower, results: Mapping[int, FrameResult], frames: Set[int], footage: Footage,
    believed: Callable[[FrameResult], bool] = lambda _: True,
) -> Iterator[FrameResult]:  # fmt: skip
    """Follow some frames again, from their neighbours on both sides; those that are found."""
    better, missing = dict(results), set(frames)
    for step in (1, -1):
        for n in sorted(frames, reverse=step < 0):
            if footage.stop():
                return
            history = [better[k] for k in sorted(better, reverse=step < 0) if (n - k) * step > 0 and k not in missing]
            # Only a neighbour that holds leads further.
            if n not in missing or not history or history[-1].frame != n - step or history[-1].status == "lost":
                continue
            now = footage.picture(n - step), footage.picture(n)
            found = follower.step(n, *now, history, footage.hidden(n, better), thorough=False)
            if found.status != "lost" and believed(found):
                better[n] = found
                missing.discard(n)
                yield found
