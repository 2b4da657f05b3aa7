"""What a matte's parts mean at a frame, without pixels."""

from collections.abc import Mapping
from functools import partial

import numpy as np

from verdigris.core.geometry.shapes import smooth_outline
from verdigris.core.types import Float64
from verdigris.runs.scene.camera import Size
from verdigris.runs.scene.exposure import exposed, shutter_of
from verdigris.runs.scene.frame_plan import MattePlan, PartPlan, plain_outline, points_of
from verdigris.runs.scene.in_front import Tracks, exposed_outline, outline_of, riding_points, told_at
from verdigris.runs.scene.regions import shape_at
from verdigris.shot.model.document import Shot
from verdigris.shot.model.keyed import value_at
from verdigris.shot.model.matte import AnyPart, Matte, OutlinePart, RegionPart, ShapePart
from verdigris.shot.model.region import RegionShape

Polygons = list[tuple[Float64, bool, float]]


def plan_matte(shot: Shot, matte: Matte, tracks: Tracks, frame: int, size: Size) -> MattePlan:
    """A matte at a frame; `size` is the plate's, px."""
    shutter = shutter_of(shot, tracks)
    found = None if matte.surface is None else _outline(shot, matte.surface, tracks, frame, size)
    near = () if matte.surface is not None and found is None else None if found is None else points_of(found)
    places = [i for i, p in enumerate(matte.parts) if p.on and (p.span is None or p.span[0] <= frame <= p.span[1])]
    return MattePlan(matte.id, near, tuple(_part(shot, matte.parts[i], tracks, frame, shutter) for i in places), tuple(places))


def _outline(shot: Shot, surface_id: str, tracks: Tracks, frame: int, size: Size) -> Float64 | None:
    surface = shot.surface(surface_id)
    found = outline_of(shot, surface, tracks, frame, size)
    return surface.quad() if found is None and frame == surface.reference_frame else found


def _part(shot: Shot, part: AnyPart, tracks: Tracks, frame: int, shutter: float) -> PartPlan:
    common = {"name", "combine", "on", "invert", "grow_px", "soft_px", "span", "strength"}
    shapes, soft = _polygons(shot, part, tracks, frame, shutter), getattr(part, "soft_points", None)
    told = part.model_dump_json(exclude=common | {"keys", "soft_points", "shutter"})
    return PartPlan(
        part.kind, part.combine, part.invert, part.grow_px, part.soft_px, value_at(part.strength, frame),
        tuple((plain_outline(p), inside, feather) for p, inside, feather in shapes), None if soft is None else tuple(soft), told, frame,
    )  # fmt: skip


def _polygons(shot: Shot, part: AnyPart, tracks: Tracks, frame: int, shutter: float) -> Polygons:
    if isinstance(part, ShapePart):
        keys = [(k.frame, np.array(k.points, dtype=np.float64), False) for k in part.keys]
        poses, keyed = _poses(tracks, part.rides), (keys[0][0], keys[-1][0])

        def at(n: int) -> Float64 | None:
            if n != frame and not told_at(keyed, n, poses if part.rides else None):
                return None
            points = riding_points(n, keys, poses)
            return smooth_outline(points) if part.outline == "smooth" else points

        outline = exposed(at, frame, shutter if part.shutter is None else part.shutter)
        return [] if outline is None else [(outline, True, 0.0)]
    if isinstance(part, OutlinePart):
        occluder = shot.occluder(part.outline)
        seen = exposed_outline(occluder, frame, tracks, shutter)
        return [] if seen is None else [(seen, True, occluder.feather_px)]
    if isinstance(part, RegionPart):
        surface = shot.surface(part.surface)
        poses = {surface.reference_frame: np.eye(3), **_poses(tracks, surface.id)}
        shapes = surface.region.all_shapes(surface.reference_frame)
        if frame not in poses:
            return []
        moving = [(exposed(partial(_region_at, s, poses), frame, shutter), s) for s in shapes]
        return [(at, s.role == "include", s.feather_px) for at, s in moving if at is not None]
    return []


def _region_at(shape: RegionShape, poses: Mapping[int, Float64], frame: int) -> Float64 | None:
    return shape_at(shape, frame, poses) if frame in poses else None


def _poses(tracks: Tracks, surface: str | None) -> dict[int, Float64]:
    track = tracks.get(surface, {}) if surface else {}
    return {n: r.homography for n, r in track.items() if r.homography is not None}
