/** Where things lie in the evidence strip. Pure. */

export const LABEL = 34;
export const RULER = 18;
/** Height of all rows of crops together, px. */
export const ROWS = 148;

/** How the crops of a frame are laid: as large squares, small ones, or a slit for every frame. */
export type Density = "large" | "small" | "slits";
export type Cells = { width: number; height: number; rows: number };

/** Size of one crop, px, for so many rows. */
export function cellsFor(density: Density, rows: number, range: Range, width: number): Cells {
  const height = Math.floor(ROWS / rows) - 3;
  if (density === "large") return { width: height, height, rows };
  if (density === "small") return { width: Math.round(height / 2), height, rows };
  return { width: Math.max(1, (width - LABEL - 4) / (range.last - range.first + 1)), height, rows };
}

/** Top of a row, px. */
export function rowY(row: number, rows: number): number {
  return RULER + Math.floor(ROWS / rows) * row;
}

/** Row at a height, or -1 above the rows; beyond them it is at least their number. */
export function rowAt(y: number, rows: number): number {
  return y <= RULER ? -1 : Math.floor((y - RULER) / Math.floor(ROWS / rows));
}

export type Range = { first: number; last: number };

/** Frames whose crops are shown: evenly spaced, one per column, denser when zoomed. */
export function columnFrames(range: Range, width: number, cells: Cells): number[] {
  const gap = cells.width > 12 ? 3 : 0;
  const columns = Math.max(1, Math.floor((width - LABEL - 4) / (cells.width + gap) + 1e-6));
  const span = range.last - range.first;
  if (span + 1 <= columns) return Array.from({ length: span + 1 }, (_, i) => range.first + i);
  return Array.from({ length: columns }, (_, i) => Math.round(range.first + (span * i) / (columns - 1)));
}

/** Left edge of a column of crops, px: even spaces, so that a slip shows against its neighbours. */
export function columnX(index: number, columns: number, width: number, cells: Cells): number {
  const x = LABEL + ((index + 0.5) / columns) * (width - LABEL - 4) - cells.width / 2;
  return cells.width > 12 ? Math.round(x) : x;
}

/** Middle of a frame on the x axis, px. */
export function xOf(frame: number, range: Range, width: number): number {
  return LABEL + ((frame - range.first + 0.5) / (range.last - range.first + 1)) * (width - LABEL - 4);
}

export function frameAt(x: number, range: Range, width: number): number {
  const t = (x - LABEL) / (width - LABEL - 4);
  return Math.min(range.last, Math.max(range.first, Math.floor(range.first + t * (range.last - range.first + 1))));
}

/** Zoom the range about a frame, kept within the plate. */
export function zoomRange(range: Range, about: number, factor: number, count: number): Range {
  const span = Math.min(count, Math.max(8, Math.round((range.last - range.first + 1) * factor)));
  const share = (about - range.first) / Math.max(1, range.last - range.first);
  const first = Math.min(count - span, Math.max(0, Math.round(about - share * (span - 1))));
  return { first, last: first + span - 1 };
}

/** Height of a doubt bar, 0..1: grows with the logarithm, so that 0.05 and 5 px are both seen. */
export function doubtHeight(px: number): number {
  return Math.min(1, Math.max(0.04, Math.log2(1 + px / 0.05) / Math.log2(1 + 6 / 0.05)));
}

/** Colour of doubt: one hue from pale to deep copper. */
export function doubtColour(px: number): string {
  const t = doubtHeight(px);
  const mix = (a: number, b: number) => Math.round(a + (b - a) * t);
  return `rgb(${mix(196, 209)},${mix(188, 116)},${mix(166, 66)})`;
}

/** Height of a bar of flicker, 0..1: 1 % of coverage is seen, 30 % fills it. */
export function flickerHeight(share: number): number {
  return Math.min(1, Math.max(0.04, Math.log2(1 + share / 0.01) / Math.log2(31)));
}

/** Height of a bar of colour difference, 0..1: 1 is just seen, 20 fills it. */
export function differenceHeight(apart: number): number {
  return Math.min(1, Math.max(0.04, Math.log2(1 + apart) / Math.log2(21)));
}

/** Colour of flicker: as that of doubt. */
export function flickerColour(share: number): string {
  return doubtColour(0.05 * ((1 + 6 / 0.05) ** flickerHeight(share) - 1));
}

/** A round step for ruler labels. */
export function rulerStep(span: number): number {
  const rough = span / 8;
  const power = 10 ** Math.floor(Math.log10(Math.max(1, rough)));
  return [1, 2, 5, 10].map((k) => k * power).find((s) => s >= rough) ?? power * 10;
}
