import { describe, expect, it } from "vitest";
import { boxOf, closes, insertAfter, likewise, midpoint, moveSome, removePoint, scaleSome, within } from "./polygons";

const triangle = [
  { x: 0, y: 0 },
  { x: 10, y: 0 },
  { x: 0, y: 10 },
];

it("leaves the given points alone", () => {
  expect(moveSome(triangle, [1], 1, 2)[1]).toEqual({ x: 11, y: 2 });
  expect(triangle[1]).toEqual({ x: 10, y: 0 });
});

it("puts a point into an edge, the last one too", () => {
  expect(midpoint(triangle, 2)).toEqual({ x: 0, y: 5 });
  expect(insertAfter(triangle, 2, midpoint(triangle, 2))).toHaveLength(4);
  expect(insertAfter(triangle, 0, { x: 5, y: 0 })[1]).toEqual({ x: 5, y: 0 });
});

it("keeps at least three points", () => {
  expect(removePoint(triangle, 0)).toHaveLength(3);
  expect(removePoint([...triangle, { x: 9, y: 9 }], 0)).toEqual([triangle[1], triangle[2], { x: 9, y: 9 }]);
});

it("closes near the first point once there are three", () => {
  expect(closes(triangle, { x: 1, y: 1 }, 3)).toBe(true);
  expect(closes(triangle, { x: 8, y: 1 }, 3)).toBe(false);
  expect(closes(triangle.slice(0, 2), { x: 0, y: 0 }, 3)).toBe(false);
});

describe("several points", () => {
  const box = boxOf(triangle, [0, 1, 2]);
  it("move together, the others stay", () => {
    expect(moveSome(triangle, [0, 2], 3, 1)).toEqual([
      { x: 3, y: 1 },
      { x: 10, y: 0 },
      { x: 3, y: 11 },
    ]);
  });
  it("span a box, one does not", () => {
    expect(box).toEqual({ left: 0, top: 0, right: 10, bottom: 10 });
    expect(boxOf(triangle, [1])).toBeNull();
  });
  it("scale about the opposite corner, in proportion unless free", () => {
    if (!box) throw new Error("no box");
    expect(scaleSome(triangle, [0, 1, 2], box, 2, { x: 20, y: 20 }, false)[1]).toEqual({ x: 20, y: 0 });
    expect(scaleSome(triangle, [0, 1, 2], box, 2, { x: 20, y: 10 }, true)).toEqual([
      { x: 0, y: 0 },
      { x: 20, y: 0 },
      { x: 0, y: 10 },
    ]);
    expect(scaleSome(triangle, [0, 1, 2], box, 2, { x: 20, y: 10 }, false)[1]?.x).toBeCloseTo(15);
  });
  it("never shrink to nothing", () => {
    if (!box) throw new Error("no box");
    expect(scaleSome(triangle, [0, 1, 2], box, 2, { x: 0, y: 0 }, false)[1]?.x).toBeCloseTo(0.2);
  });
  it("are picked by a frame around them", () => {
    expect(within(triangle, { x: 12, y: -1 }, { x: -1, y: 5 })).toEqual([0, 1]);
  });
});

describe("what was done to one outline, done to another", () => {
  const before = [
    { x: 0, y: 0 },
    { x: 10, y: 0 },
    { x: 10, y: 10 },
    { x: 0, y: 10 },
  ];
  const other = before.map((p) => ({ x: 2 * p.x, y: 2 * p.y }));
  it("puts a point on the same edge", () => {
    const now = insertAfter(before, 1, midpoint(before, 1));
    expect(likewise(before, now, other)).toEqual([other[0], other[1], { x: 20, y: 10 }, other[2], other[3]]);
  });
  it("takes the same point out", () => {
    expect(likewise(before, removePoint(before, 2), other)).toEqual([other[0], other[1], other[3]]);
  });
  it("leaves another key alone when points only moved", () => {
    expect(likewise(before, moveSome(before, [0], 5, 5), other)).toEqual(other);
  });
});
