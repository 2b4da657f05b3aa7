"""What all frames of a run share: shutter, tone, read-out, bow, lens; their values in the optics, and what is known of them."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from verdigris.core.camera.optics import Optics
from verdigris.core.geometry.lens import Lens
from verdigris.core.light.tone import Tone
from verdigris.core.tracking.calibration.camera_covariance import LENS_TERMS

Term = Literal["shutter", "tilt", "ends", "readout", "bow_along", "bow_across", "k1", "k2", "cx", "cy"]
TERMS: tuple[Term, ...] = ("shutter", "tilt", "ends", "readout", "bow_along", "bow_across", "k1", "k2", "cx", "cy")
TONE: tuple[Term, ...] = ("tilt", "ends")
# The lens's centre against the picture's, in half diagonals: it shows only once the lens is known to bend.
CENTRE: tuple[Term, ...] = ("cx", "cy")
BOW: tuple[Term, ...] = ("bow_along", "bow_across")
LENS: tuple[Term, ...] = ("k1", "k2", *CENTRE)
# In the order of `camera_covariance`.
CAMERA: tuple[Term, ...] = (*LENS, "readout")
MOST_VALUE = 0.95
# Where rows are read one after another, it takes them some time; around poses that do not know of it, half of that is seen.
LEAST_READOUT = 0.05
# Rows are read in less than a frame; what asks for all of it is something else, a lens that nobody allowed for.
MOST_READOUT = 0.9
MOST_OFF_CENTRE = 0.2
# How tone curves of cameras depart from sRGB, from linear to logarithmic ones; what it changes is seen in steps of this.
TONES = {"tilt": (-2.0, 4.0), "ends": (-0.1, 2.0)}
TONE_STEP = 0.1
# What stands out by more, as a share of its size, is not a shallow bow.
MOST_BOW = 0.03


@dataclass(frozen=True)
class Estimate:
    """A shared term.

    Attributes
    ----------
    value : what it is
    sigma : its standard deviation; what a tile has in every frame, the reference's noise above all, counts as one
    scatter : its standard deviation if frames had nothing in common; what is still far off has much in common
    """

    value: float
    sigma: float
    scatter: float


def is_believable(term: str, estimate: Estimate, significant: float) -> bool:
    """Whether a term is many times its uncertainty, and of a size that cameras have."""
    if term == "shutter" and estimate.value <= 0:
        return False
    if term in TONE and not TONES[term][0] < estimate.value < TONES[term][1]:
        return False
    if term == "readout" and not LEAST_READOUT <= abs(estimate.value) < MOST_READOUT:
        return False
    if term in CENTRE and abs(estimate.value) > MOST_OFF_CENTRE:
        return False
    if term in BOW and abs(estimate.value) > MOST_BOW:
        return False
    return abs(estimate.value) > significant * estimate.scatter


def value_of(optics: Optics, term: Term) -> float:
    """Present value of a term; 0 is nothing of it."""
    if term in ("readout", "shutter"):
        return float(getattr(optics, term) or 0.0)
    if term in TONE:
        return float(getattr(optics.tone, term))
    if term in BOW:
        return optics.bow[BOW.index(term)]
    lens = optics.lens
    if lens is None:
        return 0.0
    if term in CENTRE:
        middle = (optics.width / 2, optics.height / 2)
        return (lens.centre[CENTRE.index(term)] - middle[CENTRE.index(term)]) / lens.half_diagonal
    return float(getattr(lens, term))


def with_values(optics: Optics, values: Mapping[str, float]) -> Optics:
    """Optics with other values of some terms."""
    shutter = float(np.clip(values.get("shutter", optics.shutter or 0.0), 0.0, 1 / 12))
    tone = Tone(*(float(np.clip(values.get(t, value_of(optics, t)), *TONES[t])) for t in TONE))
    lens = optics.lens
    if not set(LENS).isdisjoint(values):
        lens = lens or Lens.of_picture(optics.width, optics.height)
        off = [values.get(t, value_of(optics, t)) * lens.half_diagonal for t in CENTRE]
        centre = (optics.width / 2 + off[0], optics.height / 2 + off[1])
        lens = replace(lens, centre=centre, k1=values.get("k1", lens.k1), k2=values.get("k2", lens.k2))
    bow = (values.get("bow_along", optics.bow[0]), values.get("bow_across", optics.bow[1]))
    doubt = None if optics.camera_covariance is None else optics.camera_covariance.copy()
    # What is not known of a lens that is not there any more does not matter, and of a read-out it is said anew.
    if doubt is not None and (lens is None or not lens.k1):
        doubt[:LENS_TERMS] = doubt[:, :LENS_TERMS] = 0.0
    if doubt is not None and "readout" in values:
        doubt[LENS_TERMS:] = doubt[:, LENS_TERMS:] = 0.0
    return replace(
        optics, bow=bow, readout=values.get("readout", optics.readout), shutter=shutter, tone=tone, lens=lens,
        camera_covariance=doubt if doubt is not None and doubt.any() else None,
    )  # fmt: skip
