import { describe, expect, it } from "vitest";
import { changed, type Key, keyBeside, keyedPoints, pointsAt, type PoseAt, withoutKey } from "./keyed";

const square = (x: number, y: number) => [
  { x, y },
  { x: x + 10, y },
  { x: x + 10, y: y + 10 },
  { x, y: y + 10 },
];
const key = (frame: number, x: number, y: number, ease: Key["ease"] = "linear"): Key => ({ frame, points: square(x, y), ease });
const still: PoseAt = () => null;
/** A plane that goes 2 px to the right with every frame. */
const sliding: PoseAt = (f) => [1, 0, 2 * f, 0, 1, 0, 0, 0, 1];

describe("points between keys", () => {
  const keys = [key(10, 0, 0), key(20, 100, 50)];
  it("run evenly, and stay before the first and after the last", () => {
    expect(keyedPoints(15, keys)[0]).toEqual({ x: 50, y: 25 });
    expect(keyedPoints(0, keys)[0]).toEqual({ x: 0, y: 0 });
    expect(keyedPoints(99, keys)[2]).toEqual({ x: 110, y: 60 });
  });
  it("ease in and out where a key says so", () => {
    const eased = [key(10, 0, 0, "eased"), key(20, 100, 0)];
    expect(keyedPoints(15, eased)[0]?.x).toBeCloseTo(50);
    expect(keyedPoints(12, eased)[0]?.x).toBeCloseTo(100 * 0.2 * 0.2 * 2.6);
  });
  it("let every point have keys of its own", () => {
    const part: Key = { frame: 20, points: [{ x: 40, y: 0 }, null, null, null], ease: "linear" };
    const at = keyedPoints(15, [key(10, 0, 0), part]);
    expect(at[0]).toEqual({ x: 20, y: 0 });
    expect(at[1]).toEqual({ x: 10, y: 0 });
  });
  it("ride a plane where its pose is known", () => {
    expect(pointsAt(7, [key(0, 5, 5)], sliding)[0]).toEqual({ x: 19, y: 5 });
    expect(pointsAt(7, [key(0, 5, 5)], still)[0]).toEqual({ x: 5, y: 5 });
  });
});

describe("a change at one frame", () => {
  const keys = [key(0, 0, 0), key(10, 0, 0), key(20, 0, 0)];
  const moved = square(4, 0);
  it("makes a key there and leaves the others", () => {
    const now = changed(keys, 5, moved, "here", still);
    expect(now.map((k) => k.frame)).toEqual([0, 5, 10, 20]);
    expect(now[2]?.points[0]).toEqual({ x: 0, y: 0 });
  });
  it("counts from there on", () => {
    const now = changed(keys, 10, moved, "onwards", still);
    expect(now.map((k) => k.points[0]?.x)).toEqual([0, 4, 4]);
  });
  it("counts for the whole shot, without a new key", () => {
    const now = changed(keys, 13, moved, "whole", still);
    expect(now.map((k) => k.points[0]?.x)).toEqual([4, 4, 4]);
  });
  it("of a shape that rides moves its only key so that it is where it was put", () => {
    const one = [key(0, 5, 5)];
    const put = square(22, 9);
    const now = changed(one, 7, put, "whole", sliding);
    expect(now).toHaveLength(1);
    expect(pointsAt(7, now, sliding)).toEqual(put);
  });
  it("puts a new point into all keys", () => {
    const five = [...square(0, 0).slice(0, 1), { x: 5, y: -3 }, ...square(0, 0).slice(1)];
    const now = changed(keys, 10, five, "here", still);
    expect(now.map((k) => k.points.length)).toEqual([5, 5, 5]);
    expect(now[1]?.points[1]).toEqual({ x: 5, y: -3 });
    expect(now[0]?.points[1]).toEqual({ x: 5, y: 0 });
  });
});

describe("keys", () => {
  it("go, but the last one stays", () => {
    expect(withoutKey([key(0, 0, 0), key(9, 1, 1)], 9, still).map((k) => k.frame)).toEqual([0]);
    expect(withoutKey([key(0, 0, 0)], 0, still)).toHaveLength(1);
  });
  it("leave no point without one", () => {
    const part: Key = { frame: 0, points: [null, ...square(0, 0).slice(1)], ease: "linear" };
    const left = withoutKey([part, key(9, 1, 1)], 9, still);
    expect(left[0]?.points[0]).toEqual({ x: 1, y: 1 });
  });
  it("are stepped through", () => {
    expect(keyBeside([3, 8, 20], 8, 1)).toBe(20);
    expect(keyBeside([3, 8, 20], 8, -1)).toBe(3);
    expect(keyBeside([3, 8, 20], 20, 1)).toBeNull();
  });
});
