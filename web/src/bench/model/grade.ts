/** A grade and its curves. Pure. */
import type { Grade } from "../../api/types";

export type Channel = "all" | "red" | "green" | "blue";
export type Point = [number, number];
export const CHANNELS: readonly Channel[] = ["all", "red", "green", "blue"];
const STRAIGHT: Point[] = [
  [0, 0],
  [1, 1],
];

/** A grade as it begins: it changes nothing. */
export function newGrade(): Grade {
  return { slope: [1, 1, 1], offset: [0, 0, 0], power: [1, 1, 1], saturation: 1, brightness: 0, contrast: 1, strength: 1 } as Grade;
}

/** Whether a colour decision list says all of a grade. */
export function onlyListed(grade: Grade): boolean {
  return !grade.lut && !grade.curves && grade.brightness === 0 && grade.contrast === 1;
}

/** Points of a channel's curve. */
export function pointsOf(grade: Grade, channel: Channel): Point[] {
  return (grade.curves?.[channel] as Point[] | undefined) ?? STRAIGHT;
}

/** The grade with other points of one curve, from left to right; none where all curves are straight. */
export function withCurve(grade: Grade, channel: Channel, points: readonly Point[]): Grade {
  const sorted = [...points].sort((a, b) => a[0] - b[0]).filter((p, i, all) => i === 0 || p[0] - (all[i - 1]?.[0] ?? 0) > 1e-3);
  const curves = Object.fromEntries(CHANNELS.map((c) => [c, c === channel ? sorted : pointsOf(grade, c)])) as NonNullable<Grade["curves"]>;
  const straight = CHANNELS.every((c) => curves[c].every(([x, y]) => Math.abs(x - y) < 1e-6));
  return { ...grade, curves: straight ? null : curves };
}

/** The points with one more, in the middle of the widest gap and on the straight line there. */
export function withMore(points: readonly Point[]): Point[] {
  const all: Point[] = [...points];
  const at = all
    .slice(1)
    .map((p, i) => ({ i, gap: p[0] - (all[i]?.[0] ?? 0) }))
    .sort((a, b) => b.gap - a.gap)[0];
  const [left, right] = at ? [all[at.i], all[at.i + 1]] : [all[0], [1, 1] as Point];
  if (!left || !right) return STRAIGHT;
  return [...all, [(left[0] + right[0]) / 2, (left[1] + right[1]) / 2] as Point].sort((a, b) => a[0] - b[0]);
}
