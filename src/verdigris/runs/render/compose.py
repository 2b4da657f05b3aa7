"""Composed frames of a shot: plate in, plate with everything pinned out. One way for previews, command line and workers."""

from collections.abc import Sequence
from functools import cached_property, partial, reduce

import numpy as np

from verdigris.core.composite.coverage import rounded_outline
from verdigris.core.composite.layer import Box, Layer, layer_box
from verdigris.core.composite.look import Look, scaled
from verdigris.core.composite.stack import Laid, apart, put_layers
from verdigris.core.composite.unmix import Front
from verdigris.core.composite.warp import outline_from_surface, scaled_camera, warp_of
from verdigris.core.geometry.shapes import polygon_coverage
from verdigris.core.matte.occlusion import occlusion
from verdigris.core.types import Bool, Float32
from verdigris.media.frames import Frame
from verdigris.runs.errors import RunError
from verdigris.runs.render.mattes import Drawn, Mattes, take_spill_of, together, without_files
from verdigris.runs.scene.artwork import PlacedArtwork
from verdigris.runs.scene.frame_plan import FramePlan, GradePlan, LayerPlan, MattePlan, arrays_of
from verdigris.runs.scene.grade import of_plan, plan_grade
from verdigris.runs.scene.in_front import Tracks, corners_at
from verdigris.runs.scene.match import Fields, look_of, no_fields
from verdigris.shot.model.document import Shot


def check_ready(shot: Shot, tracks: Tracks) -> None:
    """Say what is missing before rendering; RunError `nothing_placed`, `no_corners` or `not_tracked`."""
    if shot.delivery.matte is not None:
        return
    if shot.delivery.still is not None:
        held = shot.surface(shot.delivery.still.surface)
        if not any(r.homography is not None for r in tracks.get(held.id, {}).values()):
            raise RunError("not_tracked", f"{held.name} has no track to hold the plate still by. Track it first.")
        return
    if not shot.placements and shot.grade is None:
        raise RunError("nothing_placed", "There is nothing to render yet: place artwork on a surface first.")
    for placement in shot.placements:
        if placement.surface is None or not placement.on:
            continue
        surface = shot.surface(placement.surface)
        if surface.corners is None:
            raise RunError("no_corners", f"Place the four corners of {surface.name} first.")
        if not any(r.homography is not None for r in tracks.get(surface.id, {}).values()):
            raise RunError("not_tracked", f"{surface.name} has artwork but no track. Track it first.")


def plan_frame(shot: Shot, placed: Sequence[PlacedArtwork], tracks: Tracks, frame: int) -> FramePlan:
    """What a frame of result needs, far to near; on the same depth, in the order of the document."""
    order = sorted(range(len(placed)), key=lambda i: -placed[i].depth)
    layers = [(i, plan) for i in order for plan in placed[i].plans_at(shot, tracks, frame)]
    return FramePlan(shot.plate.model_dump_json(), frame, tuple(layers), plan_grade(shot.grade, frame))


def draw_frame(
    plan: FramePlan, placed: Sequence[PlacedArtwork], picture: Frame, mattes: Mattes | None = None, fields: Fields | None = None,
    drawn: dict[MattePlan, Drawn] | None = None,
) -> Frame:  # fmt: skip
    """A frame of result from its plan. Where nothing covers, it is the plate, bit for bit.

    `drawn` holds the frame's mattes as they are drawn, for whoever wants them as well.
    """
    return _Drawing(plan, placed, picture, mattes or without_files(), fields or no_fields(), {} if drawn is None else drawn).result()


class _Read:
    """Regions of a picture, read once where one lies in the one before."""

    def __init__(self, picture: Frame) -> None:
        self._picture = picture
        self._box: Box | None = None
        self._last: tuple[Float32, Float32] | None = None

    def region(self, box: Box) -> tuple[Float32, Float32]:
        """Values and linear light of a region, (h, w, 3) float32; not to be written into."""
        if self._last is None or self._box is None or _around(self._box, box) != self._box:
            values = self._picture.values(box)
            self._box, self._last = box, (values, self._picture.light_of(values))
        x, y = box[0] - self._box[0], box[1] - self._box[1]
        part = np.s_[y : y + box[3] - box[1], x : x + box[2] - box[0]]
        values, light = (np.ascontiguousarray(a[part]) for a in self._last)
        return values, light


class _Drawing:
    """One frame while it is drawn: each matte once, however many placements use it."""

    def __init__(
        self,
        plan: FramePlan,
        placed: Sequence[PlacedArtwork],
        picture: Frame,
        mattes: Mattes,
        fields: Fields,
        drawn: dict[MattePlan, Drawn],
    ) -> None:
        self._fields, self._drawn, self._read = fields, drawn, _Read(picture)
        self._fronts: dict[object, Float32 | None] = {}
        self._plan, self._placed, self._picture, self._mattes, self._scale = plan, placed, picture, mattes, mattes.scale

    def result(self) -> Frame:
        laid = self._laid
        picture = self._picture
        for members, around in apart([reach for _, _, reach in laid]):
            group = [laid[i] for i in members]
            before, light = self._read.region(around)
            light = light.copy()
            cleaned = self._take_spill(light, around, group)
            light, touched = put_layers(light, around, [one for _, one, _ in group])
            picture = picture.with_region(around, before, picture.values_of(light), touched | cleaned)
        return picture if self._plan.grade is None else self._graded(picture, self._plan.grade)

    def _graded(self, picture: Frame, plan: GradePlan) -> Frame:
        """All of the picture graded."""
        everywhere = (0, 0, picture.width, picture.height)
        before = picture.values(everywhere)
        light = of_plan(plan, self._fields.find, picture.primaries)(picture.light_of(before))
        return picture.with_region(everywhere, before, picture.values_of(light), np.ones(light.shape[:2], np.bool_))

    @cached_property
    def _laid(self) -> list[tuple[tuple[int, LayerPlan], Laid, Box]]:
        """Layers that are in the picture, each with the box around all that it changes."""
        found = []
        for i, one in self._plan.layers:
            layer = self._layer(i, one)
            look = self._look(i, one)
            reach_px = 0.0 if look is None else look.reach_px
            box = None if layer is None else layer_box(layer, self._picture.width, self._picture.height, reach_px)
            if layer is None or box is None:
                continue
            kept = [self._matte(m) for m in one.kept_in_front]
            reach = box
            for d in kept:
                if d.spills:
                    reach = _around(reach, d.box)
            keyed = self._keyed(kept, box)
            plain = [d for d in kept if keyed is None or d.field is None or not d.surrounds(box)]
            front = self._front(one, box, plain)
            found.append(((i, one), Laid(layer, box, self._nearer(one, layer, box, front), front, keyed, look), reach))
        return found

    def _matte(self, plan: MattePlan) -> Drawn:
        if plan not in self._drawn:
            self._drawn[plan] = self._mattes.draw(plan, self._picture, lambda box: self._read.region(box)[1])
        return self._drawn[plan]

    def _layer(self, i: int, plan: LayerPlan) -> Layer | None:
        """The layer of a plan; None when its corners make no plane."""
        texture, art_from_surface = self._placed[i].texture(plan)
        scale = self._scale
        area = None if plan.area is None else np.array(plan.area) * scale
        try:
            warp = warp_of(
                scaled_camera(plan.camera, scale), np.array(plan.reference) * scale, arrays_of(plan.corners, scale), plan.exposure, area
            )
        except ValueError:
            return None
        top, right, bottom, left = (v * scale for v in plan.overshoot_px)
        edges = (top, right, bottom, left)
        return Layer(texture, warp, art_from_surface, edges, plan.black_bars, plan.opacity, plan.blend, plan.blend_in, plan.beyond)

    def _look(self, i: int, plan: LayerPlan) -> Look | None:
        """How a layer is made to sit; None where nothing is asked."""
        if plan.match is None:
            return None
        picture = self._picture
        size = (picture.width / self._scale, picture.height / self._scale)
        return scaled(look_of(plan.match, self._fields, picture.values_of, picture.light_of, i, picture.primaries, size), self._scale)

    def _keyed(self, kept: Sequence[Drawn], box: Box) -> Front | None:
        """What stands before a keyed screen, where the key knows the screen's light all over the layer."""
        known = [d for d in kept if d.field is not None and d.surrounds(box)]
        if not known:
            return None
        first = known[0]
        assert first.field is not None
        x, y = box[0] - first.box[0], box[1] - first.box[1]
        field = first.field[y : y + box[3] - box[1], x : x + box[2] - box[0]]
        return Front(np.ascontiguousarray(together(known, box)), np.ascontiguousarray(field))

    def _front(self, plan: LayerPlan, box: Box, plain: Sequence[Drawn]) -> Float32 | None:
        """Coverage of what stands before the surface, in the layer's box."""
        whole = self._outlined(plan)
        covers = [d.within(box) for d in plain]
        if whole is not None:
            covers.append(whole[box[1] : box[3], box[0] : box[2]])
        bare = [np.asarray(1 - cover, np.float32) for cover in covers]
        return np.ascontiguousarray(1 - reduce(np.multiply, bare), np.float32) if bare else None

    def _nearer(self, plan: LayerPlan, layer: Layer, box: Box, front: Float32 | None) -> Float32 | None:
        """Coverage of what is nearer, and of all that the artwork is not seen in, in the layer's box."""
        x0, y0, x1, y1 = box
        seen = None if front is None else np.asarray(1 - front, np.float32)
        factors = []
        if plan.shown_only_in:
            factors.append(together([self._matte(m) for m in plan.shown_only_in], box))
        if any(plan.rounding):
            outline = outline_from_surface(rounded_outline(*plan.rounding), layer.warp)
            factors.append(polygon_coverage(outline - [x0, y0], x1 - x0, y1 - y0))
        for factor in factors:
            seen = np.asarray(factor, np.float32) if seen is None else seen * factor
        return None if seen is None else np.ascontiguousarray(1 - seen, np.float32)

    def _outlined(self, plan: LayerPlan) -> Float32 | None:
        """Coverage of the outlines that are nearer, over the whole picture; layers of one surface have the same."""
        if plan.in_front not in self._fronts:
            polygons, feathers = [np.array(p) * self._scale for p, _ in plan.in_front], [f * self._scale for _, f in plan.in_front]
            self._fronts[plan.in_front] = occlusion(polygons, feathers, self._picture.width, self._picture.height)
        return self._fronts[plan.in_front]

    def _take_spill(self, light: Float32, around: Box, group: Sequence[tuple[tuple[int, LayerPlan], Laid, Box]]) -> Bool:
        """Take the screens' light from what stands before them, in place, once for each matte; where it changed."""
        changed, done = np.zeros(light.shape[:2], np.bool_), set()
        for (i, one), _, _ in group:
            for m in one.kept_in_front:
                drawn = self._matte(m)
                if drawn.spills and m not in done:
                    done.add(m)
                    take_spill_of(light, around, drawn, partial(self._placed[i].mean_light, one), changed)
        return changed


def _around(a: Box, b: Box) -> Box:
    return min(a[0], b[0]), min(a[1], b[1]), max(a[2], b[2]), max(a[3], b[3])


def frames_without_track(shot: Shot, tracks: Tracks, count: int) -> list[int]:
    """Frames at which some placement cannot be shown because its surface is lost or untracked."""
    missing = set()
    for placement in shot.placements:
        if placement.surface is None or not placement.on:
            continue
        surface = shot.surface(placement.surface)
        track = tracks.get(surface.id, {})
        missing |= {n for n in range(count) if corners_at(surface, track, n) is None}
    return sorted(missing)
