"""Our tracker on a rendered plate."""

import os

import numpy as np

from bench.tracking.cases import Plate
from bench.tracking.measure import Answer
from verdigris.core.matte.occlusion import region_mask
from verdigris.core.tracking.calibrate import calibrate, trust_of_run, worth_settling
from verdigris.core.tracking.follow import AnalysisPicture, FrameResult, PlaneFollower

VERBOSE = bool(os.environ.get("VERBOSE"))


def follow(plate: Plate) -> list[FrameResult]:
    """Both directions from the reference frame."""
    height, width = plate.frames[0].shape
    pictures = [AnalysisPicture.of(np.asarray(f, np.float32) / np.float32(255)) for f in plate.frames]
    hidden = plate.hidden.get(plate.reference)
    region = region_mask(plate.include, plate.exclude, None if hidden is None else hidden.astype(np.float32), width, height)
    follower = PlaneFollower(pictures[plate.reference], region, plate.truth[plate.reference], "perspective", plate.reference)
    results = {plate.reference: follower.reference_result()}
    for step in (1, -1):
        history, n = [results[plate.reference]], plate.reference + step
        while 0 <= n < len(pictures):
            results[n] = follower.step(n, pictures[n - step], pictures[n], history, plate.hidden.get(n))
            history.append(results[n])
            n += step
    for i in range(3):
        calibration = calibrate(follower, results, pictures.__getitem__, plate.hidden.get)
        if VERBOSE:
            print(
                {k: (round(e.value, 4), round(e.sigma, 4)) for k, e in calibration.estimates.items()},
                round(calibration.gain, 4),
                calibration.optics.shutter,
            )
        if not worth_settling(follower, results, calibration):
            break
        follower = follower.under(calibration.optics, calibration.reference_movement)
        results = follower.restated(results)
        trust = trust_of_run(follower, results)
        last = i == 2 or calibration.gain < 0.02
        for n in sorted(results):
            results[n] = follower.settle(n, pictures[n], results, plate.hidden.get(n), trust, last)
        if last:
            break
    return [results[n] for n in range(len(pictures))]


def track(plate: Plate) -> list[Answer]:
    """Answers as the comparison wants them."""
    return [None if r.corners is None or r.sigma_px is None else (r.corners, r.sigma_px) for r in follow(plate)]
