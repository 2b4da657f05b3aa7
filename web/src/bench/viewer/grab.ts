/** What of the overlay a pointer can take hold of, and lines of points as SVG paths. */
import type { ScreenPoint } from "../model/geometry";

export type Grab =
  | { kind: "corner"; corner: number }
  | { kind: "point"; shape: string; index: number }
  | { kind: "insert"; shape: string; index: number }
  | { kind: "shape"; shape: string }
  | { kind: "scale"; shape: string; handle: number }
  | { kind: "mark"; id: string; what: "at" | "half_size_px" | "search_px" };

export function path(points: ScreenPoint[], closed = true): string {
  return points.map((p, i) => `${i ? "L" : "M"}${p.x.toFixed(2)} ${p.y.toFixed(2)}`).join("") + (closed ? "Z" : "");
}
