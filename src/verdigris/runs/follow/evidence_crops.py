"""The picture around a surface's corners and points, cut out at every frame it was followed to: what the corner strip shows."""

from collections.abc import Sequence
from pathlib import Path

import cv2
import numpy as np

from verdigris.core.inspection.crops import CROP_PX, centred_crop, crop_box
from verdigris.core.types import Float64, Uint8
from verdigris.media.frames import Frame, rgb8
from verdigris.runs.follow.surface import Step
from verdigris.runs.views.proxies import encode_jpeg
from verdigris.shot.model.surface import Surface


def keep_evidence(folder: Path, surface: Surface, step: Step) -> None:
    """Cut a step's corners, then its points, out of its frame into a file of its own; nothing where the surface is lost."""
    if step.result.corners is None:
        return
    # Followed by points, the surface shows all of its points, in its order.
    seen = [step.points[p.id].at if p.id in step.points else None for p in surface.points] if step.points else []
    _write_crops(folder / f"{step.result.frame:06d}.jpg", step.picture, [*step.result.corners, *seen])


def _write_crops(path: Path, picture: Frame, places: Sequence[Float64 | None]) -> None:
    """The four corners of a frame, then its points, magnified evidence, side by side in one small JPEG; grey where unseen."""
    crops = []
    for corner in places:
        if corner is None:
            crops.append(np.full((CROP_PX, CROP_PX, 3), 44, np.uint8))
            continue
        box = crop_box(corner)
        crops.append(centred_crop(_padded(picture, box), box, corner))
    temporary = path.with_suffix(".unfinished")
    temporary.write_bytes(encode_jpeg(np.concatenate(crops, axis=1), 88))
    temporary.replace(path)


def _padded(picture: Frame, box: tuple[int, int, int, int]) -> Uint8:
    """Pixels of a box that may reach beyond the picture, filled up with grey there."""
    x0, y0, x1, y1 = box
    inner = (max(0, x0), max(0, y0), min(picture.width, x1), min(picture.height, y1))
    if inner[2] <= inner[0] or inner[3] <= inner[1]:
        return np.full((CROP_PX, CROP_PX, 3), 44, np.uint8)
    return np.asarray(
        cv2.copyMakeBorder(
            rgb8(picture, inner),
            inner[1] - y0,
            y1 - inner[3],
            inner[0] - x0,
            x1 - inner[2],
            cv2.BORDER_CONSTANT,
            value=(44, 44, 44),
        ),
        np.uint8,
    )
