import { expect, it } from "vitest";
import { PLAIN_LAYOUT } from "./placing";
import { dragged, fitted, outlineIn } from "./layout";

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
  expect(dragged(off, "body", { x: 0.5, y: 0.5 }, { x: 0.305, y: 0.6 }, 2, false).move).toEqual([0, expect.closeTo(0.1)]);
  expect(dragged(off, "body", { x: 0.5, y: 0.5 }, { x: 0.305, y: 0.6 }, 2, true).move?.[0]).toBeCloseTo(0.005);
});

it("turns by the stalk and scales by a corner, about its middle", () => {
  expect(dragged(PLAIN_LAYOUT, "turn", { x: 0.5, y: 0 }, { x: 0.75, y: 0.5 }, 2, false).turn_deg).toBeCloseTo(90);
  expect(dragged(PLAIN_LAYOUT, 2, { x: 1, y: 1 }, { x: 0.75, y: 0.75 }, 2, false).scale).toEqual([expect.closeTo(0.5), expect.closeTo(0.5)]);
});
