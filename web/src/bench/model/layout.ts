/** How artwork lies in its area, as an outline that can be taken hold of. Pure; the same rule as the core's. */
import type { LayoutKey, Placement } from "../../api/types";
import type { Space } from "./geometry";

/** Shares of an area's width and height. */
export type UnitPoint = Space<"area">;
export type Held = "body" | "turn" | 0 | 1 | 2 | 3;

/** Width and height of fitted artwork, in heights of the area, before it is scaled. */
export function fitted(fit: Placement["fit"], art: number, area: number): { w: number; h: number } {
  if (fit === "stretch") return { w: area, h: 1 };
  const wide = art > area;
  return (fit === "fill") === wide ? { w: art, h: 1 } : { w: area, h: area / art };
}

const turned = (x: number, y: number, deg: number) => {
  const [c, s] = [Math.cos((deg * Math.PI) / 180), Math.sin((deg * Math.PI) / 180)];
  return { x: c * x - s * y, y: s * x + c * y };
};

/** Middle, corners (cropped) and the end of the stalk of artwork in its area. */
export function outlineIn(lie: LayoutKey, size: { w: number; h: number }, area: number): { middle: UnitPoint; corners: UnitPoint[]; stalk: UnitPoint } {
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

/** How it lies after what is held was dragged from one place to another; it snaps to the middle, and to quarter turns. */
export function dragged(lie: LayoutKey, held: Held, from: UnitPoint, to: UnitPoint, area: number, free: boolean): Partial<LayoutKey> {
  if (held === "body") {
    const move: [number, number] = [lie.move[0] + to.x - from.x, lie.move[1] + to.y - from.y];
    return { move: free ? move : [near(move[0], 0, SNAP), near(move[1], 0, SNAP)] };
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
  const by = Math.hypot(b.x, b.y) / Math.max(Math.hypot(a.x, a.y), 1e-6);
  const limited = (v: number) => Math.min(100, Math.max(0.001, v));
  const whole = free ? by : near(lie.scale[0] * by, 1, 0.015) / lie.scale[0];
  return { scale: [limited(lie.scale[0] * whole), limited(lie.scale[1] * whole)] };
}
