"""Single points that are followed."""

from pydantic import Field

from verdigris.core.geometry.motion import Motion
from verdigris.core.tracking.points.points import Against, Pattern
from verdigris.shot.model.base import Extent, FrameIndex, Id, Part, Point, Span


class PointKey(Part):
    """A point set by hand at one frame, plate px."""

    frame: FrameIndex
    at: Point
    half_size_px: tuple[Extent, Extent] | None = Field(None, description="another size of the pattern from this frame on")
    search_px: tuple[Extent, Extent] | None = Field(None, description="another reach of the search from this frame on")


class TrackPoint(Part):
    """A single point: a pattern, and how far to look for it."""

    id: Id
    keys: list[PointKey] = Field(min_length=1, max_length=1000)
    half_size_px: tuple[Extent, Extent] = Field((12.0, 12.0), description="half width and height of the pattern")
    search_px: tuple[Extent, Extent] = Field((40.0, 40.0), description="how far to look, to either side")
    motion: Motion = Field("translation", description="whether the pattern may turn, grow, shear")
    against: Against = Field("first", description="matched with its first frame, the one before, or those set by hand")
    left_out: bool = Field(False, description="followed, but drives nothing")
    used_spans: list[Span] = Field(default_factory=list, max_length=100, description="frames it is used for; empty: all")

    def pattern(self) -> Pattern:
        """As the core takes it."""
        return Pattern(self.half_size_px, self.search_px, self.motion, self.against)

    def adjusted(self) -> dict[int, Pattern]:
        """Patterns that hold from a frame on, where pattern or search area were changed."""
        answer, now = {}, self.pattern()
        for key in self.keys:
            if key.half_size_px is not None or key.search_px is not None:
                now = Pattern(key.half_size_px or now.half_size, key.search_px or now.search, self.motion, self.against)
                answer[key.frame] = now
        return answer
