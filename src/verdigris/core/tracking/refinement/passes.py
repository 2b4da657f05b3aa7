"""The second look: when a run is through, ask it about the camera, then refine every frame with what is known now."""

from collections.abc import Callable, Generator, Iterable, Iterator, Mapping, Set

import numpy as np

from verdigris.core.camera.optics import Movement, flow
from verdigris.core.tracking.calibration.calibrate import calibrate, choose_frames, trust_of_run, worth_settling
from verdigris.core.tracking.reference.rim import APART
from verdigris.core.tracking.refinement.held_by_edges import held_by_edges
from verdigris.core.tracking.refinement.motion_parties import find_parties, went_astray
from verdigris.core.tracking.refinement.sharper_frame import makes_surer, sharper_frame
from verdigris.core.tracking.sequence.follow import AnalysisPicture, PlaneFollower
from verdigris.core.tracking.sequence.frame_result import FrameResult, lost
from verdigris.core.tracking.sequence.templates import with_their_templates
from verdigris.core.types import Bool, Float64

# How often the run is asked about the camera at most.
MOST_ROUNDS = 5
ASTRAY = "Two parts of the region move differently, and this frame shows the wrong one clearer. Cut out what runs or slides by."
# A frame rests when what its neighbours have taught about its movement since would move it by less than this share of its doubt.
RESTING = 0.25
# What is called no change at all, px.
REST_PX = 0.03
# Closer looks that move a corner further than this, px, are held against the surface's edges.
FAR_PX = 3.0
# By what share of it a movement that was misjudged moves a frame: what rows would move unevenly by in a frame's time, times the
# read-out, as the pose takes part of it; and all of it, as a smear lies around its middle.
UNEVEN, SMEARED = 0.3, 0.04


def look_again(
    follower: PlaneFollower, known: Mapping[int, FrameResult], picture: Callable[[int], AnalysisPicture],
    pictures: Callable[[int, int], Iterable[AnalysisPicture]], hidden: Callable[[int, Mapping[int, FrameResult]], Bool | None],
    lens: bool = True, readout: bool = True, stop: Callable[[], bool] = lambda: False, only: range | None = None,
) -> Iterator[FrameResult]:  # fmt: skip
    """Yield better results of a run that was followed with quick looks, frame by frame.

    Parameters
    ----------
    known : results of the first look, by frame
    picture : one frame's analysis picture
    pictures : the analysis pictures from a frame up to (not with) another one, in order
    hidden : frame and results so far -> pixels that something nearer covers, (H, W) bool or None
    lens, readout : which of them may be estimated
    stop : asked between frames
    only : the frames to look at again; by default all
    """
    whole, apart = follower, any(r.status == "lost" and r.reason == APART for r in known.values())
    results = dict(known)
    for better in _all_looks(follower, known, picture, pictures, hidden, lens, readout, stop, only, apart):
        results[better.frame] = better
        yield better
    if not apart and only is None and not stop() and _left_the_edges(whole, known, results, picture, hidden):
        # The first look had the surface, and closer looks went with the picture inside: once more, by the edges.
        apart = True
        for better in _all_looks(whole, known, picture, pictures, hidden, lens, readout, stop, only, apart):
            results[better.frame] = better
            yield better
    apart = apart or any(r.status == "lost" and r.reason == APART for r in results.values())
    if apart and only is None and not stop():
        yield from held_by_edges(whole, results, picture, hidden, stop)


def _all_looks(
    follower: PlaneFollower, known: Mapping[int, FrameResult], picture: Callable[[int], AnalysisPicture],
    pictures: Callable[[int, int], Iterable[AnalysisPicture]], hidden: Callable[[int, Mapping[int, FrameResult]], Bool | None],
    lens: bool, readout: bool, stop: Callable[[], bool], only: range | None, apart: bool,
) -> Iterator[FrameResult]:  # fmt: skip
    if apart and only is None:
        follower, known = yield from _by_its_rim(follower, known, picture, hidden, stop)
    follower, results = yield from _looked_again(follower, known, picture, pictures, hidden, lens, readout, stop, only)
    # A span alone stays with the reference that the rest was compared with.
    if not stop() and only is None:
        for better in _against_a_sharper_frame(follower, results, picture, pictures, hidden, lens, readout, stop):
            results[better.frame] = better
            yield better
    if not stop():
        yield from (r for r in with_their_templates(follower, results) if only is None or r.frame in only)


def _left_the_edges(
    follower: PlaneFollower, known: Mapping[int, FrameResult], results: Mapping[int, FrameResult],
    picture: Callable[[int], AnalysisPicture], hidden: Callable[[int, Mapping[int, FrameResult]], Bool | None],
) -> bool:  # fmt: skip
    """Whether closer looks moved some frame away from where its first look, and the surface's edges, are."""
    for n, r in results.items():
        first = known.get(n)
        if r.homography is None or r.corners is None or first is None or first.corners is None:
            continue
        far = float(np.linalg.norm(r.corners - first.corners, axis=1).max()) > FAR_PX
        if far and follower.rim.stayed_behind(picture(n).bytes, r.homography, hidden(n, results)):
            return True
    return False


def _by_its_rim(
    follower: PlaneFollower, known: Mapping[int, FrameResult], picture: Callable[[int], AnalysisPicture],
    hidden: Callable[[int, Mapping[int, FrameResult]], Bool | None], stop: Callable[[], bool],
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
        while n in known and not stop():
            history = [results[k] for k in sorted(results, reverse=step < 0) if (n - k) * step > 0]
            found = rim.step(n, picture(n - step), picture(n), history, hidden(n, results), thorough=False)
            results[n] = found if found.status != "lost" else lost(n, found.share_used, APART)
            yield results[n]
            n += step
    return rim, results


def _looked_again(
    follower: PlaneFollower, known: Mapping[int, FrameResult], picture: Callable[[int], AnalysisPicture],
    pictures: Callable[[int, int], Iterable[AnalysisPicture]], hidden: Callable[[int, Mapping[int, FrameResult]], Bool | None],
    lens: bool, readout: bool, stop: Callable[[], bool], only: range | None,
) -> Generator[FrameResult, None, tuple[PlaneFollower, dict[int, FrameResult]]]:  # fmt: skip
    """Rounds about the camera, and passes over all frames, until they rest; returns what follows then, and its results."""
    results, lens_and_rows = dict(known), True
    restless: set[int] | None = None
    partly, quickly = False, False
    looked: set[int] = set()
    for better in _with_the_surface(follower, results, picture, hidden, stop) if only is None else ():
        results[better.frame] = better
        yield better
    for i in range(MOST_ROUNDS + 2):
        if lens_and_rows:
            so_far = dict(results)
            found = calibrate(follower, results, picture, lambda n, r=so_far: hidden(n, r), lens, readout, stop)  # type: ignore[misc]
            if stop():
                return follower, results
            # Where nothing was found that a quick look would see, and all frames have had theirs, the thorough one comes at once.
            calm = not partly and not worth_settling(follower, results, found)
            follower = follower.under(found.optics, found.reference_movement)
            results = follower.restated(results)
            lens_and_rows = found.moving and i < MOST_ROUNDS - 1 and not calm
            # The first pass with a camera that is known is a quick one over all frames: the thorough one needs to know how they move.
            thorough, quickly = calm, not calm and not lens_and_rows
            restless = None
            # Frames that were looked at with a camera that hardly differs have had theirs.
            if found.moving:
                looked.clear()
            if not lens_and_rows and not follower.optics.is_plain:
                # What a plain camera lost may be found through the right one.
                missing = {n for n, r in results.items() if r.status == "lost" and (only is None or n in only)}
                for better in _followed_again(follower, results, missing, picture, hidden, stop):
                    results[better.frame] = better
                    yield better
        else:
            thorough, quickly = True, False
            # The reference's rows are laid straight by how it moves, and its neighbours tell that better by now.
            moved = follower.movement_at(follower.reference_frame, results)
            if _matters(follower, moved, follower.reference_movement, _usual_doubt(results)):
                follower = follower.under(follower.optics, moved)
                results = follower.restated(results)
                restless = None
        trust = trust_of_run(follower, results)
        if quickly:
            again = {*results} - looked
        elif thorough:
            again = {*results} if restless is None else restless
        else:
            # More is asked about the camera first: frames that tell of it, and those that tell how it moves there.
            again = {n + k for n in choose_frames(follower, results) for k in (-2, -1, 0, 1, 2)}
        looked |= again
        first, end = (min(results), max(results) + 1) if only is None else (only.start, only.stop)
        for n, now in zip(range(first, end), pictures(first, end), strict=False):
            if stop():
                return follower, results
            if n in results and n != follower.reference_frame and n in again:
                results[n] = follower.settle(n, now, results, hidden(n, results), trust, thorough)
                yield results[n]
        partly = not thorough
        if thorough:
            restless = _restless(follower, results) & set(range(first, end))
            if not restless:
                break
    return follower, results


def _against_a_sharper_frame(
    base: PlaneFollower, results: Mapping[int, FrameResult], picture: Callable[[int], AnalysisPicture],
    pictures: Callable[[int, int], Iterable[AnalysisPicture]], hidden: Callable[[int, Mapping[int, FrameResult]], Bool | None],
    lens: bool, readout: bool, stop: Callable[[], bool],
) -> Iterator[FrameResult]:  # fmt: skip
    """Compare all frames with one that is much sharper than the reference; results are as they were until that makes them surer."""
    sharper = sharper_frame(base, results, picture, hidden)
    if sharper is None:
        return
    seen = sharper.seen(results)
    # The camera is asked for again: what is smeared like the reference tells little of it.
    for better in _looked_again(
        sharper.follower, seen, picture, pictures, lambda n, _: hidden(n, results), lens, readout, stop, None
    ):  # fmt: skip
        seen[better.frame] = better
        yield results[better.frame]
    if not stop():
        stated = sharper.stated(seen)
        if makes_surer(stated, results):
            yield from stated.values()


def _with_the_surface(
    follower: PlaneFollower, results: Mapping[int, FrameResult], picture: Callable[[int], AnalysisPicture],
    hidden: Callable[[int, Mapping[int, FrameResult]], Bool | None], stop: Callable[[], bool],
) -> Iterator[FrameResult]:  # fmt: skip
    """Follow frames again that went with something else in the region; those that cannot be won back are lost."""
    parties = find_parties(follower.appearance, results, follower.reference_frame)
    if parties is None:
        return
    astray = set(parties.astray)
    for found in _followed_again(follower, results, astray, picture, hidden, stop, lambda r: not went_astray(parties, r)):
        astray.discard(found.frame)
        yield found
    if not stop():
        yield from (lost(n, 0.0, ASTRAY) for n in sorted(astray))


def _followed_again(
    follower: PlaneFollower, results: Mapping[int, FrameResult], frames: Set[int], picture: Callable[[int], AnalysisPicture],
    hidden: Callable[[int, Mapping[int, FrameResult]], Bool | None], stop: Callable[[], bool],
    believed: Callable[[FrameResult], bool] = lambda _: True,
) -> Iterator[FrameResult]:  # fmt: skip
    """Follow some frames again, from their neighbours on both sides; those that are found."""
    better, missing = dict(results), set(frames)
    for step in (1, -1):
        for n in sorted(frames, reverse=step < 0):
            if stop():
                return
            history = [better[k] for k in sorted(better, reverse=step < 0) if (n - k) * step > 0 and k not in missing]
            # Only a neighbour that holds leads further.
            if n not in missing or not history or history[-1].frame != n - step or history[-1].status == "lost":
                continue
            found = follower.step(n, picture(n - step), picture(n), history, hidden(n, better), thorough=False)
            if found.status != "lost" and believed(found):
                better[n] = found
                missing.discard(n)
                yield found


def _restless(follower: PlaneFollower, results: Mapping[int, FrameResult]) -> set[int]:
    """Frames that were compared as moving otherwise than their neighbours say by now, so that it matters."""
    frames = set()
    for n, r in results.items():
        if r.evidence is None or r.sigma_px is None or n == follower.reference_frame:
            continue
        doubt = np.maximum(r.sigma_px, REST_PX)
        if _matters(follower, follower.movement_at(n, results), r.evidence.movement, doubt):
            frames.add(n)
    return frames


def _usual_doubt(results: Mapping[int, FrameResult]) -> float:
    """What corners are usually unsure by, px."""
    known = [float(np.median(r.sigma_px)) for r in results.values() if r.sigma_px is not None]
    return max(REST_PX, float(np.median(known)) if known else 0.0)


def _matters(follower: PlaneFollower, now: Movement, then: Movement, doubt: Float64 | float) -> bool:
    """Whether corners that are unsure by so much, px, change for it when a frame moves otherwise."""
    change = flow(follower.plane_corners, now) - flow(follower.plane_corners, then)
    # What all rows would move alike by, one later than the other, is a shear: the pose has taken that already.
    uneven = np.linalg.norm(change - change.mean(axis=0), axis=1)
    moved = UNEVEN * abs(follower.optics.readout) * uneven + SMEARED * np.linalg.norm(change, axis=1)
    return bool(np.any(moved > RESTING * doubt))
