import { expect, it } from "vitest";
import { distort, edgesOf, grid, lensOf, termsOf, undistort } from "./lens";

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

it("goes back from what is seen to what is ideal", () => {
  const t = termsOf({ ...none, k1: -0.18, k2: 0.03, p1: 0.001 }, 1920, 1080);
  const p = distort(t, { x: 1700, y: 90 });
  const back = undistort(t, p);
  expect(back.x).toBeCloseTo(1700, 2);
  expect(back.y).toBeCloseTo(90, 2);
});

it("bends edges between corners that stay where they are", () => {
  const t = termsOf({ ...none, k1: -0.1 }, 1920, 1080);
  const corners = [
    { x: 200, y: 100 },
    { x: 1700, y: 100 },
    { x: 1700, y: 900 },
    { x: 200, y: 900 },
  ];
  const edges = edgesOf(t, corners);
  expect(edges).toHaveLength(64);
  expect(edges[0]?.x).toBeCloseTo(200, 2);
  expect(edges[16]?.x).toBeCloseTo(1700, 2);
  // Barrel distortion: the middle of the upper edge lies above the line between its ends.
  expect(edges[8]?.y).toBeLessThan(95);
  expect(edgesOf(null, corners)).toEqual(corners);
});

it("takes the lens that was found before the one that is given, and none that bends nothing", () => {
  const camera = { lens: { centre: [960, 540], half_diagonal: 1101, k1: -0.03, k2: 0, k3: 0, p1: 0, p2: 0 } };
  expect(lensOf({ camera } as never, none, 1920, 1080)?.k1).toBe(-0.03);
  expect(lensOf(null, { ...none, k1: 0.1 }, 1920, 1080)?.k1).toBe(0.1);
  expect(lensOf(null, none, 1920, 1080)).toBeNull();
});
