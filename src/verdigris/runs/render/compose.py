"""Composed frames of a shot: plate in, plate with everything pinned out. One way for previews, command line and workers."""

from collections.abc import Sequence
from typing import Protocol

import numpy as np

from verdigris.core.composite.layer import Box, Layer, layer_box
from verdigris.core.composite.stack import apart, put_layers
from verdigris.core.composite.texture import Texture
from verdigris.core.composite.warp import scaled_camera, warp_of
from verdigris.core.matte.occlusion import occlusion
from verdigris.core.types import Float32
from verdigris.media.frames import Frame
from verdigris.runs.errors import RunError
from verdigris.runs.scene.frame_plan import FramePlan, LayerPlan, arrays_of
from verdigris.runs.scene.in_front import Tracks, corners_at
from verdigris.shot.model.document import Shot
from verdigris.shot.model.surface import Surface


class Placed(Protocol):
    """A placement with its artwork open."""

    surface: Surface

    def plan_at(self, shot: Shot, tracks: Tracks, frame: int) -> LayerPlan | None:
        """What a frame needs of it; None where the surface is lost."""
        ...

    def texture(self, frame: int) -> Texture:
        """A frame of the artwork, ready to be composed."""
        ...


def check_ready(shot: Shot, tracks: Tracks) -> None:
    """Say what is missing before rendering; RunError `nothing_placed`, `no_corners` or `not_tracked`."""
    if shot.delivery.still is not None:
        held = shot.surface(shot.delivery.still.surface)
        if not any(r.homography is not None for r in tracks.get(held.id, {}).values()):
            raise RunError("not_tracked", f"{held.name} has no track to hold the plate still by. Track it first.")
        return
    if not shot.placements:
        raise RunError("nothing_placed", "There is nothing to render yet: place artwork on a surface first.")
    for placement in shot.placements:
        surface = shot.surface(placement.surface)
        if surface.corners is None:
            raise RunError("no_corners", f"Place the four corners of {surface.name} first.")
        if not any(r.homography is not None for r in tracks.get(surface.id, {}).values()):
            raise RunError("not_tracked", f"{surface.name} has artwork but no track. Track it first.")


def plan_frame(shot: Shot, placed: Sequence[Placed], tracks: Tracks, frame: int) -> FramePlan:
    """What a frame of result needs, far to near."""
    order = sorted(range(len(placed)), key=lambda i: -placed[i].surface.depth)
    layers = [(i, plan) for i in order if (plan := placed[i].plan_at(shot, tracks, frame)) is not None]
    return FramePlan(shot.plate.model_dump_json(), frame, tuple(layers))


def draw_frame(plan: FramePlan, placed: Sequence[Placed], picture: Frame, scale: float = 1.0) -> Frame:
    """A frame of result from its plan. Where nothing covers, it is the plate, bit for bit.

    `scale` is px of `picture` per plate px: below 1 for previews made from proxies.
    """
    layers: list[tuple[Layer, Box, Float32 | None]] = []
    for i, one in plan.layers:
        layer = _layer(one, placed[i], scale)
        box = None if layer is None else layer_box(layer, picture.width, picture.height)
        if layer is not None and box is not None:
            layers.append((layer, box, _nearer(one, box, picture, scale)))
    for members, around in apart([box for _, box, _ in layers]):
        before = picture.values(around)
        light, touched = put_layers(picture.light_of(before), around, [layers[i] for i in members])
        picture = picture.with_region(around, before, picture.values_of(light), touched)
    return picture


def _layer(plan: LayerPlan, placed: Placed, scale: float) -> Layer | None:
    """The layer of a plan; None when its corners make no plane."""
    texture = placed.texture(plan.artwork[1])
    art_from_surface = np.array(plan.art_from_surface).reshape(3, 3)
    try:
        warp = warp_of(
            scaled_camera(plan.camera, scale), np.array(plan.reference) * scale, arrays_of(plan.corners, scale), exposure=plan.exposure
        )
    except ValueError:
        return None
    return Layer(texture, warp, art_from_surface, plan.overshoot_px * scale, plan.black_bars)


def _nearer(plan: LayerPlan, box: Box, picture: Frame, scale: float) -> Float32 | None:
    """Coverage of what is nearer, in the layer's box."""
    polygons, feathers = [np.array(p) * scale for p, _ in plan.in_front], [f * scale for _, f in plan.in_front]
    whole = occlusion(polygons, feathers, picture.width, picture.height)
    x0, y0, x1, y1 = box
    return None if whole is None else np.ascontiguousarray(whole[y0:y1, x0:x1])


def frames_without_track(shot: Shot, tracks: Tracks, count: int) -> list[int]:
    """Frames at which some placement cannot be shown because its surface is lost or untracked."""
    missing = set()
    for placement in shot.placements:
        surface = shot.surface(placement.surface)
        track = tracks.get(surface.id, {})
        missing |= {n for n in range(count) if corners_at(surface, track, n) is None}
    return sorted(missing)
