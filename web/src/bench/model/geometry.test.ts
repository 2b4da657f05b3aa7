import { describe, expect, it } from "vitest";
import { apply, edgeAspect, invert, multiply, pair, unitSquareTo } from "./geometry";

const quad = [
  { x: 20, y: 14 },
  { x: 76, y: 18 },
  { x: 72, y: 60 },
  { x: 18, y: 56 },
];

describe("homographies", () => {
  it("take the unit square to the quad in corner order", () => {
    const h = unitSquareTo(quad);
    const unit = [
      [0, 0],
      [1, 0],
      [1, 1],
      [0, 1],
    ] as const;
    unit.forEach(([x, y], i) => {
      const p = apply(h, { x, y });
      expect(p.x).toBeCloseTo(quad[i]?.x ?? 0, 9);
      expect(p.y).toBeCloseTo(quad[i]?.y ?? 0, 9);
    });
  });

  it("undo themselves", () => {
    const h = unitSquareTo(quad);
    const back = multiply(invert(h), h).map((v, _, all) => v / (all[8] ?? 1));
    [1, 0, 0, 0, 1, 0, 0, 0, 1].forEach((v, i) => expect(back[i]).toBeCloseTo(v, 9));
  });

  it("know the proportions of a square", () => {
    expect(
      edgeAspect([
        { x: 0, y: 0 },
        { x: 30, y: 0 },
        { x: 30, y: 15 },
        { x: 0, y: 15 },
      ]),
    ).toBeCloseTo(2);
  });

  it("round for the document", () => {
    expect(pair({ x: 1.23456, y: -0.005 })).toEqual([1.23, -0]);
  });
});
