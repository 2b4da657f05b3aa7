/** Single points: where one is shown at a frame, and keys set by hand. Pure. */
import type { PointView, Surface } from "../../api/types";
import type { PlatePoint } from "./geometry";

const INWARD_PX = 1;

export type TrackPoint = Surface["points"][number];
export type Mark = {
  id: string;
  at: PlatePoint;
  half: [number, number];
  search: [number, number];
  /** How it is known: set by hand here, found, carried by the others; lost, or not looked for yet. */
  status: "by_hand" | "followed" | "carried" | "lost" | "unknown";
  sigma: number | null;
};

/** Sizes that hold at a frame: the point's own, or of the last key before it that says otherwise. */
export function sizesAt(point: TrackPoint, frame: number): { half: [number, number]; search: [number, number] } {
  let [half, search] = [point.half_size_px, point.search_px];
  for (const k of point.keys) {
    if (k.frame > frame) break;
    half = k.half_size_px ?? half;
    search = k.search_px ?? search;
  }
  return { half, search };
}

/** A point at a frame: its key there, else what the take found, else the nearest key. */
export function markAt(point: TrackPoint, frame: number, found: PointView | undefined): Mark {
  const own = point.keys.find((k) => k.frame === frame);
  const sizes = sizesAt(point, frame);
  if (own) return { id: point.id, at: { x: own.at[0], y: own.at[1] }, ...sizes, status: "by_hand", sigma: found?.sigma_px ?? null };
  if (found && found.x !== null && found.y !== null)
    return { id: point.id, at: { x: found.x, y: found.y }, ...sizes, status: found.status, sigma: found.sigma_px };
  const nearest = point.keys.reduce((a, b) => (Math.abs(b.frame - frame) < Math.abs(a.frame - frame) ? b : a));
  return { id: point.id, at: { x: nearest.at[0], y: nearest.at[1] }, ...sizes, status: found ? "lost" : "unknown", sigma: null };
}

/** The point with its key at a frame changed, or set. */
export function withKey(point: TrackPoint, frame: number, change: Partial<TrackPoint["keys"][number]> & { at: [number, number] }): TrackPoint {
  const own = point.keys.find((k) => k.frame === frame) ?? { half_size_px: null, search_px: null };
  const keys = [...point.keys.filter((k) => k.frame !== frame), { ...own, frame, ...change }];
  return { ...point, keys: keys.sort((a, b) => a.frame - b.frame) };
}

/** Without the key at a frame; the last key stays. */
export function withoutMarkKey(point: TrackPoint, frame: number): TrackPoint {
  const keys = point.keys.filter((k) => k.frame !== frame);
  return keys.length ? { ...point, keys } : point;
}

/**
 * Where a pattern would lie wholly on a surface with these corners (in order): the nearest such place to where it is.
 * Null when it does already, or when the surface is too small for it.
 */
export function placeInside(at: PlatePoint, half: readonly [number, number], quad: readonly PlatePoint[]): PlatePoint | null {
  let { x, y } = at;
  /** How far the box reaches over an edge, along the edge's inward normal; corners in order have the inside to the right. */
  const over = (i: number) => {
    const [a, b] = [quad[i], quad[(i + 1) % quad.length]];
    if (!a || !b) return { by: 0, n: { x: 0, y: 0 } };
    const length = Math.hypot(b.x - a.x, b.y - a.y) || 1;
    const n = { x: -(b.y - a.y) / length, y: (b.x - a.x) / length };
    const inside = (x - a.x) * n.x + (y - a.y) * n.y;
    return { by: Math.abs(n.x) * half[0] + Math.abs(n.y) * half[1] + INWARD_PX - inside, n };
  };
  const worst = () => quad.reduce((most, _, i) => (over(i).by > most.by ? over(i) : most), over(0));
  if (worst().by <= INWARD_PX) return null;
  for (let k = 0; k < 60; k++) {
    const { by, n } = worst();
    if (by <= 1e-3) return { x, y };
    x += by * n.x;
    y += by * n.y;
  }
  return null;
}
