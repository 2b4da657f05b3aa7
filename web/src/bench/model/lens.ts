/** What a lens does to straight lines: the grid over the picture. The same model as the core's (Brown 1971). Pure. */
import type { Shot, TakeView } from "../../api/types";
import type { PlatePoint } from "./geometry";

export type LensTerms = { k1: number; k2: number; k3: number; p1: number; p2: number; centre: PlatePoint; half: number };

export function termsOf(lens: Shot["lens"], width: number, height: number): LensTerms {
  const centre = lens.centre ? { x: lens.centre[0], y: lens.centre[1] } : { x: width / 2, y: height / 2 };
  return { k1: lens.k1, k2: lens.k2, k3: lens.k3, p1: lens.p1, p2: lens.p2, centre, half: Math.hypot(width, height) / 2 };
}

/** Plate px where an ideal point is seen. */
export function distort(t: LensTerms, p: PlatePoint): PlatePoint {
  const x = (p.x - t.centre.x) / t.half;
  const y = (p.y - t.centre.y) / t.half;
  const r2 = x * x + y * y;
  const radial = 1 + r2 * (t.k1 + r2 * (t.k2 + r2 * t.k3));
  return {
    x: (x * radial + 2 * t.p1 * x * y + t.p2 * (r2 + 2 * x * x)) * t.half + t.centre.x,
    y: (y * radial + t.p1 * (r2 + 2 * y * y) + 2 * t.p2 * x * y) * t.half + t.centre.y,
  };
}

/** The ideal point that is seen at plate px: fixed-point steps, which settle as lenses bend gently. */
export function undistort(t: LensTerms, seen: PlatePoint): PlatePoint {
  let p = seen;
  for (let i = 0; i < 30; i++) {
    const at = distort(t, p);
    const next = { x: p.x + seen.x - at.x, y: p.y + seen.y - at.y };
    const step = Math.hypot(next.x - p.x, next.y - p.y);
    p = next;
    if (step < 1e-4) break;
  }
  return p;
}

/** The lens a surface is seen through: as it was found with its take, else as the document gives it; null where it bends nothing. */
export function lensOf(take: Pick<TakeView, "camera"> | null, lens: Shot["lens"], width: number, height: number): LensTerms | null {
  const found = take?.camera?.lens;
  const t = found
    ? { ...found, centre: { x: found.centre[0], y: found.centre[1] }, half: found.half_diagonal }
    : lens.mode === "given"
      ? termsOf(lens, width, height)
      : null;
  return t && (t.k1 || t.k2 || t.k3 || t.p1 || t.p2) ? t : null;
}

/** Edges between corners as the lens shows them; straight without one. */
export function edgesOf(t: LensTerms | null, corners: readonly PlatePoint[], steps = 16): PlatePoint[] {
  if (!t) return [...corners];
  const ideal = corners.map((c) => undistort(t, c));
  return ideal.flatMap((a, i) => {
    const b = ideal[(i + 1) % ideal.length] ?? a;
    return Array.from({ length: steps }, (_, k) => distort(t, { x: a.x + ((b.x - a.x) * k) / steps, y: a.y + ((b.y - a.y) * k) / steps }));
  });
}

/** Lines of an even grid that a lens without distortion would show straight, as they are seen. */
export function grid(t: LensTerms, width: number, height: number, cells = 12, steps = 24): PlatePoint[][] {
  const rows = Math.max(2, Math.round((cells * height) / width));
  const at = (u: number, v: number) => distort(t, { x: u * width, y: v * height });
  const along = Array.from({ length: steps + 1 }, (_, i) => i / steps);
  return [
    ...Array.from({ length: cells + 1 }, (_, i) => along.map((v) => at(i / cells, v))),
    ...Array.from({ length: rows + 1 }, (_, i) => along.map((u) => at(u, i / rows))),
  ];
}
