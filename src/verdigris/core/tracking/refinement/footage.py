"""What closer looks need of a shot, besides the plane they follow."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass

from verdigris.core.tracking.sequence.frame_result import FrameResult
from verdigris.core.tracking.sequence.plane import AnalysisPicture
from verdigris.core.types import Bool


@dataclass(frozen=True)
class Footage:
    """A shot, and what may be asked of it.

    Attributes
    ----------
    picture : one frame's analysis picture
    pictures : the analysis pictures of some frames, in that order
    hidden : frame and results so far -> pixels that something nearer covers, (H, W) bool or None
    lens, readout : which of them may be estimated
    stop : asked between frames
    only : the frames to look at again; None for all
    """

    picture: Callable[[int], AnalysisPicture]
    pictures: Callable[[range], Iterable[AnalysisPicture]]
    hidden: Callable[[int, Mapping[int, FrameResult]], Bool | None]
    lens: bool = True
    readout: bool = True
    stop: Callable[[], bool] = lambda: False
    only: range | None = None

    def is_asked_for(self, frame: int) -> bool:
        """Whether a frame is among those to look at again."""
        return self.only is None or frame in self.only
