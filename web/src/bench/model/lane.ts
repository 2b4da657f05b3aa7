/** How artwork runs against the plate, as a lane to draw. Pure. */
import type { Placement } from "../../api/types";
import { positionAt } from "./placing";

export type Length = { frames: number; rate: number | null };
export type Lane = {
  /** First and last frame of the plate at which it is seen. */
  first: number;
  last: number;
  /** Frames of the plate at which it begins anew, or turns round. */
  again: number[];
  /** First frame of the plate at which it only holds its last frame; null when it does not. */
  holds: number | null;
  /** Frames of the plate at which another `every` of its frames have passed: they crowd where it is fast. */
  ticks: number[];
  /** Frames of the plate at which an item of a running order begins, and which one. */
  blocks: { frame: number; item: number }[];
};

/** Frames of the artwork from tick to tick. */
export const EVERY = 12;

/** The lane of a placement over a plate of so many frames; `length` is null where it stands still. */
export function laneOf(p: Placement, length: Length | null, plate: number, count: number): Lane {
  const [a, b] = p.span ?? [0, count - 1];
  const lane: Lane = { first: Math.max(0, a), last: Math.min(b, count - 1), again: [], holds: null, ticks: [], blocks: [] };
  if (!length) return lane;
  const t = p.time;
  const from = Math.min(t.first ?? 0, length.frames - 1);
  const used = Math.max(1, Math.min(t.last ?? length.frames - 1, length.frames - 1) - from + 1);
  const starts = p.artwork.kind === "order" ? p.artwork.items.reduce<number[]>((all, item) => [...all, (all[all.length - 1] ?? 0) + item.frames], [0]) : [];
  const wrapped = (at: number) => (t.after === "loop" ? ((at % used) + used) % used : Math.min(Math.max(at, 0), used - 1)) + from;
  const itemAt = (at: number) => starts.findIndex((s, i) => at >= s && at < (starts[i + 1] ?? Infinity));
  let before: { round: number; tick: number; item: number } | null = null;
  let seen: [number, number] | null = null;
  for (let n = lane.first; n <= lane.last; n++) {
    const at = positionAt(t, length.rate, plate, n) - from + 1e-6;
    const inside = at >= 0 && at < used;
    if (t.after === "end" && !inside) continue;
    seen = [seen?.[0] ?? n, n];
    const round = Math.floor(at / used);
    const now = { round, tick: Math.floor(at / EVERY), item: starts.length ? itemAt(wrapped(at)) : -1 };
    if (before && (t.after === "loop" || t.after === "back_and_forth") && round !== before.round) lane.again.push(n);
    if (t.after === "hold" && at >= used && lane.holds === null) lane.holds = n;
    if (before && inside && now.tick !== before.tick) lane.ticks.push(n);
    if (now.item >= 0 && now.item !== before?.item) lane.blocks.push({ frame: n, item: now.item });
    before = now;
  }
  return seen ? { ...lane, first: seen[0], last: seen[1] } : { ...lane, last: lane.first - 1 };
}

/** First and last frame after an end of the bar was dragged; null where it is seen all along. */
export function spanDragged(p: Placement, end: "first" | "last", to: number, count: number): [number, number] | null {
  const [a, b] = p.span ?? [0, count - 1];
  const at = Math.min(Math.max(0, to), count - 1);
  const span: [number, number] = end === "first" ? [Math.min(at, b), b] : [a, Math.max(at, a)];
  return span[0] <= 0 && span[1] >= count - 1 ? null : span;
}
