import { expect, it } from "vitest";
import { medianOf, noiseOf, worstFrames } from "./jitter";

const rows = [
  { frame: 0, shift_px: [[0, 0], [0, 0], null, [0, 0]], noise_px: [0.02, 0.1, null, 0.1] },
  { frame: 1, shift_px: [[3, 4], [0.1, 0], null, [0, 0.2]], noise_px: [0.04, 0.3, null, 0.1] },
  { frame: 2, shift_px: [[0.6, 0.8], [0, 0.3], null, null], noise_px: [0.03, 0.2, null, null] },
] as Parameters<typeof medianOf>[0];

it("says what half of the frames stay below, corner by corner", () => {
  expect(medianOf(rows, 0)).toBeCloseTo(1);
  expect(medianOf(rows, 1)).toBeCloseTo(0.1);
  expect(medianOf(rows, 2)).toBeNull();
});

it("says what noise alone would show, corner by corner", () => {
  expect(noiseOf(rows, 0)).toBeCloseTo(0.03);
  expect(noiseOf(rows, 1)).toBeCloseTo(0.2);
  expect(noiseOf(rows, 2)).toBeNull();
});

it("names the worst frames and the corner that moves", () => {
  expect(worstFrames(rows, 2)).toEqual([
    { frame: 1, corner: 0, px: 5 },
    { frame: 2, corner: 0, px: 1 },
  ]);
});
