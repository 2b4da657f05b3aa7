"""What is composed is computed in the plate's own light, read once and written once."""

import numpy as np
import pytest

from verdigris.core.camera.optics import Optics
from verdigris.core.composite.texture import Texture
from verdigris.core.light.transfer import srgb_to_linear
from verdigris.core.light.yuv import YuvCoding
from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.media.frames import RgbFrame, YuvFrame
from verdigris.runs.render.compose import draw_frame, plan_frame
from verdigris.runs.scene.frame_plan import LayerPlan
from verdigris.shot.model.document import parse_shot

W, H = 96, 72
QUADS = {
    "a": [[20.3, 14.6], [75.8, 18.2], [72.1, 60.4], [17.7, 55.9]],
    "b": [[30.0, 20.0], [60.0, 22.0], [58.0, 40.0], [31.0, 41.0]],
    "c": [[4.0, 4.0], [12.0, 4.0], [12.0, 10.0], [4.0, 10.0]],
}


class Placed:
    """A plain colour on a surface, as `PlacedArtwork` gives it."""

    def __init__(self, surface, colour, alpha: float = 1.0) -> None:
        self.surface, self.depth = surface, surface.depth
        self._art = Texture(np.ascontiguousarray(np.broadcast_to(np.array([*(alpha * np.array(colour)), alpha], np.float32), (30, 40, 4))))

    def plans_at(self, shot, tracks, frame) -> list[LayerPlan]:
        quad = tuple((float(x), float(y)) for x, y in QUADS[self.surface.id])
        return [LayerPlan((self.surface.id, ((0, 1.0),)), (40.0, 0, 0, 0, 30.0, 0, 0, 0, 1.0), Optics(W, H), quad, ((0, quad),))]

    def texture(self, plan) -> tuple[Texture, np.ndarray]:
        return self._art, np.array(plan.art_from_surface).reshape(3, 3)


def composed(picture, *placed: tuple[str, tuple[float, float, float], float]):
    surfaces = [{"id": k, "name": k, "depth": 9 - i, "reference_frame": 0, "corners": QUADS[k]} for i, (k, _, _) in enumerate(placed)]
    shot = parse_shot({"format": "verdigris.shot", "version": 1, "plate": {"path": "p.mp4"}, "surfaces": surfaces})
    arts = [Placed(shot.surface(k), colour, alpha) for k, colour, alpha in placed]
    tracks: dict[str, dict[int, FrameResult]] = {}
    return draw_frame(plan_frame(shot, arts, tracks, 0), arts, picture)  # type: ignore[arg-type]


def test_a_linear_plate_keeps_negatives_and_highlights_beside_and_under_the_edge():
    rng = np.random.default_rng(1)
    pixels = rng.uniform(-0.3, 60.0, (H, W, 3)).astype(np.float16).astype(np.float32)
    result = composed(RgbFrame(pixels), ("a", (14.0, 3.0, 0.25), 1.0))
    changed = (result.pixels != pixels).any(axis=2)
    assert 1800 < changed.sum() < 2600
    assert np.array_equal(result.pixels[~changed], pixels[~changed])
    # Artwork brighter than white stays as bright as it is.
    assert np.allclose(result.pixels[36, 46], [14.0, 3.0, 0.25], rtol=1e-6)
    through = composed(RgbFrame(pixels), ("a", (0.0, 0.0, 0.0), 0.5))
    assert np.allclose(through.pixels[36, 46], 0.5 * pixels[36, 46], rtol=1e-5)


def test_what_is_laid_over_each_other_is_rounded_once():
    coding = YuvCoding("bt709", False, 8, 1, 1)
    luma = np.random.default_rng(2).integers(60, 180, (H, W), np.uint8)
    plate = YuvFrame((luma, *(np.full((H // 2, W // 2), v, np.uint8) for v in (120, 134))), coding)
    layers = [("a", (0.5, 0.2, 0.1), 0.3), ("b", (0.30, 0.25, 0.2), 0.04)]
    result = composed(plate, *layers)
    # The same in floating point, from the plate's own codes.
    light = srgb_to_linear(plate.codes((40, 28, 50, 34)))
    for _, colour, alpha in layers:
        light = alpha * np.array(colour) + (1 - alpha) * light
    # Rounded twice, some would be a whole code value off.
    assert np.abs(result.planes[0][28:34, 40:50] - _luma(light, coding)).max() <= 0.51


def _luma(light: np.ndarray, coding: YuvCoding) -> np.ndarray:
    offset, span, *_, kr, kb = coding.numbers
    code = np.where(light <= 0.0031308, light * 12.92, 1.055 * light ** (1 / 2.4) - 0.055)
    return (kr * code[..., 0] + (1 - kr - kb) * code[..., 1] + kb * code[..., 2]) * span + offset


@pytest.mark.parametrize("order", [("a", "c"), ("c", "a"), ("c", "b", "a")])
def test_pins_apart_and_over_each_other_leave_the_rest_alone(order):
    pixels = np.random.default_rng(3).integers(0, 256, (H, W, 3), np.uint8)
    colours = {"a": (0.8, 0.1, 0.1), "b": (0.1, 0.8, 0.1), "c": (0.1, 0.1, 0.8)}
    result = composed(RgbFrame(pixels), *((k, colours[k], 1.0) for k in order))
    nearest_at_b = [k for k in order if k in "ab"][-1]
    for at, k in (((30, 45), nearest_at_b), ((7, 8), "c"), ((50, 40), "a")):
        code = np.where(np.array(colours[k]) <= 0.0031308, 0, 1.055 * np.array(colours[k]) ** (1 / 2.4) - 0.055)
        assert np.abs(result.pixels[at] - 255 * code).max() <= 1
    assert np.array_equal(result.pixels[:, 80:], pixels[:, 80:])
