"""Proxies: small stills of every frame for scrubbing and previews, written as the media is verified."""

from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from verdigris.core.types import AnyArray
from verdigris.media.errors import MediaError
from verdigris.media.facts import MediaFacts
from verdigris.media.frames import Frame, RgbFrame, frame_alpha, resized_rgb8
from verdigris.media.reader import Reader
from verdigris.media.whole import sweep_unfinished, whole_file

PROXY_WIDTH = 1280
JPEG_QUALITY = 90
REDUCED = {2: cv2.IMREAD_REDUCED_COLOR_2, 4: cv2.IMREAD_REDUCED_COLOR_4, 8: cv2.IMREAD_REDUCED_COLOR_8}


def proxy_size(width: int, height: int) -> tuple[int, int]:
    """Size of a proxy: at most 1280 px wide and as many high, proportions kept."""
    scale = min(1.0, PROXY_WIDTH / width, PROXY_WIDTH / height)
    return max(1, round(width * scale)), max(1, round(height * scale))


def proxy_name(frame: int, has_alpha: bool) -> str:
    """File name of a proxy."""
    return f"{frame:06d}.{'png' if has_alpha else 'jpg'}"


def encode_jpeg(rgb: AnyArray, quality: int = JPEG_QUALITY) -> bytes:
    """(H, W, 3) uint8 as JPEG."""
    ok, data = cv2.imencode(".jpg", cv2.cvtColor(rgb, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, quality])
    if not ok:
        raise MediaError("cannot_write", "A still could not be encoded.")
    return data.tobytes()


def _write_proxy(path: Path, frame: Frame, facts: MediaFacts) -> None:
    width, height = proxy_size(facts.width, facts.height)
    small = resized_rgb8(frame, width, height)
    with whole_file(path) as unfinished:
        unfinished.write_bytes(_encode_proxy(small, frame_alpha(frame)))


def _encode_proxy(small: AnyArray, alpha: AnyArray | None) -> bytes:
    if alpha is None:
        return encode_jpeg(small)
    height, width = small.shape[:2]
    reduced = np.clip(cv2.resize(alpha, (width, height), interpolation=cv2.INTER_AREA) * 255 + 0.5, 0, 255)
    ok, data = cv2.imencode(".png", np.dstack([small[..., ::-1], reduced.astype(np.uint8)]), [cv2.IMWRITE_PNG_COMPRESSION, 1])
    if not ok:
        raise MediaError("cannot_write", "A still could not be encoded.")
    return data.tobytes()


def write_proxies(reader: Reader, folder: Path, progress: Callable[[int, int], None], stopping: Callable[[], bool]) -> bool:
    """Decode everything once and write a proxy of every frame; False when stopped before the end.

    Proxies that are there already are kept, and their frames are decoded all the same: this is the verification.

    Raises
    ------
    MediaError
        `damaged` where a frame cannot be decoded.
    """
    folder.mkdir(parents=True, exist_ok=True)
    sweep_unfinished(folder)
    facts = reader.facts
    for n, frame in enumerate(reader.verified_frames()):
        if stopping():
            return False
        path = folder / proxy_name(n, facts.has_alpha)
        if not path.exists():
            _write_proxy(path, frame, facts)
        progress(n + 1, facts.frame_count)
    return True


class ProxyReader:
    """Reads proxies as if they were the media; facts are those of the proxies.

    `reduce` 2, 4 or 8 reads them that many times smaller, which JPEG does almost for nothing.
    """

    def __init__(self, folder: Path, facts: MediaFacts, reduce: int = 1) -> None:
        self._folder, self._has_alpha = folder, facts.has_alpha
        self._flags = cv2.IMREAD_UNCHANGED if reduce == 1 or facts.has_alpha else REDUCED[reduce]
        width, height = proxy_size(facts.width, facts.height)
        if self._flags != cv2.IMREAD_UNCHANGED:
            width, height = -(-width // reduce), -(-height // reduce)
        self.facts = facts.model_copy(update={"width": width, "height": height})

    def frame(self, n: int) -> RgbFrame:
        """Proxy of frame n; MediaError `no_such_frame` while it is not written yet."""
        path = self._folder / proxy_name(n, self._has_alpha)
        if not path.exists():
            raise MediaError("no_such_frame", f"Frame {n} is not ready yet.")
        data = cv2.imdecode(np.fromfile(path, np.uint8), self._flags)
        if data is None:
            raise MediaError("damaged", f"The proxy of frame {n} cannot be read.")
        rgb = cv2.cvtColor(data, cv2.COLOR_BGRA2RGB if data.shape[2] == 4 else cv2.COLOR_BGR2RGB)
        return RgbFrame(np.asarray(rgb, np.uint8), data[..., 3].astype(np.float32) / 255 if data.shape[2] == 4 else None)

    def close(self) -> None:
        """Nothing stays open."""
