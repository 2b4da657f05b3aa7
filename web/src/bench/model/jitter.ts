/** Reading the movement that is left in a surface held still. Pure. */
import type { JitterView } from "../../api/types";

function lengthAt(row: JitterView, corner: number): number | null {
  const d = row.shift_px[corner];
  return d ? Math.hypot(d[0], d[1]) : null;
}

function middle(values: readonly (number | null | undefined)[]): number | null {
  const known = values.filter((v) => v !== null && v !== undefined).sort((a, b) => a - b);
  return known[Math.floor(known.length / 2)] ?? null;
}

/** Half of the frames move less than this at a corner, px; null when it can be compared nowhere. */
export function medianOf(rows: readonly JitterView[], corner: number): number | null {
  return middle(rows.map((r) => lengthAt(r, corner)));
}

/** What noise alone would show at a corner in half of the frames, px; null when it can be compared nowhere. */
export function noiseOf(rows: readonly JitterView[], corner: number): number | null {
  return middle(rows.map((r) => r.noise_px[corner]));
}

/** Frames that move most, with the corner that does, worst first. */
export function worstFrames(rows: readonly JitterView[], most: number): { frame: number; corner: number; px: number }[] {
  return rows
    .map((r) => {
      const px = r.shift_px.map((_, i) => lengthAt(r, i) ?? -1);
      const corner = px.indexOf(Math.max(...px));
      return { frame: r.frame, corner, px: px[corner] ?? -1 };
    })
    .filter((w) => w.px > 0)
    .sort((a, b) => b.px - a.px)
    .slice(0, most);
}
