"""The scenes there are, by name."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

from verdigris.demo import kiosk
from verdigris.demo.scene import Scene


@dataclass(frozen=True)
class SceneEntry:
    """How to build a scene, and what is known of it without building."""

    build: Callable[[], Scene]
    width: int
    height: int
    frames: int
    rate: tuple[int, int]
    reference_frame: int


SCENES: dict[str, SceneEntry] = {
    "kiosk": SceneEntry(kiosk.kiosk_scene, kiosk.WIDTH, kiosk.HEIGHT, kiosk.FRAMES, kiosk.RATE, kiosk.REFERENCE_FRAME)
}


@lru_cache(maxsize=2)
def build_scene(name: str) -> Scene:
    """Build a scene with all its textures."""
    return SCENES[name].build()
