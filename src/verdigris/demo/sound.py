"""The sound of a made-up harbour: water, wind, a far horn."""

from pathlib import Path

import av
import numpy as np

from verdigris.core.types import Float32

SAMPLE_RATE = 48_000


def harbour_sound(seconds: float) -> Float32:
    """Mono sound, (N,) float32, -1..1."""
    rng = np.random.default_rng(3)
    n = int(seconds * SAMPLE_RATE)
    t = np.arange(n) / SAMPLE_RATE
    noise = np.convolve(rng.standard_normal(n + 400), np.hanning(200) / 100, "same")[:n]
    swell = 0.55 + 0.45 * np.sin(2 * np.pi * 0.31 * t) * np.sin(2 * np.pi * 0.12 * t + 1)
    horn_on = np.clip((t - 1.2) / 0.25, 0, 1) * np.clip((2.9 - t) / 0.5, 0, 1)
    horn = sum(np.sin(2 * np.pi * f * t) / (i + 1) for i, f in enumerate((116.5, 174.6, 233.1, 349.2)))
    return np.asarray(np.clip(0.22 * noise * swell + 0.10 * horn * horn_on, -1, 1), np.float32)


def write_sound(path: Path, seconds: float) -> None:
    """Write the sound as AAC in a Matroska file without picture."""
    sound = harbour_sound(seconds)
    with av.open(str(path), "w", format="matroska") as out:
        stream = out.add_stream("aac", rate=SAMPLE_RATE, layout="mono")
        for start in range(0, len(sound), 1024):
            frame = av.AudioFrame.from_ndarray(sound[None, start : start + 1024], format="fltp", layout="mono")
            frame.sample_rate, frame.pts = SAMPLE_RATE, start
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
