import { expect, it } from "vitest";
import { smoothOutline } from "./smooth";

const CORE = [3.916304032, -0.742329022, 4.159134091, 9.768649126] as const;
const shape = [
  { x: 0, y: 0 },
  { x: 10, y: 1 },
  { x: 12, y: 9 },
  { x: -1, y: 8 },
];

it("passes through its points and draws the same curve as the core", () => {
  const curve = smoothOutline(shape, 12);
  expect(curve).toHaveLength(48);
  shape.forEach((p, i) => {
    expect(curve[12 * i]?.x).toBeCloseTo(p.x, 9);
    expect(curve[12 * i]?.y).toBeCloseTo(p.y, 9);
  });
  // Said by the core for the same four points.
  expect(curve[5]?.x).toBeCloseTo(CORE[0], 6);
  expect(curve[5]?.y).toBeCloseTo(CORE[1], 6);
  expect(curve[31]?.x).toBeCloseTo(CORE[2], 6);
  expect(curve[31]?.y).toBeCloseTo(CORE[3], 6);
});

it("bears two points on one spot", () => {
  const curve = smoothOutline([...shape.slice(0, 1), ...shape.slice(0, 3)], 4);
  expect(curve.every((p) => Number.isFinite(p.x) && Number.isFinite(p.y))).toBe(true);
});
