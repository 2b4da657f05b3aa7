"""Fixtures: a throw-away PostgreSQL, the running application, small plates."""

import os
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings

from launch.cluster import throwaway_cluster
from tests.live_app import LiveApp, make_database
from tests.plates import Plate, make_plate, write_plate
from verdigris.media.stills import write_still

# Compiling for the first time takes as long as it takes.
settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")


# What follows many frames or draws whole plates: a quick run leaves it out, a whole one begins with it.
SLOW = {
    "core": ["camera", "templates", "sharper_frame", "repetition_and_rim", "demo_scenes", "grain", "lens_doubt", "kiosk_scene",
             "doubt", "tracking_properties", "camera_covariance", "motion_parties", "any_input", "crowd", "tracking"],
    "runs": ["mending_and_advice", "bow_advice", "lens_advice", "first_steps", "passing_advice", "held_still", "near_frames", "spans",
             "project", "regions_and_judging"],
}  # fmt: skip
LONG = ("tests/browser", "tests/cli", "tests/api", "tests/jobs")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Mark what is slow, and put it first: what is long must not be what is begun last."""
    slow = {f"tests/{folder}/test_{name}.py" for folder, names in SLOW.items() for name in names}

    def rank(item: pytest.Item) -> int:
        file = item.nodeid.partition("::")[0]
        return 0 if file.startswith(LONG) else 1 if file in slow else 2

    for item in items:
        if rank(item) < 2:
            item.add_marker(pytest.mark.slow)
    items.sort(key=rank)


@pytest.fixture(scope="session")
def server_url() -> Iterator[str]:
    """Address of a throw-away database; ./verdigris test names one, else one is started."""
    if url := os.environ.get("VERDIGRIS_TEST_DATABASE"):
        yield url
        return
    cluster = throwaway_cluster()
    cluster.start()
    yield cluster.create_database("verdigris_test")
    cluster.stop()


@pytest.fixture(scope="session")
def database_url(server_url: str) -> str:
    """A migrated database for tests of the store."""
    from verdigris.store.migrate import migrate

    url = make_database(server_url, "store_test")
    migrate(url)
    migrate(url)  # twice is the same as once
    return url


@pytest.fixture(scope="session")
def live(server_url: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[LiveApp]:
    """The running application with one worker; uploads above 40 MB are too large for it."""
    app = LiveApp(server_url, tmp_path_factory.mktemp("live"), largest_upload=str(40 * 2**20))
    yield app
    app.stop()


@pytest.fixture(scope="session")
def plate() -> Plate:
    """A small plate with truth, 60 frames."""
    return make_plate(count=60, reference=30, noise=0.006)


def film_of(plate: Plate, folder: Path) -> Path:
    """A plate as a film with sound."""
    from fractions import Fraction

    from verdigris.demo.sound import write_sound
    from verdigris.media.writer import join_parts

    write_plate(folder / "picture.mp4", plate)
    write_sound(folder / "sound.mkv", len(plate.frames) / 24)
    join_parts([folder / "picture.mp4"], [0], folder / "plate.mp4", Fraction(24), folder / "sound.mkv")
    return folder / "plate.mp4"


@pytest.fixture(scope="session")
def plate_film(plate: Plate, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The small plate as a film with sound."""
    return film_of(plate, tmp_path_factory.mktemp("plate"))


@pytest.fixture(scope="session")
def short_plate() -> Plate:
    """A small plate with truth, 24 frames: for where length is not the point."""
    return make_plate(count=24, reference=12, noise=0.006)


@pytest.fixture(scope="session")
def short_film(short_plate: Plate, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The short plate as a film with sound."""
    return film_of(short_plate, tmp_path_factory.mktemp("short"))


@pytest.fixture(scope="session")
def art_still(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A red still."""
    import numpy as np

    path = tmp_path_factory.mktemp("art") / "red.png"
    write_still(path, np.full((90, 120, 3), (210, 40, 30), np.uint8))
    return path
