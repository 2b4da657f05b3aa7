import { expect, it } from "vitest";
import { PLAIN_LAYOUT } from "./placing";
import { dragged, fitted, outlineIn, stepIn } from "./layout";

const WHOLE = { w: 2, h: 1 };

it("fits, fills and stretches as the core does", () => {
  expect(fitted("stretch", 3, 2)).toEqual({ w: 2, h: 1 });
  expect(fitted("fit", 4, 2)).toEqual({ w: 2, h: 0.5 });
  expect(fitted("fill", 4, 2)).toEqual({ w: 4, h: 1 });
  expect(fitted("fill", 1, 2)).toEqual({ w: 2, h: 2 });
});

it("outlines artwork as it is scaled, turned about its middle and cropped", () => {
  const half = outlineIn({ ...PLAIN_LAYOUT, scale: [0.5, 0.5] }, { w: 2, h: 1 }, 2);
  expect(half.corners[0]).toEqual({ x: 0.25, y: 0.25 });
  const upright = outlineIn({ ...PLAIN_LAYOUT, turn_deg: 90 }, { w: 2, h: 1 }, 2);
  expect(upright.corners[0]?.x).toBeCloseTo(0.75);
  expect(upright.corners[0]?.y).toBeCloseTo(-0.5);
  const cut = outlineIn({ ...PLAIN_LAYOUT, crop: [0.5, 0, 0, 0] }, { w: 2, h: 1 }, 2);
  expect(cut.corners[0]).toEqual({ x: 0.5, y: 0 });
});

it("moves with the hand, and snaps to the middle unless it is free", () => {
  const off = { ...PLAIN_LAYOUT, move: [0.2, 0] as [number, number] };
  expect(dragged(off, "body", { x: 0.5, y: 0.5 }, { x: 0.305, y: 0.6 }, 2, false, WHOLE).move).toEqual([expect.closeTo(0), expect.closeTo(0.1)]);
  expect(dragged(off, "body", { x: 0.5, y: 0.5 }, { x: 0.305, y: 0.6 }, 2, true, WHOLE).move?.[0]).toBeCloseTo(0.005);
});

it("turns by the stalk and scales by a corner, about its middle", () => {
  expect(dragged(PLAIN_LAYOUT, "turn", { x: 0.5, y: 0 }, { x: 0.75, y: 0.5 }, 2, false, WHOLE).turn_deg).toBeCloseTo(90);
  expect(dragged(PLAIN_LAYOUT, 2, { x: 1, y: 1 }, { x: 0.75, y: 0.75 }, 2, false, WHOLE).scale).toEqual([expect.closeTo(0.5), expect.closeTo(0.5)]);
});

it("snaps its edges to the area's", () => {
  const half = { ...PLAIN_LAYOUT, scale: [0.5, 0.5] as [number, number] };
  expect(dragged(half, "body", { x: 0.5, y: 0.5 }, { x: 0.745, y: 0.26 }, 2, false, WHOLE).move).toEqual([expect.closeTo(0.25), expect.closeTo(-0.25)]);
  expect(dragged(half, "body", { x: 0.5, y: 0.5 }, { x: 0.745, y: 0.26 }, 2, true, WHOLE).move).toEqual([expect.closeTo(0.245), expect.closeTo(-0.24)]);
});

it("crops by its edges, also when it is turned, and leaves something of it", () => {
  expect(dragged(PLAIN_LAYOUT, "left", { x: 0, y: 0.5 }, { x: 0.3, y: 0.5 }, 2, true, WHOLE).crop).toEqual([expect.closeTo(0.3), 0, 0, 0]);
  expect(dragged(PLAIN_LAYOUT, "bottom", { x: 0.5, y: 1 }, { x: 0.5, y: 0.9 }, 2, true, WHOLE).crop).toEqual([0, 0, 0, expect.closeTo(0.1)]);
  expect(dragged(PLAIN_LAYOUT, "left", { x: 0, y: 0.5 }, { x: 2, y: 0.5 }, 2, true, WHOLE).crop).toEqual([expect.closeTo(0.98), 0, 0, 0]);
  expect(dragged(PLAIN_LAYOUT, "left", { x: 0, y: 0.5 }, { x: 0.005, y: 0.5 }, 2, false, WHOLE).crop).toEqual([0, 0, 0, 0]);
  const upright = { ...PLAIN_LAYOUT, turn_deg: 90 };
  expect(dragged(upright, "top", { x: 1, y: 0.5 }, { x: 0.6, y: 0.5 }, 2, true, WHOLE).crop).toEqual([0, expect.closeTo(0.3), 0, 0]);
});

it("steps in plate px", () => {
  const area = [
    { x: 0, y: 0 },
    { x: 200, y: 0 },
    { x: 200, y: 50 },
    { x: 0, y: 50 },
  ];
  expect(stepIn(area, { x: 1, y: -0.1 })).toEqual([0.005, -0.002]);
});
