"""Our tracker on a rendered plate."""

import numpy as np

from bench.tracking.cases import Plate
from bench.tracking.measure import Answer
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.refinement.passes import look_again
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.tracking.sequence.plane import AnalysisPicture
from verdigris.core.tracking.sequence.templates import Templates


def follow(plate: Plate) -> list[FrameResult]:
    """Both directions from the reference frame."""
    height, width = plate.frames[0].shape
    pictures = [AnalysisPicture.of(np.asarray(f, np.float32) / np.float32(255)) for f in plate.frames]
    hidden = plate.hidden.get(plate.reference)
    region = region_mask(plate.include, plate.exclude, None if hidden is None else hidden.astype(np.float32), width, height)
    follower = PlaneFollower(pictures[plate.reference], region, plate.truth[plate.reference], "perspective", plate.reference)
    templates = Templates(follower)
    results = {plate.reference: follower.reference_result()}
    for step in (1, -1):
        history, n = [results[plate.reference]], plate.reference + step
        while 0 <= n < len(pictures):
            results[n] = templates.step(n, pictures[n - step], pictures[n], history, plate.hidden.get(n))
            history.append(results[n])
            n += step
    for better in look_again(
        follower, results, pictures.__getitem__, lambda frames: [pictures[n] for n in frames], lambda n, _: plate.hidden.get(n)
    ):  # fmt: skip
        results[better.frame] = better
    return [results[n] for n in range(len(pictures))]


def track(plate: Plate) -> list[Answer]:
    """Answers as the comparison wants them."""
    return [None if r.corners is None or r.sigma_px is None else (r.corners, r.sigma_px) for r in follow(plate)]
