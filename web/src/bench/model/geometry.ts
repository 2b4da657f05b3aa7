/** Points, homographies and polygons in plate px: x right, y down, pixel centres at +0.5. Pure. */

export type Space<Name extends string> = { readonly x: number; readonly y: number; readonly space?: Name };
export type PlatePoint = Space<"plate">;
export type ScreenPoint = Space<"screen">;
export type Homography = readonly number[];
export type Pair = [number, number];

export const IDENTITY: Homography = [1, 0, 0, 0, 1, 0, 0, 0, 1];

export function at(p: readonly number[]): PlatePoint {
  return { x: p[0] ?? 0, y: p[1] ?? 0 };
}

export function pair(p: PlatePoint, digits = 2): Pair {
  const k = 10 ** digits;
  return [Math.round(p.x * k) / k, Math.round(p.y * k) / k];
}

export function apply(h: Homography, p: PlatePoint): PlatePoint {
  const [a = 1, b = 0, c = 0, d = 0, e = 1, f = 0, g = 0, i = 0, j = 1] = h;
  const w = g * p.x + i * p.y + j;
  return { x: (a * p.x + b * p.y + c) / w, y: (d * p.x + e * p.y + f) / w };
}

export function multiply(a: Homography, b: Homography): Homography {
  const out: number[] = [];
  for (let r = 0; r < 3; r++)
    for (let c = 0; c < 3; c++) out.push((a[3 * r] ?? 0) * (b[c] ?? 0) + (a[3 * r + 1] ?? 0) * (b[3 + c] ?? 0) + (a[3 * r + 2] ?? 0) * (b[6 + c] ?? 0));
  return out;
}

export function invert(h: Homography): Homography {
  const [a = 1, b = 0, c = 0, d = 0, e = 1, f = 0, g = 0, i = 0, j = 1] = h;
  const A = e * j - f * i;
  const B = f * g - d * j;
  const C = d * i - e * g;
  const det = a * A + b * B + c * C;
  return [A, c * i - b * j, b * f - c * e, B, a * j - c * g, c * d - a * f, C, b * g - a * i, a * e - b * d].map((v) => v / det);
}

/** Homography from the unit square to a quad in corner order (Heckbert 1989). */
export function unitSquareTo(q: readonly PlatePoint[]): Homography {
  const [p0, p1, p2, p3] = q as [PlatePoint, PlatePoint, PlatePoint, PlatePoint];
  const sx = p0.x - p1.x + p2.x - p3.x;
  const sy = p0.y - p1.y + p2.y - p3.y;
  const dx1 = p1.x - p2.x;
  const dx2 = p3.x - p2.x;
  const dy1 = p1.y - p2.y;
  const dy2 = p3.y - p2.y;
  const det = dx1 * dy2 - dx2 * dy1;
  const g = (sx * dy2 - dx2 * sy) / det;
  const h = (dx1 * sy - sx * dy1) / det;
  return [p1.x - p0.x + g * p1.x, p3.x - p0.x + h * p3.x, p0.x, p1.y - p0.y + g * p1.y, p3.y - p0.y + h * p3.y, p0.y, g, h, 1];
}

export function distance(a: PlatePoint, b: PlatePoint): number {
  return Math.hypot(a.x - b.x, a.y - b.y);
}

/** Width : height of a surface from its edges; close enough for showing it. */
export function edgeAspect(q: readonly PlatePoint[]): number {
  const [a, b, c, d] = q as [PlatePoint, PlatePoint, PlatePoint, PlatePoint];
  return (distance(a, b) + distance(d, c)) / Math.max(1e-6, distance(b, c) + distance(a, d));
}

export function middle(points: readonly PlatePoint[]): PlatePoint {
  const n = points.length || 1;
  return { x: points.reduce((s, p) => s + p.x, 0) / n, y: points.reduce((s, p) => s + p.y, 0) / n };
}
