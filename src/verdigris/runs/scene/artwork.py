"""Placements with their artwork open: what a frame needs of each, and the pictures themselves."""

import threading
from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from pathlib import Path

import cv2
import numpy as np

from verdigris.core.camera.optics import Optics
from verdigris.core.composite.texture import Layout, Texture, art_from_surface
from verdigris.core.composite.warp import MIDDLE
from verdigris.core.geometry.held_still import frame_to_still
from verdigris.core.geometry.homography import apply_homography, homography_from_quads, unit_square_to
from verdigris.core.geometry.quad import find_quad_problem, surface_aspect
from verdigris.core.light.transfer import srgb_to_linear
from verdigris.core.types import Float32, Float64
from verdigris.media.facts import MediaFacts
from verdigris.media.reader import Reader, open_media
from verdigris.problem import said_of
from verdigris.runs.errors import RunError
from verdigris.runs.scene.camera import camera_of
from verdigris.runs.scene.frame_plan import LayerPlan, MattePlan, ShadowPlan, corners_of, points_of, polygons_of
from verdigris.runs.scene.held_still import HeldStill
from verdigris.runs.scene.in_front import Tracks, corners_around, corners_at, in_front_of
from verdigris.runs.scene.match import exposure_for, plan_match
from verdigris.runs.scene.mattes import plan_matte
from verdigris.runs.scene.sources import FrameReader, Source, open_source
from verdigris.runs.scene.timing import Moments, moments
from verdigris.shot.model.document import Shot
from verdigris.shot.model.keyed import between, value_at
from verdigris.shot.model.media import MediaRef
from verdigris.shot.model.placement import LayoutKey, Placement, Shadow
from verdigris.shot.model.surface import Surface

# Px of the longer side of a shadow's picture: shadows are soft.
SHADOW_PX = 512


Keep = Callable[[Hashable, Callable[[], Texture]], Texture]


class PlacedArtwork:
    """One placement with its artwork open.

    Parameters
    ----------
    surface : with corners placed; None where it stands in the picture
    open_file : opens a file of the artwork, or its proxies
    plate : facts of the plate
    keep : keeps frames of the artwork for other placements of the same, by a name
    """

    def __init__(
        self,
        placement: Placement,
        surface: Surface | None,
        open_file: Callable[[MediaRef], FrameReader],
        plate: MediaFacts,
        longest: int = 2048,
        keep: Keep | None = None,
    ) -> None:
        self.placement, self.surface, self._plate, self._keep = placement, surface, plate, keep
        quad = None if surface is None else surface.quad()
        if surface is not None and quad is None:
            raise ValueError("the surface has no corners")
        whole = np.array([[0.0, 0], [plate.width, 0], [plate.width, plate.height], [0, plate.height]])
        self._quad: Float64 = whole if quad is None else quad
        self._area = self._quad if placement.area is None else np.array(placement.area, dtype=np.float64)
        self.aspect = self._true_aspect()
        with said_of(placement.id, placement.name or placement.id):
            self.source: Source = open_source(placement.artwork, open_file, self.aspect, plate, longest, self._seen_px())
        self._still: tuple[Tracks, HeldStill] | None = None
        self._shown: dict[object, Texture] = {}
        self._lock, self._reading = threading.Lock(), threading.Lock()

    @property
    def depth(self) -> float:
        """How far away it is on the depth line."""
        return 1.0 if self.surface is None else self.surface.depth

    def _true_aspect(self) -> float:
        plate, surface = self._plate, self.surface
        pixel = float(plate.pixel_aspect)
        if surface is None:
            side = np.linalg.norm((np.roll(self._area, -1, axis=0) - self._area) * [pixel, 1.0], axis=1)
            return float((side[0] + side[2]) / max(side[1] + side[3], 1e-6))
        aspect = surface.proportions or surface_aspect(self._quad, plate.width, plate.height, pixel)
        if self.placement.area is None:
            return aspect
        # The area's sides in the true proportions of the plane it lies on.
        flat = apply_homography(np.asarray(np.linalg.inv(unit_square_to(self._quad)), np.float64), self._area) * [aspect, 1.0]
        side = np.linalg.norm(np.roll(flat, -1, axis=0) - flat, axis=1)
        return float((side[0] + side[2]) / max(side[1] + side[3], 1e-6))

    def _seen_px(self) -> int:
        """Px of the longer side of a drawing: half as large again as it is seen at the reference frame."""
        side = np.linalg.norm(np.roll(self._area, -1, axis=0) - self._area, axis=1)
        largest = max((abs(v) for key in self.placement.layout for v in key.scale), default=1.0)
        return int(np.clip(np.ceil(1.5 * largest * side.max()), 64, 4096))

    def moments(self, frame: int) -> Moments | None:
        """Frames of the artwork seen at a frame of the plate, with their weights; None where it has none to show."""
        return moments(self.placement.time, self.source.count, self.source.rate, self._plate.rate, frame)

    def plans_at(self, shot: Shot, tracks: Tracks, frame: int) -> list[LayerPlan]:
        """What a frame needs of it, far to near: its shadow and itself; nothing where it is not there or its surface is lost."""
        placement = self.placement
        seen = placement.on and (placement.span is None or placement.span[0] <= frame <= placement.span[1])
        opacity = value_at(placement.opacity, frame)
        shown = self.moments(frame) if seen and opacity > 0 else None
        with said_of(placement.id, placement.name or placement.id):
            where = None if shown is None else self._where(shot, tracks, frame)
        if shown is None or where is None:
            return []
        camera, reference, corners, area = where
        size = (self._plate.width, self._plate.height)
        covered = self.surface is not None and placement.covered_by_nearer
        nearer = in_front_of(shot, self.surface, tracks, frame, size, blurred=True) if covered and self.surface is not None else ([], [])
        match = shot.match_of(placement.surface)
        exposure = exposure_for(match, corners)
        layout = _layout_at(placement.layout, frame)
        lies_flat = placement.painted is None and placement.drawn_over is None
        art_from_area = self._art_from_area(layout, area)
        if placement.beyond != "nothing" and lies_flat and placement.rides == "full" and self.surface is not None:
            times = self._beyond(corners[0])[1]
            art_from_area = art_from_area @ np.array([[1 + 2 * times, 0, -times], [0, 1 + 2 * times, -times], [0, 0, 1.0]])
        main = LayerPlan(
            (placement.artwork.model_dump_json(), shown), tuple(art_from_area.reshape(-1).tolist()), camera,
            points_of(reference), corners_of(corners), None if area is None else points_of(area), layout.crop,
            overshoot_px=placement.overshoot_px if lies_flat else (0.0, 0.0, 0.0, 0.0),
            black_bars=lies_flat and placement.surround == "black", rounding=self._rounding(), opacity=opacity,
            blend=placement.blend, blend_in=placement.blend_in, beyond=placement.beyond, in_front=polygons_of(*nearer),
            kept_in_front=self._mattes(shot, placement.kept_in_front, tracks, frame),
            shown_only_in=self._mattes(shot, placement.shown_only_in, tracks, frame),
            exposure=exposure or MIDDLE, match=plan_match(match, frame) if placement.blend == "over" else None,
        )  # fmt: skip
        return [main] if placement.shadow is None else [self._shadow(placement.shadow, main), main]

    def _mattes(self, shot: Shot, ids: Sequence[str], tracks: Tracks, frame: int) -> tuple[MattePlan, ...]:
        size = (self._plate.width, self._plate.height)
        return tuple(plan_matte(shot, shot.matte(k), tracks, frame, size) for k in ids)

    def _where(self, shot: Shot, tracks: Tracks, frame: int) -> tuple[Optics, Float64, dict[int, Float64], Float64 | None] | None:
        """Camera, corners at the reference frame, corners around this frame, and the area on the plane; None where it is lost."""
        placement, width, height = self.placement, self._plate.width, self._plate.height
        plain = Optics(width, height)
        if self.surface is None:
            return plain, self._area, {0: self._area}, None
        track = tracks.get(self.surface.id, {})
        if placement.painted is not None:
            # What was painted on straight canvases rides back straight.
            at = self._canvas_at(tracks, frame)
            return None if at is None else (plain, self._quad, {0: at}, None)
        if placement.drawn_over is not None:
            return self._drawn_over(track, placement.drawn_over, frame, plain)
        if placement.rides != "full":
            now = corners_at(self.surface, track, frame)
            if now is None:
                return None
            still = frame_to_still(self._quad, now, placement.rides)
            if still is None:
                return None
            back = np.asarray(np.linalg.inv(still), np.float64)
            return plain, self._quad, {0: apply_homography(back, self._quad)}, self._area
        camera = camera_of(shot, (width, height), track)
        match = shot.match_of(self.surface.id)
        corners = corners_around(self.surface, track, frame, camera, match is not None and match.movement is not None)
        if not corners:
            return None
        if placement.beyond != "nothing":
            return camera, self._quad, corners, self._beyond(corners[0])[0]
        return camera, self._quad, corners, None if placement.area is None else self._area

    def _beyond(self, now: Float64) -> tuple[Float64, int]:
        """As much of the plane around its area as is a plane in this picture, and how many areas that is to each side."""
        move = homography_from_quads(self._quad, now)
        for times in (24, 12, 6, 3, 1):
            unit = np.array([[-times, -times], [1 + times, -times], [1 + times, 1 + times], [-times, 1 + times]], np.float64)
            wide = unit_square_to(self._area)
            depth = np.concatenate([unit, np.ones((4, 1))], axis=1) @ wide[2]
            if np.any(depth * np.sign(depth[0]) <= 1e-9):
                continue
            area = apply_homography(wide, unit)
            away = np.concatenate([area, np.ones((4, 1))], axis=1) @ move[2]
            if np.all(away * np.sign(away[0]) > 1e-9) and find_quad_problem(apply_homography(move, area), 1.0) is None:
                return area, times
        return self._area, 0

    def _drawn_over(
        self, track: Mapping[int, object], over: int, frame: int, plain: Optics
    ) -> tuple[Optics, Float64, dict[int, Float64], Float64 | None] | None:
        """Artwork in the perspective of one frame rides straight from there: on that frame it lies px on px."""
        assert self.surface is not None
        at = self._quad if over == self.surface.reference_frame else corners_at(self.surface, track, over)  # type: ignore[arg-type]
        now = at if frame == over else corners_at(self.surface, track, frame)  # type: ignore[arg-type]
        if at is None or now is None:
            return None
        area = self._drawn_box
        area = at if area is None else area
        moved = apply_homography(homography_from_quads(at, now), area)
        return None if find_quad_problem(moved, 1.0) else (plain, at, {0: now}, area)

    @cached_property
    def _drawn_box(self) -> Float64 | None:
        """The box of what was drawn, plate px; None where it is opaque: then only the surface is shown of it."""
        if (self.source.width, self.source.height) != (self._plate.width, self._plate.height):
            plate = self._plate
            ratio = (self.source.width / plate.width, self.source.height / plate.height)
            if abs(ratio[0] / ratio[1] - 1) > 0.01:
                sizes = f"{self.source.width} x {self.source.height} px, the plate {plate.width} x {plate.height}"
                raise RunError("wrong_size", f"What is drawn over a frame has the plate's size; this has {sizes}.")
        alpha = self._frame(0).pixels[..., 3]
        seen = alpha > 0
        if seen.all():
            return None
        rows, cols = np.flatnonzero(seen.any(axis=1)), np.flatnonzero(seen.any(axis=0))
        if len(rows) == 0 or self.source.count > 1:
            rows, cols = np.array([0, alpha.shape[0] - 1]), np.array([0, alpha.shape[1] - 1])
        sx, sy = self._plate.width / alpha.shape[1], self._plate.height / alpha.shape[0]
        x0, x1, y0, y1 = cols[0] * sx, (cols[-1] + 1) * sx, rows[0] * sy, (rows[-1] + 1) * sy
        return np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]], np.float64)

    def _art_from_area(self, layout: LayoutKey, area: Float64 | None) -> Float64:
        placement, source = self.placement, self.source
        if placement.painted is not None:
            # Painted on the plate held still: it lies on the whole canvas.
            return np.diag([float(source.width), float(source.height), 1.0])
        if placement.drawn_over is not None:
            assert area is not None
            return np.diag([source.width / self._plate.width, source.height / self._plate.height, 1.0]) @ unit_square_to(area)
        lie = Layout(layout.move, layout.scale, layout.turn_deg)
        whole = art_from_surface(placement.fit, source.width, source.height, source.pixel_aspect, self.aspect, lie)
        # The cropped picture begins at a whole px.
        left, top = np.floor(layout.crop[0] * source.width), np.floor(layout.crop[1] * source.height)
        return np.array([[1, 0, -left], [0, 1, -top], [0, 0, 1.0]]) @ whole

    def _rounding(self) -> tuple[float, float]:
        r = self.placement.rounding
        return (r / self.aspect, r) if self.aspect >= 1 else (r, r * self.aspect)

    def _shadow(self, shadow: Shadow, main: LayerPlan) -> LayerPlan:
        """The shadow of a layer: a soft picture on a wider area of the same plane."""
        shorter = (1 / self.aspect, 1.0) if self.aspect >= 1 else (1.0, self.aspect)
        reach = 3 * shadow.soft + max(0.0, shadow.grow)
        pad = [reach * shorter[k] + abs(shadow.offset[k]) + 0.01 for k in (0, 1)]
        unit = np.array([[-pad[0], -pad[1]], [1 + pad[0], -pad[1]], [1 + pad[0], 1 + pad[1]], [-pad[0], 1 + pad[1]]])
        area = np.array(main.area) if main.area is not None else np.array(main.reference)
        wide = apply_homography(unit_square_to(area), unit)
        r, g, b = (float(v) for v in srgb_to_linear(np.array(shadow.rgb) / 255.0))
        told = ShadowPlan(shadow.soft, shadow.grow, (r, g, b), shadow.strength, shadow.offset, (pad[0], pad[1]))
        return replace(
            main, area=points_of(wide), overshoot_px=(0.0, 0.0, 0.0, 0.0), black_bars=False, rounding=(0.0, 0.0),
            blend="over", blend_in=None, beyond="nothing", shadow=told, match=None,
        )  # fmt: skip

    def _canvas_at(self, tracks: Tracks, frame: int) -> Float64 | None:
        """Corners of the canvas that was painted on; None where the surface is lost."""
        assert self.placement.painted is not None
        assert self.surface is not None
        with self._lock:
            if self._still is None or self._still[0] is not tracks:
                size = (self._plate.width, self._plate.height)
                self._still = tracks, HeldStill(self.surface, tracks, self.placement.painted, size)
            still = self._still[1]
        return still.canvas_in_plate(frame)

    def texture(self, plan: LayerPlan) -> tuple[Texture, Float64]:
        """The picture of a plan, ready to be composed, and the map from the area's unit square to its px."""
        whole = np.array(plan.art_from_surface).reshape(3, 3)
        shown = plan.artwork[1]
        if plan.shadow is not None:
            # Where it lies changes from frame to frame; what it looks like does not.
            like = ("shadow", shown, plan.crop, plan.shadow, plan.art_from_surface)
            return self._kept(like, lambda: self._shadow_picture(plan, whole)), np.diag([*self._shadow_size(plan), 1.0])
        return self._kept((shown, plan.crop), lambda: self._mixed(shown, plan.crop)), whole

    def _kept(self, name: object, make: Callable[[], Texture]) -> Texture:
        """A picture, kept while the frames around it are drawn; frames are composed side by side."""
        with self._lock:
            if name in self._shown:
                return self._shown[name]
        made = make()
        with self._lock:
            if len(self._shown) >= 4:
                self._shown.pop(next(iter(self._shown)))
            self._shown[name] = made
        return made

    def _frame(self, frame: int) -> Texture:
        def read() -> Texture:
            with self._reading, said_of(self.placement.id, self.placement.name or self.placement.id):
                return Texture(self.source.light(frame))

        if self._keep is None:
            return self._kept(("frame", frame), read)
        # Items of a running order run at rates of their own, told against the plate's.
        plate = (self._plate.rate, self._plate.width, self._plate.height)
        return self._keep((self.placement.artwork.model_dump_json(), round(self.aspect, 6), self._seen_px(), plate, frame), read)

    def _mixed(self, shown: Moments, crop: tuple[float, float, float, float]) -> Texture:
        parts = [(self._frame(n), w) for n, w in shown]
        if len(parts) == 1 and not any(crop):
            return parts[0][0]
        pixels = parts[0][0].pixels if len(parts) == 1 else np.sum([np.float32(w) * t.pixels for t, w in parts], axis=0)
        return Texture(_cropped(np.asarray(pixels, np.float32), crop))

    def _shadow_size(self, plan: LayerPlan) -> tuple[float, float]:
        assert plan.shadow is not None
        width, height = (1 + 2 * plan.shadow.pad[0]) * self.aspect, 1 + 2 * plan.shadow.pad[1]
        k = SHADOW_PX / max(width, height)
        return float(max(8, round(width * k))), float(max(8, round(height * k)))

    def _shadow_picture(self, plan: LayerPlan, art_from_area: Float64) -> Texture:
        shadow = plan.shadow
        assert shadow is not None
        w, h = (int(v) for v in self._shadow_size(plan))
        (px, py), (ox, oy) = shadow.pad, shadow.offset
        # Px of the shadow's picture to shares of the artwork's own area, less the offset.
        unit = np.array([[(1 + 2 * px) / w, 0, -px - ox], [0, (1 + 2 * py) / h, -py - oy], [0, 0, 1.0]])
        half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
        alpha = self._mixed(plan.artwork[1], plan.crop).pixels[..., 3]
        shrink = max(1, int(max(alpha.shape) / (2 * SHADOW_PX)))
        if shrink > 1:
            alpha = cv2.resize(alpha, None, fx=1 / shrink, fy=1 / shrink, interpolation=cv2.INTER_AREA)
        art = np.diag([1 / shrink, 1 / shrink, 1.0]) @ art_from_area @ unit
        m = np.linalg.inv(half) @ art @ half
        cover = cv2.warpPerspective(alpha, m, (w, h), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderValue=0)
        # What lies beyond the artwork's area is not seen, and casts nothing.
        y, x = np.mgrid[0:h, 0:w] + 0.5
        u, v = unit[0, 0] * x + unit[0, 2], unit[1, 1] * y + unit[1, 2]
        cover = np.where((u >= 0) & (u <= 1) & (v >= 0) & (v <= 1), cover, 0).astype(np.float32)
        shorter = min(h / (1 + 2 * py), w / (1 + 2 * px))
        grow = round(abs(shadow.grow) * shorter)
        if grow:
            disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * grow + 1, 2 * grow + 1))
            cover = (cv2.dilate if shadow.grow > 0 else cv2.erode)(cover, disc)
        if shadow.soft > 0:
            cover = cv2.GaussianBlur(cover, (0, 0), shadow.soft * shorter)
        cover = np.clip(cover * shadow.strength, 0, 1).astype(np.float32)
        return Texture(np.dstack([cover * np.float32(c) for c in shadow.light] + [cover]).astype(np.float32))

    def mean_light(self, plan: LayerPlan) -> tuple[float, float, float]:
        """Mean linear light of the picture of a plan."""
        r, g, b = (float(v) for v in self.texture(plan)[0].pixels[..., :3].mean(axis=(0, 1)))
        return r, g, b

    def close(self) -> None:
        """Close the artwork."""
        self.source.close()


def _layout_at(keys: Sequence[LayoutKey], frame: int) -> LayoutKey:
    if not keys:
        return LayoutKey()
    a, b, t = between(keys, frame)

    def mixed(x: tuple[float, ...], y: tuple[float, ...]) -> tuple[float, ...]:
        return tuple(p + t * (q - p) for p, q in zip(x, y, strict=True))

    return LayoutKey.model_validate(
        {"move": mixed(a.move, b.move), "scale": mixed(a.scale, b.scale), "turn_deg": a.turn_deg + t * (b.turn_deg - a.turn_deg),
         "crop": mixed(a.crop, b.crop)}
    )  # fmt: skip


def _cropped(pixels: Float32, crop: tuple[float, float, float, float]) -> Float32:
    """A picture without its cropped edges; at the new edges, part of a px counts as part of its coverage."""
    if not any(crop):
        return pixels
    h, w = pixels.shape[:2]
    left, top, right, bottom = crop[0] * w, crop[1] * h, w - crop[2] * w, h - crop[3] * h
    x, y = np.arange(w) + 0.5, np.arange(h) + 0.5
    across = np.clip(np.minimum(x + 0.5 - left, right - (x - 0.5)), 0, 1)
    down = np.clip(np.minimum(y + 0.5 - top, bottom - (y - 0.5)), 0, 1)
    x0, x1 = int(np.floor(left)), int(np.ceil(right))
    y0, y1 = int(np.floor(top)), int(np.ceil(bottom))
    cover = (down[:, None] * across[None, :]).astype(np.float32)
    return np.ascontiguousarray((pixels * cover[..., None])[y0:y1, x0:x1])


def resolve(ref: MediaRef, base: Path, media: Mapping[str, Path] | None = None) -> Path:
    """Where a reference points: beside the document, or among the application's media."""
    if ref.path is not None:
        return base / ref.path
    assert ref.media is not None
    return (media or {})[ref.media]


def open_ref(ref: MediaRef, base: Path, media: Mapping[str, Path] | None = None) -> Reader:
    """Open the media of a reference."""
    return open_media(resolve(ref, base, media), ref.rate, colour=ref.colour)
