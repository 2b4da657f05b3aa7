import { expect, it } from "vitest";
import { closes, insertAfter, midpoint, moveAll, movePoint, removePoint } from "./polygons";

const triangle = [{ x: 0, y: 0 }, { x: 10, y: 0 }, { x: 0, y: 10 }];

it("moves one point or all and leaves the given points alone", () => {
  expect(movePoint(triangle, 1, { x: 5, y: 5 })[1]).toEqual({ x: 5, y: 5 });
  expect(moveAll(triangle, 1, 2)[2]).toEqual({ x: 1, y: 12 });
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
