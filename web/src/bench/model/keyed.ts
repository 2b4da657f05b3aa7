/** Outlines with keys over time: where their points are at a frame, and what a change at one frame does to the keys. Pure. */
import type { Surface } from "../../api/types";
import { apply, at, type Homography, invert, pair, type PlatePoint } from "./geometry";
import { likewise } from "./polygons";

export type RegionShape = Surface["region"]["shapes"][number];
export type Key = { frame: number; points: (PlatePoint | null)[]; ease: "linear" | "eased" };
/** Pose of the plane an outline rides on, frame from reference; null where it is not known. */
export type PoseAt = (frame: number) => Homography | null;
/** What a change counts for: a key at this frame, this frame and all keys after it, or every key. */
export type Scope = "here" | "onwards" | "whole";

/** Every shape of a region in one form: plain polygons become shapes with one key at the reference frame. */
export function regionShapes(surface: Surface): RegionShape[] {
  const plain = (role: "include" | "exclude") =>
    surface.region[role].map((points): RegionShape => ({
      role,
      outline: "straight",
      rides: "plane",
      feather_px: 0,
      keys: [{ frame: surface.reference_frame, points, ease: "linear" }],
    }));
  return [...plain("include"), ...plain("exclude"), ...surface.region.shapes];
}

type HasKeys = { keys: readonly { frame: number; points: readonly (readonly [number, number] | null)[]; ease?: "linear" | "eased" }[] };

export function keysOf(shape: HasKeys): Key[] {
  return shape.keys.map((k) => ({ frame: k.frame, points: k.points.map((p) => (p ? at(p) : null)), ease: k.ease ?? "linear" }));
}

/** Every point between its own keys; held before its first and after its last. The same rule as the core's. */
export function keyedPoints(frame: number, keys: readonly Key[]): PlatePoint[] {
  const count = keys[0]?.points.length ?? 0;
  return Array.from({ length: count }, (_, i) => {
    const own = keys.filter((k) => k.points[i]);
    const before = own.filter((k) => k.frame <= frame).at(-1);
    const after = own.find((k) => k.frame > frame);
    const p = before?.points[i];
    const q = after?.points[i];
    if (!before || !after || !p || !q) return p ?? q ?? { x: 0, y: 0 };
    const linear = (frame - before.frame) / (after.frame - before.frame);
    const t = before.ease === "eased" ? linear * linear * (3 - 2 * linear) : linear;
    return { x: (1 - t) * p.x + t * q.x, y: (1 - t) * p.y + t * q.y };
  });
}

function mapped(points: readonly (PlatePoint | null)[], h: Homography): (PlatePoint | null)[] {
  return points.map((p) => (p ? apply(h, p) : null));
}

/** Where keyed points are at a frame, riding a plane between their keys as far as its pose is known. */
export function pointsAt(frame: number, keys: readonly Key[], pose: PoseAt): PlatePoint[] {
  const now = pose(frame);
  if (!now) return keyedPoints(frame, keys);
  const known = keys.flatMap((k): Key[] => {
    const h = pose(k.frame);
    return h ? [{ ...k, points: mapped(k.points, invert(h)) }] : [];
  });
  const complete = known.length > 0 && (known[0]?.points ?? []).every((_, i) => known.some((k) => k.points[i]));
  return complete ? keyedPoints(frame, known).map((p) => apply(now, p)) : keyedPoints(frame, keys);
}

function sorted(keys: readonly Key[]): Key[] {
  return [...keys].sort((a, b) => a.frame - b.frame);
}

/** The keys after the outline was given these points at a frame. */
export function changed(keys: readonly Key[], frame: number, points: readonly PlatePoint[], scope: Scope, pose: PoseAt): Key[] {
  let old = [...keys];
  if (points.length !== (keys[0]?.points.length ?? 0)) {
    // A point put in or taken out counts for all keys.
    const before = pointsAt(frame, keys, pose);
    old = keys.map((k) => {
      const whole = likewise(
        before,
        points,
        k.points.map((p, i) => p ?? before[i] ?? { x: 0, y: 0 }),
      );
      return { ...k, points: whole };
    });
  }
  const ease = old.filter((k) => k.frame <= frame).at(-1)?.ease ?? "linear";
  const here: Key = { frame, points: [...points], ease };
  if (scope === "here") return sorted([...old.filter((k) => k.frame !== frame), here]);
  const was = pointsAt(frame, old, pose);
  const home = pose(frame);
  const toHome = home ? invert(home) : null;
  const moved = (k: Key): Key => {
    const there = pose(k.frame);
    return {
      ...k,
      points: k.points.map((p, i) => {
        const [a, b] = [was[i], points[i]];
        if (!p || !a || !b) return p;
        if (!toHome || !there) return { x: p.x + b.x - a.x, y: p.y + b.y - a.y };
        const [ha, hb, hp] = [apply(toHome, a), apply(toHome, b), apply(invert(there), p)];
        return apply(there, { x: hp.x + hb.x - ha.x, y: hp.y + hb.y - ha.y });
      }),
    };
  };
  if (scope === "whole") return old.map(moved);
  return sorted([...old.filter((k) => k.frame < frame), here, ...old.filter((k) => k.frame > frame).map(moved)]);
}

/** Without the key at a frame; the last key stays. A point that had a key only there gets one in the nearest. */
export function withoutKey(keys: readonly Key[], frame: number, pose: PoseAt): Key[] {
  const left = keys.filter((k) => k.frame !== frame);
  if (left.length === 0 || left.length === keys.length) return [...keys];
  const orphans = (left[0]?.points ?? []).map((_, i) => left.every((k) => !k.points[i]));
  if (!orphans.some(Boolean)) return left;
  const nearest = left.reduce((a, b) => (Math.abs(b.frame - frame) < Math.abs(a.frame - frame) ? b : a));
  const there = pointsAt(nearest.frame, keys, pose);
  return left.map((k) => (k === nearest ? { ...k, points: k.points.map((p, i) => (orphans[i] ? (there[i] ?? p) : p)) } : k));
}

/** How keys are written down. */
export function plainKeys(keys: readonly Key[]): RegionShape["keys"] {
  return keys.map((k) => ({ frame: k.frame, points: k.points.map((p) => (p ? pair(p) : null)), ease: k.ease }));
}

/** The same shapes drawn anew for another reference frame, or another plane: one key each, where they are at that frame. */
export function shapesAt(shapes: readonly RegionShape[], frame: number, pose: PoseAt): RegionShape[] {
  return shapes.map((s) => ({
    ...s,
    keys: plainKeys([{ frame, points: pointsAt(frame, keysOf(s), s.rides === "plane" ? pose : () => null), ease: "linear" }]),
  }));
}

/** The key before or after a frame; null when there is none. */
export function keyBeside(frames: readonly number[], frame: number, step: 1 | -1): number | null {
  const found = step > 0 ? frames.find((f) => f > frame) : [...frames].reverse().find((f) => f < frame);
  return found ?? null;
}
