import { expect, it } from "vitest";
import { distort, grid, termsOf } from "./lens";

const none = { mode: "given", k1: 0, k2: 0, k3: 0, p1: 0, p2: 0, centre: null, lines: [] } as unknown as Parameters<typeof termsOf>[0];

it("leaves everything alone without terms, and the centre always", () => {
  expect(distort(termsOf(none, 200, 100), { x: 13, y: 77 })).toEqual({ x: 13, y: 77 });
  const barrel = termsOf({ ...none, k1: -0.1, k2: 0.02 }, 200, 100);
  expect(distort(barrel, { x: 100, y: 50 })).toEqual({ x: 100, y: 50 });
});

it("draws a corner in by k1 at one half diagonal", () => {
  const p = distort(termsOf({ ...none, k1: -0.1 }, 200, 100), { x: 0, y: 0 });
  expect(p.x).toBeCloseTo(10, 9);
  expect(p.y).toBeCloseTo(5, 9);
});

it("has a centre of its own", () => {
  const off = termsOf({ ...none, k1: 0.2, centre: [80, 40] }, 200, 100);
  expect(distort(off, { x: 80, y: 40 })).toEqual({ x: 80, y: 40 });
});

it("makes square cells", () => {
  const lines = grid(termsOf(none, 200, 100), 200, 100, 8);
  expect(lines).toHaveLength(9 + 5);
  expect(lines[1]?.[0]?.x).toBeCloseTo(25);
  expect(lines[10]?.[0]?.y).toBeCloseTo(25);
});
