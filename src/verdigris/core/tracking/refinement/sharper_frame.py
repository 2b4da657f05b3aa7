"""A reference frame that is smeared or out of focus: where the run has a much sharper one, all frames are compared with that.

Whatever is compared with a smeared picture must be smeared like it first, and the finest that a sharp frame shows is lost. So a
sharp frame takes the reference's place while frames are compared, and the reference is found against it as any frame is. What it
is found by moves all of them together: the corners are still those that were set at the reference.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from verdigris.core.camera.optics import STILL, flow
from verdigris.core.geometry.homography import apply_homography, homography_from_quads
from verdigris.core.geometry.quad import signed_area
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import Evidence, FrameResult, worst_of
from verdigris.core.tracking.sequence.plane import AnalysisPicture
from verdigris.core.tracking.sequence.templates import agrees, moved_on, region_at
from verdigris.core.types import Bool, Float64

# A reference softer than this, px, as standard deviation, gives way to a frame with less than this share of its softness.
SOFT_PX, SHARP_SHARE = 2.0, 0.4
# Frames as sharp as this, px, or up to so many times as soft as the sharpest one are as good: the nearest of them is taken.
AS_GOOD_PX, AS_GOOD = 0.75, 1.5
# How much of the region such a frame must show, and how large it must be seen there against the reference.
LEAST_SHOWN, LEAST_SIZE = 0.8, 0.6
# So much surer of their worst corner frames must be for it.
SURER = 0.97


@dataclass(frozen=True)
class SharperFrame:
    """A frame of the run that is compared with in the reference's place.

    Attributes
    ----------
    base : follows from the reference
    follower : follows from the sharper frame
    """

    base: PlaneFollower
    follower: PlaneFollower

    def seen(self, results: Mapping[int, FrameResult]) -> dict[int, FrameResult]:
        """Results of the reference's follower as the sharper frame's."""
        frame = self.follower.reference_frame
        evidence = results[frame].evidence
        own = 0.0 if evidence is None else evidence.blur
        bare = {n: replace(r, evidence=None if r.evidence is None else _carried(r.evidence, own)) for n, r in results.items()}
        return {**self.follower.restated(bare), frame: self.follower.reference_result()}

    def stated(self, seen: Mapping[int, FrameResult]) -> dict[int, FrameResult]:
        """Frames that its follower holds, for the corners that were set at the reference; that one stays what it is.

        None of them where the reference itself was not found.
        """
        frame = self.base.reference_frame
        reference = seen[frame]
        if reference.corners is None or reference.sigma_px is None:
            return {}
        blur = 0.0 if reference.evidence is None else reference.evidence.blur
        stated = {n: self._stated(r, reference.corners, reference.sigma_px, reference.margin_px or 0.0) for n, r in seen.items()}
        kept = {
            n: replace(r, evidence=None if r.evidence is None else _carried(r.evidence, blur))
            for n, r in stated.items()
            if n != frame and r is not None
        }
        return self.base.restated(kept)

    def _stated(self, result: FrameResult, found_at: Float64, sigma: Float64, margin: float) -> FrameResult | None:
        """One of them, with where the reference was found, and its doubt, px; None where the two cannot be brought together."""
        if result.corners is None or result.sigma_px is None:
            return None
        sharp = self.follower.corners
        try:
            there = apply_homography(homography_from_quads(found_at, sharp), self.base.corners)
            corners = apply_homography(homography_from_quads(sharp, result.corners), there)
            h = homography_from_quads(self.base.corners, corners)
        except ValueError:
            return None
        # What the reference is unsure by is as large in this frame as the plane is against there.
        size = np.sqrt(abs(signed_area(corners)) / max(abs(signed_area(self.base.corners)), 1e-9))
        own = result.sigma_px if result.frame != self.follower.reference_frame else np.zeros(4)
        return replace(
            result, homography=h, corners=corners, sigma_px=np.hypot(own, size * sigma),
            margin_px=float(np.hypot(result.margin_px or 0.0, size * margin)),
        )  # fmt: skip


def sharper_frame(
    base: PlaneFollower, results: Mapping[int, FrameResult], picture: Callable[[int], AnalysisPicture],
    hidden: Callable[[int, Mapping[int, FrameResult]], Bool | None],
) -> SharperFrame | None:  # fmt: skip
    """The frame of a followed run to compare with instead of a soft reference; None where the reference does, or nothing is better.

    Parameters
    ----------
    results : results of the first look, by frame
    picture, hidden : frame -> analysis picture, and what something nearer covers there
    """
    reference = base.reference_frame
    softness = _softness(base, results)
    if reference not in softness or len(softness) < 3 or softness[reference] < SOFT_PX:
        return None
    usable = {n: s for n, s in softness.items() if n != reference and s < SHARP_SHARE * softness[reference] and _stands(base, results[n])}
    good = max(AS_GOOD_PX, AS_GOOD * min(usable.values(), default=0.0))
    # The nearest of the sharpest, then the next sharp ones.
    for n in sorted(usable, key=lambda n: (max(usable[n], good), abs(n - reference))):
        made = _made(base, results, n, picture, hidden)
        if made is not None:
            return made
    return None


def makes_surer(stated: Mapping[int, FrameResult], results: Mapping[int, FrameResult]) -> bool:
    """Whether frames are surer as they are stated now, the reference's own doubt and all, than they were."""
    times = [worst_of(r) / worst_of(results[n]) for n, r in stated.items()]
    return len(times) > 0 and float(np.median(times)) < SURER


def _softness(base: PlaneFollower, results: Mapping[int, FrameResult]) -> dict[int, float]:
    """Standard deviation of smear and blur together, px, of every frame that tells it; the reference is sharp but for its smear."""
    known = [e.shutter for r in results.values() if (e := r.evidence) is not None and e.shutter is not None]
    if not known:
        return {}
    shutter = float(np.median(known))
    softness = {}
    for n, r in results.items():
        evidence = base.evidence_of(r)
        if evidence is None:
            continue
        moved = flow(base.appearance.centres, base.movement_at(n, results))
        smear = 0.5 * shutter * float(np.median(np.sum(moved**2, axis=1)))
        softness[n] = smear + (evidence.blur if n != base.reference_frame else 0.0)
    # The sharpest frame is taken to be in focus.
    sharpest = min(0.0, *softness.values()) if softness else 0.0
    return {n: float(np.sqrt(v - sharpest)) for n, v in softness.items()}


def _stands(base: PlaneFollower, result: FrameResult) -> bool:
    """Whether a frame shows the plane large enough, and as it should be."""
    if result.corners is None or result.through is not None or not agrees(result):
        return False
    return abs(signed_area(result.corners)) >= LEAST_SIZE * abs(signed_area(base.corners))


def _made(
    base: PlaneFollower, results: Mapping[int, FrameResult], frame: int, picture: Callable[[int], AnalysisPicture],
    hidden: Callable[[int, Mapping[int, FrameResult]], Bool | None],
) -> SharperFrame | None:  # fmt: skip
    """A follower from some frame; None when that does not show enough of the region."""
    result = results[frame]
    evidence = base.evidence_of(result)
    if evidence is None or result.corners is None:
        return None
    region, share = region_at(base, evidence)
    covered = hidden(frame, results)
    if covered is not None:
        region &= ~covered
    whole = float(base.region.sum()) * abs(signed_area(result.corners)) / abs(signed_area(base.corners))
    if share < LEAST_SHOWN or region.sum() < LEAST_SHOWN * whole:
        return None
    follower = PlaneFollower(picture(frame), region, result.corners, base.motion, frame, base.optics, moved_on(evidence))
    return None if follower.problem is not None else SharperFrame(base, follower)


def _carried(evidence: Evidence, blur: float) -> Evidence:
    """What a frame tells when it is compared with another one than before, which is softer by `blur`, plate px^2."""
    return Evidence(evidence.pose, STILL, evidence.blur - blur, evidence.shutter, grain=evidence.grain, good=evidence.good)
