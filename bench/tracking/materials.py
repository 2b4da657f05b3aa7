"""What surfaces look like: photograph-like, print, screens, gloss. Linear light 0..1, (h, w) float32."""

import cv2
import numpy as np

from verdigris.core.types import AnyArray, Float32
from verdigris.demo.textures import fractal_noise, soft, text_mask

Rng = np.random.Generator
WORDS = ("Fährhafen", "Nordsund", "Abfahrt 7.40", "Inselring", "Kai 3", "Leuchtturm", "Mole", "Brücke", "Sturmwarnung", "Möwe")


def solid(light: Float32, cover: Float32 | None = None) -> Float32:
    """Attach coverage, premultiplied, (h, w, 2)."""
    a = np.ones_like(light) if cover is None else cover
    return np.ascontiguousarray(np.stack([light * a, a], axis=-1), np.float32)


def _cover(mask: AnyArray) -> Float32:
    return np.asarray(mask, np.float32) / np.float32(255)


def photograph(rng: Rng, height: int, width: int) -> Float32:
    """Falling-off noise with edges: overlapping soft-shaded shapes, grainy here and plain there."""
    base = 0.35 + 0.10 * fractal_noise(rng, height, width, 180, 6, 0.6)
    for _ in range(130):
        x, y = rng.uniform(0, width), rng.uniform(0, height)
        size = float(np.exp(rng.uniform(np.log(8), np.log(140))))
        x0, y0 = int(max(0, x - size - 8)), int(max(0, y - size - 8))
        part = np.s_[y0 : min(height, int(y + size) + 9), x0 : min(width, int(x + size) + 9)]
        mask, at = np.zeros(base[part].shape, np.uint8), np.array([x - x0, y - y0])
        if rng.random() < 0.5:
            axes = (int(size), int(size * rng.uniform(0.3, 1)))
            cv2.ellipse(mask, (int(at[0]), int(at[1])), axes, rng.uniform(0, 180), 0, 360, 255, -1, cv2.LINE_AA)
        else:
            angle = np.sort(rng.uniform(0, 2 * np.pi, int(rng.integers(3, 7))))
            corners = at + size * np.stack([np.cos(angle), np.sin(angle)], axis=1)
            cv2.fillPoly(mask, [np.round(corners * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
        cover = soft(_cover(mask), rng.uniform(0.6, 2.5))
        tone = float(np.exp(rng.uniform(np.log(0.02), np.log(0.9))))
        base[part] = base[part] * (1 - cover) + cover * tone * (1 + 0.25 * base[part])
    grain = fractal_noise(rng, height, width, 9, 3, 0.7) * np.clip(0.05 + 0.05 * fractal_noise(rng, height, width, 260, 2), 0, 0.2)
    return np.clip(base * (1 + grain), 0.004, 1.0).astype(np.float32)


def printed(rng: Rng, height: int, width: int, fine: bool = False) -> Float32:
    """A sheet with headline, columns of type and rules."""
    paper = 0.72 + 0.02 * fractal_noise(rng, height, width, 60, 4)
    size = 11 if fine else 26
    lines, y = [(WORDS[int(rng.integers(len(WORDS)))], width * 0.06, height * 0.16, height * 0.12, 800)], height * 0.24
    while y < height * 0.95:
        x = width * 0.06
        while x < width * 0.9:
            word = WORDS[int(rng.integers(len(WORDS)))]
            lines.append((word, x, y, size, int(rng.choice([300, 500, 700]))))
            x += size * (0.62 * len(word) + 0.5)
        y += size * 1.5
    ink = text_mask(height, width, [(t, float(a), float(b), float(s), w) for t, a, b, s, w in lines])
    return np.clip(paper * (1 - 0.93 * ink), 0.004, 1).astype(np.float32)


def blank_screen(rng: Rng, height: int, width: int, marks: int) -> Float32:
    """A dark bezel around an even key colour with a few small crosses."""
    light = np.full((height, width), 0.02, np.float32) + 0.002 * fractal_noise(rng, height, width, 40, 4)
    b = int(0.06 * width)
    light[b : height - b, b : width - b] = 0.28
    for i in range(marks):
        x = int(width * (0.2 + 0.6 * ((i * 0.618 + 0.1) % 1)))
        y = int(height * (0.2 + 0.6 * (i + 0.5) / marks))
        s, t = int(width * 0.018), max(2, int(width * 0.004))
        light[y - s : y + s, x - t : x + t] = light[y - t : y + t, x - s : x + s] = 0.75
    return np.clip(soft(light, 1.0), 0.004, 1)


def gloss(rng: Rng, height: int, width: int) -> Float32:
    """Dark lacquer with faint lettering and a thin border."""
    light = 0.035 + 0.004 * fractal_noise(rng, height, width, 30, 5, 0.7)
    lines = [(WORDS[i], width * 0.1, height * (0.2 + 0.14 * i), height * 0.09, 600) for i in range(6)]
    light = light + 0.10 * text_mask(height, width, lines)
    cv2.rectangle(light, (int(width * 0.04), int(height * 0.04)), (int(width * 0.96), int(height * 0.96)), 0.12, 3)
    return np.clip(soft(np.asarray(light, np.float32), 0.8), 0.004, 1)


def board(rng: Rng, height: int, width: int, rows: int, columns: int) -> Float32:
    """Squares of two woods within a rim; each has its own grain and tone."""
    light = 0.12 + 0.02 * fractal_noise(rng, height, width, 50, 4)
    rim = int(0.05 * width)
    ys, xs = np.linspace(rim, height - rim, rows + 1).astype(int), np.linspace(rim, width - rim, columns + 1).astype(int)
    for i in range(rows):
        for j in range(columns):
            tone = (0.6 if (i + j) % 2 else 0.06) * rng.uniform(0.9, 1.1)
            light[ys[i] : ys[i + 1], xs[j] : xs[j + 1]] = tone
    grain = fractal_noise(rng, height, width, 24, 5, 0.7)
    return np.clip(soft(np.asarray(light * (1 + 0.06 * grain), np.float32), 0.8), 0.004, 1).astype(np.float32)


def facade(rng: Rng, height: int, width: int, rows: int, columns: int) -> Float32:
    """Plaster with windows in rows; here and there a blind is down."""
    light = np.asarray(0.5 + 0.04 * fractal_noise(rng, height, width, 70, 5), np.float32)
    h, w = height / rows, width / columns
    for i in range(rows):
        for j in range(columns):
            x0, y0, x1, y1 = int((j + 0.25) * w), int((i + 0.2) * h), int((j + 0.75) * w), int((i + 0.8) * h)
            light[y0:y1, x0:x1] = 0.05 * rng.uniform(0.8, 1.25)
            light[y0:y1, (x0 + x1) // 2 - 2 : (x0 + x1) // 2 + 2] = 0.4
            if rng.random() < 0.12:
                light[y0 : y0 + int(rng.uniform(0.2, 0.8) * (y1 - y0)), x0:x1] = 0.3
    return np.clip(soft(light, 1.0), 0.004, 1).astype(np.float32)


def louvres(rng: Rng, height: int, width: int, count: int) -> Float32:
    """Slats one above the other, lit from above, a little uneven."""
    y = np.arange(height)[:, None] * count / height + 0.02 * fractal_noise(rng, height, width, 200, 3)
    light = 0.12 + 0.45 * (y % 1.0) ** 0.7
    return np.clip(soft(np.asarray(light * (1 + 0.03 * fractal_noise(rng, height, width, 60, 4)), np.float32), 1.0), 0.004, 1).astype(
        np.float32
    )


def film(rng: Rng, height: int, width: int, frames: int) -> list[Float32]:
    """Content of a running screen: a scene that pans, and cuts half-way."""
    first, second = (photograph(rng, height, int(width * 1.6)) for _ in range(2))
    answer = []
    for n in range(frames):
        scene = first if n < frames // 2 else second
        x = int((0.5 + 0.45 * np.sin(0.11 * n + 1)) * width * 0.55)
        answer.append(np.clip(scene[:, x : x + width] * 1.2, 0, 1))
    return answer


def passer(rng: Rng, height: int, width: int) -> Float32:
    """A figure with soft outline: body, head, arms; with its own texture, (h, w, 2)."""
    mask = np.zeros((height, width), np.uint8)
    cx = width // 2
    cv2.ellipse(mask, (cx, int(height * 0.13)), (int(width * 0.17), int(height * 0.1)), 0, 0, 360, 255, -1)
    cv2.ellipse(mask, (cx, int(height * 0.55)), (int(width * 0.36), int(height * 0.36)), 0, 0, 360, 255, -1)
    cv2.line(mask, (int(width * 0.2), int(height * 0.45)), (int(width * 0.04), int(height * 0.8)), 255, int(width * 0.12))
    cover = soft(_cover(mask), 1.5)
    light = np.clip(0.12 + 0.08 * fractal_noise(rng, height, width, 50, 5), 0.01, 0.8)
    return solid(np.asarray(light, np.float32), cover)


def leaves(rng: Rng, height: int, width: int) -> Float32:
    """A branch: many small leaves with gaps, (h, w, 2)."""
    mask, light = np.zeros((height, width), np.uint8), np.full((height, width), 0.1, np.float32)
    for _ in range(int(height * width / 5200)):
        at = (int(rng.uniform(0, width)), int(rng.uniform(0, height)))
        axes, turn = (int(rng.uniform(14, 30)), int(rng.uniform(6, 12))), rng.uniform(0, 180)
        cv2.ellipse(mask, at, axes, turn, 0, 360, 255, -1, cv2.LINE_AA)
        cv2.ellipse(light, at, axes, turn, 0, 360, float(rng.uniform(0.03, 0.4)), -1, cv2.LINE_AA)
    return solid(light, soft(_cover(mask), 1.0))


def bezel(content: AnyArray, frame: Float32, margin: float) -> Float32:
    """Content inside a static frame of relative width `margin`."""
    light = frame.copy()
    h, w = light.shape
    b = int(margin * w)
    light[b : h - b, b : w - b] = cv2.resize(np.asarray(content, np.float32), (w - 2 * b, h - 2 * b), interpolation=cv2.INTER_AREA)
    return light
