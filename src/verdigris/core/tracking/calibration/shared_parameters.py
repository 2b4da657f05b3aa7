"""What all frames of a run share: read-out, lens, shutter, tone, bow; as equations in which every frame's own pose is eliminated.

References
----------
Triggs et al., Bundle adjustment - a modern synthesis, 2000 (elimination of per-frame unknowns).
Meingast, Geyer and Sastry, Geometric models of rolling-shutter cameras, OMNIVIS 2005.
"""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np

from verdigris.core.camera.optics import Optics
from verdigris.core.geometry.lens import Lens
from verdigris.core.light.tone import Tone
from verdigris.core.tracking.alignment.align import fit_at
from verdigris.core.tracking.alignment.fit import Conditions, Fit
from verdigris.core.tracking.alignment.frame_pictures import KeptPictures
from verdigris.core.tracking.alignment.grain import Grain, kept_and_pull
from verdigris.core.tracking.alignment.synthesis import softness
from verdigris.core.tracking.alignment.uncertainty import sandwich
from verdigris.core.tracking.calibration.camera_covariance import LENS_TERMS, camera_rows, held_together, usual_size
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import FrameResult, trust_of
from verdigris.core.types import Bool, Float64

Term = Literal["shutter", "tilt", "ends", "readout", "bow_along", "bow_across", "k1", "k2", "cx", "cy"]
TERMS: tuple[Term, ...] = ("shutter", "tilt", "ends", "readout", "bow_along", "bow_across", "k1", "k2", "cx", "cy")
TONE: tuple[Term, ...] = ("tilt", "ends")
# The lens's centre against the picture's, in half diagonals: it shows only once the lens is known to bend.
CENTRE: tuple[Term, ...] = ("cx", "cy")
BOW: tuple[Term, ...] = ("bow_along", "bow_across")
LENS: tuple[Term, ...] = ("k1", "k2", *CENTRE)
# In the order of `camera_doubt`.
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
class Asked:
    """A frame that is asked about the camera: its pictures, what is covered, and over the run: trust in each tile, and noise."""

    pictures: KeptPictures
    hidden: Bool | None
    trust: Float64 | None
    grain: Grain


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


def conditions_at(follower: PlaneFollower, n: int, results: Mapping[int, FrameResult], asked: Asked) -> Conditions:
    """What a frame is like, as far as the run knows."""
    evidence = follower.evidence_of(results[n])
    assert evidence is not None
    return Conditions(
        follower.movement_at(n, results), follower.reference_movement, evidence.blur, follower.optics.shutter or 0.0, (),
        asked.hidden, asked.trust, follower.bow, asked.grain,
    )  # fmt: skip


@dataclass(frozen=True)
class Equations:
    """Normal equations of the shared terms over all chosen frames.

    Attributes
    ----------
    hessian, score : (m, m), (m,) float64
    clusters : (frames, tiles, m) float64, pull of every tile of every frame
    total : sum of the squared residuals, in units of the noise
    trust : (tiles,) how far each tile moves with the plane there
    fitted : corners (4, 2), plate px, and blur of each frame as they were fitted; what is fitted next starts from there
    """

    hessian: Float64
    score: Float64
    clusters: Float64
    total: float
    terms: tuple[Term, ...]
    trust: Float64 | None = None
    fitted: Mapping[int, tuple[Float64, float]] = field(default_factory=dict)

    def only(self, terms: tuple[Term, ...]) -> "Equations":
        """The equations of some of the terms."""
        i = [self.terms.index(t) for t in terms]
        return replace(self, hessian=self.hessian[np.ix_(i, i)], score=self.score[i], clusters=self.clusters[:, :, i], terms=terms)

    def if_only(self, terms: tuple[Term, ...], optics: Optics) -> "Equations":
        """The equations of some of the terms if the others go back to zero: what they are at present is taken out of the score."""
        out = [j for j, t in enumerate(self.terms) if t not in terms]
        now = np.array([value_of(optics, self.terms[j]) for j in out])
        return replace(self, score=self.score + self.hessian[:, out] @ now).only(terms)

    def moved_on(self, by: Mapping[Term, float]) -> "Equations":
        """The equations as they are when terms have changed by so much, as far as they are straight."""
        step = np.array([by.get(t, 0.0) for t in self.terms])
        return replace(self, score=self.score - self.hessian @ step)

    @property
    def promise(self) -> float:
        """Share of the squared residuals that the terms could take away at most."""
        if len(self.score) == 0:
            return 0.0
        scale = np.sqrt(np.maximum(np.diag(self.hessian), 1e-12))
        inverse = np.linalg.pinv(self.hessian / np.outer(scale, scale) + 1e-9 * np.eye(len(scale))) / np.outer(scale, scale)
        return float(self.score @ inverse @ self.score) / max(self.total, 1e-12)


def linearise(
    follower: PlaneFollower, stated: Mapping[int, FrameResult], pictures: Mapping[int, Asked],
    terms: tuple[Term, ...], stop: Callable[[], bool], before: Equations | None = None,
) -> Equations | None:  # fmt: skip
    """Equations of some terms around the present optics; None on a stop, or when no frame can be compared.

    With those `before`, around other optics, frames are fitted from where they were then.
    """
    count = len(terms)
    hessian, score, total = np.zeros((count, count)), np.zeros(count), 0.0
    clusters, agreements, fitted = [], [], {}
    for n, asked in pictures.items():
        evidence = follower.evidence_of(stated[n])
        if stop():
            return None
        if evidence is None:
            continue
        conditions = conditions_at(follower, n, stated, asked)
        pose, conditions = near_before(follower, before, n, evidence.pose, conditions)
        found = fit_at(follower.appearance, follower.optics, asked.pictures, pose, conditions, follower.motion)
        if found is None:
            continue
        fit, h = found
        fitted[n] = follower.optics.project(follower.plane_corners, h, conditions.movement), fit.blur
        agreements.append(fit.agreement)
        # What a lens does far out is told from what else disagrees there only where the picture is steep.
        if follower.optics.lens is not None:
            fit.leave_out(~fit.steep())
        total += float(np.sum(fit.weights * fit.residuals() ** 2)) / max(fit.noise, 1e-3) ** 2
        reduced = _reduced(fit, follower, h, terms)
        hessian, score = hessian + reduced[0], score + reduced[1]
        clusters.append(reduced[2])
    return Equations(hessian, score, np.stack(clusters), total, terms, trust_of(agreements), fitted) if clusters else None


def near_before(
    follower: PlaneFollower, before: Equations | None, n: int, pose: Float64, conditions: Conditions
) -> tuple[Float64, Conditions]:  # fmt: skip
    """Where to start from, a pose and what the frame is like: where the frame was fitted before, if it was."""
    if before is None or n not in before.fitted:
        return pose, conditions
    corners, blur = before.fitted[n]
    fitted = follower.pose_at(corners, conditions.movement)
    return (pose, conditions) if fitted is None else (fitted, replace(conditions, blur=blur))


def choose_terms(
    equations: Equations, optics: Optics, terms: tuple[Term, ...], significant: float, without: tuple[Term, ...] = ()
) -> tuple[dict[Term, Estimate], dict[Term, float]]:
    """Terms that are many times their uncertainty, most certain first, each beside those chosen before it."""

    def solve(chosen: tuple[Term, ...]) -> tuple[dict[Term, Estimate], dict[Term, float]]:
        asked = equations.if_only(chosen, optics)
        h, pulls, m = asked.hessian, asked.clusters, len(chosen)
        scale = np.sqrt(np.maximum(np.diag(h), 1e-12))
        step = np.linalg.solve(h / np.outer(scale, scale) + 1e-9 * np.eye(m), asked.score / scale) / scale
        scatter, common = (np.sqrt(np.maximum(np.diag(sandwich(h, p)), 1e-16)) for p in (pulls.reshape(-1, m), pulls.sum(axis=0)))
        now = np.array([value_of(optics, t) for t in chosen])
        value = np.clip(now + step, *np.transpose([TONES.get(t, (-MOST_VALUE, MOST_VALUE)) for t in chosen]))
        return (
            {
                t: Estimate(v, s, a)
                for t, v, s, a in zip(chosen, *np.stack([value, np.maximum(common, scatter), scatter]).tolist(), strict=True)
            },
            dict(zip(chosen, map(float, step), strict=True)),
        )

    left = tuple(t for t in terms if t not in without)
    chosen: tuple[Term, ...] = ()
    best: tuple[dict[Term, Estimate], dict[Term, float]] = ({}, {})
    while True:
        tried = [solve((*chosen, t)) for t in left if t not in chosen and (t not in ("k2", *CENTRE) or "k1" in chosen)]
        tried = [e for e in tried if all(_believable(t, x, significant) for t, x in e[0].items())]
        if not tried:
            return best
        best = max(tried, key=lambda e: min(abs(x.value) / x.scatter for x in e[0].values()))
        chosen = tuple(best[0])


def choose_together(
    equations: Equations, optics: Optics, terms: tuple[Term, ...], significant: float, of_lens: float, without: tuple[Term, ...] = ()
) -> tuple[dict[Term, Estimate], dict[Term, float]]:  # fmt: skip
    """Terms and steps, asked all together and held together with what they usually are; what is uncertain is left out, the least first.

    The centre and the second term of a lens do much of each other's work: chosen one by one, either is taken for the other.

    Parameters
    ----------
    significant, of_lens : how many times their uncertainty terms must be, and those of a lens beside k1, which is always kept
    without : terms that are nothing
    """
    kept = tuple(t for t in terms if t not in without)
    while kept:
        asked = equations.if_only(kept, optics)
        now, usual = np.transpose([(value_of(optics, t), usual_size(t, value_of(optics, "k1"))) for t in kept])
        value, common = held_together(asked.hessian, asked.score, asked.clusters.sum(axis=0), now, usual)
        scatter = np.sqrt(np.diag(held_together(asked.hessian, asked.score, asked.clusters.reshape(-1, len(kept)), now, usual)[1]))
        sigma = np.maximum(np.sqrt(np.diag(common)), scatter)
        found = {t: Estimate(*map(float, x)) for t, *x in zip(kept, value, sigma, scatter, strict=True)}
        # How many times its uncertainty each is, and must be; the centre counts as one.
        times: dict[tuple[Term, ...], tuple[float, float]] = {
            (t,): (abs(found[t].value) / found[t].scatter, significant) if _believable(t, found[t], 0.0) else (-1.0, 1.0)
            for t in kept if t not in LENS
        }  # fmt: skip
        times |= {g: (max(abs(found[t].value) / found[t].sigma for t in g), of_lens) for g in (("k2",), CENTRE) if {*g} <= {*kept}}
        weak = {group: is_now / needed for group, (is_now, needed) in times.items() if is_now < needed}
        if not weak:
            return found, dict(zip(kept, (value - now).tolist(), strict=True))
        weakest = min(weak, key=lambda g: weak[g])
        kept = tuple(t for t in kept if t not in weakest)
    return {}, {}


def _believable(term: str, estimate: Estimate, significant: float) -> bool:
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


def _reduced(fit: Fit, follower: PlaneFollower, h: Float64, terms: tuple[Term, ...]) -> tuple[Float64, Float64, Float64]:
    """Normal equations of the shared terms with pose and blur eliminated: (m, m), (m,), (tiles, m)."""
    rows = np.stack(list(rows_of(fit, follower, h, terms))).astype(np.float32)
    k = len(fit.jacobian)
    pulls = {k + terms.index("shutter"): _pull_by_shutter(fit, h)} if "shutter" in terms else {}
    hessians, tile_score = fit.equations(np.concatenate([fit.jacobian, rows]), pulls=pulls)
    hessian, score = hessians.sum(axis=0), tile_score.sum(axis=0)
    scale = np.sqrt(np.maximum(np.diag(hessian)[:k], 1e-12))
    inner = np.linalg.pinv(hessian[:k, :k] / np.outer(scale, scale) + 1e-9 * np.eye(k)) / np.outer(scale, scale)
    carry = hessian[k:, :k] @ inner
    # Residuals of one frame are counted in units of its noise.
    unit = 1.0 / max(fit.noise, 1e-3) ** 2
    return (
        unit * (hessian[k:, k:] - carry @ hessian[:k, k:]),
        unit * (score[k:] - carry @ score[:k]),
        unit * (tile_score[:, k:] - tile_score[:, :k] @ carry.T),
    )


def _pull_by_shutter(fit: Fit, h: Float64, step: float = 0.002) -> Float64:
    """How much a pixel's noise in the reference and its change by the shutter's variance have in common, (tiles,)."""
    c, soft, px2 = fit.conditions, fit.soft, fit.conditions.grain.px2
    other = softness(fit.appearance, h, c.movement, c.reference_movement, fit.blur, c.shutter + step, soft.smoothing, fixed=True)
    return np.asarray(0.5 * (kept_and_pull(other, px2)[0] - fit.kept) / step)


def rows_of(fit: Fit, follower: PlaneFollower, h: Float64, terms: tuple[Term, ...]) -> Iterator[Float64]:
    """Change of the predicted values per unit of each shared term, (N,)."""
    s, optics = fit.samples, follower.optics
    assert s is not None
    # Where nothing is predicted, gradients are not set.
    known = fit.seen[:, None]
    gradient = np.where(known, fit.prediction[:, 1:3], 0.0)
    of_camera = camera_rows(fit, h, [CAMERA.index(t) for t in terms if t in CAMERA])
    for term in terms:
        if term == "shutter":
            row = np.asarray(fit.by_shutter(h), float)
        elif term in TONE:
            tone = optics.tone._replace(**{term: value_of(optics, term) + TONE_STEP})
            row = np.asarray(fit.by_tone(follower.bent(tone), tone, h), float) / TONE_STEP
        elif term in BOW:
            unit = (1.0, 0.0) if term == "bow_along" else (0.0, 1.0)
            row = -np.sum(gradient * follower.bowed(unit).offset(s.ideal, h), axis=1)
        else:
            row = next(of_camera)
        yield np.where(fit.seen, row, 0.0)
