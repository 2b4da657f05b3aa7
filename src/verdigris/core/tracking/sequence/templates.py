"""Further templates: frames of the run itself, chosen as it goes, for where the reference frame no longer looks like the plane.

Every frame is compared with the reference first, and stays with it wherever that holds: nothing adds up there. Where it does
not, because a picture on the plane fades to another one, light changes or a reflection settles on it, the plane is followed
from a frame that was sure a little before. Such a frame carries the doubt of its template as well as its own, and the way back to
the reference is tried at every frame.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from verdigris.core.camera.optics import Movement
from verdigris.core.geometry.bounds import bounds
from verdigris.core.geometry.homography import apply_homography, homography_from_quads
from verdigris.core.geometry.quad import signed_area
from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.frame_result import Evidence, FrameResult, doubt_of, lost
from verdigris.core.tracking.sequence.plane import AnalysisPicture
from verdigris.core.types import Bool, Float64, Int

# From a frame as unsure as this, another template is asked for its opinion.
UNSURE_PX = 0.3
# A template must be sure, and show most of the region as it is at the reference.
SURE_PX = 0.15
LEAST_SHARE = 0.25
LEAST_GOOD = 0.5
# Where more of the region than this had to be left out, something is in front: its edge must not become part of a template.
LEAST_WHOLE = 0.75
# What a template reports may be no less sure than this, with its own doubt; else the frame is lost.
MOST_SIGMA_PX = 1.5
# How many frames apart candidates are taken, and how many templates are kept.
SPACING = 4
MOST_TEMPLATES = 4
HISTORY = 4
UNHELD = "It does not look like the reference frame, and the frame it was compared with instead turned out not to hold."


@dataclass(frozen=True)
class _Candidate:
    """A sure frame, and what covered it."""

    result: FrameResult
    picture: AnalysisPicture
    hidden: Bool | None


@dataclass(frozen=True)
class _Template:
    """A frame of the run that others are compared with, and how much of the region it shows as it should be."""

    result: FrameResult
    follower: PlaneFollower
    share: float


class Templates:
    """Follows a plane by its reference frame, and by further frames of the run where that does not hold.

    Parameters
    ----------
    follower : follows from the reference frame
    """

    def __init__(self, follower: PlaneFollower) -> None:
        self._follower = follower
        self._candidates: list[_Candidate] = []
        self._templates: list[_Template] = []
        # The last frame that was held by a template, and how it looked from there.
        self._held: tuple[_Template, FrameResult] | None = None

    def step(
        self, frame: int, before: AnalysisPicture, now: AnalysisPicture, history: list[FrameResult], hidden: Bool | None
    ) -> FrameResult:
        """Find the plane in the next frame, with a quick look; parameters as for `PlaneFollower.step`."""
        last = history[-1]
        if last.through is not None:
            return self._go_on(frame, before, now, history, hidden)
        result = self._follower.step(frame, before, now, history, hidden, thorough=False)
        if plain(result):
            self._offer(result, now, hidden)
            return result
        # What was lost as it was at the reference is found again as it was there.
        if last.corners is None and self._held is None:
            return result
        return _surer(result, self._through(frame, before, now, history, hidden))

    def recall(self, history: Sequence[FrameResult], look_at: Callable[[int], tuple[AnalysisPicture, Bool | None]]) -> None:
        """Take up frames that were followed before, the reference first, all of them `plain`: as if they had been followed now.

        Parameters
        ----------
        look_at : frame -> its analysis picture and what is hidden there; asked for the few that may become templates
        """
        offered: list[FrameResult] = []
        for r in history[1:]:
            if agrees(r) and doubt_of(r) <= SURE_PX and not (offered and abs(offered[-1].frame - r.frame) < SPACING):
                offered.append(r)
        self._candidates = [_Candidate(r, *look_at(r.frame)) for r in offered[-2:]]

    def _go_on(
        self, frame: int, before: AnalysisPicture, now: AnalysisPicture, history: list[FrameResult], hidden: Bool | None
    ) -> FrameResult:
        """From a frame that was held by a template: the same template leads, and the reference is tried from where it says."""
        found = self._through(frame, before, now, history, hidden)
        if found is None:
            return self._follower.step(frame, before, now, history, hidden, thorough=False)
        known = {r.frame: r for r in history[-HISTORY:]}
        again = self._follower.settle(frame, now, {**known, frame: found}, hidden, thorough=False)
        return found if again.status == "lost" else again

    def _offer(self, result: FrameResult, picture: AnalysisPicture, hidden: Bool | None) -> None:
        """Keep a sure frame as a candidate."""
        if not agrees(result) or doubt_of(result) > SURE_PX:
            return
        if self._candidates and abs(self._candidates[-1].result.frame - result.frame) < SPACING:
            return
        # The one before stays as well: the last sure frame often shows the beginning of what comes.
        self._candidates = [*self._candidates[-1:], _Candidate(result, picture, hidden)]

    def _through(
        self, frame: int, before: AnalysisPicture, now: AnalysisPicture, history: list[FrameResult], hidden: Bool | None
    ) -> FrameResult | None:
        """The surest answer that a template gives; None when none does."""
        last = history[-1]
        held = self._held if self._held is not None and self._held[1].frame == last.frame else None
        self._choose()
        best = self._ask(self._templates, None, frame, before, now, history, hidden)
        if (
            (best is None or doubt_of(best) - self._own_doubt(best) > UNSURE_PX)
            and last.corners is not None
            and all(t.result.frame != last.frame for t in self._templates)
        ):
            # Nothing that was sure is much like this any more: one step further down, with the doubt of all before it.
            made = self._make(_Candidate(last, before, None), held)
            if made is not None:
                self._templates = [*self._templates, made][-MOST_TEMPLATES:]
                best = self._ask([made], best, frame, before, now, history, hidden)
        return best

    def _own_doubt(self, result: FrameResult) -> float:
        """How unsure the template is that a result came through, px."""
        return max((doubt_of(t.result) for t in self._templates if t.result.frame == result.through), default=0.0)

    def _ask(
        self, templates: Sequence[_Template], best: FrameResult | None, frame: int, before: AnalysisPicture, now: AnalysisPicture,
        history: list[FrameResult], hidden: Bool | None,
    ) -> FrameResult | None:  # fmt: skip
        """The surest answer of the nearest of some templates and the best one so far; None when none is sure enough."""
        for template in sorted(templates, key=lambda t: abs(t.result.frame - frame))[:2]:
            past = _as_seen_from(template, history[-HISTORY:])
            if past:
                own = template.follower.step(frame, before, now, past, hidden, thorough=False)
                found = self._stated(template, own)
                if found is not None and (best is None or doubt_of(found) < doubt_of(best)):
                    best, self._held = found, (template, own)
        return best

    def _choose(self) -> None:
        """Turn what was kept into templates."""
        known = {t.result.frame for t in self._templates}
        made = [self._make(c) for c in self._candidates if c.result.frame not in known]
        self._templates = [*self._templates, *(t for t in made if t is not None)][-MOST_TEMPLATES:]
        self._candidates = []

    def _make(self, candidate: _Candidate, held: tuple[_Template, FrameResult] | None = None) -> _Template | None:
        """A follower from a frame of the run, which a template may have held; None when it does not hold the region."""
        result, base, own, whole = candidate.result, self._follower, candidate.result, 1.0
        if held is not None:
            template, own = held
            base, whole = template.follower, template.share
        evidence = base.evidence_of(own)
        if evidence is None or result.corners is None or not agrees(own):
            return None
        region, share = region_at(base, evidence)
        if whole * share < LEAST_WHOLE:
            return None
        if candidate.hidden is not None:
            region &= ~candidate.hidden
        follower = PlaneFollower(candidate.picture, region, result.corners, base.motion, result.frame, base.optics, moved_on(evidence))
        return None if follower.problem is not None else _Template(result, follower, whole * share)

    def _stated(self, template: _Template, found: FrameResult) -> FrameResult | None:
        """What a template found, as a result of the run: with the doubt of both."""
        at = template.result
        if found.corners is None or found.sigma_px is None or at.corners is None or at.sigma_px is None or not agrees(found):
            return None
        # The template's own doubt is as large in this frame as the plane is against there.
        size = np.sqrt(abs(signed_area(found.corners)) / max(abs(signed_area(at.corners)), 1e-9))
        sigma = np.sqrt(found.sigma_px**2 + (size * at.sigma_px) ** 2)
        if float(sigma.max()) > MOST_SIGMA_PX:
            return None
        h = homography_from_quads(self._follower.corners, found.corners)
        margin = float(np.hypot(found.margin_px or 0.0, size * (at.margin_px or 0.0)))
        seen = replace(found, homography=h, sigma_px=sigma, evidence=None, margin_px=margin, through=at.frame)
        evidence = self._follower.evidence_of(seen)
        return None if evidence is None else replace(seen, evidence=replace(evidence, template=at.corners))


def with_their_templates(follower: PlaneFollower, known: Mapping[int, FrameResult]) -> Iterator[FrameResult]:
    """Results that were compared with frames of the run which have moved since, moved along; those whose frame was lost are lost too."""
    results, done = dict(known), set[int]()
    while todo := [n for n, r in results.items() if r.through is not None and n not in done]:
        # What others were compared with comes first.
        n = next((n for n in todo if results[n].through not in todo), todo[0])
        done.add(n)
        through = results[n].through
        moved = _moved_along(follower, results[n], None if through is None else results.get(through))
        if moved is not None:
            results[n] = moved
            yield moved


def _moved_along(follower: PlaneFollower, result: FrameResult, template: FrameResult | None) -> FrameResult | None:
    """A result as its template, where that is now, says; None when nothing changes."""
    then = None if result.evidence is None else result.evidence.template
    if result.corners is None or result.sigma_px is None or then is None or template is None:
        return None
    if template.corners is None or template.sigma_px is None:
        return lost(result.frame, result.share_used, UNHELD)
    if np.allclose(template.corners, then):
        return None
    try:
        between = homography_from_quads(then, result.corners)
        corners = apply_homography(between, template.corners)
        h = homography_from_quads(follower.corners, corners)
    except ValueError:
        return lost(result.frame, result.share_used, UNHELD)
    size = np.sqrt(abs(signed_area(corners)) / max(abs(signed_area(template.corners)), 1e-9))
    sigma = np.maximum(result.sigma_px, size * template.sigma_px)
    if float(sigma.max()) > MOST_SIGMA_PX:
        return lost(result.frame, result.share_used, UNHELD)
    bare = replace(result, homography=h, corners=corners, sigma_px=sigma, evidence=None)
    evidence = follower.evidence_of(bare)
    return replace(bare, evidence=None if evidence is None else replace(evidence, template=template.corners))


def plain(result: FrameResult) -> bool:
    """Whether a frame was followed without asking any template."""
    return result.through is None and (doubt_of(result) < UNSURE_PX or agrees(result))


def agrees(result: FrameResult) -> bool:
    """Whether most of the region was seen in a frame, and looked as it should: what covers a plane is not taken for it."""
    return result.evidence is not None and result.share_used >= LEAST_SHARE and result.evidence.good >= LEAST_GOOD


def region_at(follower: PlaneFollower, evidence: Evidence) -> tuple[Bool, float]:
    """The region as a frame shows it, without the tiles that did not look like it there; (H, W) bool, and the share left."""
    optics = follower.optics
    region = np.zeros((optics.height, optics.width), bool)
    rim = cv2.findContours(follower.region.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0]
    outline = np.concatenate([c.reshape(-1, 2) for c in rim]).astype(np.float64) + 0.5
    plane = optics.plane(outline, np.eye(3), follower.reference_movement)
    at = optics.project(plane, evidence.pose, evidence.movement)
    low, high = bounds(at)
    x0, y0 = np.clip(np.floor(low).astype(int), 0, [optics.width, optics.height])
    x1, y1 = np.clip(np.ceil(high).astype(int), 0, [optics.width, optics.height])
    if x1 - x0 < 2 or y1 - y0 < 2:
        return region, 0.0
    grid = np.stack(np.meshgrid(np.arange(x0, x1) + 0.5, np.arange(y0, y1) + 0.5), axis=-1).reshape(-1, 2)
    on_plane = optics.plane(grid, evidence.pose, evidence.movement)
    here = np.floor(optics.project(on_plane, np.eye(3), follower.reference_movement)).astype(int)
    inside = np.all((here >= 0) & (here < [optics.width, optics.height]), axis=1)
    inside[inside] = follower.region[here[inside, 1], here[inside, 0]]
    whole = max(1, int(inside.sum()))
    if evidence.tiles is not None:
        odd = np.flatnonzero(np.nan_to_num(evidence.tiles, nan=1.0) < 0.3)
        inside[inside] = ~np.isin(_tile_of(follower, on_plane[inside]), odd)
    region[y0:y1, x0:x1] = inside.reshape(y1 - y0, x1 - x0)
    return region, float(inside.sum()) / whole


def _tile_of(follower: PlaneFollower, plane: Float64) -> Int:
    """The tile of the region that points (N, 2), ideal reference px, lie on."""
    points, across = follower.appearance.points, follower.appearance.across
    low, high = bounds(points)
    high += 1e-6
    cell = np.clip(((plane - low) / (high - low) * across).astype(np.int64), 0, across - 1)
    return np.asarray(cell[:, 1] * across + cell[:, 0])


def moved_on(evidence: Evidence) -> Movement:
    """How the plane moves at a frame, in that frame's ideal coordinates instead of the reference's."""
    h, move = evidence.pose, evidence.movement
    back = np.linalg.inv(h)
    return Movement(np.asarray(h @ move.v @ back), np.asarray(h @ move.a @ back))


def _as_seen_from(template: _Template, history: Sequence[FrameResult]) -> list[FrameResult]:
    """Results with poses against a template instead of the reference; nothing when none of them was followed."""
    bare = {r.frame: replace(r, evidence=None) for r in history}
    stated = template.follower.restated(bare)
    return list(stated.values()) if any(r.evidence is not None for r in stated.values()) else []


def _surer(a: FrameResult, b: FrameResult | None) -> FrameResult:
    """Whichever answer is the surer one; the first when both are lost."""
    return b if b is not None and doubt_of(b) < doubt_of(a) else a
