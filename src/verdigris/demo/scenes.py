"""The scenes there are, by name."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from types import ModuleType

from verdigris.demo import breakwater, carton, handset, hoarding, kiosk, notice, tram
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


def _entry(module: ModuleType, build: Callable[[], Scene]) -> SceneEntry:
    return SceneEntry(build, module.WIDTH, module.HEIGHT, module.FRAMES, module.RATE, module.REFERENCE_FRAME)


SCENES: dict[str, SceneEntry] = {
    "kiosk": _entry(kiosk, kiosk.kiosk_scene),
    "hoarding": _entry(hoarding, hoarding.hoarding_scene),
    "carton": _entry(carton, carton.carton_scene),
    "tram": _entry(tram, tram.tram_scene),
    "handset": _entry(handset, handset.handset_scene),
    "notice": _entry(notice, notice.notice_scene),
    "breakwater": _entry(breakwater, breakwater.breakwater_scene),
}


@lru_cache(maxsize=2)
def build_scene(name: str) -> Scene:
    """Build a scene with all its textures."""
    return SCENES[name].build()
