"""Proxies: small stills of every frame for scrubbing and previews, written as the media is verified."""

from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from verdigris.core.light.encoding import for_screen, is_wide, light_on_screen, to_code, to_light
from verdigris.core.light.transfer import decode_array
from verdigris.core.light.yuv import YuvCoding
from verdigris.core.types import AnyArray, Float32, Uint8
from verdigris.media.errors import MediaError
from verdigris.media.facts import ColourChoice, MediaFacts
from verdigris.media.frames import Frame, RgbFrame, frame_alpha, resized_rgb8, to_integers
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


def encode_png(rgb: AnyArray) -> bytes:
    """(H, W, 3) uint8 as PNG, for pictures with fine lines."""
    ok, data = cv2.imencode(".png", cv2.cvtColor(rgb, cv2.COLOR_RGB2BGR))
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


def seen_otherwise(proxy: Uint8, facts: MediaFacts, colour: ColourChoice | None) -> Uint8:
    """A proxy, (H, W, 3) uint8, of media with these facts, as it would look were its code values to mean something else.

    What was lost in making the proxy stays lost: a cut highlight does not come back.
    """
    meant = facts.in_colour(colour)
    names = ("transfer", "primaries", "matrix", "full_range")
    if all(getattr(meant, k) == getattr(facts, k) for k in names):
        return proxy
    light = light_on_screen(decode_array(proxy.astype(np.float32) / np.float32(255)), facts.primaries, is_wide(facts.transfer))
    codes = to_code(light, facts.transfer)
    if (meant.matrix, meant.full_range) != (facts.matrix, facts.full_range) and meant.matrix and facts.matrix:
        codes = _through_planes(codes, facts, meant)
    shown = for_screen(to_light(codes, meant.transfer), meant.primaries, is_wide(meant.transfer))
    return np.asarray(to_integers(shown, False), np.uint8)


def _through_planes(codes: Float32, was: MediaFacts, meant: MediaFacts) -> Float32:
    """Code values of R', G' and B' whose Y'CbCr samples are read with another matrix and range."""
    (y0, y_span, c0, c_span, _, kr, kb), new = (YuvCoding(str(f.matrix), f.full_range, 8, 0, 0).numbers for f in (was, meant))
    luma = kr * codes[..., 0] + (1 - kr - kb) * codes[..., 1] + kb * codes[..., 2]
    blue, red = (codes[..., 2] - luma) / (2 * (1 - kb)) * c_span + c0, (codes[..., 0] - luma) / (2 * (1 - kr)) * c_span + c0
    samples = luma * y_span + y0
    y0, y_span, c0, c_span, _, kr, kb = new
    luma, blue, red = (samples - y0) / y_span, (blue - c0) / c_span, (red - c0) / c_span
    r, b = luma + 2 * (1 - kr) * red, luma + 2 * (1 - kb) * blue
    return np.stack([r, (luma - kr * r - kb * b) / (1 - kr - kb), b], axis=2).astype(np.float32)


class ProxyReader:
    """Reads proxies as if they were the media; facts are those of the proxies.

    `reduce` 2, 4 or 8 reads them that many times smaller, which JPEG does almost for nothing. `colour` is what somebody says of the
    media's colour since they were written.
    """

    def __init__(self, folder: Path, facts: MediaFacts, reduce: int = 1, colour: ColourChoice | None = None) -> None:
        self._folder, self._has_alpha = folder, facts.has_alpha
        self._flags = cv2.IMREAD_UNCHANGED if reduce == 1 or facts.has_alpha else REDUCED[reduce]
        width, height = proxy_size(facts.width, facts.height)
        if self._flags != cv2.IMREAD_UNCHANGED:
            width, height = -(-width // reduce), -(-height // reduce)
        self._read_as, self._colour = facts, colour
        # Proxies are for an sRGB screen, whatever the media's own codes mean.
        screen = {"transfer": "srgb", "primaries": "bt709"}
        self.facts = facts.model_copy(update={"width": width, "height": height, **screen})

    def frame(self, n: int) -> RgbFrame:
        """Proxy of frame n; MediaError `no_such_frame` while it is not written yet."""
        path = self._folder / proxy_name(n, self._has_alpha)
        if not path.exists():
            raise MediaError("no_such_frame", f"Frame {n} is not ready yet.")
        data = cv2.imdecode(np.fromfile(path, np.uint8), self._flags)
        if data is None:
            raise MediaError("damaged", f"The proxy of frame {n} cannot be read.")
        rgb = cv2.cvtColor(data, cv2.COLOR_BGRA2RGB if data.shape[2] == 4 else cv2.COLOR_BGR2RGB)
        rgb = seen_otherwise(np.asarray(rgb, np.uint8), self._read_as, self._colour)
        return RgbFrame(np.asarray(rgb, np.uint8), data[..., 3].astype(np.float32) / 255 if data.shape[2] == 4 else None)

    def close(self) -> None:
        """Nothing stays open."""
