/** Drawing the strip on its canvas. */
import type { Surface, TakeFrame, TakeView } from "../../api/client";
import { urls } from "../../api/client";
import { apply, at } from "../model/geometry";
import { correctionAt } from "../model/shot";
import type { MadeRows } from "./useMade";
import { cropCache, edgeCache, fetchSheets } from "../viewer/frames";
import { type Cells, columnFrames, columnX, doubtColour, doubtHeight, LABEL, type Range, ROWS, rowY, RULER, rulerStep, xOf } from "./layout";

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
  /** Frames at which the chosen shape or point has a key. */
  keys: readonly number[];
  rows: Row[];
  selected: Row | null;
  cells: Cells;
  /** How many times larger than the plate's px crops are drawn. */
  cropZoom: number;
  /** Every cell shows the reference frame's crop, to flip to and back. */
  holdReference: boolean;
  /** Room for lanes of artwork between ruler and rows, px. */
  lanes: number;
  /** Rows that are made from the document instead of the corners: a matte's edge, plate and result. */
  made: MadeRows | null;
};

/** A row of crops: a corner, a single point by its place in the surface's list, or one that is made. */
export type Row = { kind: "corner" | "point" | "made"; index: number };

const SOURCE = 64;
/** From so many missing crops on, they are fetched together. */
const MANY = 12;

function barsTop(): number {
  return RULER + ROWS + 4;
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

/** Crops that are made for the strip: fetched one by one, as they are made one by one. */
function madeCrops(c: CanvasRenderingContext2D, s: StripScene, made: MadeRows, again: () => void): void {
  const { cells } = s;
  const columns = columnFrames(s.range, s.width, cells);
  for (const [i, f] of columns.entries()) {
    const x = columnX(i, columns.length, s.width, cells);
    const url = made.url(f);
    const picture = edgeCache.peek(url);
    if (!picture && !edgeCache.has(url)) void edgeCache.get(url).then((p) => p && again());
    for (const row of s.rows.keys()) {
      const y = rowY(row, cells.rows) + 1;
      if (!picture) {
        c.fillStyle = "#262929";
        c.fillRect(x, y, cells.width, cells.height);
        continue;
      }
      const [w, h] = [cells.width / s.cropZoom, cells.height / s.cropZoom];
      c.imageSmoothingEnabled = s.cropZoom <= 1;
      c.drawImage(picture, row * SOURCE + (SOURCE - w) / 2, (SOURCE - h) / 2, w, h, x, y, cells.width, cells.height);
    }
  }
}

/** What is told of each frame, as bars. */
function madeBars(c: CanvasRenderingContext2D, s: StripScene, made: MadeRows): void {
  const top = barsTop();
  const room = s.height - top - 4;
  const pitch = (s.width - LABEL - 4) / (s.range.last - s.range.first + 1);
  const w = Math.max(1, pitch - Math.min(3, pitch * 0.35));
  for (let f = s.range.first; f <= s.range.last; f++) {
    const bar = made.bars.get(f);
    if (!bar) continue;
    const x = xOf(f, s.range, s.width) - w / 2;
    const h = room * 0.82 * bar.height;
    c.fillStyle = bar.colour;
    c.fillRect(x, top + room - h, w, h);
    if (bar.notch) notch(c, x + w / 2, top + room - h - 2);
  }
  c.fillStyle = "#a3aba6";
  c.font = '10px "JetBrains Mono Variable", monospace';
  c.fillText(made.unit, 4, s.height - 5);
}

function crops(c: CanvasRenderingContext2D, s: StripScene, again: () => void): void {
  const { surface, take, cells } = s;
  const columns = columnFrames(s.range, s.width, cells);
  const urlAt = (f: number) => {
    const found = s.followed?.get(f);
    return take && found?.homography ? urls.crops(take.id, f, found.homography) : null;
  };
  // Many at once come a sheet at a time; a few, as while a take is running, one by one.
  const wanted = columns.flatMap((f) => {
    const url = urlAt(f);
    return url ? [{ frame: f, url }] : [];
  });
  const many = take !== null && wanted.filter((w) => !cropCache.has(w.url)).length > MANY;
  if (many) fetchSheets(take.id, wanted, again);
  const own = surface && s.holdReference ? urlAt(surface.reference_frame) : null;
  for (const [i, f] of columns.entries()) {
    const x = columnX(i, columns.length, s.width, cells);
    const found = s.followed?.get(f);
    const url = own && found?.homography ? own : urlAt(f);
    const picture = url ? cropCache.peek(url) : null;
    if (url && !picture && !many) void cropCache.get(url).then((p) => p && again());
    for (const [row, what] of s.rows.entries()) {
      const y = rowY(row, cells.rows) + 1;
      if (!picture || !surface) {
        c.fillStyle = found?.status === "lost" ? "#3a2c24" : "#262929";
        c.fillRect(x, y, cells.width, cells.height);
        if (found?.status === "lost" && cells.width > 12) hatch(c, x, y, cells.width, cells.height);
        continue;
      }
      const d = what.kind === "corner" && !own ? shiftAt(s, surface, what.index, f) : { x: 0, y: 0 };
      const [w, h] = [cells.width / s.cropZoom, cells.height / s.cropZoom];
      const left = (what.kind === "corner" ? what.index : 4 + what.index) * SOURCE + SOURCE / 2;
      c.imageSmoothingEnabled = s.cropZoom <= 1;
      c.drawImage(picture, left - w / 2 + d.x, SOURCE / 2 - h / 2 + d.y, w, h, x, y, cells.width, cells.height);
      if (cells.width > 12) cross(c, x + cells.width / 2, y + cells.height / 2);
    }
  }
  if (cells.width <= 12) {
    // Slits show one line through all of them.
    c.fillStyle = "rgba(244,236,218,.5)";
    for (const row of s.rows.keys()) c.fillRect(LABEL, rowY(row, cells.rows) + 1 + cells.height / 2, s.width - LABEL - 4, 0.8);
  }
  const chosen = s.rows.findIndex((r) => s.selected?.kind === r.kind && s.selected.index === r.index);
  if (chosen >= 0) {
    c.strokeStyle = "#62b5a3";
    c.lineWidth = 1.5;
    c.strokeRect(LABEL - 3, rowY(chosen, cells.rows) - 0.5, s.width - LABEL - 1, cells.height + 3);
  }
}

function cross(c: CanvasRenderingContext2D, x: number, y: number): void {
  c.strokeStyle = "rgba(244,236,218,.6)";
  c.lineWidth = 0.8;
  c.beginPath();
  c.moveTo(x, y - 5);
  c.lineTo(x, y + 5);
  c.moveTo(x - 5, y);
  c.lineTo(x + 5, y);
  c.stroke();
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
    // A frame that closer looks may still move is pale, under its figure.
    c.globalAlpha = found.first_look ? 0.4 : 1;
    c.fillRect(x, top + room - h, w, h);
    c.globalAlpha = 1;
    if (found.first_look) c.fillRect(x, top + room - h, w, 1.5);
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
  for (const k of s.keys) {
    if (k < s.range.first || k > s.range.last) continue;
    const x = xOf(k, s.range, s.width);
    c.fillStyle = "#f4ecda";
    c.strokeStyle = "#121414";
    c.beginPath();
    c.moveTo(x, RULER - 7);
    c.lineTo(x + 4, RULER - 3);
    c.lineTo(x, RULER + 1);
    c.lineTo(x - 4, RULER - 3);
    c.closePath();
    c.fill();
    c.stroke();
  }
  if (s.surface && !s.made) {
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
      c.fillRect(cx - 4, s.lanes + rowY(k.corner, s.cells.rows) - 1, 8, 2);
    }
    // A held frame: a post through all four rows.
    for (const h of s.surface.held) {
      if (h.frame < s.range.first || h.frame > s.range.last) continue;
      const hx = xOf(h.frame, s.range, s.width);
      c.fillStyle = "#62b5a3";
      c.fillRect(hx - 1, RULER + s.lanes, 2, ROWS);
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
  c.save();
  c.translate(0, s.lanes);
  const below = { ...s, height: s.height - s.lanes };
  if (s.made) {
    madeCrops(c, below, s.made, again);
    madeBars(c, below, s.made);
  } else {
    crops(c, below, again);
    bars(c, below);
  }
  c.restore();
  marks(c, s);
  picked(c, s);
}
