"""A shorter plate for the command line: every command follows anew, and length is not the point here."""

from pathlib import Path

import pytest

from tests.plates import Plate


@pytest.fixture(scope="session")
def plate(short_plate: Plate) -> Plate:
    """A small plate with truth, 24 frames."""
    return short_plate


@pytest.fixture(scope="session")
def plate_film(short_film: Path) -> Path:
    """The small plate as a film with sound."""
    return short_film
