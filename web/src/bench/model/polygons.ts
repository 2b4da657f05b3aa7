/** Editing polygons: pure functions from points to points. */
import { distance, type PlatePoint } from "./geometry";

export function movePoint(points: readonly PlatePoint[], index: number, to: PlatePoint): PlatePoint[] {
  return points.map((p, i) => (i === index ? to : p));
}

export function moveAll(points: readonly PlatePoint[], dx: number, dy: number): PlatePoint[] {
  return points.map((p) => ({ x: p.x + dx, y: p.y + dy }));
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
