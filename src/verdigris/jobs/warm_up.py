"""What a worker does while nobody waits: load and compile what following needs, so that the first key press is answered soon."""

import cv2
import numpy as np

from verdigris.core.tracking.sequence.follow import PlaneFollower
from verdigris.core.tracking.sequence.plane import AnalysisPicture
from verdigris.core.types import Float32

WIDTH, HEIGHT = 240, 180


def warm_up() -> None:
    """Follow a small made-up plane for two frames."""
    noise = np.random.default_rng(1).random((HEIGHT, WIDTH + 8), dtype=np.float32)
    texture = cv2.normalize(cv2.GaussianBlur(noise, (0, 0), 2.0), None, 0.1, 0.9, cv2.NORM_MINMAX)  # type: ignore[call-overload]

    def picture(n: int) -> AnalysisPicture:
        seen: Float32 = np.ascontiguousarray(texture[:, 4 * n : 4 * n + WIDTH], np.float32)
        return AnalysisPicture.of(seen)

    region = np.zeros((HEIGHT, WIDTH), bool)
    region[30:150, 40:200] = True
    corners = np.array([[40.0, 30], [200, 30], [200, 150], [40, 150]])
    follower = PlaneFollower(picture(0), region, corners, "perspective", 0)
    history = [follower.reference_result()]
    for n in (1, 2):
        history.append(follower.step(n, picture(n - 1), picture(n), history, None))
    follower.settle(1, picture(1), {r.frame: r for r in history}, None)
