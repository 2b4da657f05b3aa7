"""A shorter plate for the command line: every command follows anew, and length is not the point here."""

from pathlib import Path

import pytest

from tests.conftest import film_of
from tests.plates import Plate, make_plate


@pytest.fixture(scope="session")
def plate() -> Plate:
    """A small plate with truth, 24 frames."""
    return make_plate(count=24, reference=12, noise=0.006)


@pytest.fixture(scope="session")
def plate_film(plate: Plate, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The small plate as a film with sound."""
    return film_of(plate, tmp_path_factory.mktemp("plate"))
