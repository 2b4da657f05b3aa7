/** How artwork lies in its area, as an outline that can be taken hold of. Pure; the same rule as the core's. */
import type { LayoutKey, Placement } from "../../api/types";
import type { Space } from "./geometry";

/** Shares of an area's width and height. */
export type UnitPoint = Space<"area">;
export type Held = "body" | "turn" | 0 | 1 | 2 | 3 | EdgeName;
export type EdgeName = "left" | "top" | "right" | "bottom";
export const EDGES: readonly EdgeName[] = ["left", "top", "right", "bottom"];
type Size = { w: number; h: number };

/** Width and height of fitted artwork, in heights of the area, before it is scaled. */
export function fitted(fit: Placement["fit"], art: number, area: number): Size {
  if (fit === "stretch") return { w: area, h: 1 };
  const wide = art > area;
  return (fit === "fill") === wide ? { w: art, h: 1 } : { w: area, h: area / art };
}

const turned = (x: number, y: number, deg: number) => {
  const [c, s] = [Math.cos((deg * Math.PI) / 180), Math.sin((deg * Math.PI) / 180)];
  return { x: c * x - s * y, y: s * x + c * y };
};

/** Middle, corners (cropped) and the end of the stalk of artwork in its area. */
export function outlineIn(lie: LayoutKey, size: Size, area: number): { middle: UnitPoint; corners: UnitPoint[]; stalk: UnitPoint } {
  const middle = { x: 0.5 + lie.move[0], y: 0.5 + lie.move[1] };
  const [w, h] = [size.w * lie.scale[0], size.h * lie.scale[1]];
  const [left, top, right, bottom] = lie.crop;
  const place = (x: number, y: number) => {
    const p = turned(x * w, y * h, lie.turn_deg);
    return { x: middle.x + p.x / area, y: middle.y + p.y };
  };
  const corners = [place(left - 0.5, top - 0.5), place(0.5 - right, top - 0.5), place(0.5 - right, 0.5 - bottom), place(left - 0.5, 0.5 - bottom)];
  const up = turned(0, -h / 2 - 0.09, lie.turn_deg);
  return { middle, corners, stalk: { x: middle.x + up.x / area, y: middle.y + up.y } };
}

const SNAP = 0.012;
const near = (v: number, to: number, by: number) => (Math.abs(v - to) < by ? to : v);

/** The shift, shares, that brings an edge of artwork from `low` to `high` onto an edge of the area, or its middle onto the middle; 0 where none is near. */
function snapShift(low: number, high: number): number {
  const shifts = [0.5 - (low + high) / 2, -low, 1 - high].filter((d) => Math.abs(d) < SNAP);
  return shifts.sort((a, b) => Math.abs(a) - Math.abs(b))[0] ?? 0;
}

/** How it lies after what is held was dragged from one place to another; it snaps to middle, edges and quarter turns, unless it is `free`. */
export function dragged(lie: LayoutKey, held: Held, from: UnitPoint, to: UnitPoint, area: number, free: boolean, size: Size): Partial<LayoutKey> {
  if (held === "body") {
    const move: [number, number] = [lie.move[0] + to.x - from.x, lie.move[1] + to.y - from.y];
    if (free) return { move };
    const { corners } = outlineIn({ ...lie, move }, size, area);
    const [xs, ys] = [corners.map((c) => c.x), corners.map((c) => c.y)];
    return { move: [move[0] + snapShift(Math.min(...xs), Math.max(...xs)), move[1] + snapShift(Math.min(...ys), Math.max(...ys))] };
  }
  const centre = { x: 0.5 + lie.move[0], y: 0.5 + lie.move[1] };
  const arm = (p: UnitPoint) => ({ x: (p.x - centre.x) * area, y: p.y - centre.y });
  const [a, b] = [arm(from), arm(to)];
  if (held === "turn") {
    const angle = (v: { x: number; y: number }) => (Math.atan2(v.y, v.x) * 180) / Math.PI;
    const turn = lie.turn_deg + angle(b) - angle(a);
    const quarter = Math.round(turn / 90) * 90;
    return { turn_deg: free ? turn : near(turn, quarter, 2) };
  }
  if (typeof held === "string") {
    // In the artwork's own shares, from its middle.
    const p = turned(b.x, b.y, -lie.turn_deg);
    const [u, v] = [p.x / (size.w * lie.scale[0]) + 0.5, p.y / (size.h * lie.scale[1]) + 0.5];
    const at = { left: u, top: v, right: 1 - u, bottom: 1 - v }[held];
    const i = EDGES.indexOf(held);
    const most = 0.98 - (lie.crop[(i + 2) % 4] ?? 0);
    const cut = Math.min(most, Math.max(0, free ? at : near(at, 0, SNAP)));
    return { crop: lie.crop.map((c, k) => (k === i ? cut : c)) as LayoutKey["crop"] };
  }
  const by = Math.hypot(b.x, b.y) / Math.max(Math.hypot(a.x, a.y), 1e-6);
  const limited = (v: number) => Math.min(100, Math.max(0.001, v));
  const whole = free ? by : near(lie.scale[0] * by, 1, 0.015) / lie.scale[0];
  return { scale: [limited(lie.scale[0] * whole), limited(lie.scale[1] * whole)] };
}

/** How far artwork moves, shares, for a step in plate px on an area with these corners. */
export function stepIn(corners: readonly { x: number; y: number }[], by: { x: number; y: number }): [number, number] {
  const side = (i: number, j: number) => Math.hypot((corners[j]?.x ?? 0) - (corners[i]?.x ?? 0), (corners[j]?.y ?? 0) - (corners[i]?.y ?? 0));
  return [by.x / Math.max(1, (side(0, 1) + side(3, 2)) / 2), by.y / Math.max(1, (side(0, 3) + side(1, 2)) / 2)];
}
