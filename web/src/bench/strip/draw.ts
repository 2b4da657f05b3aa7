/** Drawing the strip on its canvas. */
import type { Surface, TakeFrame, TakeView } from "../../api/client";
import { urls } from "../../api/client";
import { apply, at } from "../model/geometry";
import { correctionAt } from "../model/shot";
import { frameCache } from "../viewer/frames";
import { columnFrames, columnX, CROP, doubtColour, doubtHeight, LABEL, PITCH, type Range, RULER, rulerStep, xOf } from "./layout";

export type StripScene = {
  width: number;
  height: number;
  range: Range;
  count: number;
  firstFrame: number;
  surface: Surface | null;
  take: TakeView | null;
  frames: ReadonlyMap<number, TakeFrame> | undefined;
  /** Before anything was held, calmed or carried: what crops are cut around. */
  followed: ReadonlyMap<number, TakeFrame> | undefined;
  picked: [number, number] | null;
  spans: { name: string; first: number; last: number }[];
  selectedCorner: number | null;
};

const SOURCE = 64;

function barsTop(): number {
  return RULER + 4 * PITCH + 4;
}

function ruler(c: CanvasRenderingContext2D, s: StripScene): void {
  c.font = '10px "JetBrains Mono Variable", monospace';
  c.fillStyle = "#a3aba6";
  c.textBaseline = "alphabetic";
  const step = rulerStep(s.range.last - s.range.first + 1);
  const start = Math.ceil((s.range.first + s.firstFrame) / step) * step - s.firstFrame;
  for (let f = start; f <= s.range.last; f += step) {
    const x = xOf(f, s.range, s.width);
    if (x > s.width - 24) break;
    c.fillText(String(f + s.firstFrame), x - 12, 10);
    c.fillRect(x - 0.5, 13, 1, 3);
  }
  for (const span of s.spans) {
    const a = xOf(Math.max(span.first, s.range.first), s.range, s.width);
    const b = xOf(Math.min(span.last, s.range.last), s.range, s.width);
    c.fillStyle = "rgba(209,140,92,.85)";
    if (b > a) c.fillRect(a, RULER - 4, b - a, 3);
  }
}

function crops(c: CanvasRenderingContext2D, s: StripScene, again: () => void): void {
  const { surface, take } = s;
  const columns = columnFrames(s.range, s.width);
  for (const [i, f] of columns.entries()) {
    const x = columnX(i, columns.length, s.width);
    const found = s.followed?.get(f);
    const url = take && found?.homography ? urls.crops(take.id, f, found.homography) : null;
    const picture = url ? frameCache.peek(url) : null;
    if (url && !picture) void frameCache.get(url).then((p) => p && again());
    for (let corner = 0; corner < 4; corner++) {
      const y = RULER + corner * PITCH + 1;
      if (!picture || !surface) {
        c.fillStyle = found?.status === "lost" ? "#3a2c24" : "#262929";
        c.fillRect(x, y, CROP, CROP);
        if (found?.status === "lost") hatch(c, x, y, CROP, CROP);
        continue;
      }
      const d = shiftAt(s, surface, corner, f);
      const half = CROP / 2;
      c.drawImage(picture, corner * SOURCE + SOURCE / 2 - half + d.x, SOURCE / 2 - half + d.y, CROP, CROP, x, y, CROP, CROP);
      c.strokeStyle = "rgba(244,236,218,.6)";
      c.lineWidth = 0.8;
      c.beginPath();
      c.moveTo(x + half, y + half - 5);
      c.lineTo(x + half, y + half + 5);
      c.moveTo(x + half - 5, y + half);
      c.lineTo(x + half + 5, y + half);
      c.stroke();
    }
  }
  if (s.selectedCorner !== null) {
    c.strokeStyle = "#62b5a3";
    c.lineWidth = 1.5;
    c.strokeRect(LABEL - 3, RULER + s.selectedCorner * PITCH - 0.5, s.width - LABEL - 1, CROP + 3);
  }
}

/** How far a corner lies from where its crop was cut: nudges, and what mending moved. */
function shiftAt(s: StripScene, surface: Surface, corner: number, frame: number): { x: number; y: number } {
  const d = correctionAt(surface, corner, frame);
  const was = s.followed?.get(frame)?.homography;
  const is = s.frames?.get(frame)?.homography;
  const p = surface.corners?.[corner];
  if (!was || !is || !p || was === is) return d;
  const [a, b] = [apply(was, at(p)), apply(is, at(p))];
  return { x: d.x + b.x - a.x, y: d.y + b.y - a.y };
}

function hatch(c: CanvasRenderingContext2D, x: number, y: number, w: number, h: number): void {
  c.save();
  c.beginPath();
  c.rect(x, y, w, h);
  c.clip();
  c.strokeStyle = "rgba(163,171,166,.34)";
  c.lineWidth = 1;
  for (let k = -h; k < w; k += 6) {
    c.beginPath();
    c.moveTo(x + k, y + h);
    c.lineTo(x + k + h, y);
    c.stroke();
  }
  c.restore();
}

function bars(c: CanvasRenderingContext2D, s: StripScene): void {
  const top = barsTop();
  const room = s.height - top - 4;
  const looks = new Set(s.take?.looks.map((l) => l.frame));
  const pitch = (s.width - LABEL - 4) / (s.range.last - s.range.first + 1);
  const w = Math.max(1, pitch - Math.min(3, pitch * 0.35));
  for (let f = s.range.first; f <= s.range.last; f++) {
    const x = xOf(f, s.range, s.width) - w / 2;
    const found = s.frames?.get(f);
    if (!found || !found.sigma_px) {
      hatch(c, x, top + room * 0.45, pitch, room * 0.55);
      if (found?.status === "lost") notch(c, x + w / 2, top + room * 0.45 - 2);
      continue;
    }
    const worst = Math.max(...found.sigma_px);
    const h = room * 0.82 * doubtHeight(worst);
    c.fillStyle = doubtColour(worst);
    c.fillRect(x, top + room - h, w, h);
    if (looks.has(f)) notch(c, x + w / 2, top + room - h - 2);
  }
  c.fillStyle = "#a3aba6";
  c.font = '10px "JetBrains Mono Variable", monospace';
  c.fillText("px", 4, s.height - 5);
}

function notch(c: CanvasRenderingContext2D, x: number, y: number): void {
  c.fillStyle = "#f4ecda";
  c.beginPath();
  c.moveTo(x, y - 4);
  c.lineTo(x + 3, y);
  c.lineTo(x - 3, y);
  c.fill();
}

function marks(c: CanvasRenderingContext2D, s: StripScene): void {
  if (s.surface) {
    const x = xOf(s.surface.reference_frame, s.range, s.width);
    c.fillStyle = "#62b5a3";
    c.beginPath();
    c.moveTo(x - 1, 1);
    c.lineTo(x + 11, 1);
    c.lineTo(x + 8, 6);
    c.lineTo(x + 11, 11);
    c.lineTo(x - 1, 11);
    c.fill();
    for (const k of s.surface.corrections) {
      if (k.frame < s.range.first || k.frame > s.range.last) continue;
      const cx = xOf(k.frame, s.range, s.width);
      c.fillStyle = "#f4ecda";
      c.fillRect(cx - 4, RULER + k.corner * PITCH - 1, 8, 2);
    }
    // A held frame: a post through all four rows.
    for (const h of s.surface.held) {
      if (h.frame < s.range.first || h.frame > s.range.last) continue;
      const hx = xOf(h.frame, s.range, s.width);
      c.fillStyle = "#62b5a3";
      c.fillRect(hx - 1, RULER, 2, 4 * PITCH);
      c.fillRect(hx - 4, RULER - 2, 8, 3);
    }
  }
}

function picked(c: CanvasRenderingContext2D, s: StripScene): void {
  if (!s.picked) return;
  const pitch = (s.width - LABEL - 4) / (s.range.last - s.range.first + 1);
  const a = Math.max(LABEL, xOf(s.picked[0], s.range, s.width) - pitch / 2);
  const b = Math.min(s.width, xOf(s.picked[1], s.range, s.width) + pitch / 2);
  if (b <= a) return;
  c.fillStyle = "rgba(98,181,163,.16)";
  c.fillRect(a, RULER, b - a, s.height - RULER);
}

/** Draw everything; `again` is called when a crop has arrived since. */
export function drawStrip(c: CanvasRenderingContext2D, s: StripScene, again: () => void): void {
  c.fillStyle = "#1e2020";
  c.fillRect(0, 0, s.width, s.height);
  ruler(c, s);
  crops(c, s, again);
  bars(c, s);
  marks(c, s);
  picked(c, s);
}
