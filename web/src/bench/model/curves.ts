/** What the curves of a take show, and which frames lie above a threshold. Pure. */
import type { Surface, TakeFrame } from "../../api/types";
import { apply, at } from "./geometry";

export type CurveId = "point" | "apart" | "doubt" | "residual" | "margin" | "speed" | "acceleration" | "used";
type Line = { name: string; colour: string; dash?: number[] };
type Curve = { label: string; hint: string; unit: "px" | "share"; least: number; lines: Line[] };

// The four corners are told apart by dash as well as by colour.
const CORNERS: Line[] = [
  { name: "top-left", colour: "#f4ecda" },
  { name: "top-right", colour: "#62b5a3", dash: [8, 3] },
  { name: "bottom-right", colour: "#d18c5c", dash: [3, 3] },
  { name: "bottom-left", colour: "#a3aba6", dash: [9, 3, 2, 3] },
];

export const CURVES: Record<CurveId, Curve> = {
  doubt: { label: "Doubt", hint: "How unsure each corner is", unit: "px", least: 0.2, lines: CORNERS },
  residual: {
    label: "Residual",
    hint: "How far the picture disagrees with the reference frame, as a shift",
    unit: "px",
    least: 0.2,
    lines: [{ name: "residual", colour: "#f4ecda" }],
  },
  margin: {
    label: "Margin",
    hint: "How far the worst corner would move if surface and lens were allowed to bend",
    unit: "px",
    least: 0.2,
    lines: [{ name: "margin", colour: "#f4ecda" }],
  },
  speed: { label: "Speed", hint: "How far each corner moves from the frame before", unit: "px", least: 1, lines: CORNERS },
  acceleration: { label: "Acceleration", hint: "How much the speed of each corner changes: a jump is a slip", unit: "px", least: 1, lines: CORNERS },
  apart: { label: "Takes apart", hint: "How far each corner of the take beside lies from the chosen one", unit: "px", least: 0.2, lines: CORNERS },
  point: {
    label: "Chosen point",
    hint: "How far the chosen single point moves from the frame before, across and down",
    unit: "px",
    least: 1,
    lines: [
      { name: "across", colour: "#f4ecda" },
      { name: "down", colour: "#62b5a3", dash: [8, 3] },
    ],
  },
  used: {
    label: "Region compared",
    hint: "How much of the region was seen and agreed. Covered parts lower it; a frame can still be sure",
    unit: "share",
    least: 1,
    lines: [{ name: "used", colour: "#62b5a3" }],
  },
};

type Frames = ReadonlyMap<number, TakeFrame> | undefined;
export type Values = (number | null)[][];

function corner(frames: Frames, surface: Surface | null, frame: number, index: number): { x: number; y: number } | null {
  const h = frames?.get(frame)?.homography;
  const p = surface?.corners?.[index];
  return h && p ? apply(h, at(p)) : null;
}

function of(curve: CurveId, frames: Frames, surface: Surface | null, frame: number, line: number, beside: Frames): number | null {
  const here = frames?.get(frame);
  if (!here || here.status === "lost") return null;
  if (curve === "doubt") return here.sigma_px?.[line] ?? null;
  if (curve === "residual") return here.residual_px;
  if (curve === "margin") return here.margin_px;
  if (curve === "used") return here.share_used;
  if (curve === "point") return null;
  if (curve === "apart") {
    const [p, q] = [corner(frames, surface, frame, line), corner(beside, surface, frame, line)];
    return p && q ? Math.hypot(p.x - q.x, p.y - q.y) : null;
  }
  const [a, b, c] = [frame - 1, frame, frame + 1].map((n) => corner(frames, surface, n, line));
  if (curve === "speed") return a && b ? Math.hypot(b.x - a.x, b.y - a.y) : null;
  return a && b && c ? Math.hypot(c.x - 2 * b.x + a.x, c.y - 2 * b.y + a.y) : null;
}

/** The chosen point over time: frame -> where it is, where it is seen. */
export type PointPath = ReadonlyMap<number, { x: number; y: number }>;

/** What a point moves from frame to frame, across and down; null where it is not seen. */
export function pointValues(path: PointPath, range: { first: number; last: number }): Values {
  const moved = (n: number, axis: "x" | "y") => {
    const [a, b] = [path.get(n - 1), path.get(n)];
    return a && b ? b[axis] - a[axis] : null;
  };
  return (["x", "y"] as const).map((axis) => Array.from({ length: range.last - range.first + 1 }, (_, i) => moved(range.first + i, axis)));
}

/** One list of values a line, over the frames of a range; null where nothing is known. */
export function curveValues(curve: CurveId, frames: Frames, surface: Surface | null, range: { first: number; last: number }, beside?: Frames): Values {
  return CURVES[curve].lines.map((_, line) =>
    Array.from({ length: range.last - range.first + 1 }, (__, i) => of(curve, frames, surface, range.first + i, line, beside)),
  );
}

/** Frames at which any line lies above a threshold. */
export function framesAbove(values: Values, threshold: number, range: { first: number; last: number }): number[] {
  return Array.from({ length: range.last - range.first + 1 }, (_, i) => i)
    .filter((i) => values.some((line) => (line[i] ?? -Infinity) > threshold))
    .map((i) => i + range.first);
}

/** Runs of neighbouring frames, both ends included; gaps of up to `join` frames are closed. */
export function runsOf(frames: number[], join = 2): [number, number][] {
  const runs: [number, number][] = [];
  for (const f of [...frames].sort((a, b) => a - b)) {
    const last = runs.at(-1);
    if (last && f - last[1] <= join) last[1] = f;
    else runs.push([f, f]);
  }
  return runs;
}
