"""What tells something in front from the surface behind it: its hue, or how bright it is.

References
----------
Otsu, A threshold selection method from gray-level histograms, IEEE Transactions on Systems, Man and Cybernetics 9, 1979 (one threshold
between two classes; here both are known, and the one with the fewest wrong is taken, each class counting alike).
"""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from verdigris.core.light.transfer import encode_array
from verdigris.core.matte.screen import primary_of, screen_of, screen_share
from verdigris.core.types import Float32

Channel = Literal["luma", "red", "green", "blue"]
LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
# A surface is a keyed screen from such a saturation on, and as long as its colour varies by no more.
SATURATED, EVEN = 0.45, 0.25
# A hue is preferred to brightness, which light changes, at this cost; from this share told wrongly on nothing is sure.
PREFERRED, UNSURE = 0.03, 0.12
# The soft range lies around the threshold, as a share of the way between both middles.
SOFT = 0.3


@dataclass(frozen=True)
class Apart:
    """What tells them apart best.

    Attributes
    ----------
    by : `key` by the surface's hue, or a channel's brightness
    low : codes 0..1 between which what is in front fades in; of a key nothing
    darker : what is in front is the darker one
    wrong : share of pixels that it tells wrongly, each side counting alike
    """

    by: Literal["key"] | Channel
    low: tuple[float, float]
    darker: bool
    wrong: float

    @property
    def is_sure(self) -> bool:
        """Whether it can be relied on."""
        return self.wrong < UNSURE


def tell_apart(front: Float32, surface: Float32) -> Apart:
    """What tells pixels in front (N, 3) from the surface's (M, 3), both linear light; ValueError where either has none."""
    if len(front) == 0 or len(surface) == 0:
        raise ValueError("there is nothing to tell apart")
    by_brightness = min((_by_channel(c, front, surface) for c in ("luma", "red", "green", "blue")), key=lambda a: a.wrong)
    by_hue = _by_hue(front, surface)
    return by_hue if by_hue is not None and by_hue.wrong <= by_brightness.wrong + PREFERRED else by_brightness


def _by_channel(channel: Channel, front: Float32, surface: Float32) -> Apart:
    a, b = (_values(channel, v) for v in (front, surface))
    steps = np.linspace(0, 1, 129)
    below_a, below_b = (np.searchsorted(np.sort(v), steps) / len(v) for v in (a, b))
    brighter, darker = (below_a + 1 - below_b) / 2, (below_b + 1 - below_a) / 2
    is_darker = bool(darker.min() < brighter.min())
    wrong = darker if is_darker else brighter
    # Where several do as well, the one in the middle of them.
    best = float(np.median(steps[wrong <= wrong.min() + 1e-9]))
    half = SOFT / 2 * abs(float(np.median(a)) - float(np.median(b)))
    low = (float(np.clip(best - half, 0, 1)), float(np.clip(best + half, 0, 1)))
    return Apart(channel, low, is_darker, float(wrong.min()))


def _values(channel: Channel, light: Float32) -> Float32:
    codes = encode_array(np.clip(light, 0, 1).astype(np.float32))
    return np.asarray(codes @ LUMA if channel == "luma" else codes[:, ("red", "green", "blue").index(channel)], np.float32)


def _by_hue(front: Float32, surface: Float32) -> Apart | None:
    """A key by the surface's own hue; None where it has none, or many."""
    try:
        screen = screen_of(surface)
    except ValueError:
        return None
    strongest, weakest = max(screen.colour), min(screen.colour)
    if strongest - weakest < SATURATED * strongest or screen.spread > EVEN * (strongest - weakest) / sum(screen.colour):
        return None
    channel, above = primary_of(screen.colour)
    shares = []
    for light in (front, surface):
        field = np.broadcast_to(np.array(screen.colour, np.float32), (1, *light.shape))
        level = light.sum(axis=1, keepdims=True) / max(sum(screen.colour), 1e-6)
        share = np.empty((1, len(light)), np.float32)
        screen_share(
            np.ascontiguousarray(light[None], np.float32), np.ascontiguousarray(field * level[None], np.float32), channel, above, share
        )
        shares.append(share[0])
    wrong = float(((shares[0] > 0.5).mean() + (shares[1] <= 0.5).mean()) / 2)
    return Apart("key", (0.0, 0.0), False, wrong)
