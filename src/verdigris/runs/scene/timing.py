"""Which frames of artwork are seen at a frame of the plate."""

from fractions import Fraction

from verdigris.shot.model.keyed import between
from verdigris.shot.model.placement import Timing

Moments = tuple[tuple[int, float], ...]


def position(timing: Timing, own: Fraction | None, plate: Fraction | None, frame: int) -> float:
    """The moment of the artwork, in its own frames, at a frame of the plate; its rate counts where both are known."""
    if timing.retime:
        a, b, t = between(timing.retime, frame)
        return a.at + t * (b.at - a.at)
    speed = float(own / plate) if timing.rate == "own" and own and plate else 1.0
    return (timing.first or 0) + timing.offset + frame * speed


def moments(timing: Timing, count: int, own: Fraction | None, plate: Fraction | None, frame: int) -> Moments | None:
    """Frames of artwork with `count` frames that are seen, with their weights; None where it has ended, or not begun.

    Before its first and after its last used frame it holds, loops, runs back and forth, or is not there.
    """
    first = min(timing.first or 0, count - 1)
    last = count - 1 if timing.last is None else min(timing.last, count - 1)
    used = max(1, last - first + 1)
    # Rounding must not show the frame before.
    at = position(timing, own, plate, frame) - first + 1e-6
    if timing.after == "end" and not 0 <= at < used:
        return None
    whole = int(at // 1)
    part = at - whole if timing.frames == "blended" else 0.0
    low, high = _wrapped(timing.after, whole, used), _wrapped(timing.after, whole + 1, used)
    if part < 1e-3 or low == high:
        return ((first + low, 1.0),)
    return ((first + low, 1.0 - part), (first + high, part))


def _wrapped(after: str, n: int, used: int) -> int:
    if after == "loop":
        return n % used
    if after == "back_and_forth" and used > 1:
        n %= 2 * used - 2
        return n if n < used else 2 * used - 2 - n
    return min(max(n, 0), used - 1)
