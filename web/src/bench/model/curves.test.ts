import { describe, expect, it } from "vitest";
import type { Surface, TakeFrame } from "../../api/types";
import { curveValues, framesAbove, runsOf } from "./curves";

const surface = {
  corners: [
    [0, 0],
    [10, 0],
    [10, 10],
    [0, 10],
  ],
} as unknown as Surface;
const at = (frame: number, x: number, sigma: number): [number, TakeFrame] => [
  frame,
  {
    frame,
    status: "followed",
    homography: [1, 0, x, 0, 1, 0, 0, 0, 1],
    sigma_px: [sigma, sigma, sigma, 2 * sigma],
    residual_px: 0.1,
    share_used: 0.5,
    margin_px: null,
    through: null,
    first_look: false,
    defocus_px2: null,
    smear_px: null,
    noise: null,
    reason: "",
  },
];
const frames = new Map([at(0, 0, 0.1), at(1, 3, 0.1), at(2, 6, 0.4), at(3, 15, 0.1)]);
const range = { first: 0, last: 4 };

describe("curves", () => {
  it("show speed and acceleration of every corner, and nothing where a neighbour is missing", () => {
    expect(curveValues("speed", frames, surface, range)[0]).toEqual([null, 3, 3, 9, null]);
    expect(curveValues("acceleration", frames, surface, range)[2]).toEqual([null, 0, 6, null, null]);
  });
  it("say nothing of lost frames", () => {
    const lost = new Map([[0, { ...at(0, 0, 0.1)[1], status: "lost" as const }]]);
    expect(curveValues("used", lost, surface, { first: 0, last: 0 })).toEqual([[null]]);
  });
  it("select frames above a threshold by any corner", () => {
    expect(framesAbove(curveValues("doubt", frames, surface, range), 0.5, range)).toEqual([2]);
    expect(framesAbove(curveValues("doubt", frames, surface, range), 0.15, range)).toEqual([0, 1, 2, 3]);
  });
});

describe("runs", () => {
  it("join neighbours and close small gaps", () => {
    expect(runsOf([9, 1, 2, 4, 12])).toEqual([
      [1, 4],
      [9, 9],
      [12, 12],
    ]);
  });
});
