/** Editing polygons: pure functions from points to points. */
import { distance, type PlatePoint } from "./geometry";

export type Box = { left: number; top: number; right: number; bottom: number };

/** Some of the points moved. */
export function moveSome(points: readonly PlatePoint[], indices: readonly number[], dx: number, dy: number): PlatePoint[] {
  return points.map((p, i) => (indices.includes(i) ? { x: p.x + dx, y: p.y + dy } : p));
}

/** The box around some of the points; null when they span none. */
export function boxOf(points: readonly PlatePoint[], indices: readonly number[]): Box | null {
  const some = points.filter((_, i) => indices.includes(i));
  if (some.length < 2) return null;
  const xs = some.map((p) => p.x);
  const ys = some.map((p) => p.y);
  return { left: Math.min(...xs), top: Math.min(...ys), right: Math.max(...xs), bottom: Math.max(...ys) };
}

/** Corners of a box, from top-left clockwise. */
export function boxCorners(box: Box): PlatePoint[] {
  return [
    { x: box.left, y: box.top },
    { x: box.right, y: box.top },
    { x: box.right, y: box.bottom },
    { x: box.left, y: box.bottom },
  ];
}

/** Some of the points scaled about the box corner opposite a handle, so that the handle comes to lie at a place. */
export function scaleSome(points: readonly PlatePoint[], indices: readonly number[], box: Box, handle: number, to: PlatePoint, free: boolean): PlatePoint[] {
  const corners = boxCorners(box);
  const from = corners[handle] ?? { x: 0, y: 0 };
  const pivot = corners[(handle + 2) % 4] ?? { x: 0, y: 0 };
  const along = (a: number, b: number) => (Math.abs(a) < 1e-6 ? 1 : b / a);
  let sx = along(from.x - pivot.x, to.x - pivot.x);
  let sy = along(from.y - pivot.y, to.y - pivot.y);
  if (!free) {
    // Along the diagonal: proportions stay.
    const [dx, dy] = [from.x - pivot.x, from.y - pivot.y];
    const length = dx * dx + dy * dy;
    sx = sy = length < 1e-9 ? 1 : ((to.x - pivot.x) * dx + (to.y - pivot.y) * dy) / length;
  }
  const least = (s: number) => (Math.abs(s) < 0.02 ? 0.02 : s);
  return points.map((p, i) => (indices.includes(i) ? { x: pivot.x + least(sx) * (p.x - pivot.x), y: pivot.y + least(sy) * (p.y - pivot.y) } : p));
}

/** Indices of the points inside the box between two places. */
export function within(points: readonly PlatePoint[], a: PlatePoint, b: PlatePoint): number[] {
  const [left, right, top, bottom] = [Math.min(a.x, b.x), Math.max(a.x, b.x), Math.min(a.y, b.y), Math.max(a.y, b.y)];
  return points.flatMap((p, i) => (p.x >= left && p.x <= right && p.y >= top && p.y <= bottom ? [i] : []));
}

export function insertAfter(points: readonly PlatePoint[], index: number, at: PlatePoint): PlatePoint[] {
  return [...points.slice(0, index + 1), at, ...points.slice(index + 1)];
}

/** Without a point; a polygon keeps three. */
export function removePoint(points: readonly PlatePoint[], index: number): PlatePoint[] {
  return points.length <= 3 ? [...points] : points.filter((_, i) => i !== index);
}

export function midpoint(points: readonly PlatePoint[], index: number): PlatePoint {
  const a = points[index] ?? { x: 0, y: 0 };
  const b = points[(index + 1) % points.length] ?? a;
  return { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2 };
}

/** Whether a click closes a polygon being drawn: near its first point, with three or more there. */
export function closes(points: readonly PlatePoint[], at: PlatePoint, within: number): boolean {
  const first = points[0];
  return points.length >= 3 && first !== undefined && distance(first, at) <= within;
}

/** What was done to one outline, a point put in or taken out, done to the same outline at another frame. */
export function likewise(before: readonly PlatePoint[], now: readonly PlatePoint[], other: readonly PlatePoint[]): PlatePoint[] {
  if (now.length === before.length) return [...other];
  const same = (i: number) => Math.hypot((now[i]?.x ?? 0) - (before[i]?.x ?? 0), (now[i]?.y ?? 0) - (before[i]?.y ?? 0)) < 1e-6;
  let index = 0;
  while (index < Math.min(now.length, before.length) && same(index)) index++;
  return now.length > before.length ? insertAfter(other, index - 1, midpoint(other, index - 1)) : removePoint(other, index);
}
