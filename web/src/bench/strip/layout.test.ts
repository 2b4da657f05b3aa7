import { describe, expect, it } from "vitest";
import { cellsFor, columnFrames, columnX, doubtHeight, frameAt, rowAt, rowY, rulerStep, xOf, zoomRange } from "./layout";

const all = { first: 0, last: 119 };
const large = cellsFor("large", 4, all, 1072);

describe("the strip", () => {
  it("shows the first and the last frame and even steps between", () => {
    const frames = columnFrames(all, 1072, large);
    expect(frames[0]).toBe(0);
    expect(frames.at(-1)).toBe(119);
    expect(new Set(frames).size).toBe(frames.length);
  });
  it("shows every frame once it is zoomed enough", () => {
    expect(columnFrames({ first: 10, last: 20 }, 1072, large)).toEqual([10, 11, 12, 13, 14, 15, 16, 17, 18, 19, 20]);
  });
  it("keeps columns apart", () => {
    const xs = columnFrames(all, 1072, large).map((_, i, list) => columnX(i, list.length, 1072, large));
    xs.slice(1).forEach((x, i) => expect(x - (xs[i] ?? 0)).toBeGreaterThanOrEqual(35));
  });
  it("has a slit for every frame, and twice as many narrow crops", () => {
    const slits = cellsFor("slits", 4, all, 1072);
    expect(columnFrames(all, 1072, slits)).toHaveLength(120);
    expect(columnX(119, 120, 1072, slits) + slits.width).toBeLessThanOrEqual(1072 - 3.9);
    expect(columnFrames(all, 1072, cellsFor("small", 4, all, 1072)).length).toBeGreaterThan(1.6 * columnFrames(all, 1072, large).length);
  });
  it("makes room for a fifth row", () => {
    const five = cellsFor("large", 5, all, 1072);
    expect(rowY(4, 5) + five.height).toBeLessThanOrEqual(18 + 148);
    for (const row of [0, 1, 2, 3, 4]) expect(rowAt(rowY(row, 5) + 4, 5)).toBe(row);
    expect(rowAt(3, 4)).toBe(-1);
    expect(rowAt(190, 4)).toBeGreaterThanOrEqual(4);
  });
  it("knows the frame under the pointer", () => {
    for (const f of [0, 17, 60, 119]) expect(frameAt(xOf(f, all, 900), all, 900)).toBe(f);
    expect(frameAt(-50, all, 900)).toBe(0);
    expect(frameAt(5000, all, 900)).toBe(119);
  });
  it("zooms about a frame within the plate", () => {
    const closer = zoomRange(all, 60, 0.5, 120);
    expect(closer.last - closer.first).toBe(59);
    expect(closer.first).toBeLessThan(60);
    expect(zoomRange(closer, 60, 100, 120)).toEqual(all);
    expect(zoomRange(all, 0, 0.001, 120)).toEqual({ first: 0, last: 7 });
  });
  it("grows with doubt and stays in its row", () => {
    const heights = [0, 0.02, 0.1, 0.5, 2, 50].map(doubtHeight);
    heights.slice(1).forEach((h, i) => expect(h).toBeGreaterThanOrEqual(heights[i] ?? 0));
    expect(heights.at(-1)).toBe(1);
  });
  it("labels in round steps", () => {
    expect([rulerStep(120), rulerStep(40), rulerStep(2000)]).toEqual([20, 5, 500]);
  });
});
