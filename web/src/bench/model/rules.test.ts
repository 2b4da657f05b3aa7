/** The client keeps the rules that it shares with the core, case by case. */
import { describe, expect, it } from "vitest";
import rules from "../../../../tests/rules/rules.json";
import { at, type Homography, type PlatePoint } from "./geometry";
import { type Key, keyedPoints, pointsAt } from "./keyed";
import { distort, undistort } from "./lens";
import { positionAt } from "./placing";
import { smoothOutline } from "./smooth";

type Told = { frame: number; points: (number[] | null)[]; ease: string };
const keysOf = (keys: readonly Told[]): Key[] =>
  keys.map((k) => ({ frame: k.frame, ease: k.ease as Key["ease"], points: k.points.map((p) => (p ? at(p) : null)) }));
const near = (found: readonly PlatePoint[], wanted: readonly number[][], digits = 6) => {
  expect(found).toHaveLength(wanted.length);
  wanted.forEach((w, i) => {
    expect(found[i]?.x).toBeCloseTo(w[0] ?? NaN, digits);
    expect(found[i]?.y).toBeCloseTo(w[1] ?? NaN, digits);
  });
};

describe("rules shared with the core", () => {
  it.each(rules.keyed_points)("points between keys: $why", ({ keys, at: told }) => {
    for (const one of told) near(keyedPoints(one.frame, keysOf(keys)), one.points);
  });
  it.each(rules.riding_points)("points that ride a plane: $why", ({ keys, poses, at: told }) => {
    const known = poses as unknown as Record<string, number[][]>;
    const poseAt = (n: number): Homography | null => known[String(n)]?.flat() ?? null;
    for (const one of told) near(pointsAt(one.frame, keysOf(keys), poseAt), one.points);
  });
  it.each(rules.smooth_outline)("smooth outlines: $why", ({ points, steps, curve }) => {
    near(smoothOutline(points.map(at), steps), curve);
  });
  it.each(rules.lens)("lenses: $why", ({ size, terms, ideal, seen }) => {
    const [w = 1, h = 1] = size;
    const lens = { k1: 0, k2: 0, k3: 0, p1: 0, p2: 0, ...terms, centre: { x: w / 2, y: h / 2 }, half: Math.hypot(w, h) / 2 };
    near(
      ideal.map((p) => distort(lens, at(p))),
      seen,
    );
    near(
      seen.map((p) => undistort(lens, at(p))),
      ideal,
      1,
    );
  });
  it.each(rules.position)("moments of artwork: $why", ({ timing, own, plate, at: told }) => {
    const rate = (r: number[]) => (r[0] ?? 1) / (r[1] ?? 1);
    const whole = { first: null, last: null, retime: [], after: "hold", frames: "nearest", ...timing } as unknown as Parameters<typeof positionAt>[0];
    for (const [frame, moment] of told) expect(positionAt(whole, rate(own), rate(plate), frame ?? 0)).toBeCloseTo(moment ?? NaN, 9);
  });
});
