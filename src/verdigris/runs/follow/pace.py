"""How far a run is, on one scale from its first frame to its last look.

How often frames are looked at once more shows only as a run goes on. The first look has its share of the scale; closer looks
fill the rest ever more slowly, so that it never goes back and never stands at its end while work goes on.
"""

from dataclasses import dataclass

import numpy as np

SCALE = 1000
# Share of the scale that the first look has, and how often frames are looked at closer, usually.
FIRST_SHARE, USUAL_LOOKS = 0.4, 1.6
FIRST, CLOSER = "first look", "closer look"


@dataclass
class Pace:
    """Counts looks at the frames of a run.

    Attributes
    ----------
    frames : frames the run is about
    first, closer : looks so far
    """

    frames: int
    first: int = 0
    closer: int = 0

    def look(self, again: bool) -> None:
        """Count a look: the first at a frame, or a closer one."""
        if again:
            self.closer += 1
        else:
            self.first += 1

    @property
    def done(self) -> int:
        """How far it is, of `SCALE`."""
        first = min(1.0, self.first / max(1, self.frames)) if not self.closer else 1.0
        closer = 1 - np.exp(-self.closer / (USUAL_LOOKS * max(1, self.frames)))
        return int(SCALE * (FIRST_SHARE * first + (1 - FIRST_SHARE) * closer))

    @property
    def phase(self) -> str:
        """What is being done now, in words."""
        return CLOSER if self.closer else FIRST
