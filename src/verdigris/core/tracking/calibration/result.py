"""What a run was found to say about its camera."""

from dataclasses import dataclass

from verdigris.core.camera.optics import Movement, Optics
from verdigris.core.tracking.calibration.solve_parameters import SIGNIFICANT
from verdigris.core.tracking.calibration.terms import Estimate, Term

WORTH_ANOTHER_ROUND = 0.02


@dataclass(frozen=True)
class Calibration:
    """Outcome.

    Attributes
    ----------
    optics : what to look through from now on
    reference_movement : movement of the plane at the reference frame
    estimates : the terms that were kept
    gain : by how much frames fit better, as a share of their residual; 0 when nothing was kept
    changed : by how many of its standard deviations the term that changed most differs from what it was
    """

    optics: Optics
    reference_movement: Movement
    estimates: dict[Term, Estimate]
    gain: float
    changed: float = 0.0

    @property
    def moving(self) -> bool:
        """Whether another round would find more: frames have yet to be looked at with what changed here."""
        return self.gain > WORTH_ANOTHER_ROUND or self.changed > SIGNIFICANT
